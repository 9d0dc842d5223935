package rehearse

import (
	"fmt"
	"net/netip"

	"ropeswing/core/model"
)

// UnlikeCode is the kind of thing that a rehearsal makes in another way than devices do.
type UnlikeCode uint8

const (
	UnlikeVLANs      UnlikeCode = iota // who hears whom is worked out, not found out by frames with tags
	UnlikeGroups                       // a group of ports is one link
	UnlikeSerial                       // a serial line is a link without address resolution
	UnlikeShared                       // who is master of a shared gateway is worked out, not elected
	UnlikeLeased                       // who leases an address has the planned one from the start
	UnlikeRecursive                    // next hops that are found by another route are found by this program
	UnlikeSwitchMTU                    // MTUs of switch ports
	UnlikeTables                       // routing tables of interfaces are made of rules
	UnlikeTwice                        // addresses that several have, in tables or parts that are apart
	UnlikeState                        // two devices that share a table of states have one each
	UnlikePreference                   // which address a device prefers towards a subnet of its own
)

// Unlike is what of a plan a rehearsal makes in another way than devices do, and how many of
// it there are.
type Unlike struct {
	Code  UnlikeCode
	Count int
}

// UnlikeOf lists what of a network is made in another way.
func UnlikeOf(spec *model.Spec) []Unlike {
	var count [UnlikePreference + 1]int
	vlans := map[model.VLAN]bool{}
	count[UnlikeState] = sharing(spec)
	for id := range spec.Interfaces {
		i := &spec.Interfaces[id]
		if i.Switched {
			vlans[i.Untagged] = true
			for _, v := range i.Tagged {
				vlans[v] = true
			}
			if i.MTU > 0 {
				count[UnlikeSwitchMTU]++
			}
		}
		if i.Kind == model.Subinterface {
			vlans[i.Tag] = true
		}
		if i.Kind == model.Group {
			count[UnlikeGroups]++
		}
		if i.Table != "" {
			count[UnlikeTables]++
		}
		if i.Serial {
			count[UnlikeSerial]++
		}
		for _, a := range i.Addresses {
			switch {
			case a.Virtual:
				count[UnlikeShared]++
			case a.Varies():
				count[UnlikeLeased]++
			case a.Preferred:
				count[UnlikePreference]++
			}
		}
	}
	delete(vlans, 0)
	count[UnlikeTwice] = len(severalHave(spec))
	count[UnlikeVLANs] = len(vlans)
	for n := range spec.Statics {
		if s := &spec.Statics[n]; s.Out == model.None && s.Via.IsValid() && !onLink(spec, s) {
			count[UnlikeRecursive]++
		}
	}
	var all []Unlike
	for code, n := range count {
		if n > 0 {
			all = append(all, Unlike{UnlikeCode(code), n})
		}
	}
	return all
}

// sharing is how many devices say that they share their table of states.
func sharing(spec *model.Spec) int {
	n := 0
	for d := range spec.Devices {
		if spec.Devices[d].SharesState != "" {
			n++
		}
	}
	return n
}

// severalHave are the addresses that several interfaces have though none shares it: in tables or parts of the plan that
// are apart, or by mistake.
// Who of them answers is not told by an answer.
func severalHave(spec *model.Spec) map[netip.Addr]bool {
	first, several := map[netip.Addr]bool{}, map[netip.Addr]bool{}
	for id := range spec.Interfaces {
		for _, a := range spec.Interfaces[id].Addresses {
			switch {
			case a.Addr().IsLinkLocalUnicast() || a.Virtual:
			case first[a.Addr()]:
				several[a.Addr()] = true
			default:
				first[a.Addr()] = true
			}
		}
	}
	return several
}

func onLink(spec *model.Spec, s *model.Static) bool {
	for _, id := range spec.InterfacesOf(s.Device) {
		for _, a := range spec.Interfaces[id].Addresses {
			if a.Contains(s.Via) {
				return true
			}
		}
	}
	return false
}

// Words is one of these in a sentence.
func (u Unlike) Words() string {
	form := [...][2]string{
		UnlikeVLANs: {"%d VLAN: who hears whom in it is worked out; frames carry no tags",
			"%d VLANs: who hears whom in them is worked out; frames carry no tags"},
		UnlikeGroups: {"%d group of ports is one link", "%d groups of ports are one link each"},
		UnlikeSerial: {"%d end of serial lines: on them nothing is resolved, and nothing is clocked",
			"%d ends of serial lines: on them nothing is resolved, and nothing is clocked"},
		UnlikeShared: {"%d shared gateway address: who answers for it is worked out, not elected",
			"%d shared gateway addresses: who answers for them is worked out, not elected"},
		UnlikeLeased: {"%d leased or advertised address is there from the start",
			"%d leased or advertised addresses are there from the start"},
		UnlikeRecursive: {"%d next hop is found by another route: rehearse resolves it, for the kernel does not",
			"%d next hops are found by other routes: rehearse resolves them, for the kernel does not"},
		UnlikeSwitchMTU: {"%d MTU of a switch port is left out", "%d MTUs of switch ports are left out"},
		UnlikeTables: {"%d interface in a table of its own: traces to it by another table are not compared",
			"%d interfaces in tables of their own: traces to them by other tables are not compared"},
		UnlikeTwice: {"%d address that several have is not asked for: who of them answers is not told",
			"%d addresses that several have are not asked for: who of them answers is not told"},
		UnlikeState: {"%d pair of devices with one table of states: each has its own here, and what hangs on that fails",
			"%d pairs of devices with one table of states: each has its own here, and what hangs on that fails"},
		UnlikePreference: {"%d preferred address counts for static routes only", "%d preferred addresses count for static routes only"},
	}[u.Code]
	if u.Count == 1 {
		return fmt.Sprintf(form[0], u.Count)
	}
	return fmt.Sprintf(form[1], u.Count)
}
