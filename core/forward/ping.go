package forward

import (
	"net/netip"
	"slices"

	"ropeswing/core/model"
	"ropeswing/core/prefix"
	"ropeswing/core/routing"
)

// Exchange is a ping: an echo request there and its reply back.
type Exchange struct {
	From   model.DeviceID
	Source netip.Addr // invalid where the sender has no address of the family
	Target netip.Addr
	Probe  Probe
	There  *Graph
	Back   []*Graph // one for each device that may answer, and for each way there that devices remember otherwise
}

// Probe is what a ping is like, where it is not the usual one.
type Probe struct {
	TTL   int           // of the request; 0 is the usual one
	Size  int           // of the packets with their IP headers, in bytes; 0 is one that fits everywhere
	Whole bool          // the request may not be fragmented
	Over  model.Service // what is asked for; an echo unless said
	// AnyPort is set where a port that is closed tells as much as one that answers.
	AnyPort bool
	Whom    Whom // who is asked; whoever has the target unless said
}

// Whom is who is asked by an address that several devices have. The zero value is whoever answers.
type Whom int32

// Only is that one device is asked: an answer of another is none.
func Only(d model.DeviceID) Whom { return Whom(d + 1) }

// means reports whether a device that has an address is who is asked: itself, or one that shares it with it.
func (w Whom) means(spec *model.Spec, d model.DeviceID, target netip.Addr) bool {
	if w == 0 || model.DeviceID(w-1) == d {
		return true
	}
	shares := func(of model.DeviceID) bool {
		for id := range spec.EachInterface(of) {
			for _, a := range spec.Interfaces[id].Addresses {
				if a.Virtual && a.Addr() == target {
					return true
				}
			}
		}
		return false
	}
	return shares(d) && shares(model.DeviceID(w-1))
}

// has reports whether the device that is asked has an address itself: what is published or translated for it by another is
// whoever it gets to.
func (w Whom) has(spec *model.Spec, target netip.Addr) bool {
	for id := range spec.EachInterface(model.DeviceID(w - 1)) {
		if spec.Interfaces[id].Has(target) {
			return true
		}
	}
	return false
}

// ports reports whether the device that is asked has what it is asked for translated to a port of another.
func (w Whom) ports(net *Network, target netip.Addr, over model.Service) bool {
	translates := net.Spec.Devices[w-1].Translates
	return slices.ContainsFunc(translates, func(t model.Translation) bool {
		_, is := t.Ported(over)
		return is && net.Policy.AskedAt(&t) == target
	})
}

// HeaderBytes is how many bytes a ping's packet has beside its payload: those of
// its IP header and of the echo request.
func HeaderBytes(family prefix.Family) int {
	if family == prefix.IPv4 {
		return 20 + 8
	}
	return 40 + 8
}

// Ping predicts an echo request from a device to a target and its reply. An
// invalid source is chosen as the device would.
func Ping(net *Network, from model.DeviceID, source, target netip.Addr, out model.InterfaceID) *Exchange {
	return PingBy(net, from, source, target, out, Probe{})
}

// PingBy is Ping with a probe of one's own. Where a router says that a packet is
// too big, and that gets back, its sender cuts up the next one (RFC 8201): the
// exchange is that of then.
func PingBy(net *Network, from model.DeviceID, source, target netip.Addr, out model.InterfaceID, p Probe) *Exchange {
	if p.TTL == 0 {
		p.TTL = DefaultTTL
	}
	x := &Exchange{From: from, Source: source, Target: target, Probe: p}
	if !source.IsValid() {
		x.Source, _ = chooseSource(net, from, target, out)
	}
	f := FlowTo(x.Source, target)
	f.Unbound = !source.IsValid() && x.Source.IsValid() && out == model.None
	x.follow(net, f, out)
	if f.Unbound && tied(net, from, target) {
		all := &Exchange{From: from, Source: x.Source, Target: target, Probe: p}
		f.Ties = true
		if all.follow(net, f, out); all.Verdict() != x.Verdict() {
			return all
		}
	}
	return x
}

// tied tells whether a device may send to a destination from several addresses by one hop.
func tied(net *Network, d model.DeviceID, to netip.Addr) bool {
	if to.Is4() {
		return false
	}
	m, ok := net.Table(d).Lookup(to)
	return ok && !m.Local && slices.ContainsFunc(m.Hops, func(h routing.Hop) bool { return len(sourcesBy(net, d, h, to)) > 1 })
}

// follow follows a request there and its replies back.
func (x *Exchange) follow(net *Network, f Flow, out model.InterfaceID) {
	p := x.Probe
	f.Out, f.Size, f.Whole, f.Service, f.AnyPort = out, p.Size, p.Whole, p.Over, p.AnyPort
	x.There = walkLearning(net, x.From, f, p.TTL)
	if p.Whom != 0 && p.Whom.has(net.Spec, x.Target) && !p.Whom.ports(net, x.Target, p.Over) {
		x.There.onlyTo(net.Spec, p.Whom, x.Target)
	}
	x.answer(net)
}

// walkLearning follows a packet of a device, and where a router says that it is
// too big, the smaller ones that the device sends from then on. Where it is not sure that
// the sender hears of it, neither is it that smaller ones follow.
func walkLearning(net *Network, from model.DeviceID, f Flow, ttl int) *Graph {
	var unheard []place
	for {
		g := WalkTTL(net, At{from, model.None}, f, ttl)
		size := f.Size
		var here []place
		for _, e := range g.Endings {
			if e.Outcome != TooBig || e.Node == 0 {
				continue
			}
			told := told(net, g, e)
			if told != Works {
				here = append(here, place{g.Nodes[e.Node].At, g.Nodes[e.Node].Edges[e.Edge].Hop, g.Nodes[e.Node].Size})
			}
			if told != Fails {
				size = min(size, MTU(net.Spec, g.Nodes[e.Node].Edges[e.Edge].Hop.Out))
			}
		}
		if f.Whole || size >= f.Size {
			g.endAt(TooBig, unheard)
			return g
		}
		f.Size, unheard = size, append(unheard, here...)
	}
}

// place is a step of a walk, as another walk may have it too.
type place struct {
	at   At
	hop  routing.Hop
	size int // of what came there
}

// endAt adds an end at each place that has none like it.
func (g *Graph) endAt(o Outcome, places []place) {
	for _, p := range places {
		n := slices.IndexFunc(g.Nodes, func(n Node) bool { return n.At == p.at })
		if n < 0 {
			continue
		}
		edge := slices.IndexFunc(g.Nodes[n].Edges, func(e Edge) bool { return e.Hop == p.hop })
		if edge >= 0 && !slices.ContainsFunc(g.Endings, func(e Ending) bool { return e.Outcome == o && e.Node == n && e.Edge == edge }) {
			g.Endings = append(g.Endings, Ending{Outcome: o, Node: n, Edge: edge, Size: p.size})
		}
	}
}

// ToldTooBig tells whether the sender of what is too big for some link is told so, wherever
// that is.
func ToldTooBig(net *Network, g *Graph) bool {
	found := false
	for _, e := range g.Endings {
		if e.Outcome == TooBig && e.Node != 0 {
			if found = true; told(net, g, e) == Fails {
				return false
			}
		}
	}
	return found
}

// told is whether the sender hears from the router that says that a packet is too big.
func told(net *Network, g *Graph, e Ending) Verdict {
	if back, ok := errorBack(net, g, e.Node); ok {
		return back.Verdict()
	}
	return Fails
}

// chooseSource is the source of a packet whose outgoing interface may be
// given.
func chooseSource(net *Network, from model.DeviceID, target netip.Addr, out model.InterfaceID) (netip.Addr, bool) {
	if out != model.None {
		return sourceOut(net, from, routing.Hop{Out: out, Via: target}, target)
	}
	return Source(net, from, target)
}

// Verdict is whether the reply comes back.
func (x *Exchange) Verdict() Verdict {
	if !x.Source.IsValid() {
		return Fails
	}
	there := x.There.Verdict()
	if there == Fails {
		return Fails
	}
	works, fails := 0, 0
	for _, b := range x.Back {
		switch b.Verdict() {
		case Works:
			works++
		case Fails:
			fails++
		}
	}
	switch {
	case there == Works && works == len(x.Back):
		return Works
	case fails == len(x.Back):
		return Fails
	}
	return Depends
}

// Failing is the walk that fails first and where it does: there before back.
// It is false where every way works.
func (x *Exchange) Failing() (g *Graph, end Ending, back bool, failing bool) {
	if e, ok := x.There.Failing(); ok {
		return x.There, e, false, true
	}
	for _, b := range x.Back {
		if e, ok := b.Failing(); ok {
			return b, e, true, true
		}
	}
	return nil, Ending{}, false, false
}
