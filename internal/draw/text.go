package draw

import (
	"fmt"
	"strings"

	"ropeswing/core/forward"
	"ropeswing/core/model"
)

// mostOnScreen is how many devices a picture of letters shows.
const mostOnScreen = 40

// ErrTooManyForText says that a picture of letters would fill more than a screen.
var ErrTooManyForText = fmt.Errorf("more than %d devices are too many for a screen: name some of them, or write a file with -w",
	mostOnScreen)

// branch is one line of a tree, with those that hang on it.
type branch struct {
	text  string
	notes []string
	under []*branch
}

// lines are the tree in letters.
func (b *branch) lines(lead string, all *[]string) {
	for _, n := range b.notes {
		stem := "  "
		if len(b.under) > 0 {
			stem = "│ "
		}
		*all = append(*all, strings.TrimRight(lead+stem+"  "+n, " "))
	}
	for i, u := range b.under {
		joint, next := "├─ ", "│  "
		if i == len(b.under)-1 {
			joint, next = "└─ ", "   "
		}
		*all = append(*all, lead+joint+u.text)
		u.lines(lead+next, all)
	}
}

// WiresText is the devices and cables as a tree of letters: from the world, or from the device with
// most cables, along each cable once.
func WiresText(net *forward.Network, asked Asked) ([]string, error) {
	p := newPlan(net, asked)
	p.drawWires(nil)
	p.only(asked.Devices)
	if len(p.of) > mostOnScreen && !asked.Whole {
		return nil, ErrTooManyForText
	}
	t := &tree{plan: p, near: make([][]int, len(p.boxes)), seen: make([]bool, len(p.boxes))}
	for n, w := range p.wires {
		for _, e := range w.ends {
			t.near[e] = append(t.near[e], n)
		}
	}
	var all []string
	for { // the parts that hang together, each from its root
		at := -1
		for i := range p.boxes {
			if t.seen[i] || !p.isDevice(i) {
				continue
			}
			if at < 0 || p.roots[i] && !p.roots[at] || p.roots[i] == p.roots[at] && len(t.near[i]) > len(t.near[at]) {
				at = i
			}
		}
		if at < 0 {
			return all, nil
		}
		top := t.device(at)
		all = append(all, top.text)
		top.lines("", &all)
	}
}

// tree walks the boxes of a plan.
type tree struct {
	*plan
	near [][]int // of each box: its wires
	seen []bool
}

// device is a device with what hangs on it.
func (t *tree) device(at int) *branch {
	t.seen[at] = true
	b := &branch{text: t.boxes[at].rows[0].text}
	for _, r := range t.boxes[at].rows[1:] {
		b.notes = append(b.notes, r.text)
	}
	for _, n := range t.near[at] {
		near, between := t.wires[n].labels[0], t.wires[n].ends[1]
		if t.seen[between] {
			continue
		}
		t.seen[between] = true
		cable := textOf(&t.boxes[between])
		for _, far := range t.near[between] {
			other := t.wires[far].ends[0]
			if far == n {
				continue
			}
			head := fmt.Sprintf("%s ── %s ── %s: ", near, cable, t.wires[far].labels[0])
			if t.seen[other] {
				b.under = append(b.under, &branch{text: head + t.boxes[other].rows[0].text + " (above)"})
				continue
			}
			u := t.device(other)
			u.text = head + u.text
			b.under = append(b.under, u)
		}
	}
	return b
}

func textOf(b *box) string {
	var words []string
	for _, r := range b.rows {
		words = append(words, r.text)
	}
	return strings.Join(words, " · ")
}

// PathText is a ping as two chains of letters, there and back; equal-cost paths branch.
func PathText(net *forward.Network, x *forward.Exchange) []string {
	var all []string
	graphs := append([]*forward.Graph{x.There}, x.Back...)
	for n, g := range graphs {
		head := "there"
		if n > 0 {
			head = "back"
		}
		if len(g.Nodes) == 0 {
			continue
		}
		c := &chain{net: net, graph: g, seen: map[int]bool{}}
		all = append(all, fmt.Sprintf("%s, %s to %s", head, g.Flow.Source, g.Flow.Destination))
		c.node(0, "  ", &all)
	}
	if f, fails := x.Failure(net); fails {
		all = append(all, "× "+f.Words(net))
	}
	return all
}

// chain walks the nodes of a path.
type chain struct {
	net   *forward.Network
	graph *forward.Graph
	seen  map[int]bool
}

func (c *chain) node(at int, lead string, all *[]string) {
	n := &c.graph.Nodes[at]
	name := c.net.Spec.Devices[n.Device].Name
	if c.seen[at] {
		*all = append(*all, lead+name+" (above)")
		return
	}
	c.seen[at] = true
	var steps []*forward.Edge
	for i := range n.Edges {
		if n.Edges[i].To >= 0 {
			steps = append(steps, &n.Edges[i])
		}
	}
	if len(steps) == 0 {
		*all = append(*all, lead+name+c.ending(at))
		return
	}
	*all = append(*all, lead+name)
	for i, e := range steps {
		next := lead
		if len(steps) > 1 {
			*all = append(*all, fmt.Sprintf("%s├─ path %d of %d", lead, i+1, len(steps)))
			next = lead + "│  "
		}
		text := n.Decision.Match.Prefix.String()
		if e.Hop.Via.IsValid() {
			text += " via " + e.Hop.Via.String()
		}
		*all = append(*all, fmt.Sprintf("%s│ %s → %s · %s", next, portOf(c.net, e.Hop.Out), portOf(c.net, c.graph.Nodes[e.To].In), text))
		c.node(e.To, next, all)
	}
}

// ending is what becomes of the packet at a node that nothing leads on from.
func (c *chain) ending(at int) string {
	for _, e := range c.graph.Endings {
		if e.Node == at {
			if e.Outcome == forward.Delivered {
				return " · delivered"
			}
			return " ×"
		}
	}
	return ""
}

func portOf(net *forward.Network, i model.InterfaceID) string {
	if i == model.None {
		return "itself"
	}
	return net.Spec.Interfaces[i].Name
}
