package review

import (
	"slices"

	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/reach"
)

// mostServices is how many services are asked beside a ping.
const mostServices = 6

// mostExplained is for how many pairs of a service that are lost it is worked out why.
const mostExplained = 200

// services picks what is asked: a ping, and each service that a permit or a requirement of either plan names.
func (r *Review) services() {
	all := []model.Service{model.Echo}
	add := func(s model.Service) {
		s.Last = s.First // one of a range stands for it
		if !slices.Contains(all, s) {
			all = append(all, s)
		}
	}
	for _, spec := range []*model.Spec{r.Before.Spec, r.After.Spec} {
		for i := range spec.Must {
			add(spec.Must[i].Over)
		}
		for d := range spec.Devices {
			for _, p := range slices.Concat(spec.Devices[d].Permits, spec.Devices[d].OwnPermits) {
				for _, s := range p.Over {
					add(s)
				}
			}
		}
	}
	r.Services = all[:min(len(all), 1+mostServices)]
	r.ServicesLeft = all[len(r.Services):]
}

// pairs asks every pair that both plans have, in both.
func (r *Review) pairs(before, after *side, common []both, over model.Service) {
	was, is := newAsker(before, over), newAsker(after, over)
	old := map[int]int{} // by end of the plan after: the same of the plan before
	for _, x := range common {
		old[x.after] = x.before
	}
	worked := func(p pick) (asked, works bool) {
		from, ok := old[p.from]
		to, also := old[p.to]
		if !ok || !also || !asks(before, after, both{from, p.from}, both{to, p.to}) {
			return false, false
		}
		return true, was.Works(from, to)
	}
	var lost, gained []pick
	for _, from := range common {
		for _, to := range common {
			if !asks(before, after, from, to) {
				continue
			}
			r.Asked++
			switch old, now := was.Works(from.before, to.before), is.Works(from.after, to.after); {
			case old && !now:
				lost = append(lost, pick{from.after, to.after})
			case now && !old:
				gained = append(gained, pick{from.after, to.after})
			}
		}
	}
	for n, p := range after.fold(lost, func(p pick) bool { asked, works := worked(p); return asked && works }) {
		x := after.pair(p, over)
		if x.Wanted = r.forbids(after, p.from, p.to, over); x.Wanted != "" {
			r.Refused = append(r.Refused, x)
			continue
		}
		if n < mostExplained {
			x.because(is.m.Explain(reach.Pair{From: after.ends[p.from], To: after.ends[p.to]}).Failure, after.w.Network)
		}
		r.Lost = append(r.Lost, x)
	}
	for _, p := range after.fold(gained, func(p pick) bool { asked, works := worked(p); return asked && !works }) {
		r.Gained = append(r.Gained, after.pair(p, over))
	}
}

// pair is a pair of ends by their names.
func (s *side) pair(p pick, over model.Service) Pair {
	to := s.ends[p.to]
	x := Pair{From: s.name(p.from), To: s.name(p.to), IPv4: s.keys[p.from].four, Over: over, Place: s.w.Spec.Devices[to.Device].Place}
	if to.Segment != model.None {
		x.Place = s.w.Spec.Segments[to.Segment].Place
	}
	return x
}

// because says why a pair does not work in a network.
func (p *Pair) because(f *forward.Failure, net *forward.Network) {
	if f != nil {
		p.Why, p.Finding = f.Words(net), f.Name
	}
}

// name is what an end is called: of the world its address, which says what is meant better than its name.
func (s *side) name(end int) string {
	if s.keys[end].kind == 'w' {
		return s.ends[end].Address.String()
	}
	return s.keys[end].name
}

// segment is the key of the segment that an end is on; its own of a segment itself, and of who is on none or on one of several places.
func (s *side) segment(end int) key {
	if _, ok := s.by[key{'s', s.on[end], s.keys[end].four}]; !ok || s.keys[end].kind == 's' {
		return s.keys[end]
	}
	return key{'s', s.on[end], s.keys[end].four}
}

// forbids is the requirement by which one end must not reach another over a service; "" where none says so.
func (r *Review) forbids(s *side, from, to int, over model.Service) string {
	spec := s.w.Spec
	covers := func(parties []model.Party, end int) bool {
		e := s.ends[end]
		return slices.ContainsFunc(parties, func(p model.Party) bool {
			return p.Segment != model.None && (e.Segment == p.Segment || s.on[end] == spec.Segments[p.Segment].Name) ||
				p.Device != model.None && p.Device == e.Device && s.keys[end].kind == 'd' ||
				p.Address.IsValid() && p.Address == e.Address
		})
	}
	for i := range spec.Must {
		m := &spec.Must[i]
		if m.Not && len(m.Without) == 0 && m.AnyOne == model.NoOne && m.Over.Protocol == over.Protocol && m.Over.First <= over.First &&
			over.First <= m.Over.Last && covers(m.From, from) && covers(m.To, to) {
			return m.Text
		}
	}
	return ""
}
