package report

import (
	"reflect"

	"ropeswing/core/ask"
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/network"
	"ropeswing/core/prefix"
)

// mostEnds is up to how many devices every path is worked out beforehand.
const mostEnds = 60

// Paths is the predicted paths between all devices, for the page's script. Names and prefixes are
// told once, and by their number from there on.
type Paths struct {
	Known []string `json:"known"` // names of devices, segments, cables and blocks
	Ends  []int    `json:"ends"`  // the devices that paths are known between, as numbers of names
	Words []string `json:"words"` // names, prefixes and sentences
	Pairs []Pair   `json:"pairs"`
	Cuts  []int    `json:"cuts"` // the cables that pairs were asked without, as numbers of words; none where that is too much
	Why   string   `json:"why"`  // why there are no paths; "" where there are
}

// Pair is a ping: from and to as numbers of words.
type Pair struct {
	From   int     `json:"f"`
	To     int     `json:"t"`
	Family int     `json:"v"` // 4 or 6
	Works  string  `json:"w"` // reaches, does not reach, or by some paths only
	There  [][]int `json:"a"` // the hops: device, the segment it leaves by, the longest match
	Back   [][]int `json:"b"`
	More   bool    `json:"m,omitempty"` // equal-cost paths, of which this is one
	Reason int     `json:"r"`           // a sentence; -1 where it works
	Cut    *int    `json:"c,omitempty"` // the cable it is without, as a number of words; nil where all are there
}

// mostCut is up to how many devices the paths without each cable are worked out too, those that are other ones.
const mostCut = 40

// NewPaths works out the paths between all devices, where they are few enough, and what becomes of them without each of some
// cables or wires. Whose page it is decides between whom.
func NewPaths(net *forward.Network, cables []network.Failure, own *Own) Paths {
	p := Paths{Known: []string{}, Ends: []int{}, Words: []string{}, Pairs: []Pair{}, Cuts: []int{}}
	spec := net.Spec
	know := func(name string) {
		if own.Text(name) == name {
			p.Known = append(p.Known, name)
		}
	}
	for i := range spec.Devices {
		know(spec.Devices[i].Name)
	}
	for i := range spec.Segments {
		know(spec.Segments[i].Name)
	}
	for i := range spec.Cables {
		know(spec.Cables[i].Name)
	}
	for i := range spec.Blocks {
		know(spec.Blocks[i].Name)
	}
	var ends []model.DeviceID
	for d := range spec.Devices {
		if own.Has(model.DeviceID(d)) {
			ends = append(ends, model.DeviceID(d))
		}
	}
	if len(ends) > mostEnds {
		p.Why = "the network is too large for all its paths to be here"
		return p
	}
	t := &teller{Paths: &p, at: map[string]int{}, own: own}
	for _, d := range ends {
		p.Ends = append(p.Ends, t.word(spec.Devices[d].Name))
	}
	t.pairs(net, ends)
	if len(ends) > mostCut {
		return p
	}
	whole := map[[3]int]Pair{}
	for _, x := range p.Pairs {
		whole[[3]int{x.From, x.To, x.Family}] = x
	}
	for _, f := range cables {
		if own.Text(f.Name(spec)) != f.Name(spec) {
			continue
		}
		cut := t.word(f.Name(spec))
		p.Cuts = append(p.Cuts, cut)
		first := len(p.Pairs)
		t.pairs(net.Update(net.State.With(f)), ends)
		other := p.Pairs[:first]
		for _, x := range p.Pairs[first:] {
			if !reflect.DeepEqual(x, whole[[3]int{x.From, x.To, x.Family}]) {
				x.Cut = &cut
				other = append(other, x)
			}
		}
		p.Pairs = other
	}
	return p
}

// pairs tells of all pairs of ends in a network.
func (t *teller) pairs(net *forward.Network, ends []model.DeviceID) {
	spec := net.Spec
	for _, a := range ends {
		for _, b := range ends {
			if a == b {
				continue
			}
			from := ask.Endpoint{Text: spec.Devices[a].Name, Device: a, Interface: model.None}
			to := ask.Endpoint{Text: spec.Devices[b].Name, Device: b, Interface: model.None}
			trials, _, err := ask.Pings(net, from, to, prefix.Both, forward.Probe{})
			if err != nil {
				continue
			}
			for _, x := range trials {
				t.tell(net, int(a), int(b), x)
			}
		}
	}
}

// teller puts paths into numbers.
type teller struct {
	*Paths
	at  map[string]int
	own *Own
}

func (t *teller) word(text string) int {
	text = t.own.Text(text)
	n, known := t.at[text]
	if !known {
		n = len(t.Words)
		t.at[text], t.Words = n, append(t.Words, text)
	}
	return n
}

func (t *teller) tell(net *forward.Network, a, b int, x ask.Trial) {
	p := Pair{From: t.word(net.Spec.Devices[a].Name), To: t.word(net.Spec.Devices[b].Name), Family: 4, Reason: -1, There: [][]int{},
		Back: [][]int{}}
	if x.Target.Is6() {
		p.Family = 6
	}
	p.Works = map[forward.Verdict]string{forward.Works: "reaches", forward.Fails: "does not reach"}[x.Verdict()]
	if p.Works == "" {
		p.Works = "by some paths only reaches"
	}
	if f, fails := x.Failure(net); fails {
		p.Reason = t.word(f.Words(net))
	}
	p.There, p.More = t.hops(net, x.There)
	if len(x.Back) > 0 {
		var more bool
		p.Back, more = t.hops(net, x.Back[0])
		p.More = p.More || more || len(x.Back) > 1
	}
	t.Pairs = append(t.Pairs, p)
}

// hops is one path through a graph: the one that fails, where one does.
func (t *teller) hops(net *forward.Network, g *forward.Graph) ([][]int, bool) {
	all := [][]int{}
	if len(g.Nodes) == 0 || len(g.Endings) == 0 {
		return all, false
	}
	end, fails := g.Failing()
	if !fails {
		end = g.Endings[0]
	}
	path := g.Path(end.Node)
	more := false
	for i, n := range path {
		node := &g.Nodes[n]
		more = more || len(node.Edges) > 1
		hop := []int{t.word(net.Spec.Devices[node.Device].Name), -1, -1}
		if node.Decision.Match.Prefix.IsValid() {
			hop[2] = t.word(node.Decision.Match.Prefix.String())
		}
		for _, e := range node.Edges {
			if i+1 < len(path) && e.To == path[i+1] && e.Hop.Out != model.None {
				if s := net.Spec.Interfaces[e.Hop.Out].Segment; s != model.None {
					hop[1] = t.word(net.Spec.Segments[s].Name)
				}
			}
		}
		all = append(all, hop)
	}
	return all, more
}
