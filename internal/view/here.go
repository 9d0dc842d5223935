package view

import (
	"fmt"
	"io"
	"net/netip"
	"slices"

	"ropeswing/core/forward"
	"ropeswing/core/model"
)

// OwnAddress is an address of this machine.
type OwnAddress struct {
	Interface string
	Prefix    netip.Prefix
	Up        bool
}

// Here is where in the plan this machine is, in JSON.
type Here struct {
	Found     bool          `json:"found"`            // some address of it is in the plan
	Device    string        `json:"device,omitempty"` // who it is, where its address is somebody's
	Addresses []HereAddress `json:"addresses"`
	Should    []string      `json:"should_hold"` // what the device holds by the plan, and this machine does not
	Next      string        `json:"next,omitempty"`
}

// HereAddress is one address of this machine and what the plan says of it.
type HereAddress struct {
	Interface string `json:"interface"`
	Address   string `json:"address"`
	Segment   string `json:"segment,omitempty"`
	Holder    string `json:"holder,omitempty"`  // whose it is by the plan
	Gateway   string `json:"gateway,omitempty"` // of the segment
	Note      string `json:"note,omitempty"`
}

// NewHere finds this machine in a plan. Defaults are the next hops of its default
// routes; nil where they are not known.
func NewHere(net *forward.Network, own []OwnAddress, defaults []netip.Addr, prefix string) *Here {
	spec := net.Spec
	v := &Here{Addresses: []HereAddress{}, Should: []string{}}
	holds := map[netip.Addr]bool{}
	device := model.DeviceID(model.None)
	for _, o := range own {
		holds[o.Prefix.Addr()] = true
		x := HereAddress{Interface: o.Interface, Address: o.Prefix.String()}
		if !o.Up {
			x.Note = "the interface is down"
		}
		if holders := spec.HoldersOf(o.Prefix.Addr()); len(holders) > 0 {
			device = spec.Interfaces[holders[0]].Device
			x.Holder = spec.Label(holders[0])
		}
		s := spec.SegmentOf(o.Prefix.Addr())
		if s == model.None {
			x.Note = "in no segment of the plan"
			v.Addresses = append(v.Addresses, x)
			continue
		}
		v.Found = true
		x.Segment = spec.Segments[s].Name
		for _, p := range spec.Segments[s].Prefixes {
			if p.Contains(o.Prefix.Addr()) && p.Bits() != o.Prefix.Bits() {
				x.Note = fmt.Sprintf("mask /%d for /%d", o.Prefix.Bits(), p.Bits())
			}
		}
		x.Gateway = gatewayOf(spec, s, o.Prefix.Addr())
		if x.Holder == "" && x.Note == "" {
			x.Note = "nobody's by the plan"
			for _, l := range spec.Segments[s].Leases {
				if l.Contains(o.Prefix.Addr()) {
					x.Note = "leased"
				}
			}
		}
		v.Addresses = append(v.Addresses, x)
	}
	if device != model.None {
		v.Device = spec.Devices[device].Name
		for _, id := range spec.InterfacesOf(device) {
			for _, a := range spec.Interfaces[id].Addresses {
				if !a.Virtual && !a.Addr().IsLinkLocalUnicast() && !holds[a.Addr()] {
					v.Should = append(v.Should, a.Prefix.String()+" on "+spec.Interfaces[id].Name)
				}
			}
		}
		if defaults != nil {
			v.Should = append(v.Should, lackingDefaults(spec, device, defaults)...)
		}
	}
	for _, x := range v.Addresses {
		if x.Gateway != "" && v.Next == "" {
			v.Next = prefix + " ping --live " + x.Gateway
			if v.Device != "" {
				v.Next += " --standing-at " + v.Device
			}
		}
	}
	return v
}

// lackingDefaults are the planned default routes that a machine does not have.
func lackingDefaults(spec *model.Spec, d model.DeviceID, has []netip.Addr) []string {
	var all []string
	first, last := spec.StaticsOf(d)
	for _, s := range spec.Statics[first:last] {
		if s.To.Bits() != 0 || s.Table != "" || !s.Via.IsValid() || slices.Contains(has, s.Via) {
			continue
		}
		text := "the default route via " + s.Via.String()
		for _, other := range has {
			if other.Is4() == s.Via.Is4() {
				text += ", and not via " + other.String()
			}
		}
		all = append(all, text)
	}
	return all
}

// gatewayOf is a segment's gateway in the family of an address: that of a device which
// forwards; the shared one where there is one.
func gatewayOf(spec *model.Spec, s model.SegmentID, like netip.Addr) string {
	best := ""
	for id := range spec.Interfaces {
		i := &spec.Interfaces[id]
		if i.Segment != s || !spec.Devices[i.Device].Forwards || !i.Routed() {
			continue
		}
		for _, a := range i.Addresses {
			if a.Addr().Is4() == like.Is4() && a.Addr() != like && !a.Addr().IsLinkLocalUnicast() && (best == "" || a.Virtual) {
				best = a.Addr().String()
			}
		}
	}
	return best
}

// Table is this machine's addresses.
func (v *Here) Table() Table {
	t := Table{Columns: []Column{{Key: "interface", Title: "interface"}, {Key: "address", Title: "address"}, {Key: "segment", Title: "segment"}, {Key: "holder", Title: "by the plan"}, {Key: "gateway", Title: "gateway"}, {Key: "note", Title: "note"}}, Empty: "this machine has no address"}
	for _, x := range v.Addresses {
		t.Rows = append(t.Rows, []string{x.Interface, x.Address, x.Segment, x.Holder, x.Gateway, x.Note})
	}
	return t
}

// Text writes where this machine is, and what to try next.
func (v *Here) Text(w io.Writer, width int) {
	text, style := "this machine is nowhere in the plan", bad
	switch {
	case v.Device != "":
		text, style = "this machine is "+v.Device, good
	case v.Found:
		text, style = "this machine is on a segment of the plan, and nobody there", warn
	}
	fmt.Fprintln(w, style.Render(Clean(text))+faint.Render(" · by its own addresses"))
	v.Table().Text(w, width, "", false)
	for _, s := range v.Should {
		fmt.Fprintln(w, "should hold too: "+Clean(s))
	}
	if v.Next != "" {
		fmt.Fprintln(w, pad("next", 8)+Clean(v.Next))
	}
}
