package view

import (
	"fmt"
	"io"
	"net/netip"

	"ropeswing/core/prefix"
)

// Setting is an address with its length, and a gateway if there is one.
type Setting struct {
	Address netip.Prefix
	Gateway netip.Addr
}

// Beside is what to give a laptop, in JSON.
type Beside struct {
	Box     string `json:"box"`     // the known address with its length
	Address string `json:"address"` // for the laptop
	Mask    string `json:"mask,omitempty"`
	Length  int    `json:"prefix_length"`
	Already bool   `json:"already"`               // the laptop's present address is in the subnet: nothing to change
	Then    string `json:"put_back,omitempty"`    // the laptop's present address, to put back afterwards
	Gateway string `json:"put_back_gw,omitempty"` // and its gateway
}

// NewBeside puts the answer into its JSON form.
func NewBeside(box netip.Prefix, near netip.Addr, now Setting) Beside {
	v := Beside{Box: box.String(), Address: near.String(), Length: box.Bits()}
	if near.Is4() {
		v.Mask = prefix.Mask(box).String()
	}
	if now.Address.IsValid() {
		v.Then, v.Gateway = now.Address.String(), address(now.Gateway)
		// Both must take each other for neighbours.
		v.Already = now.Address.Contains(box.Addr()) && box.Contains(now.Address.Addr()) && now.Address.Addr() != box.Addr()
	}
	return v
}

// Table is the answer for CSV and Markdown.
func (v Beside) Table() Table {
	return Table{
		Columns: []Column{{Key: "box", Title: "box"}, {Key: "address", Title: "address"}, {Key: "mask", Title: "mask"}, {Key: "prefix_length", Title: "length", Right: true}, {Key: "put_back", Title: "put back"}, {Key: "put_back_gw", Title: "gateway to put back"}},
		Rows:    [][]string{{v.Box, v.Address, v.Mask, fmt.Sprint(v.Length), v.Then, v.Gateway}},
	}
}

// Text writes what to set, that no gateway is needed, and what to put back.
func (v Beside) Text(w io.Writer, width int) {
	if v.Already {
		labelled(w, width, "", fmt.Sprintf("nothing to change: %s is in the box's subnet already", v.Then), "")
		fmt.Fprintln(w, "then     ping "+addressOf(v.Box))
		return
	}
	mask := ""
	if v.Mask != "" {
		mask = fmt.Sprintf(", mask %s", v.Mask)
	}
	fmt.Fprintf(w, "set      %s/%d%s\n", bold.Render(v.Address), v.Length, mask)
	fmt.Fprintln(w, "gateway  none: the box is on the same link")
	fmt.Fprintln(w, "then     ping "+addressOf(v.Box))
	if v.Then == "" {
		fmt.Fprintln(w, "after    put back what the laptop has now; --now ADDRESS/LEN,GATEWAY notes it here")
		return
	}
	back := v.Then
	if v.Gateway != "" {
		back += ", gateway " + v.Gateway
	}
	fmt.Fprintln(w, "after    put back "+back)
}

// addressOf is an address without its length.
func addressOf(text string) string {
	p, err := netip.ParsePrefix(text)
	if err != nil {
		return text
	}
	return p.Addr().String()
}
