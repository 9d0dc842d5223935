package reach

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"ropeswing/core/model"
	"ropeswing/core/routing"
)

// Paths is the ends of a matrix in classes: packets between two classes take the
// same path, whichever of their members send and receive.
type Paths struct {
	m       *Matrix
	class   []int32   // by place
	members [][]int32 // by class: places
	starts  [][]start // by class: its first steps; nil where it sends from a node
	node    []int32   // by class: the node it is, or none
}

// start is the first step of who does not forward, to the places up to last.
type start struct {
	last int32
	step step
}

const noNode = -1

// Paths puts the ends in classes.
func (m *Matrix) Paths() *Paths {
	x := &Paths{m: m, class: make([]int32, len(m.sorted))}
	type key struct {
		alike, node int32
		starts      string
		odd         int32
	}
	known := map[key]int32{}
	for p := range m.sorted {
		e := m.Ends[m.end[p]]
		v := m.net.ForSource(e.Device, e.Address)
		k := key{alike: m.alike[p], node: noNode, odd: noNode}
		var first []start
		if n, ok := m.node[routing.Key{Device: e.Device, Name: v.Name()}]; ok {
			k.node = n
		} else {
			first = m.firstSteps(v)
			k.starts = startsKey(first)
		}
		if m.odd[p] {
			k.odd = int32(p)
		}
		id, ok := known[k]
		if !ok {
			id = int32(len(x.members))
			known[k] = id
			x.members, x.starts, x.node = append(x.members, nil), append(x.starts, first), append(x.node, k.node)
		}
		x.class[p] = id
		x.members[id] = append(x.members[id], int32(p))
	}
	return x
}

// firstSteps lists the steps by which a device that does not forward sends to the
// places.
func (m *Matrix) firstSteps(v routing.View) []start {
	var all []start
	known := map[routing.Hop]step{}
	v.Runs(m.sorted, func(run routing.Run) {
		alike := !run.Found || run.Match.Local || everyVia(run.Match.Hops)
		for p := run.First; p < run.Last; p++ {
			last := p + 1
			if alike {
				last = run.Last
			}
			s := m.stepTo(m.net, run.Match, run.Found, m.sorted[p], known)
			if n := len(all); n > 0 && all[n-1].step == s {
				all[n-1].last = int32(last)
			} else {
				all = append(all, start{int32(last), s})
			}
			p = last - 1
		}
	})
	return all
}

func startsKey(all []start) string {
	var b strings.Builder
	for _, s := range all {
		fmt.Fprintf(&b, "%d:%d ", s.last, s.step)
	}
	return b.String()
}

// first is the node at which packets of a class to a place come first, or what
// becomes of them instead.
func (x *Paths) first(class, to int32) step {
	if n := x.node[class]; n != noNode {
		return step(n)
	}
	i, _ := slices.BinarySearchFunc(x.starts[class], to, func(s start, p int32) int { return cmp.Compare(s.last, p+1) })
	return x.starts[class][i].step
}

// between appends the nodes on the path from a class to another, those of the two
// themselves left out. It is false where the path branches, or leads nowhere.
func (x *Paths) between(from, to int32, path []int32) ([]int32, bool) {
	m, p, q := x.m, x.members[from][0], x.members[to][0]
	if m.odd[p] || m.odd[q] {
		return path, false
	}
	sender, receiver := m.Ends[m.end[p]].Device, m.Ends[m.end[q]].Device
	column := m.column(q)
	at := x.first(from, q)
	for range len(column) + 1 {
		switch {
		case at == delivers:
			return path, true
		case at < 0:
			return path, false
		}
		if d := m.deviceOf(int32(at)); d != sender && d != receiver {
			path = append(path, int32(at))
		}
		at = column[at]
	}
	return path, false
}

// Different visits the pairs of classes between which packets come back by another
// path than they went, each once, and those of which that is not known since paths
// branch. The paths hold the devices between the two, there and back, each in the
// order in which it is gone; they are nil where they branch.
func (x *Paths) Different(visit func(a, b int32, there, back []model.DeviceID)) {
	var there, back []int32
	for a := range int32(len(x.members)) {
		for b := a + 1; b < int32(len(x.members)); b++ {
			if x.m.sorted[x.members[a][0]].Is4() != x.m.sorted[x.members[b][0]].Is4() {
				continue
			}
			var sure, also bool
			there, sure = x.between(a, b, there[:0])
			back, also = x.between(b, a, back[:0])
			switch {
			case !sure || !also:
				visit(a, b, nil, nil)
			case !x.mirrored(there, back):
				visit(a, b, x.devices(there), x.devices(back))
			}
		}
	}
}

// mirrored tells whether one path leads past the devices of the other in the
// opposite order.
func (x *Paths) mirrored(there, back []int32) bool {
	if len(there) != len(back) {
		return false
	}
	for i, n := range there {
		if other := back[len(back)-1-i]; n != other && x.m.deviceOf(n) != x.m.deviceOf(other) {
			return false
		}
	}
	return true
}

func (x *Paths) devices(nodes []int32) []model.DeviceID {
	all := make([]model.DeviceID, len(nodes))
	for i, n := range nodes {
		all[i] = x.m.deviceOf(n)
	}
	return all
}

// Between lists the devices on the path from a class to another, without those of the
// two themselves. It is not sure where the path branches.
func (x *Paths) Between(from, to int32) (devices []model.DeviceID, sure bool) {
	nodes, sure := x.between(from, to, nil)
	return x.devices(nodes), sure
}

// Count is how many classes there are.
func (x *Paths) Count() int { return len(x.members) }

// Class is the class of an end, by its place in Ends, from 0 up.
func (x *Paths) Class(end int) int32 { return x.class[x.m.place[end]] }
