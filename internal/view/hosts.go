package view

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"ropeswing/core/model"
	"ropeswing/core/network"
	"ropeswing/core/prefix"
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

// Hosts is the hosts among the devices, side by side.
func Hosts(state *network.State, devices []model.DeviceID) ([]Host, Table) {
	spec := state.Spec
	data := []Host{}
	for _, d := range devices {
		if spec.Devices[d].Kind == model.Host {
			data = append(data, newHost(spec, d))
		}
	}
	markOdd(spec, data)
	table := Table{Columns: []Column{
		{Key: "host", Title: "host"}, {Key: "segment", Title: "segment"}, {Key: "address", Title: "address"}, {Key: "mask", Title: "mask"}, {Key: "gateway", Title: "gateway"},
		{Key: "address_ipv6", Title: "IPv6 address", IfRoom: true}, {Key: "gateway_ipv6", Title: "IPv6 gateway", IfRoom: true}, {Key: "odd", Title: "odd", Below: true},
	}, Empty: "the plan has no hosts"}
	for _, h := range data {
		table.Rows = append(table.Rows, []string{h.Host, h.Segment, h.Address, h.Mask, h.Gateway, h.Address6, h.Gateway6, strings.Join(h.Odd, "; ")})
	}
	return data, table
}

func newHost(spec *model.Spec, d model.DeviceID) Host {
	h := Host{Host: spec.Devices[d].Name}
	for _, id := range spec.InterfacesOf(d) {
		i := &spec.Interfaces[id]
		if i.Segment != model.None && h.Segment == "" {
			h.Segment = spec.Segments[i.Segment].Name
		}
		for _, a := range i.Addresses {
			switch {
			case a.Addr().Is4() && h.Address == "":
				h.Address, h.Mask = a.Addr().String(), prefix.Mask(a.Prefix).String()
			case a.Addr().Is6() && !a.Addr().IsLinkLocalUnicast() && h.Address6 == "":
				h.Address6 = a.Prefix.String()
			}
		}
	}
	first, last := spec.StaticsOf(d)
	for _, s := range spec.Statics[first:last] {
		switch {
		case s.To.Bits() > 0:
		case s.To.Addr().Is4() && h.Gateway == "":
			h.Gateway = s.Via.String()
		case s.To.Addr().Is6() && h.Gateway6 == "":
			h.Gateway6 = s.Via.String()
		}
	}
	return h
}

// markOdd notes in what a host differs from its segment and from most others
// there.
func markOdd(spec *model.Spec, all []Host) {
	usual := map[[2]string]string{} // by segment and field: what most have
	count := map[[3]string]int{}
	fields := func(h Host) map[string]string {
		return map[string]string{"gateway": h.Gateway, "IPv6 gateway": h.Gateway6}
	}
	for _, h := range all {
		for field, v := range fields(h) {
			count[[3]string{h.Segment, field, v}]++
			key := [2]string{h.Segment, field}
			if best := usual[key]; count[[3]string{h.Segment, field, v}] > count[[3]string{h.Segment, field, best}] {
				usual[key] = v
			}
		}
	}
	for i := range all {
		h := &all[i]
		for _, field := range []string{"gateway", "IPv6 gateway"} {
			most := usual[[2]string{h.Segment, field}]
			if v := fields(*h)[field]; v != most && h.Segment != "" {
				h.Odd = append(h.Odd, fmt.Sprintf("its %s is %s, most on %s have %s", field, orNothing(v), h.Segment, orNothing(most)))
			}
		}
		h.Odd = append(h.Odd, oddAgainstSegment(spec, *h)...)
	}
}

func orNothing(s string) string {
	if s == "" {
		return "none"
	}
	return s
}

// oddAgainstSegment compares a host's lengths and families with its segment's.
func oddAgainstSegment(spec *model.Spec, h Host) []string {
	id, ok := spec.SegmentNamed(h.Segment)
	if !ok {
		return nil
	}
	var odd []string
	for _, p := range spec.Segments[id].Prefixes {
		switch {
		case p.Addr().Is4() && h.Address == "":
			odd = append(odd, "it has no IPv4 address, and the segment has "+p.Prefix.String())
		case p.Addr().Is6() && h.Address6 == "":
			odd = append(odd, "it has no IPv6 address, and the segment has "+p.Prefix.String())
		case p.Addr().Is4() && h.Mask != prefix.Mask(p.Prefix).String():
			odd = append(odd, fmt.Sprintf("its mask is not the segment's, %s", prefix.Mask(p.Prefix)))
		}
	}
	return odd
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
		{Key: "address", Title: "address"}, {Key: "position", Title: "position", Right: true}, {Key: "device", Title: "device"}, {Key: "interface", Title: "interface"},
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
