package verify

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/prefix"
)

// guesses lists what may mend a failing ping: what is proposed for it, and what may have been written wrongly on its way.
func (m mender) guesses() []model.Change {
	all := m.propose()
	g, end, _, failing := m.x.Failing()
	if !failing || !m.x.Source.IsValid() {
		return all
	}
	for _, n := range append(g.Path(end.Node), end.Loop...) {
		node := &g.Nodes[n]
		all = append(all, m.misdirected(node)...)
		if d := &m.spec.Devices[node.Device]; d.Forwards && d.Kind != model.World && node.Decision.Action == forward.PassOn {
			all = append(append(all, m.misnamed(node.Device, node.To)...), m.route(node.Device, node.To)...)
		}
	}
	for n := range m.x.There.Nodes {
		all = append(all, m.untranslated(&m.x.There.Nodes[n])...)
	}
	n := g.Nodes[end.Node]
	switch end.Outcome {
	case forward.Unrouted, forward.Dropped, forward.Looped, forward.Unanswered, forward.Expired:
		all = append(all, m.misnamed(n.Device, n.To)...)
		if end.Edge >= 0 {
			all = append(all, m.unheld(&n.Edges[end.Edge])...)
			all = append(all, m.ports(n.Edges[end.Edge].Hop.Out, n.Edges[end.Edge].Address)...)
		}
	case forward.Filtered, forward.Refused:
		all = append(all, m.misjudged(n, end)...)
	case forward.Oversized, forward.TooBig:
		out := n.Edges[end.Edge].Hop.Out
		for _, far := range m.net.State.Neighbours(out) {
			as := func(id, other model.InterfaceID) model.Change {
				return model.SetKey{Interface: id, Key: "mtu", Value: fmt.Sprint(forward.MTU(m.spec, other))}
			}
			all = append(all, as(far, out), as(out, far))
		}
	}
	return all
}

// misdirected are the other next hops that the written routes of a device for what a node has to send may have.
func (m mender) misdirected(n *forward.Node) []model.Change {
	var all []model.Change
	for _, e := range m.net.For(n.Device, n.In).Covering(n.To) {
		if e.Static() == model.None {
			continue
		}
		s := &m.spec.Statics[e.Static()]
		if s.Origin == model.Derived || s.Origin == model.Learned || s.Discard && s.To != m.destination(n.Device, n.To) && !s.To.IsSingleIP() {
			continue
		}
		for _, x := range neighbours(m.net, n.Device, prefix.FamilyOf(n.To)) {
			if x.address != s.Via && m.spec.Devices[x.device].Forwards {
				all = append(all, model.SetNextHop{Static: e.Static(), Via: x.address})
			}
		}
	}
	return all
}

// misnamed are the written routes of a device whose destination nobody has, and that may be meant for an address.
func (m mender) misnamed(d model.DeviceID, to netip.Addr) []model.Change {
	p := m.destination(d, to)
	var all []model.Change
	first, last := m.spec.StaticsOf(d)
	for id := first; id < last; id++ {
		s := &m.spec.Statics[id]
		if s.Origin != model.Written || s.To == p || p.Bits() == 0 || s.To.Bits() == 0 || s.To.Addr().Is4() != to.Is4() || m.isSubnet(s.To) {
			continue
		}
		if oneOff(s.To, p) <= mostLike+1 {
			all = append(all, model.SetDestination{Static: model.StaticID(id), To: p})
		}
	}
	return all
}

// isSubnet tells whether a prefix is that of a segment, of a block, or an address that somebody has.
func (m mender) isSubnet(p netip.Prefix) bool {
	if p.IsSingleIP() && len(m.spec.HoldersOf(p.Addr())) > 0 {
		return true
	}
	for i := range m.spec.Segments {
		if slices.ContainsFunc(m.spec.Segments[i].Prefixes, func(q model.Prefix) bool { return q.Prefix == p }) {
			return true
		}
	}
	return slices.ContainsFunc(m.spec.Blocks, func(b model.Block) bool {
		return slices.ContainsFunc(b.Prefixes, func(q model.Prefix) bool { return q.Prefix == p })
	})
}

// misjudged are the permits that drop what should pass, and those that would let it pass if they were over its service, too.
func (m mender) misjudged(n forward.Node, end forward.Ending) []model.Change {
	judged := n.Treated
	if end.Edge >= 0 {
		judged = n.Edges[end.Edge].Treated
	}
	if judged == nil {
		return nil
	}
	d := &m.spec.Devices[n.Device]
	var all []model.Change
	if by := judged.Judged.By; by >= 0 {
		all = append(all, model.DropPermit{Device: n.Device, Permit: by, Own: judged.Judged.Own})
	}
	all = append(all, m.likeOthers(n)...)
	for i, p := range d.Permits {
		if p.Ruling == model.Pass && len(p.Over) > 0 && p.From.Contains(n.Source) && p.To.Contains(n.To) {
			if n.For.Protocol == model.ICMP {
				all = append(all, model.WidenService{Device: n.Device, Permit: i})
			} else { // somebody chose what it is over
				all = append(all, model.WidenService{Device: n.Device, Permit: i, By: n.For})
			}
		}
	}
	return all
}

// unheld gives a router on a link the address that is asked for there and nobody has, in place of the one it has in
// that subnet: those who ask for it agree, and it is the router that has it not.
func (m mender) unheld(e *forward.Edge) []model.Change {
	if !e.Hop.Via.IsValid() || len(m.spec.HoldersOf(e.Address)) > 0 {
		return nil
	}
	var all []model.Change
	segment := m.spec.Interfaces[e.Hop.Out].Segment
	for id := range m.spec.Interfaces {
		i := &m.spec.Interfaces[id]
		if i.Segment != segment || segment == model.None || !m.spec.Devices[i.Device].Forwards {
			continue
		}
		for _, a := range i.Addresses {
			if a.Contains(e.Address) && !a.Virtual && !a.Varies() {
				all = append(all, model.MoveAddress{Interface: model.InterfaceID(id), Old: a.Prefix, New: netip.PrefixFrom(e.Address, a.Bits())})
			}
		}
	}
	return all
}

// ports puts right the ports of the switches between an interface and who of its segment has an address, where the two do not
// hear each other: those that are off, and trunks whose VLANs are not those of the far end.
func (m mender) ports(out model.InterfaceID, a netip.Addr) []model.Change {
	segment := m.spec.Interfaces[out].Segment
	if segment == model.None {
		return nil
	}
	vlan := m.spec.Segments[segment].VLAN
	var all []model.Change
	for _, h := range m.spec.HoldersOf(a) {
		i := &m.spec.Interfaces[h]
		if i.Kind == model.VLANInterface && i.Segment != segment && vlan != 0 {
			all = append(all, model.PutOn{Interface: h, VLAN: vlan})
		}
	}
	if i := &m.spec.Interfaces[out]; i.Kind == model.VLANInterface {
		for s := range m.spec.Segments {
			x := &m.spec.Segments[s]
			if x.VLAN != 0 && x.VLAN != i.Tag && slices.ContainsFunc(x.Prefixes, func(p model.Prefix) bool { return p.Contains(a) }) {
				all = append(all, model.PutOn{Interface: out, VLAN: x.VLAN})
			}
		}
	}
	if vlan == 0 {
		return all
	}
	for c := range m.spec.Cables {
		x := &m.spec.Cables[c]
		if x.Pulled {
			continue
		}
		for n, near := range x.Ends {
			i, far := carrier(m.spec, near), carrier(m.spec, x.Ends[1-n])
			carries := func(i *model.Interface) bool { return i.Untagged == vlan || slices.Contains(i.Tagged, vlan) }
			if i.Switched && !carries(i) && (carries(far) || slices.Contains(m.tagsBelow(x.Ends[1-n]), vlan)) {
				for k, v := range i.Tagged { // a VLAN of nobody's where this one was meant
					if m.spec.SegmentOfVLAN(v) == model.None && len(i.Tagged) > 1 && !slices.Contains(far.Tagged, v) {
						tagged := slices.Clone(i.Tagged)
						tagged[k] = vlan
						all = append(all, model.SetTagged{Port: carrierID(m.spec, near), VLANs: tagged})
					}
				}
			}
			switch {
			case !i.Switched:
			case i.AdminDown && carries(i):
				all = append(all, model.BringUp{Interface: carrierID(m.spec, near)})
			case !carries(i) && len(far.Tagged) > 0 && carries(far), len(i.Tagged) == 0 && len(far.Tagged) > 0:
				all = append(all, model.SetTagged{Port: carrierID(m.spec, near), VLANs: far.Tagged})
			case !far.Switched && len(m.tagsBelow(x.Ends[1-n])) > 0 && len(i.Tagged) == 0:
				all = append(all, model.SetTagged{Port: carrierID(m.spec, near), VLANs: m.tagsBelow(x.Ends[1-n])})
			}
		}
	}
	return append(all, m.trunks(vlan)...)
}

// trunks plugs two trunks of different switches that carry a VLAN together, where nothing is plugged into either.
func (m mender) trunks(vlan model.VLAN) []model.Change {
	var free []model.InterfaceID
	for id := range m.spec.Interfaces {
		i := &m.spec.Interfaces[id]
		if i.Switched && i.Kind == model.Port && i.Group == model.None && slices.Contains(i.Tagged, vlan) &&
			m.net.State.Cable(model.InterfaceID(id)) == model.None {
			free = append(free, model.InterfaceID(id))
		}
	}
	var all []model.Change
	for n, a := range free[:min(len(free), 6)] {
		for _, b := range free[n+1 : min(len(free), 6)] {
			if m.spec.Interfaces[a].Device != m.spec.Interfaces[b].Device {
				all = append(all, model.AddCable{Ends: [2]model.InterfaceID{a, b}})
			}
		}
	}
	return all
}

// tagsBelow are the tags of a port's subinterfaces.
func (m mender) tagsBelow(port model.InterfaceID) []model.VLAN {
	var all []model.VLAN
	for _, id := range m.spec.InterfacesOf(m.spec.Interfaces[port].Device) {
		if i := &m.spec.Interfaces[id]; i.Kind == model.Subinterface && i.Parent == carrierID(m.spec, port) && i.Tag != 0 {
			all = append(all, i.Tag)
		}
	}
	return all
}

// untranslated has the translations of a device that is passed stand for what lies beyond the interface that is left by.
func (m mender) untranslated(n *forward.Node) []model.Change {
	var all []model.Change
	for _, e := range n.Edges {
		if e.To >= 0 && m.spec.Devices[m.x.There.Nodes[e.To].Device].Kind == model.World &&
			m.spec.Devices[n.Device].Kind != model.World && n.Source.Is4() &&
			e.Left.Source == e.Sent.Source && prefix.ScopeOf(n.Source).Use == "private use" && m.spec.Interfaces[e.Hop.Out].Primary().Is4() {
			all = append(all, m.shareAll(n.Source, e.Hop.Out)...)
		}
	}
	for i := range m.spec.Devices[n.Device].Translates {
		for _, e := range n.Edges {
			if t := &m.spec.Devices[n.Device].Translates[i]; t.Beyond != e.Hop.Out {
				all = append(all, model.SetBeyond{Device: n.Device, Translation: i, Beyond: e.Hop.Out})
			}
		}
	}
	return all
}

// shareAll puts everybody with private addresses like one behind the address of an interface: the block of the plan
// that has it, or the range that is private (RFC 1918).
func (m mender) shareAll(a netip.Addr, beyond model.InterfaceID) []model.Change {
	var all []model.Change
	if block, ok := m.spec.WidestBlock(a); ok {
		all = append(all, model.ShareAddresses{Prefix: block, Beyond: beyond})
	}
	for _, p := range privateRanges {
		if p.Contains(a) {
			all = append(all, model.ShareAddresses{Prefix: p, Beyond: beyond})
		}
	}
	return all
}

// privateRanges are those of RFC 1918 §3.
var privateRanges = []netip.Prefix{
	netip.MustParsePrefix("10.0.0.0/8"), netip.MustParsePrefix("172.16.0.0/12"), netip.MustParsePrefix("192.168.0.0/16"),
}

// likeOthers is a permit for the segment of a packet's sender as another segment has one: who wrote one for each has
// left one out.
func (m mender) likeOthers(n forward.Node) []model.Change {
	d := &m.spec.Devices[n.Device]
	segment := m.spec.SegmentOf(n.Source)
	if segment == model.None {
		return nil
	}
	of := func(s model.SegmentID) []netip.Prefix {
		var all []netip.Prefix
		for _, p := range m.spec.Segments[s].Prefixes {
			all = append(all, p.Prefix)
		}
		return all
	}
	for i, p := range d.Permits {
		for s := range m.spec.Segments {
			name := m.spec.Segments[s].Name
			rest, is := strings.CutPrefix(p.Text, name+" ")
			if p.Ruling != model.Pass || model.SegmentID(s) == segment || !is ||
				!slices.Equal(p.From.Prefixes, of(model.SegmentID(s))) || !p.To.Contains(n.To) {
				continue
			}
			p.From.Prefixes, p.Text = of(segment), m.spec.Segments[segment].Name+" "+rest
			return []model.Change{model.AddPermit{Device: n.Device, Before: i, Permit: p}}
		}
	}
	return nil
}
