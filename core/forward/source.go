package forward

import (
	"math/bits"
	"net/netip"
	"slices"

	"ropeswing/core/model"
	"ropeswing/core/prefix"
	"ropeswing/core/routing"
)

// Source is the address a device gives what it sends itself to a destination,
// out of the interface its table chooses. It is false where the device has
// none of the family.
func Source(net *Network, d model.DeviceID, to netip.Addr) (netip.Addr, bool) {
	table := net.Table(d)
	m, ok := table.Lookup(to)
	switch {
	case ok && m.Local:
		return to, true
	case ok && len(m.Hops) > 0:
		return sourceBy(net, d, m.Hops[0], to)
	}
	return anySource(net, d, to, "")
}

// sourceBy is the source of what a device sends to a destination by one of its hops.
func sourceBy(net *Network, d model.DeviceID, hop routing.Hop, to netip.Addr) (netip.Addr, bool) {
	return sourceOut(net, d, routing.Hop{Out: hop.Out, Via: viaOf(hop, to)}, to)
}

// sourcesBy is all that it may be: in IPv6 several may be equally good.
func sourcesBy(net *Network, d model.DeviceID, hop routing.Hop, to netip.Addr) []netip.Addr {
	if to.Is6() {
		return sources6(net, d, hop.Out, to)
	}
	if a, ok := sourceBy(net, d, hop, to); ok {
		return []netip.Addr{a}
	}
	return nil
}

// viaOf is the address that is asked for on a hop's link: its next hop, or the destination.
func viaOf(hop routing.Hop, to netip.Addr) netip.Addr {
	if hop.Via.IsValid() {
		return hop.Via
	}
	return to
}

// WhySource says why a device sends from an address to a destination: by the rules
// for what it sends itself, or because it was told to.
func WhySource(net *Network, d model.DeviceID, to, source netip.Addr) string {
	spec := net.Spec
	if !source.IsValid() {
		return "it has none of the family"
	}
	chosen, ok := Source(net, d, to)
	m, found := net.Table(d).Lookup(to)
	switch {
	case !ok || chosen != source && !slices.ContainsFunc(m.Hops, func(h routing.Hop) bool {
		return slices.Contains(sourcesBy(net, d, h, to), source)
	}):
		return "the one it was told to send from"
	case found && m.Local:
		return "it asks itself"
	case !found || len(m.Hops) == 0:
		return "the first on an interface that is up, loopbacks before others"
	}
	hop := m.Hops[0]
	for _, h := range m.Hops {
		if slices.Contains(sourcesBy(net, d, h, to), source) {
			hop = h
			break
		}
	}
	out, via := &spec.Interfaces[hop.Out], viaOf(hop, to)
	if !out.Has(source) {
		if out.Borrow != model.None && spec.Interfaces[out.Borrow].Has(source) {
			return out.Name + " borrows it from " + spec.Interfaces[out.Borrow].Name
		}
		return out.Name + " has none that would do, and this is the best of the others"
	}
	for _, a := range out.Addresses {
		switch {
		case a.Addr() != source:
		case a.Preferred:
			return "preferred on " + out.Name
		case to.Is6():
			return "the best on " + out.Name + ", by which it leaves (RFC 6724 §5)"
		case a.Contains(via) && a.Secondary:
			return "the one on " + out.Name + " in the next hop's subnet"
		case a.Contains(via):
			return "the primary one on " + out.Name + " in the next hop's subnet"
		}
	}
	return "the first primary one on " + out.Name
}

// sourceOut chooses among the addresses of the interface a packet leaves by.
// IPv4: the primary one in the next hop's subnet, else the first. IPv6: by
// RFC 6724 §5. An interface that has none borrows another's.
func sourceOut(net *Network, d model.DeviceID, hop routing.Hop, to netip.Addr) (netip.Addr, bool) {
	if to.Is6() {
		return source6(net, d, hop.Out, to)
	}
	out := &net.Spec.Interfaces[hop.Out]
	if a, ok := source4(out, hop.Via); ok {
		return a, true
	}
	if out.Borrow != model.None {
		if a, ok := source4(&net.Spec.Interfaces[out.Borrow], hop.Via); ok {
			return a, true
		}
	}
	return anySource(net, d, to, out.Table)
}

// source4 chooses among an interface's own IPv4 addresses: the preferred one,
// the primary one in the next hop's subnet, a secondary one in it, the first primary one.
func source4(i *model.Interface, via netip.Addr) (netip.Addr, bool) {
	var best netip.Addr
	rank := 0
	for _, a := range i.Addresses {
		r := 1
		switch {
		case !a.Addr().Is4() || a.OnTop():
			continue
		case a.Preferred:
			r = 5
		case !a.Secondary && a.Contains(via):
			r = 4
		case a.Contains(via): // it is of that subnet, and none of the primary ones is
			r = 3
		case !a.Secondary:
			r = 2
		}
		if r > rank {
			best, rank = a.Addr(), r
		}
	}
	return best, best.IsValid()
}

// anySource is the first address of the family on any interface of a routing table that is up, loopbacks before others.
func anySource(net *Network, d model.DeviceID, to netip.Addr, table string) (netip.Addr, bool) {
	if to.Is6() {
		return source6(net, d, model.None, to)
	}
	for _, id := range loopbacksFirst(net.Spec, d) {
		if !net.State.IsUp(id) {
			continue
		}
		for _, a := range net.Spec.Interfaces[id].Addresses {
			if a.Addr().Is4() && !a.OnTop() && net.Spec.Interfaces[id].Table == table {
				return a.Addr(), true
			}
		}
	}
	return netip.Addr{}, false
}

// loopbacksFirst lists the interfaces of a device, the loopback before others, as systems number theirs.
func loopbacksFirst(spec *model.Spec, d model.DeviceID) []model.InterfaceID {
	all := spec.InterfacesOf(d)
	i := slices.IndexFunc(all, func(id model.InterfaceID) bool { return spec.Interfaces[id].Kind == model.Loopback })
	if i <= 0 {
		return all
	}
	return slices.Concat(all[i:i+1], all[:i], all[i+1:])
}

// source6 is the first of those that are equally good by RFC 6724 §5.
func source6(net *Network, d model.DeviceID, out model.InterfaceID, to netip.Addr) (netip.Addr, bool) {
	if all := sources6(net, d, out, to); len(all) > 0 {
		return all[0], true
	}
	return netip.Addr{}, false
}

// sources6 chooses by RFC 6724 §5, as far as its rules concern addresses that
// do not change: the same address, the smallest sufficient scope, the outgoing
// interface, the same label, the longest common prefix. What is preferred on the outgoing
// interface comes before all that. More than one where the rules leave it open, as written.
func sources6(net *Network, d model.DeviceID, out model.InterfaceID, to netip.Addr) []netip.Addr {
	var best []netip.Addr
	var link netip.Addr
	table := ""
	if out != model.None {
		table = net.Spec.Interfaces[out].Table
	}
	bestOut := false
	for _, id := range loopbacksFirst(net.Spec, d) {
		if !net.State.IsUp(id) || net.Spec.Interfaces[id].Table != table {
			continue
		}
		for _, a := range net.Spec.Interfaces[id].Addresses {
			c := a.Addr()
			if c.Is4() || a.OnTop() {
				continue
			}
			if id == out && a.Preferred && !c.IsLinkLocalUnicast() {
				return []netip.Addr{c}
			}
			// A link-local source means nothing beyond its own link.
			if c.IsLinkLocalUnicast() && (id != out || !to.IsLinkLocalUnicast()) {
				if id == out && !link.IsValid() {
					link = c
				}
				continue
			}
			on := id == out || out != model.None && net.Spec.Interfaces[out].Borrow == id
			switch {
			case len(best) == 0 || better6(c, on, best[0], bestOut, to):
				best, bestOut = append(best[:0], c), on
			case !better6(best[0], bestOut, c, on, to) && !slices.Contains(best, c):
				best = append(best, c)
			}
		}
	}
	if len(best) == 0 && link.IsValid() {
		best = append(best, link) // the largest scope there is (rule 2)
	}
	if net.Spec.Settings.FirstSource && len(best) > 1 {
		best = best[:1]
	}
	return best
}

// better6 tells whether source address a is to be preferred to b.
func better6(a netip.Addr, aOut bool, b netip.Addr, bOut bool, to netip.Addr) bool {
	if a == to || b == to {
		return a == to // rule 1
	}
	if sa, sb, need := scope6(a), scope6(b), scope6(to); sa != sb { // rule 2
		if sa < sb {
			return sa >= need
		}
		return sb < need
	}
	if aOut != bOut {
		return aOut // rule 5
	}
	if la, lb, l := label6(a), label6(b), label6(to); (la == l) != (lb == l) {
		return la == l // rule 6
	}
	return common6(a, to) > common6(b, to) // rule 8
}

// scope6 orders the scopes of unicast addresses (RFC 6724 §3.1).
func scope6(a netip.Addr) int {
	if a.IsLinkLocalUnicast() || a.IsLoopback() {
		return 2
	}
	return 14
}

// label6 is the label of the default policy table (RFC 6724 §2.1).
func label6(a netip.Addr) int {
	b := a.As16()
	switch {
	case a.IsLoopback():
		return 0
	case b[0]&0xfe == 0xfc:
		return 13
	case b[0] == 0x20 && b[1] == 0x02:
		return 2
	case b[0] == 0x20 && b[1] == 0x01 && b[2] == 0 && b[3] == 0:
		return 5
	}
	return 1
}

// common6 is how many leading bits two addresses share, 64 at most.
func common6(a, b netip.Addr) int {
	x, y := a.As16(), b.As16()
	n := 0
	for i := 0; i < 8; i++ {
		if z := bits.LeadingZeros8(x[i] ^ y[i]); z < 8 {
			return n + z
		}
		n += 8
	}
	return n
}

// errorSource is the address an ICMP error about the packet at a node comes from, and whether the device
// chose it as for any packet, by the hop it leaves by; false where the device has none for it.
//
// What is for the device itself is refused from the address that was asked (as RFC 4443
// §2.2 has it for IPv6), and what was translated on its path in from the address it was
// sent to, so that what is inside keeps its address to itself. Else it is, as the setting
// of the family says, that of the interface the packet came in by (in IPv4 its primary
// one), or that of any packet to the sender.
func errorSource(net *Network, n *Node) (source netip.Addr, chosen, ok bool) {
	if !n.Source.IsValid() {
		return netip.Addr{}, false, false
	}
	incoming := n.In != model.None && !net.Spec.Settings.ErrorsTowardsSender[prefix.FamilyOf(n.Source)]
	if incoming && n.Source.Is6() {
		source, ok = source6(net, n.Device, n.In, n.Source)
	}
	if incoming && n.Source.Is4() {
		for _, a := range append(net.Spec.Borrowed(n.In), net.Spec.Interfaces[n.In].Addresses...) {
			if a.Addr().Is4() && !a.Secondary {
				source, ok = a.Addr(), true
				break
			}
		}
	}
	if !ok {
		source, ok = Source(net, n.Device, n.Source)
		chosen = true
	}
	switch {
	case n.To != n.Destination:
		source, chosen = n.Destination, false
	case n.Decision.Action == Deliver:
		source, chosen = n.To, false
	}
	return source, chosen, ok
}
