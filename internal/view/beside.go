package view

import (
	"fmt"
	"io"
	"net/netip"

	"ropeswing/core/ask"
	"ropeswing/core/prefix"
)

// BesideAsked is what a laptop's setting is worked out from, and what came of it.
type BesideAsked struct {
	Box      netip.Prefix
	Near     netip.Addr // free, beside the box
	Device   string     // of the plan; "" for a box that is none
	Planned  ask.Setting
	NearThen netip.Addr // free, beside what the plan gives the box
	Taken    []prefix.Range
	Now      ask.Setting // the laptop's, invalid where it is not said
	DHCP     bool        // it leases it
	Holder   string      // who has the laptop's present address in the plan
}

// Beside is what to give a laptop, in JSON.
type Beside struct {
	Box     string `json:"box"`     // the known address with its length
	Address string `json:"address"` // for the laptop
	Mask    string `json:"mask,omitempty"`
	Length  int    `json:"prefix_length"`
	Device  string `json:"device,omitempty"`         // of the plan, whose box it is
	Give    string `json:"give,omitempty"`           // what the plan gives the box, with its length
	GiveMsk string `json:"give_mask,omitempty"`      // and its mask
	GiveGW  string `json:"give_gw,omitempty"`        // and its gateway
	After   string `json:"after,omitempty"`          // for the laptop once the box has that, with its length
	Already bool   `json:"already"`                  // the laptop's present address is in the subnet: nothing to change
	Then    string `json:"put_back,omitempty"`       // the laptop's present address, to put back afterwards; dhcp where it is leased
	Gateway string `json:"put_back_gw,omitempty"`    // and its gateway
	Holder  string `json:"put_back_is_of,omitempty"` // who has that address in the plan
}

// NewBeside puts the answer into its JSON form.
func NewBeside(x BesideAsked) Beside {
	v := Beside{Box: x.Box.String(), Address: x.Near.String(), Length: x.Box.Bits(), Mask: mask4(x.Box), Device: x.Device, Holder: x.Holder}
	if g := x.Planned.Address; g.IsValid() {
		v.Give, v.GiveMsk, v.GiveGW = g.String(), mask4(g), address(x.Planned.Gateway)
		if x.NearThen.IsValid() {
			v.After = netip.PrefixFrom(x.NearThen, g.Bits()).String()
		}
	}
	if now := x.Now.Address; now.IsValid() {
		v.Then, v.Gateway = now.String(), address(x.Now.Gateway)
		// Both must take each other for neighbours.
		v.Already = now.Contains(x.Box.Addr()) && x.Box.Contains(now.Addr()) && now.Addr() != x.Box.Addr()
	}
	if x.DHCP {
		v.Then = "dhcp"
	}
	return v
}

// mask4 is the mask of an IPv4 prefix, else "".
func mask4(p netip.Prefix) string { return maskOf(prefix.Mask(p), prefix.FamilyOf(p.Addr())) }

// Table is the answer for CSV and Markdown.
func (v Beside) Table() Table {
	return Table{
		Columns: []Column{
			{Key: "box", Title: "box"}, {Key: "address", Title: "address"}, {Key: "mask", Title: "mask"}, {Key: "prefix_length", Title: "length",
				Right: true}, {Key: "device", Title: "device"},
			{Key: "give", Title: "give it"}, {Key: "give_mask", Title: "mask"}, {Key: "give_gw", Title: "gateway"}, {Key: "after",
				Title: "then the laptop"}, {Key: "put_back", Title: "put back"}, {Key: "put_back_gw", Title: "gateway to put back"},
		},
		Rows: [][]string{{v.Box, v.Address, v.Mask, fmt.Sprint(v.Length), v.Device, v.Give, v.GiveMsk, v.GiveGW, v.After, v.Then, v.Gateway}},
	}
}

// Text writes what to set, that no gateway is needed, what to give the box, and what to
// put back.
func (v Beside) Text(w io.Writer, width int) {
	line := func(label, text string) { labelled(w, width, pad(label, 9), text, "         ") }
	set := fmt.Sprintf("%s/%d", v.Address, v.Length)
	switch {
	case v.Already:
		labelled(w, width, "", fmt.Sprintf("nothing to change: %s is in the box's subnet already", v.Then), "")
	default:
		line("set", bold.Render(set)+maskWords(v.Mask))
		line("gateway", "none: the box is on the same link")
	}
	line("then", "ping "+addressOf(v.Box))
	if v.Give != "" {
		gateway := "no gateway"
		if v.GiveGW != "" {
			gateway = "gateway " + v.GiveGW
		}
		line("give it", Clean(fmt.Sprintf("%s%s, %s: it is %s then", v.Give, maskWords(v.GiveMsk), gateway, v.Device)))
		if v.After != "" && v.After != set {
			line("set", bold.Render(v.After)+": the laptop, to see it there")
			line("then", "ping "+addressOf(v.Give))
		}
	}
	switch {
	case v.Already && v.Give == "":
		return
	case v.Then == "dhcp":
		line("after", "put back: address by DHCP")
	case v.Then == "":
		line("after", "put back what the laptop has now; --now ADDRESS/LEN,GATEWAY or --now dhcp notes it here")
	default:
		back := v.Then
		if v.Gateway != "" {
			back += ", gateway " + v.Gateway
		}
		line("after", "put back "+back)
	}
	if v.Holder != "" {
		line("note", Clean(addressOf(v.Then)+" is "+v.Holder+" in the plan: is it the laptop's?"))
	}
}

func maskWords(mask string) string {
	if mask == "" {
		return ""
	}
	return ", mask " + mask
}

// addressOf is an address without its length.
func addressOf(text string) string {
	p, err := netip.ParsePrefix(text)
	if err != nil {
		return text
	}
	return p.Addr().String()
}

// BesideWorking explains why a laptop and a box hear each other: the mask leaves of both addresses the same.
func BesideWorking(w io.Writer, x BesideAsked, width int) {
	length := x.Box.Bits()
	bits := digits6
	if x.Box.Addr().Is4() {
		bits = bits4
	}
	fmt.Fprintf(w, "\nThe first %s of both must be the same: then each takes the other for a neighbour, and asks for it on the link.\n",
		Count(length, "bit"))
	for _, y := range []struct {
		name string
		a    netip.Addr
	}{{"the box", x.Box.Addr()}, {"the laptop", x.Near}} {
		fmt.Fprintln(w, pad(y.name, 12)+gap+bits(y.a, length)+gap+y.a.String())
	}
	paragraph(w, width, "What lies behind the bar must differ, and be neither all 0 nor all 1 in IPv4. No gateway plays a part: nothing "+
		"leaves the link.", "")
}
