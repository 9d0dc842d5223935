package view

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/network"
	"ropeswing/core/prefix"
	"ropeswing/core/verify"
)

// Host is a host's addressing in JSON.
type Host struct {
	Host     string   `json:"host"`
	Segment  string   `json:"segment,omitempty"`
	Address  string   `json:"address,omitempty"` // IPv4
	Mask     string   `json:"mask,omitempty"`
	Gateway  string   `json:"gateway,omitempty"`
	Address6 string   `json:"address_ipv6,omitempty"` // with its length
	Gateway6 string   `json:"gateway_ipv6,omitempty"`
	Odd      []string `json:"odd,omitempty"` // in what it differs from the others of its segment
}

// Hosts is hosts side by side.
func Hosts(spec *model.Spec, hosts []verify.Host) ([]Host, Table) {
	data := []Host{}
	for _, h := range hosts {
		data = append(data, newHost(spec, h))
	}
	table := Table{Columns: []Column{
		{Key: "host", Title: "host"}, {Key: "segment", Title: "segment"}, {Key: "address", Title: "address"}, {Key: "mask",
			Title: "mask"}, {Key: "gateway", Title: "gateway"},
		{Key: "address_ipv6", Title: "IPv6 address", IfRoom: true}, {Key: "gateway_ipv6", Title: "IPv6 gateway", IfRoom: true}, {Key: "odd",
			Title: "odd", Below: true},
	}, Empty: "the plan has no hosts"}
	for _, h := range data {
		table.Rows = append(table.Rows, []string{h.Host, h.Segment, h.Address, h.Mask, h.Gateway, h.Address6, h.Gateway6,
			strings.Join(h.Odd, "; ")})
	}
	return data, table
}

func newHost(spec *model.Spec, h verify.Host) Host {
	x := Host{Host: spec.Devices[h.Device].Name, Gateway: address(h.Gateway[0]), Gateway6: address(h.Gateway[1])}
	if h.Segment != model.None {
		x.Segment = spec.Segments[h.Segment].Name
	}
	if a := h.Address[0]; a.IsValid() {
		x.Address, x.Mask = a.Addr().String(), prefix.Mask(a).String()
	}
	if a := h.Address[1]; a.IsValid() {
		x.Address6 = a.String()
	}
	for _, o := range h.Oddities {
		x.Odd = append(x.Odd, oddWords(x, h, o))
	}
	return x
}

func oddWords(x Host, h verify.Host, o verify.Oddity) string {
	switch o.Code {
	case verify.OddGateway:
		field := [...]string{"gateway", "IPv6 gateway"}[o.Family]
		return fmt.Sprintf("its %s is %s, most on %s have %s", field, orNothing(address(h.Gateway[o.Family])), x.Segment,
			orNothing(address(o.Usual)))
	case verify.LacksFamily:
		return fmt.Sprintf("it has no %s address, and the segment has %s", forward.FamilyOf(o.Subnet.Addr()), o.Subnet)
	}
	return fmt.Sprintf("its mask is not the segment's, %s", prefix.Mask(o.Subnet))
}

func orNothing(s string) string {
	if s == "" {
		return "none"
	}
	return s
}

// HeldAddress is an address in the plan in JSON.
type HeldAddress struct {
	Address   string `json:"address"` // with its length
	Device    string `json:"device"`
	Interface string `json:"interface"`
	Segment   string `json:"segment,omitempty"`
	Position  string `json:"position,omitempty"` // which usable address of its subnet it is, from 1
	Place     string `json:"place"`              // where the plan says so: file:line:column
}

// Addresses is every address of the devices, in order.
func Addresses(state *network.State, devices []model.DeviceID) ([]HeldAddress, Table) {
	spec := state.Spec
	type held struct {
		netip.Prefix
		HeldAddress
	}
	var all []held
	for _, d := range devices {
		for _, id := range spec.InterfacesOf(d) {
			i := &spec.Interfaces[id]
			for _, a := range i.Addresses {
				x := HeldAddress{Address: a.Prefix.String(), Device: spec.Devices[d].Name, Interface: i.Name, Place: a.Place.String()}
				if i.Segment != model.None {
					x.Segment = spec.Segments[i.Segment].Name
				}
				if n, ok := prefix.Position(a.Prefix, a.Addr()); ok && !a.IsSingleIP() {
					x.Position = n.String()
				}
				all = append(all, held{a.Prefix, x})
			}
		}
	}
	slices.SortStableFunc(all, func(a, b held) int { return a.Addr().Compare(b.Addr()) })
	data := []HeldAddress{}
	table := Table{Columns: []Column{
		{Key: "address", Title: "address"}, {Key: "position", Title: "position", Right: true}, {Key: "device",
			Title: "device"}, {Key: "interface", Title: "interface"},
		{Key: "segment", Title: "segment"}, {Key: "place", Title: "written at", Wide: true},
	}, Empty: "the plan has no addresses"}
	for _, h := range all {
		data = append(data, h.HeldAddress)
		position := h.Position
		if len(position) > 9 {
			position = "" // far up in an IPv6 subnet; the address says as much
		}
		table.Rows = append(table.Rows, []string{h.Address, position, h.Device, h.Interface, h.Segment, lineOf(h.Place)})
	}
	return data, table
}
