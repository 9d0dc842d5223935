package verify

import (
	"slices"

	"ropeswing/core/finding"
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/reach"
)

// mtuHoles finds paths on which packets as large as their sender's link takes vanish
// without its being told. Only those are followed whose path leads past an interface
// that takes less, and one of each kind that nothing tells apart.
func (c *checker) mtuHoles() {
	least, usual := c.mtuBounds()
	if least == usual {
		return
	}
	h := &holes{checker: c, paths: c.everyone().Paths(), working: c.everyone().Working(), narrowest: make([]int, len(c.spec.Devices)),
		told: map[hole]bool{}}
	onSegment := make([]int, len(c.spec.Segments)) // the least MTU on it
	for id := range c.spec.Interfaces {
		i, m := &c.spec.Interfaces[id], forward.MTU(c.spec, model.InterfaceID(id))
		if n := &h.narrowest[i.Device]; *n == 0 || m < *n {
			*n = m
		}
		if i.Segment != model.None && i.Routed() {
			if n := &onSegment[i.Segment]; *n == 0 || m < *n {
				*n = m
			}
		}
	}
	type kind struct {
		class, size int
		segment     model.SegmentID // where a segment takes less than usual; else None
	}
	at := map[kind]int{}
	for i, e := range c.everyone().Ends {
		k := kind{int(h.paths.Class(i)), forward.MTU(c.spec, e.Interface), model.None}
		if e.Segment != model.None && onSegment[e.Segment] < usual {
			k.segment = e.Segment
		}
		g, ok := at[k]
		if !ok {
			g = len(h.groups)
			at[k] = g
			h.groups = append(h.groups, alike{class: h.paths.Class(i), size: k.size, least: usual})
			if k.segment != model.None {
				h.groups[g].least = onSegment[k.segment]
			}
		}
		h.groups[g].ends = append(h.groups[g].ends, i)
	}
	for a := range h.groups {
		for b := range h.groups {
			h.between(&h.groups[a], &h.groups[b])
		}
	}
}

// mtuBounds is the least and the largest MTU of interfaces with addresses.
func (c *checker) mtuBounds() (least, most int) {
	for id := range c.spec.Interfaces {
		if i := &c.spec.Interfaces[id]; len(i.Addresses) > 0 && i.Kind != model.Loopback {
			m := forward.MTU(c.spec, model.InterfaceID(id))
			if most = max(most, m); least == 0 || m < least {
				least = m
			}
		}
	}
	return least, most
}

// holes is the search for them.
type holes struct {
	*checker
	paths     reach.Paths
	working   *reach.Working
	groups    []alike // in the order of their first ends
	narrowest []int   // by device: the least MTU of its interfaces
	told      map[hole]bool
}

// alike is ends that nothing tells apart.
type alike struct {
	class int32
	size  int // of what they send
	least int // the least MTU on their segment, where that is less than usual
	ends  []int
}

// hole is where packets vanish, and how.
type hole struct {
	out     model.InterfaceID
	outcome forward.Outcome
}

// between follows what one of some ends sends to one of others, if their path leads
// past an interface that takes less.
func (h *holes) between(from, to *alike) {
	i, j, ok := h.pair(from, to)
	if !ok || !h.working.Works(i, j) {
		return
	}
	ends := h.everyone().Ends
	devices, sure := h.paths.Between(from.class, to.class)
	devices = append(devices, ends[i].Device, ends[j].Device)
	if sure && to.least >= from.size && !slices.ContainsFunc(devices, func(d model.DeviceID) bool { return h.narrowest[d] < from.size }) {
		return
	}
	a, b := ends[i], ends[j]
	f := forward.FlowTo(a.Address, b.Address)
	f.Size, f.Whole = from.size, true
	g := forward.Walk(h.net, forward.Sender(a.Device), f)
	e, fails := g.Failing()
	if !fails || e.Outcome != forward.TooBig && e.Outcome != forward.Oversized || forward.ToldTooBig(h.net, g) {
		return
	}
	if e.Outcome == forward.TooBig && g.Nodes[e.Node].Device == a.Device {
		return // the sender itself is told by its own system, and sends less
	}
	out := g.Nodes[e.Node].Edges[e.Edge].Hop.Out
	if h.told[hole{out, e.Outcome}] {
		return
	}
	h.told[hole{out, e.Outcome}] = true
	why := "its error does not get back"
	if e.Outcome == forward.Oversized {
		why = "the far end drops them silently"
	}
	h.report(finding.New(finding.MTUHole, h.spec.Interfaces[out].Place, "packets of %d bytes from %s to %s vanish at %s: %s", from.size,
		h.endName(target{a.Device, a.Address}), h.endName(target{b.Device, b.Address}), h.spec.Label(out), why).
		About(h.spec.Label(out)))
}

// pair is the first two of some ends and others that are on different segments and
// of one family.
func (h *holes) pair(from, to *alike) (i, j int, ok bool) {
	ends := h.everyone().Ends
	for _, i := range from.ends {
		for _, j := range to.ends {
			if ends[i].Address.Is4() != ends[j].Address.Is4() {
				return 0, 0, false
			}
			if ends[i].Segment != ends[j].Segment {
				return i, j, true
			}
		}
	}
	return 0, 0, false
}
