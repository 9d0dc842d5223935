package model

import (
	"ropeswing/core/finding"
	"ropeswing/core/plan"
	"ropeswing/core/prefix"
	"ropeswing/core/source"
)

// blocks reads the blocks, and which of them are taken from which.
func (r *resolver) blocks() {
	for i := range r.doc.Blocks {
		b := &r.doc.Blocks[i]
		block := Block{Name: b.Name.Value, Prefixes: r.prefixes(b.Prefixes, b.Name.Value), Alike: b.Alike.Value, Note: b.Note.Value,
			Place: b.Name.Place}
		block.SubnetNumber = map[string]SubnetNumber{"vlan": VLANDigits, "vlan-value": VLANValue}[b.SubnetNumber.Value]
		for _, t := range b.Keep {
			block.Kept = append(block.Kept, r.kept(t, b.Name.Value)...)
		}
		block.Need = r.blockNeed(b)
		for _, t := range b.From {
			if from, ok := r.spec.blocks[t.Value]; ok {
				block.From = append(block.From, from)
			} else {
				r.unknown(t, "block", keysOf(r.spec.blocks))
			}
		}
		r.spec.Blocks = append(r.spec.Blocks, block)
	}
	r.blockCircles()
}

// blockNeed reads how large a block is to be.
func (r *resolver) blockNeed(b *plan.Block) Need {
	n := Need{Grow: b.Grow.Value, Place: b.Name.Place}
	lengths := r.lengths(&n, b.Lengths, b.Name.Value)
	if len(b.From) > 0 {
		n.Place = b.From[0].Place
		return n
	}
	needless := func(key string, place source.Place) {
		r.report(finding.New(finding.KeyOutOfPlace, place, "%s is not taken from another block, and has no use for '%s'", b.Name.Value,
			key).About(b.Name.Value).
			Mend("add 'from:' with a block, or remove '%s'", key))
	}
	if len(lengths) > 0 {
		needless("length", lengths[0])
	}
	if b.Grow.Written() {
		needless("grow", b.Grow.Place)
	}
	return n
}

// blockCircles reports the blocks that would be taken from themselves, and takes those
// from none.
func (r *resolver) blockCircles() {
	const (
		unseen = iota
		open
		done
	)
	state := make([]int, len(r.spec.Blocks))
	var visit func(BlockID)
	visit = func(id BlockID) {
		state[id] = open
		b := &r.spec.Blocks[id]
		for n := 0; n < len(b.From); n++ {
			switch from := b.From[n]; state[from] {
			case open:
				t := r.doc.Blocks[id].From[0]
				r.report(finding.New(finding.BadValue, t.Place, "%s is taken from itself, by %s", b.Name, r.spec.Blocks[from].Name).About(b.Name))
				b.From = nil
			case unseen:
				visit(from)
			}
		}
		state[id] = done
	}
	for id := range r.spec.Blocks {
		if state[id] == unseen {
			visit(BlockID(id))
		}
	}
}

// Offers tells whether a block has space of the family, or will have once it is taken
// from others.
func (s *Spec) Offers(id BlockID, family prefix.Family) bool {
	b := &s.Blocks[id]
	for _, p := range b.Prefixes {
		if prefix.FamilyOf(p.Addr()) == family {
			return true
		}
	}
	for _, from := range b.From {
		if s.Offers(from, family) {
			return true
		}
	}
	return false
}

// Within tells whether a block is another, or taken from it, at whatever remove.
func (s *Spec) Within(id, other BlockID) bool {
	if id == other {
		return true
	}
	for _, from := range s.Blocks[id].From {
		if s.Within(from, other) {
			return true
		}
	}
	return false
}

// BlockNamed finds a block by its name.
func (s *Spec) BlockNamed(name string) (BlockID, bool) {
	id, ok := s.blocks[name]
	return id, ok
}
