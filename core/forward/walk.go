package forward

import (
	"net/netip"
	"slices"

	"ropeswing/core/model"
	"ropeswing/core/network"
	"ropeswing/core/policy"
	"ropeswing/core/prefix"
	"ropeswing/core/routing"
)

// DefaultTTL is the TTL (IPv6: hop limit) packets start with.
const DefaultTTL = 64

// Graph is every way a packet may take: a node for each device it may come to
// and interface it may come in by, an edge for each step. With equal-cost
// routes it branches; a loop is a cycle in it. Node 0 is where it starts.
type Graph struct {
	Flow    Flow
	Nodes   []Node
	Endings []Ending
}

// Node is a packet at a device.
type Node struct {
	At
	Header                 // as it comes here
	Inner    Header        // of an error: of the packet it is about
	To       netip.Addr    // what is looked up: the destination, or what it is translated to
	Over     model.Service // what it is for, as it comes here; of a reply, what it was asked for
	For      model.Service // what it is for as it is judged here: as it comes, or what that is translated to
	Size     int           // of the largest piece that comes here; 0 where the flow's does not matter
	Treated  *Treatment    // what permits and translation did as it came; nil where nothing
	Decision Decision
	Edges    []Edge
}

// Edge is a step out of a device, by one hop of its match.
type Edge struct {
	Hop     routing.Hop
	Address netip.Addr    // asked for on the link: the next hop, or the destination
	To      int           // the node it leads to, -1 where it leads to none
	Left    Header        // as it leaves
	Sent    Header        // as it leaves, before its own device translates it
	Over    model.Service // what it is for, as it leaves
	Treated *Treatment    // what permits and translation did as it left; nil where nothing
}

// Outcome is how a way ends.
type Outcome uint8

const (
	Delivered   Outcome = iota
	Unrouted            // no usable route
	Dropped             // a discard route
	NotPassedOn         // a device that does not forward
	LinkBound           // its source is link-local, and the next device is on another link
	Unanswered          // nobody on the link answers for the next address
	Looped              // it comes back to where it was
	TooBig              // larger than the MTU it would have to leave by, and not to be fragmented
	Oversized           // larger than the MTU of who takes it from the link: dropped silently
	Expired             // the path is longer than the TTL allows
	Filtered            // dropped by a permit, silently
	Refused             // dropped by a permit, and the sender is told
	NoneLeft            // it was to get an address of its own, and there is none left
	Unserved            // who it is for does not answer the service
	Elsewhere           // another device has the address too, and it is there that it arrives
	Unexpected          // a reply that comes from another address than was asked, or to somebody else
)

// Ending is one end of the paths through a graph.
type Ending struct {
	Outcome Outcome
	Node    int   // where it ends; of a loop: where it is entered
	Edge    int   // of Unanswered: which step; else -1
	Loop    []int // of Looped: the nodes on it, in order
	Size    int   // of TooBig, where its sender hears of it by some paths only and then sends smaller ones: of what was too big; else 0
}

// Walk follows a flow from where it starts until every way has ended.
func Walk(net *Network, start At, f Flow) *Graph { return WalkTTL(net, start, f, DefaultTTL) }

// WalkTTL is Walk for a packet that starts with the given TTL.
func WalkTTL(net *Network, start At, f Flow, ttl int) *Graph {
	w := &walker{net: net, ttl: ttl, graph: &Graph{Flow: f, Nodes: make([]Node, 0, 8)}}
	w.begin(start, f)
	return w.graph
}

// walker is one walk under way.
type walker struct {
	net    *Network
	policy *policy.Policy // nil where there is none, or it is not to be asked
	ttl    int
	first  []routing.Hop // where the sender is told which hops to use
	graph  *Graph
	path   []int
	done   []bool // by node
	height []int  // by node that is done: the most steps from it to an end
}

// begin follows a flow from its start.
func (w *walker) begin(start At, f Flow) {
	if w.policy = w.net.Policy; f.RoutesOnly || !f.Source.IsValid() {
		w.policy = nil
	}
	if f.Service.Protocol == model.AnyProtocol {
		w.graph.Flow.Service = model.Echo
	}
	w.visit(w.node(start, f.Size, Header{f.Source, f.Destination}, f.Inner, w.graph.Flow.Service))
}

// node finds the node of a place, or adds it. Walks are short, so that a
// search beats a map.
func (w *walker) node(at At, size int, h, inner Header, over model.Service) int {
	for i := range w.graph.Nodes {
		if n := &w.graph.Nodes[i]; n.At == at && n.Size == size && n.Header == h && n.Inner == inner && n.Over == over {
			return i
		}
	}
	w.graph.Nodes = append(w.graph.Nodes, Node{At: at, Size: size, Header: h, Inner: inner, To: h.Destination, Over: over, For: over})
	w.done, w.height = append(w.done, false), append(w.height, 0)
	return len(w.graph.Nodes) - 1
}

func (w *walker) end(o Outcome, node, edge int) {
	w.graph.Endings = append(w.graph.Endings, Ending{Outcome: o, Node: node, Edge: edge})
}

// visit decides at a node and follows each way out of it, depth first.
func (w *walker) visit(n int) {
	known := w.arrive(n)
	f := w.graph.Flow
	f.Source, f.Destination = w.graph.Nodes[n].Source, w.graph.Nodes[n].To
	d := Decide(w.net, w.graph.Nodes[n].At, f)
	if n == 0 && len(w.first) > 0 {
		d = forced(f.Destination, w.first)
	}
	w.graph.Nodes[n].Decision = d
	switch d.Action {
	case Deliver:
		w.end(w.deliver(n, known), n, -1)
	case NoRoute:
		w.end(Unrouted, n, -1)
	case Discard, Broadcast:
		w.end(Dropped, n, -1)
	case NotForwarding:
		w.end(NotPassedOn, n, -1)
	case KeepOnLink: // which is seen once its TTL is lowered
		if len(w.path) >= w.ttl {
			w.end(Expired, n, -1)
			break
		}
		w.end(LinkBound, n, -1)
	case PassOn:
		if len(w.path) >= w.ttl {
			w.end(Expired, n, -1)
			break
		}
		w.path = append(w.path, n)
		for _, hop := range d.Match.Hops {
			if f.Out != model.None && n == 0 && hop.Out != f.Out && hasOut(d.Match.Hops, f.Out) {
				continue // the sender was told which of them to use
			}
			w.step(n, hop, known)
		}
		w.path = w.path[:len(w.path)-1]
	}
	w.done[n] = true
}

func hasOut(hops []routing.Hop, out model.InterfaceID) bool {
	for _, h := range hops {
		if h.Out == out {
			return true
		}
	}
	return false
}

// step takes one hop out of a node: to whoever on the link answers for the
// next address.
func (w *walker) step(n int, hop routing.Hop, known *Passage) {
	node := &w.graph.Nodes[n]
	if n != 0 || !w.graph.Flow.Unbound {
		w.send(n, hop, node.Source, known)
		return
	}
	sources := sourcesBy(w.net, node.Device, hop, node.To)
	if len(sources) == 0 {
		sources = []netip.Addr{node.Source} // of another interface
	}
	if !w.graph.Flow.Ties {
		sources = sources[:1]
	}
	for _, source := range sources {
		w.send(n, hop, source, known)
	}
}

// send is step with the source that the packet leaves with, but for translation.
func (w *walker) send(n int, hop routing.Hop, source netip.Addr, known *Passage) {
	node := &w.graph.Nodes[n]
	address := viaOf(hop, node.To)
	e := Edge{Hop: hop, Address: address, To: -1, Sent: Header{source, node.To}, Over: node.For}
	e.Left = e.Sent
	nowhere := func(o Outcome) {
		w.graph.Nodes[n].Edges = append(w.graph.Nodes[n].Edges, e)
		w.end(o, n, len(w.graph.Nodes[n].Edges)-1)
	}
	size, fits := w.piece(n, hop.Out)
	if !fits {
		nowhere(TooBig)
		return
	}
	inner := node.Inner
	if w.policy.Touches(node.Device) {
		if o, ok := w.leave(n, &e, &inner, known); !ok {
			nowhere(o)
			return
		}
	}
	answered := false
	for _, holder := range Receivers(w.net, hop.Out, address) {
		if holder == hop.Out {
			continue
		}
		answered = true
		if size > MTU(w.net.Spec, holder) {
			nowhere(Oversized)
			continue
		}
		to := w.node(At{w.net.Spec.Interfaces[holder].Device, holder}, size, e.Left, inner, e.Over)
		next := e
		next.To = to
		w.graph.Nodes[n].Edges = append(w.graph.Nodes[n].Edges, next)
		w.follow(n, to)
	}
	if !answered {
		nowhere(Unanswered)
	}
}

// DefaultMTU is what an interface has that does not say.
const DefaultMTU = 1500

// MTU is the largest packet an interface takes, in bytes, headers of the link not
// counted.
func MTU(spec *model.Spec, id model.InterfaceID) int {
	if m := spec.Interfaces[id].MTU; m > 0 {
		return m
	}
	return DefaultMTU
}

// piece is how large what leaves a node by an interface is at most: a packet that
// is too large is cut up by its sender, and in IPv4 by any device on its path,
// unless it may not be. It is false where it cannot leave.
func (w *walker) piece(n int, out model.InterfaceID) (int, bool) {
	size, mtu := w.graph.Nodes[n].Size, MTU(w.net.Spec, out)
	switch {
	case size <= mtu:
		return size, true
	case w.graph.Flow.Whole, n != 0 && w.graph.Flow.Destination.Is6():
		return 0, false
	}
	return mtu, true
}

// Receivers is who takes a packet that leaves an interface for an address on
// its link: whoever holds the address, or translates it; on a serial line, where
// nothing is resolved, the far end. Nobody takes what is for one machine and sent to the
// broadcast address of the interface's subnet, or to the subnet's own (RFC 1122 §3.2.1.3).
func Receivers(net *Network, out model.InterfaceID, address netip.Addr) []model.InterfaceID {
	if isNoMachine(&net.Spec.Interfaces[out], address) {
		return nil
	}
	if net.Spec.Interfaces[out].Serial {
		if far := net.State.Peer(out); far != model.None && net.State.IsUp(out) && net.State.IsUp(far) {
			return []model.InterfaceID{far}
		}
		return nil
	}
	all := net.State.Holders(out, address)
	if net.Policy == nil {
		return all
	}
	domain := net.State.Domain(out)
	net.Policy.Answering(address, func(at model.InterfaceID) {
		if net.State.IsUp(at) && net.State.Domain(at) == domain && domain != network.NoDomain && !slices.Contains(all, at) {
			all = append(slices.Clip(all), at)
		}
	})
	if len(all) > 1 {
		all = slices.DeleteFunc(slices.Clone(all), func(id model.InterfaceID) bool { return standsBy(net, id, all) })
	}
	return all
}

// standsBy tells whether an interface shares an address with another of some, and is not the master of it: of a pair, the master alone
// answers for what both translate.
func standsBy(net *Network, id model.InterfaceID, all []model.InterfaceID) bool {
	return slices.ContainsFunc(net.Spec.Interfaces[id].Addresses, func(a model.Address) bool {
		return a.Virtual && !net.State.Holds(id, a) &&
			slices.ContainsFunc(all, func(o model.InterfaceID) bool { return o != id && net.Spec.SharesWith(id, o) })
	})
}

// isNoMachine tells whether an address is the broadcast address of an interface's IPv4
// subnet, or the subnet's own.
func isNoMachine(i *model.Interface, a netip.Addr) bool {
	if !a.Is4() {
		return false
	}
	for _, own := range i.Addresses {
		if own.Contains(a) {
			return prefix.RoleOf(own.Prefix, a) != prefix.UsableAddress
		}
	}
	return false
}

// follow goes on to a node that was stepped to, or sees that the way comes
// back to itself.
func (w *walker) follow(from, to int) {
	for i, seen := range w.path {
		if seen == to {
			end := Ending{Outcome: Looped, Node: to, Edge: -1}
			end.Loop = append(end.Loop, w.path[i:]...)
			w.graph.Endings = append(w.graph.Endings, end)
			return
		}
	}
	if !w.done[to] {
		w.visit(to)
	} else if len(w.path)+w.height[to] > w.ttl {
		w.end(Expired, to, -1) // by this longer way there
	}
	w.height[from] = max(w.height[from], w.height[to]+1)
}

// Verdict is what comes of every way together.
type Verdict uint8

const (
	Works   Verdict = iota // every way arrives
	Fails                  // none does
	Depends                // it depends on the flow which way it takes
	Unclear                // not all that matters is known
)

func (v Verdict) String() string {
	return [...]string{"works", "fails", "depends on the flow", "unknown"}[v]
}

// Verdict is whether all, none or some of the paths arrive.
func (g *Graph) Verdict() Verdict {
	arrive := 0
	for _, e := range g.Endings {
		if e.Outcome == Delivered {
			arrive++
		}
	}
	switch arrive {
	case 0:
		return Fails
	case len(g.Endings):
		return Works
	}
	return Depends
}

// onlyTo makes of ends at others than who is asked what they are.
func (g *Graph) onlyTo(spec *model.Spec, whom Whom, target netip.Addr) {
	for i := range g.Endings {
		e := &g.Endings[i]
		if e.Outcome == Delivered && !whom.means(spec, g.Nodes[e.Node].Device, target) {
			e.Outcome = Elsewhere
		}
	}
}

// Failing is the first end that does not deliver.
func (g *Graph) Failing() (Ending, bool) {
	for _, e := range g.Endings {
		if e.Outcome != Delivered {
			return e, true
		}
	}
	return Ending{}, false
}

// Path is the nodes of one way from the start to the given node.
func (g *Graph) Path(to int) []int {
	from := make([]int, len(g.Nodes))
	for i := range from {
		from[i] = -1
	}
	queue := []int{0}
	for len(queue) > 0 {
		n := queue[0]
		queue = queue[1:]
		for _, e := range g.Nodes[n].Edges {
			if e.To > 0 && from[e.To] < 0 {
				from[e.To] = n
				queue = append(queue, e.To)
			}
		}
	}
	var path []int
	for n := to; n > 0; n = from[n] {
		path = append([]int{n}, path...)
	}
	return append([]int{0}, path...)
}
