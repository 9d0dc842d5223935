package view

import (
	"ropeswing/core/forward"
	"ropeswing/core/model"
)

// Graph is a walk in JSON.
type Graph struct {
	Source      string `json:"source"`      // the packet's source
	Destination string `json:"destination"` // the packet's destination
	Verdict     string `json:"verdict"`     // of all the paths together
	Nodes       []Node `json:"nodes"`       // the devices it may come to
	Edges       []Edge `json:"edges"`       // the steps between them
	Ends        []End  `json:"ends"`        // how each way ends
}

// Node is a packet at a device. Node 0 is where it starts.
type Node struct {
	ID      int    `json:"id"` // its place in the list
	Device  string `json:"device"`
	In      string `json:"in,omitempty"`      // the interface it came in by; absent where it starts
	Action  string `json:"action"`            // deliver, pass on, no route, discard or does not forward
	Matched string `json:"matched,omitempty"` // the prefix of the longest match
}

// Edge is a step to the next device; without to, nobody answered.
type Edge struct {
	From    int    `json:"from"`         // a node
	To      *int   `json:"to,omitempty"` // a node; absent where nobody answered
	Out     string `json:"out"`          // the interface it leaves by
	NextHop string `json:"next_hop"`     // the address asked for on the link
}

// End is how one way through the graph ends.
type End struct {
	Node    int    `json:"node"`           // where it ends; of a loop: where it is entered
	Outcome string `json:"outcome"`        // delivered, no route, discarded, not forwarded, nobody answers, loop or ttl ran out
	Loop    []int  `json:"loop,omitempty"` // the nodes of a loop, in order
}

var (
	actionWords = [...]string{forward.Deliver: "deliver", forward.PassOn: "pass on", forward.NoRoute: "no route", forward.Discard: "discard",
		forward.NotForwarding: "does not forward", forward.KeepOnLink: "keep, from a link-local address",
		forward.Broadcast: "keep, a broadcast"}
	outcomeWords = [...]string{forward.Delivered: "delivered", forward.Unrouted: "no route", forward.Dropped: "discarded",
		forward.NotPassedOn: "not forwarded", forward.Unanswered: "nobody answers", forward.Looped: "loop", forward.Expired: "ttl ran out",
		forward.TooBig: "too big", forward.Oversized: "dropped: too big for the far end",
		forward.Filtered: "dropped by a permit", forward.Refused: "refused by a permit", forward.NoneLeft: "no address left for it",
		forward.Unexpected: "not taken for the reply", forward.Unserved: "does not answer the service", forward.Elsewhere: "another has it",
		forward.LinkBound: "from a link-local address"}
)

// NewGraph puts a walk into its JSON form.
func NewGraph(net *forward.Network, g *forward.Graph) Graph {
	spec := net.Spec
	v := Graph{Source: address(g.Flow.Source), Destination: address(g.Flow.Destination), Verdict: g.Verdict().String(), Nodes: []Node{},
		Edges: []Edge{}, Ends: []End{}}
	for i, n := range g.Nodes {
		v.Nodes = append(v.Nodes, Node{
			ID: i, Device: spec.Devices[n.Device].Name, In: ifaceName(spec, n.In),
			Action: actionWords[n.Decision.Action], Matched: subnet(n.Decision.Match.Prefix),
		})
		for _, e := range n.Edges {
			edge := Edge{From: i, Out: ifaceName(spec, e.Hop.Out), NextHop: address(e.Address)}
			if e.To >= 0 {
				to := e.To
				edge.To = &to
			}
			v.Edges = append(v.Edges, edge)
		}
	}
	for _, e := range g.Endings {
		v.Ends = append(v.Ends, End{e.Node, outcomeWords[e.Outcome], e.Loop})
	}
	return v
}

func ifaceName(spec *model.Spec, id model.InterfaceID) string {
	if id == model.None {
		return ""
	}
	return spec.Interfaces[id].Name
}
