package verify

import (
	"net/netip"

	"ropeswing/core/model"
)

// Host is how a host is addressed.
type Host struct {
	Device   model.DeviceID
	Segment  model.SegmentID // None where it is on none
	Address  [2]netip.Prefix // of IPv4 and of IPv6, invalid where it has none
	Gateway  [2]netip.Addr
	Oddities []Oddity
}

// OddCode is in what a host is unlike the others of its segment.
type OddCode uint8

const (
	OddGateway  OddCode = iota // most others have Usual, invalid being none
	LacksFamily                // it has no address of the family of Subnet
	OddLength                  // its mask is not that of Subnet
)

// Oddity is one thing that is odd about a host.
type Oddity struct {
	Code   OddCode
	Family int        // 0 is IPv4, 1 IPv6
	Usual  netip.Addr // of OddGateway
	Subnet netip.Prefix
}

// Hosts lists the hosts among some devices, with what is odd about each beside the
// others that are listed.
func Hosts(spec *model.Spec, devices []model.DeviceID) []Host {
	var all []Host
	for _, d := range devices {
		if spec.Devices[d].Kind == model.Host {
			all = append(all, hostOf(spec, d))
		}
	}
	type of struct {
		segment model.SegmentID
		family  int
	}
	type having struct {
		of
		gateway netip.Addr
	}
	usual, count := map[of]netip.Addr{}, map[having]int{}
	for _, h := range all {
		for f, gateway := range h.Gateway {
			k := of{h.Segment, f}
			count[having{k, gateway}]++
			if count[having{k, gateway}] > count[having{k, usual[k]}] {
				usual[k] = gateway
			}
		}
	}
	for i := range all {
		h := &all[i]
		if h.Segment == model.None {
			continue
		}
		for f, gateway := range h.Gateway {
			if most := usual[of{h.Segment, f}]; gateway != most {
				h.Oddities = append(h.Oddities, Oddity{Code: OddGateway, Family: f, Usual: most})
			}
		}
		for _, p := range spec.Segments[h.Segment].Prefixes {
			f := 0
			if p.Addr().Is6() {
				f = 1
			}
			switch own := h.Address[f]; {
			case !own.IsValid():
				h.Oddities = append(h.Oddities, Oddity{Code: LacksFamily, Family: f, Subnet: p.Prefix})
			case f == 0 && own.Bits() != p.Bits():
				h.Oddities = append(h.Oddities, Oddity{Code: OddLength, Family: f, Subnet: p.Prefix})
			}
		}
	}
	return all
}

func hostOf(spec *model.Spec, d model.DeviceID) Host {
	h := Host{Device: d, Segment: model.None}
	for _, id := range spec.InterfacesOf(d) {
		i := &spec.Interfaces[id]
		if h.Segment == model.None {
			h.Segment = i.Segment
		}
		for _, a := range i.Addresses {
			switch {
			case a.Addr().Is4() && !h.Address[0].IsValid():
				h.Address[0] = a.Prefix
			case a.Addr().Is6() && !a.Addr().IsLinkLocalUnicast() && !h.Address[1].IsValid():
				h.Address[1] = a.Prefix
			}
		}
	}
	first, last := spec.StaticsOf(d)
	for _, s := range spec.Statics[first:last] {
		f := 0
		if s.To.Addr().Is6() {
			f = 1
		}
		if s.To.Bits() == 0 && !h.Gateway[f].IsValid() {
			h.Gateway[f] = s.Via
		}
	}
	return h
}
