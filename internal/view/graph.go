package view

import (
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/routing"
)

// Graph is a walk in JSON.
type Graph struct {
	Source      string `json:"source"`
	Destination string `json:"destination"`
	Verdict     string `json:"verdict"`
	Nodes       []Node `json:"nodes"`
	Edges       []Edge `json:"edges"`
	Ends        []End  `json:"ends"`
}

// Node is a packet at a device. Node 0 is where it starts.
type Node struct {
	ID      int    `json:"id"`
	Device  string `json:"device"`
	In      string `json:"in,omitempty"` // the interface it came in by
	Action  string `json:"action"`
	Matched string `json:"matched,omitempty"` // the prefix of the longest match
}

// Edge is a step to the next device; without to, nobody answered.
type Edge struct {
	From    int    `json:"from"`
	To      *int   `json:"to,omitempty"`
	Out     string `json:"out"`
	NextHop string `json:"next_hop"`
}

// End is how one way through the graph ends.
type End struct {
	Node    int    `json:"node"`
	Outcome string `json:"outcome"`
	Loop    []int  `json:"loop,omitempty"`
}

var (
	actionWords  = [...]string{forward.Deliver: "deliver", forward.PassOn: "pass on", forward.NoRoute: "no route", forward.Discard: "discard", forward.NotForwarding: "does not forward"}
	outcomeWords = [...]string{forward.Delivered: "delivered", forward.Unrouted: "no route", forward.Dropped: "discarded", forward.NotPassedOn: "not forwarded", forward.Unanswered: "nobody answers", forward.Looped: "loop", forward.Expired: "ttl ran out"}
)

// NewGraph puts a walk into its JSON form.
func NewGraph(t *routing.Tables, g *forward.Graph) Graph {
	spec := t.State.Spec
	v := Graph{Source: address(g.Flow.Source), Destination: address(g.Flow.Destination), Verdict: g.Verdict().String(), Nodes: []Node{}, Edges: []Edge{}, Ends: []End{}}
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
	for _, e := range g.Ends {
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
