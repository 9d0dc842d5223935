package forward

import (
	"slices"

	"ropeswing/core/model"
	"ropeswing/core/policy"
	"ropeswing/core/prefix"
)

// passage is what the device at a node remembers of a packet that leaves by an
// edge, or with edge -1 is delivered there; false where it remembers nothing.
func (g *Graph) passage(net *Network, n, edge int) (Passage, bool) {
	node := &g.Nodes[n]
	if !net.Policy.Touches(node.Device) {
		return Passage{}, false
	}
	p := Passage{node.Device, node.Header, Header{node.Source, node.To}, node.Over, node.For}
	if edge >= 0 {
		p.Left = node.Edges[edge].Left
		if n == 0 {
			p.Came.Source = node.Edges[edge].Sent.Source
		}
	}
	return p, p.Came != p.Left || p.CameFor != p.LeftFor || net.Policy.Remembers(node.Device)
}

// Sent is the headers with which the sender of a graph may send: more than one where equally good hops
// want addresses of their own.
func (g *Graph) Sent() []Header {
	all := []Header{g.Nodes[0].Header}
	if g.Flow.Unbound {
		for _, e := range g.Nodes[0].Edges {
			if h := (Header{e.Sent.Source, g.Nodes[0].Destination}); !slices.Contains(all, h) {
				all = append(all, h)
			}
		}
	}
	return all
}

// mostMemories is how many different paths to one node are told apart by what
// devices remember of them.
const mostMemories = 64

// memories lists what devices remember of the paths to a node, each only once.
func (g *Graph) memories(net *Network, to int) [][]Passage {
	if net.Policy == nil || g.Flow.RoutesOnly {
		return [][]Passage{nil}
	}
	var all [][]Passage
	var path []Passage
	on := make([]bool, len(g.Nodes))
	var visit func(n int)
	visit = func(n int) {
		if len(all) == mostMemories {
			return
		}
		if n == to {
			if !slices.ContainsFunc(all, func(m []Passage) bool { return slices.Equal(m, path) }) {
				all = append(all, slices.Clone(path))
			}
			return
		}
		on[n] = true
		for i, e := range g.Nodes[n].Edges {
			if e.To < 0 || on[e.To] {
				continue
			}
			before := len(path)
			if p, ok := g.passage(net, n, i); ok {
				path = append(path, p)
			}
			visit(e.To)
			path = path[:before]
		}
		on[n] = false
	}
	visit(0)
	return all
}

// ErrorBack is the way of the error that a device sends about the packet that came
// to a node and ended there, and what it is; false where it sends none.
func ErrorBack(net *Network, g *Graph, e Ending) (*Graph, ICMP, bool) {
	m, ok := errorFor(e.Outcome, prefix.FamilyOf(g.Nodes[e.Node].Destination))
	if !ok || e.Node == 0 && e.Outcome != Looped {
		return nil, m, false
	}
	back, ok := errorBack(net, g, e.Node)
	return back, m, ok
}

// errorBack is the way of an error that the device at a node sends about the
// packet that came there, by the first path there from which it gets back. It is
// false where the device has no address to send it from.
func errorBack(net *Network, g *Graph, n int) (*Graph, bool) {
	node := g.Nodes[n]
	source, chosen, ok := errorSource(net, &node)
	if !ok {
		return nil, false
	}
	var first *Graph
	for _, m := range g.memories(net, n) {
		back := FlowTo(source, node.Source)
		back.Unbound = chosen
		back.Kind, back.Inner, back.RoutesOnly = policy.Error, node.Header, g.Flow.RoutesOnly
		// Its sender knows what it is about, before anything else it knows.
		back.Passed = append([]Passage{{Device: node.Device, Came: node.Header, Left: node.Header}}, m...)
		back.Origin = g.Sent()
		if node.Source.IsLinkLocalUnicast() {
			back.Out = node.In
		}
		walk := Walk(net, At{node.Device, model.None}, back)
		if first == nil || walk.Verdict() != Fails {
			first = walk
		}
		if walk.Verdict() != Fails {
			break
		}
	}
	return first, first != nil
}

// answer follows the replies of those the request gets to: one for each device,
// and for each way there that devices remember otherwise.
func (x *Exchange) answer(net *Network) {
	if !x.Source.IsValid() {
		return
	}
	type reply struct {
		device model.DeviceID
		flow   Flow
	}
	var sent []reply
	for _, e := range x.There.Endings {
		if e.Outcome != Delivered {
			continue
		}
		node := &x.There.Nodes[e.Node]
		for _, m := range x.There.memories(net, e.Node) {
			if p, ok := x.There.passage(net, e.Node, -1); ok {
				m = append(slices.Clip(m), p)
			}
			f := Flow{
				Source: node.To, Destination: node.Source, Out: model.None, Size: x.Probe.Size, Service: node.For,
				Kind: policy.Reply, Passed: m, Asked: x.Target, Asker: x.From,
			}
			if node.To.IsLinkLocalUnicast() || node.Source.IsLinkLocalUnicast() {
				f.Out = node.In
			}
			if slices.ContainsFunc(sent, func(r reply) bool {
				return r.device == node.Device && r.flow.Source == f.Source && r.flow.Destination == f.Destination &&
					slices.Equal(r.flow.Passed, f.Passed)
			}) {
				continue
			}
			sent = append(sent, reply{node.Device, f})
			x.Back = append(x.Back, walkLearning(net, node.Device, f, DefaultTTL))
		}
	}
}
