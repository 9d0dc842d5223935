package verify

import (
	"ropeswing/core/model"
)

// oddness is how unlike a slip of the hand it is that a change is needed: 0 is a word of one letter too few or wrong. Where
// something is wrong at the line already, it is likelier.
func (h *hunt) oddness(c model.Change) int {
	spec := h.net.Spec
	odd := 6
	switch c := c.(type) {
	case model.SetNextHop:
		s := &spec.Statics[c.Static]
		odd = 4
		if s.Via.IsValid() {
			odd = min(4, apart(s.Via.String(), c.Via.String()))
		}
	case model.SetDestination:
		odd = min(4, apart(spec.Statics[c.Static].To.String(), c.To.String()))
	case model.MoveAddress:
		odd = min(4, apart(c.Old.String(), c.New.String()))
	case model.BringUp, model.SetKey, model.SetLine, model.PutInForce:
		odd = 1
	case model.SetTagged:
		odd = 3
		if i := &spec.Interfaces[c.Port]; len(i.Tagged) == len(c.VLANs) {
			odd = 1 // one for another
		}
	case model.SetBeyond, model.PutOn, model.SetAccess, model.SetUntagged, model.AddTagged,
		model.DropPermit, model.WidenService, model.LetForward, model.DropWatch:
		odd = 2
	case model.Together:
		odd = 3
	case model.AddCable, model.LetAnswer:
		odd = 4
	case model.AddPermit:
		if c.Permit.To.Anyone {
			odd = 5
		}
	case model.AddRoute, model.ShareAddresses:
		odd = 5
	}
	if p := placeOf(spec, c); p.Known() && h.lines[lineOf(p)] {
		odd -= 3
	}
	return odd
}

// apart is how many letters must be put in, taken out or replaced to make one word of another.
func apart(a, b string) int {
	row := make([]int, len(b)+1)
	for j := range row {
		row[j] = j
	}
	for i := range len(a) {
		last := row[0]
		row[0] = i + 1
		for j := range len(b) {
			cost := 1
			if a[i] == b[j] {
				cost = 0
			}
			last, row[j+1] = row[j+1], min(row[j+1]+1, row[j]+1, last+cost)
		}
	}
	return row[len(b)]
}
