package review

// pick is a pair of ends of one side, by their places.
type pick struct{ from, to int }

// fold tells pairs in as few as say the same: where all pairs between two segments, and the hosts on them, are among them, those of the
// segments stand for all. Of tells which pairs there are between the two that could be among them. The order is that of the pairs.
func (s *side) fold(pairs []pick, of func(pick) bool) []pick {
	type group struct{ from, to key }
	in := make(map[pick]bool, len(pairs))
	for _, p := range pairs {
		in[p] = true
	}
	members := map[key][]int{}
	for i := range s.ends {
		k := s.segment(i)
		members[k] = append(members[k], i)
	}
	whole := map[group]bool{}
	var all []pick
	for _, p := range pairs {
		g := group{s.segment(p.from), s.segment(p.to)}
		is, known := whole[g]
		if !known {
			is = true
			for _, x := range members[g.from] {
				for _, y := range members[g.to] {
					is = is && (in[pick{x, y}] || !of(pick{x, y}))
				}
			}
			whole[g] = is
			if is {
				all = append(all, pick{s.by[g.from], s.by[g.to]})
			}
		}
		if !is && !s.standsIn(p.from) && !s.standsIn(p.to) {
			all = append(all, p)
		}
	}
	return all
}

// standsIn tells whether an end is a segment for which a host stands that is asked by its own name too.
func (s *side) standsIn(end int) bool {
	if s.keys[end].kind != 's' {
		return false
	}
	_, too := s.by[key{'d', s.w.Spec.Devices[s.ends[end].Device].Name, s.keys[end].four}]
	return too
}
