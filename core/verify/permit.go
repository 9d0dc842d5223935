package verify

import (
	"net/netip"

	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/policy"
)

// permit puts a pending permit in force that lets a filtered packet pass, or adds
// one before what drops it.
func (m mender) permit(g *forward.Graph, n forward.Node, end forward.Ending) []model.Change {
	x := policy.Packet{Source: n.Source, Destination: n.To, Service: n.For, Kind: g.Flow.Kind}
	judged, out := n.Treated, model.InterfaceID(model.None)
	if end.Edge >= 0 {
		judged, out = n.Edges[end.Edge].Treated, n.Edges[end.Edge].Hop.Out
	}
	j := judged.Judged
	if j.By == policy.ByNoState || x.Kind == policy.Error {
		return nil // no sentence lets a stray pass
	}
	device := &m.spec.Devices[n.Device]
	list := device.Permits
	if j.Own {
		list = device.OwnPermits
	}
	before := len(list)
	if j.By >= 0 {
		before = j.By
	}
	if !j.Own {
		if i, ok := policy.Pending(list, n.In, out, &x); ok && i < max(before, 1) {
			return []model.Change{model.PutInForce{Device: n.Device, Permit: i}}
		}
	}
	p := model.Permit{Answers: x.Kind == policy.Reply, Over: []model.Service{x.Service}, Place: device.Place}
	from, to := "itself", "itself"
	if j.Own && n.In == model.None {
		p.From.Itself = true
	} else {
		p.From, from = m.named(x.Source)
	}
	if j.Own && n.In != model.None {
		p.To.Itself = true
	} else {
		p.To, to = m.named(x.Destination)
	}
	verb := " may reach "
	if p.Answers {
		verb = " may answer "
	}
	p.Text = from + verb + to + " over " + x.Service.String()
	return []model.Change{model.AddPermit{Device: n.Device, Before: before, Permit: p, Own: j.Own}}
}

// named is an address as a side of a permit: by the host that has it, the segment
// it is on where that is a sender's, or itself.
func (m mender) named(a netip.Addr) (model.Side, string) {
	for _, h := range m.net.State.HoldersOf(a) {
		if d := m.spec.Interfaces[h].Device; m.spec.Devices[d].Kind == model.Host {
			return model.Side{Prefixes: m.spec.Own(d)}, m.spec.Devices[d].Name
		}
	}
	return model.Side{Prefixes: []netip.Prefix{netip.PrefixFrom(a, a.BitLen())}}, a.String()
}
