package steps

import (
	"cmp"
	"slices"

	"ropeswing/core/compare"
	"ropeswing/core/model"
)

// mostWork is how much is judged where there is very much to set, in units of about half a
// microsecond.
const mostWork = 40_000_000

// work is what judging one state takes, in the same units.
func (j *judge) work() int {
	return len(j.ends)*len(j.ends) + 100*(len(j.spec.Interfaces)+len(j.spec.Statics)) + 50*len(j.items)
}

// tooMany tells whether there is too much to set to judge every state in between.
func (j *judge) tooMany() bool { return 3*len(j.items)*j.work() > mostWork }

// waves is an order for very many things: what is new first, everywhere, then what changes,
// and at last what is taken away. States are judged here and there only.
func (j *judge) waves() []*place {
	type one struct {
		moved
		phase int
	}
	var all []one
	for i := range j.items {
		d := j.items[i].Main()
		switch {
		case j.items[i].HasBoth():
			all = append(all, one{moved{i, compare.AsFound, compare.Both}, 0}, one{moved{i, compare.Both, compare.AsPlanned}, 3})
		case d.Kind == compare.Extra:
			all = append(all, one{moved{i, compare.AsFound, compare.AsPlanned}, 3})
		case d.Kind == compare.Missing || d.What == compare.OfAdmin && d.Planned == "up":
			all = append(all, one{moved{i, compare.AsFound, compare.AsPlanned}, 1})
		default:
			all = append(all, one{moved{i, compare.AsFound, compare.AsPlanned}, 2})
		}
	}
	world := func(m one) int {
		if j.spec.Devices[j.items[m.item].Device].Kind == model.World {
			return 0
		}
		return 1
	}
	slices.SortStableFunc(all, func(a, b one) int {
		return cmp.Or(
			cmp.Compare(max(a.phase, 1), max(b.phase, 1)), cmp.Compare(world(a), world(b)),
			cmp.Compare(j.items[a.item].Device, j.items[b.item].Device), cmp.Compare(j.depth[a.item], j.depth[b.item]),
		)
	})
	every := max(1, len(all)*j.work()/mostWork)
	p := &place{levels: j.start(), on: model.None, judged: true}
	var path []*place
	for n, m := range all {
		next := &place{levels: slices.Clone(p.levels), on: j.items[m.item].Device, before: p, step: []moved{m.moved}}
		next.levels[m.item] = m.to
		next.judged = n%every == 0 || n == len(all)-1
		path = append(path, next)
		p = next
	}
	return path
}
