package routing

import (
	"slices"
)

// shared holds what many routes have in common, each once. What stands in base
// belongs to other tables too and is not added to.
type shared struct {
	base     *shared // nil in the first layer; there are no more than two
	hopSets  [][]Hop
	hopSetID map[Hop][]hopSetID // by first hop
}

func newShared() *shared {
	return &shared{hopSets: [][]Hop{nil}, hopSetID: map[Hop][]hopSetID{}}
}

// further lets a further set of tables add to what is shared without the first
// one noticing: identifiers assigned so far stay good in both. It costs what
// was added since the first layer.
func (s *shared) further() *shared {
	next := &shared{base: s, hopSetID: map[Hop][]hopSetID{}}
	if s.base == nil {
		return next
	}
	next.base, next.hopSets = s.base, slices.Clone(s.hopSets)
	for h, ids := range s.hopSetID {
		next.hopSetID[h] = slices.Clone(ids)
	}
	return next
}

// hopsOf is the hops of an identifier.
func (s *shared) hopsOf(id hopSetID) []Hop {
	if s.base == nil {
		return s.hopSets[id]
	}
	if n := hopSetID(len(s.base.hopSets)); id >= n {
		return s.hopSets[id-n]
	}
	return s.base.hopSets[id]
}

// hopSet is the identifier of a set of hops.
func (s *shared) hopSet(hops []Hop) hopSetID {
	if len(hops) == 0 {
		return noHops
	}
	for layer := s; layer != nil; layer = layer.base {
		for _, id := range layer.hopSetID[hops[0]] {
			if slices.Equal(s.hopsOf(id), hops) {
				return id
			}
		}
	}
	id := hopSetID(len(s.hopSets))
	if s.base != nil {
		id += hopSetID(len(s.base.hopSets))
	}
	s.hopSets = append(s.hopSets, slices.Clone(hops))
	s.hopSetID[hops[0]] = append(s.hopSetID[hops[0]], id)
	return id
}
