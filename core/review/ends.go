package review

import (
	"net/netip"

	"ropeswing/core/model"
	"ropeswing/core/reach"
	"ropeswing/core/workspace"
)

// mostEnds is up to how many ends hosts are asked one by one; their segments are asked in any case.
const mostEnds = 1500

// key is what an end is called in both plans.
type key struct {
	kind byte   // s: a segment, d: a host, w: an address of the world
	name string // of a segment with several places, with the device that stands for the place
	four bool
}

// side is one of the two plans, and who is asked in it.
type side struct {
	w         *workspace.Workspace
	ends      []*reach.End
	keys      []key
	by        map[key]int
	on        []string // by end: the segment it is on; "" where that is none
	hostsLeft int
}

func newSide(w *workspace.Workspace) *side {
	s := &side{w: w, by: map[key]int{}}
	spec := w.Spec
	segment := func(id model.SegmentID) string {
		if id == model.None {
			return ""
		}
		return spec.Segments[id].Name
	}
	for _, e := range reach.WithoutLinks(spec, reach.Ends(spec)) {
		s.add(e, key{'s', e.Name(spec), e.Address.Is4()}, segment(e.Segment))
	}
	hosts := reach.Hosts(spec)
	if len(s.ends)+len(hosts) > mostEnds {
		s.hostsLeft, hosts = len(hosts), nil
	}
	for _, e := range hosts {
		alone := *e
		alone.Segment = model.None
		s.add(&alone, key{'d', spec.Devices[e.Device].Name, e.Address.Is4()}, segment(e.Segment))
	}
	for d := range spec.Devices {
		for _, p := range spec.Devices[d].Beyond {
			a := someone(p.Prefix)
			e := &reach.End{Segment: model.None, Device: model.DeviceID(d), Interface: spec.Devices[d].First, Address: a}
			s.add(e, key{'w', spec.Devices[d].Name, a.Is4()}, "")
		}
	}
	return s
}

func (s *side) add(e *reach.End, k key, on string) {
	if _, twice := s.by[k]; twice {
		return
	}
	s.by[k] = len(s.ends)
	s.ends, s.keys, s.on = append(s.ends, e), append(s.keys, k), append(s.on, on)
}

// someone is an address of a prefix that a machine may have.
func someone(p netip.Prefix) netip.Addr {
	p = p.Masked()
	if p.IsSingleIP() {
		return p.Addr()
	}
	if p.Bits() == 0 && p.Addr().Is4() {
		return netip.AddrFrom4([4]byte{192, 0, 2, 1}) // an address for documentation, RFC 5737
	}
	if p.Bits() == 0 {
		return netip.MustParseAddr("2001:db8::1") // RFC 3849
	}
	return p.Addr().Next()
}

// names are the segments and hosts that one side has and the other has not, in the order of their plan, each once.
func names(of, not *side) []string {
	var all []string
	there := map[string]bool{}
	for _, k := range not.keys {
		there[string(k.kind)+k.name] = true
	}
	for _, k := range of.keys {
		if id := string(k.kind) + k.name; !there[id] && k.kind != 'w' {
			there[id] = true
			all = append(all, k.name)
		}
	}
	return all
}

// both is an end that both plans have: its place among the ends of each.
type both struct{ before, after int }

// meet lists the ends that both plans have, in the order of the plan after.
func meet(before, after *side) []both {
	var all []both
	for i, k := range after.keys {
		if j, ok := before.by[k]; ok {
			all = append(all, both{j, i})
		}
	}
	return all
}

// asks tells whether a pair of ends is asked for: in both plans they are of one family, and not one and the same nor on one segment.
func asks(before, after *side, from, to both) bool {
	for _, x := range [...]struct {
		s    *side
		a, b int
	}{{before, from.before, to.before}, {after, from.after, to.after}} {
		if x.s.ends[x.a].IsNear(x.s.ends[x.b]) {
			continue // two places of one segment, which a change may part
		}
		if !x.s.ends[x.a].Asks(x.s.ends[x.b]) || x.s.on[x.a] != "" && x.s.on[x.a] == x.s.on[x.b] {
			return false
		}
	}
	return true
}

// asker tells which pairs of a side work over a service, those of two places of one segment among them.
type asker struct {
	m *reach.Matrix
	w *reach.Working
}

func newAsker(s *side, over model.Service) asker {
	m := reach.AllOver(s.w.Network, s.ends, over)
	return asker{m, m.Working()}
}

// Works tells whether a pair of ends works, by their places.
func (a asker) Works(from, to int) bool {
	if a.m.Ends[from].IsNear(a.m.Ends[to]) {
		return a.m.Works(from, to)
	}
	return a.w.Works(from, to)
}
