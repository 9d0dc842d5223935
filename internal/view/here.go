package view

import (
	"fmt"
	"io"

	"ropeswing/core/ask"
	"ropeswing/core/model"
)

// Here is where in the plan this machine is, in JSON.
type Here struct {
	Found     bool          `json:"found"`            // some address of it is in the plan
	Device    string        `json:"device,omitempty"` // who it is, where its address is somebody's
	Addresses []HereAddress `json:"addresses"`
	Should    []string      `json:"should_hold"`             // what the device holds by the plan, and this machine does not
	NotLooked string        `json:"not_looked_at,omitempty"` // what this system does not tell
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

// NewHere puts where a machine is in a plan into its JSON form.
func NewHere(spec *model.Spec, p ask.Place, prefix string) *Here {
	v := &Here{Found: p.Found, Addresses: []HereAddress{}, Should: []string{}}
	for _, o := range p.Addresses {
		x := HereAddress{Interface: o.Interface, Address: o.Prefix.String(), Gateway: address(o.Gateway)}
		if o.Segment != model.None {
			x.Segment = spec.Segments[o.Segment].Name
		}
		if o.Holder != model.None {
			x.Holder = spec.Label(o.Holder)
		}
		switch o.Standing {
		case ask.DownHere:
			x.Note = "the interface is down"
		case ask.InNoSegment:
			x.Note = "in no segment of the plan"
		case ask.OtherLength:
			x.Note = fmt.Sprintf("mask /%d for /%d", o.Prefix.Bits(), o.Subnet.Bits())
		case ask.NoLease:
			x.Note = "it gave itself this address: no lease was had (RFC 3927)"
		case ask.LeasedHere:
			x.Note = "leased"
		case ask.Unassigned:
			x.Note = "not assigned by the plan"
		}
		v.Addresses = append(v.Addresses, x)
	}
	if p.Device != model.None {
		v.Device = spec.Devices[p.Device].Name
	}
	for _, l := range p.Lacks {
		v.Should = append(v.Should, l.Prefix.String()+" on "+spec.Interfaces[l.Interface].Name)
	}
	for _, l := range p.Defaults {
		text := "the default route via " + l.Via.String()
		for _, other := range l.Instead {
			text += ", and not via " + other.String()
		}
		v.Should = append(v.Should, text)
	}
	for _, x := range v.Addresses {
		if x.Gateway != "" && v.Next == "" {
			v.Next = prefix + " ping --live " + x.Gateway
			if v.Device != "" {
				v.Next += " --standing-at " + ShellWord(v.Device)
			}
		}
	}
	return v
}

// Table is this machine's addresses.
func (v *Here) Table() Table {
	t := Table{Columns: []Column{{Key: "interface", Title: "interface"}, {Key: "address", Title: "address"},
		{Key: "segment", Title: "segment"}, {Key: "holder", Title: "by the plan"}, {Key: "gateway", Title: "gateway"}, {Key: "note",
			Title: "note"}}, Empty: "this machine has no address"}
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
	if v.NotLooked != "" {
		text, style = text+"; "+v.NotLooked, warn
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
