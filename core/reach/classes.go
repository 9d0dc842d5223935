package reach

import (
	"cmp"
	"encoding/binary"
	"hash/maphash"
	"slices"

	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/routing"
)

// classes puts the places together that nothing tells apart: every node has the same
// step to them, and they send by the same steps. Mostly these are all that are behind
// one router.
type classes struct {
	of      []int32    // by place
	members [][]int32  // by class: places, in order
	sends   []sender   // by class
	next    [][]onward // by class: the step of every node to it
}

// sender is how those of a class send: as the node they are, or by first steps of
// their own.
type sender struct {
	node   int32 // noNode where it is none
	starts []start
}

// start is the first step of who does not forward, to the places up to last.
type start struct {
	last int32
	step onward
}

const noNode = -1

// stepTo is the first step to a place.
func (s *sender) stepTo(p int32) onward {
	if s.node != noNode {
		return onward(s.node)
	}
	i, _ := slices.BinarySearchFunc(s.starts, p, func(x start, p int32) int { return cmp.Compare(x.last, p+1) })
	return s.starts[i].step
}

func (s *sender) same(o *sender) bool {
	return s.node == o.node && slices.Equal(s.starts, o.starts)
}

// classify makes the classes of a matrix. Steps are by place and node.
func (m *Matrix) classify(steps []onward) {
	n := len(m.nodes)
	column := func(p int) []onward { return steps[p*n : (p+1)*n] }
	m.classes = &classes{of: make([]int32, len(m.sorted))}
	alike := map[uint64][]int32{} // by hash: classes
	seed := maphash.MakeSeed()
	var text []byte
	for p := range m.sorted {
		s := m.sender(m.net, int32(p))
		text = text[:0]
		for _, x := range column(p) {
			text = binary.LittleEndian.AppendUint32(text, uint32(x))
		}
		text = binary.LittleEndian.AppendUint32(text, uint32(s.node))
		for _, x := range s.starts {
			text = binary.LittleEndian.AppendUint64(text, uint64(uint32(x.last))<<32|uint64(uint32(x.step)))
		}
		sum := maphash.Bytes(seed, text)
		id := int32(len(m.members))
		for _, c := range alike[sum] {
			if !m.odd[p] && !m.odd[m.members[c][0]] && slices.Equal(m.next[c], column(p)) && m.sends[c].same(&s) {
				id = c
			}
		}
		if id == int32(len(m.members)) {
			alike[sum] = append(alike[sum], id)
			m.members, m.sends, m.next = append(m.members, nil), append(m.sends, s), append(m.next, slices.Clone(column(p)))
		}
		m.of[p] = id
		m.members[id] = append(m.members[id], int32(p))
	}
	m.refine(m.sends)
}

// refine parts the classes to whose members one of the senders has different steps,
// and returns them.
func (c *classes) refine(all []sender) (parted []int32) {
	seen := map[string]bool{}
	var text []byte
	for i := range all {
		s := &all[i]
		if s.node != noNode || len(s.starts) < 2 {
			continue
		}
		text = text[:0]
		for _, x := range s.starts {
			text = binary.LittleEndian.AppendUint64(text, uint64(uint32(x.last))<<32|uint64(uint32(x.step)))
		}
		if seen[string(text)] {
			continue
		}
		seen[string(text)] = true
		for id := range int32(len(c.members)) {
			if c.part(id, s.stepTo) {
				parted = append(parted, id)
			}
		}
	}
	return parted
}

// part parts a class by what each of its members is; the first of them keep its
// number. It tells whether it did.
func (c *classes) part(id int32, by func(p int32) onward) bool {
	members := c.members[id]
	if len(members) < 2 {
		return false
	}
	first := by(members[0])
	if !slices.ContainsFunc(members, func(p int32) bool { return by(p) != first }) {
		return false
	}
	at := map[onward]int32{first: id}
	c.members[id] = nil
	for _, p := range members {
		k := by(p)
		to, ok := at[k]
		if !ok {
			to = c.add(id)
			at[k] = to
		}
		c.of[p] = to
		c.members[to] = append(c.members[to], p)
	}
	return true
}

// partSenders parts a class by how each of its members sends; the first of them keep
// its number. It returns the new senders.
func (c *classes) partSenders(id int32, sends func(p int32) sender) (fresh []sender) {
	type group struct {
		sender
		members []int32
	}
	var groups []group
	for _, p := range c.members[id] {
		s := sends(p)
		n := slices.IndexFunc(groups, func(g group) bool { return g.same(&s) })
		if n < 0 {
			n = len(groups)
			groups = append(groups, group{sender: s})
		}
		groups[n].members = append(groups[n].members, p)
	}
	before := c.sends[id]
	for n, g := range groups {
		to := id
		if n > 0 {
			to = c.add(id)
		}
		c.sends[to], c.members[to] = g.sender, g.members
		for _, p := range g.members {
			c.of[p] = to
		}
		if !g.same(&before) {
			fresh = append(fresh, g.sender)
		}
	}
	return fresh
}

// add is a new class without members that is otherwise like one.
func (c *classes) add(like int32) int32 {
	c.members, c.sends, c.next = append(c.members, nil), append(c.sends, c.sends[like]), append(c.next, c.next[like])
	return int32(len(c.members) - 1)
}

// copied is a copy whose lists may be changed.
func (c *classes) copied() *classes {
	return &classes{of: slices.Clone(c.of), members: slices.Clone(c.members), sends: slices.Clone(c.sends), next: slices.Clone(c.next)}
}

// words is how many a row of classes has.
func (c *classes) rowWords() int { return (len(c.members) + 63) / 64 }

// sender is how a place sends, in a state of the network.
func (m *Matrix) sender(net *forward.Network, p int32) sender {
	e := m.at(p)
	v := net.ForSource(e.Device, e.Address)
	if n, ok := m.node[routing.Key{Device: e.Device, Name: v.Name()}]; ok {
		return sender{node: n}
	}
	return sender{noNode, m.firstSteps(net, v, e.Segment)}
}

// firstSteps lists the steps by which a device that does not forward sends to the
// places. Those on its own segment get their neighbours' step: nobody asks for them.
func (m *Matrix) firstSteps(net *forward.Network, v routing.View, own model.SegmentID) []start {
	var all []start
	known := map[routing.Hop]onward{}
	add := func(last int, s onward) {
		if n := len(all); n > 0 && all[n-1].step == s {
			all[n-1].last = int32(last)
		} else {
			all = append(all, start{int32(last), s})
		}
	}
	v.Runs(m.sorted, func(run routing.Run) {
		for p := run.First; p < run.Last; p++ {
			s := m.stepTo(net, run.Match, run.Found, m.sorted[p], known)
			switch last := p + 1; {
			case forAll(run, s) && run.Last > last:
				add(run.Last, s)
				p = run.Last - 1
			case own == model.None || m.at(int32(p)).Segment != own:
				add(last, s)
			case len(all) > 0:
				all[len(all)-1].last = int32(last)
			}
		}
	})
	if n := int32(len(m.sorted)); len(all) == 0 || all[len(all)-1].last < n {
		all = append(all, start{n, loses})
	}
	return all
}

// weights is how many paths there are between the members of classes.
type weights struct {
	four, six []int64  // by class: members of each family
	same      [][]same // by class: what does not count, as both are on one segment
}

// same is how many pairs of members of a class and another are on one segment.
type same struct {
	class int32
	pairs int64
}

// weights counts paths: of one family, and between segments.
func (m *Matrix) weights() *weights {
	w := &weights{make([]int64, len(m.members)), make([]int64, len(m.members)), make([][]same, len(m.members))}
	for c, members := range m.members {
		for _, p := range members {
			if int(p) < m.four {
				w.four[c]++
			} else {
				w.six[c]++
			}
		}
	}
	type family struct {
		class int32
		four  bool
	}
	for _, places := range m.on {
		count := map[family]int64{}
		for _, p := range places {
			count[family{m.of[p], int(p) < m.four}]++
		}
		for a, x := range count {
			for b, y := range count {
				if a.four == b.four {
					w.note(a.class, b.class, x*y)
				}
			}
		}
	}
	return w
}

func (w *weights) note(a, b int32, pairs int64) {
	n := slices.IndexFunc(w.same[a], func(s same) bool { return s.class == b })
	if n < 0 {
		w.same[a] = append(w.same[a], same{b, pairs})
	} else {
		w.same[a][n].pairs += pairs
	}
}

// paths is how many there are from the members of one class to those of another.
func (w *weights) pairs(a, b int32) int {
	n := w.four[a]*w.four[b] + w.six[a]*w.six[b]
	for _, s := range w.same[a] {
		if s.class == b {
			n -= s.pairs
		}
	}
	return int(n)
}

// expand makes a row of places of a row of classes.
func (m *Matrix) expand(row []uint64) []uint64 {
	places := make([]uint64, m.fixed.words)
	eachBit(row, func(c int32) {
		for _, p := range m.members[c] {
			places[p/64] |= 1 << (p % 64)
		}
	})
	return places
}
