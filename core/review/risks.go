package review

import (
	"context"

	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/network"
	"ropeswing/core/reach"
)

// risks finds the pairs that one failure of a cable takes after the change, and none took before. Pairs are those that work in both
// plans as long as nothing fails, so that what the change takes by itself is not told twice.
func (r *Review) risks(ctx context.Context, before, after *side, common []both) error {
	was, is := newAsker(before, model.Echo), newAsker(after, model.Echo)
	counts := map[[2]key]bool{}
	for _, from := range common {
		for _, to := range common {
			if asks(before, after, from, to) && was.Works(from.before, to.before) && is.Works(from.after, to.after) {
				counts[[2]key{after.keys[from.after], after.keys[to.after]}] = true
			}
		}
	}
	each := func(s *side, visit func(l reach.Loss, lost []pick)) ([]network.Failure, error) {
		at := make(map[*reach.End]int, len(s.ends))
		for i, e := range s.ends {
			at[e] = i
		}
		asked := reach.Asked{Ends: s.ends, Over: model.Echo, Of: func(from, to *reach.End) bool {
			return counts[[2]key{s.keys[at[from]], s.keys[at[to]]}]
		}}
		failures := reach.Cables(s.w.Network.State)
		return failures, reach.Sweep(ctx, s.w.Network, asked, reach.Together(failures, 1), func(l reach.Loss) {
			lost := make([]pick, len(l.Pairs))
			for i, p := range l.Pairs {
				lost[i] = pick{at[p.From], at[p.To]}
			}
			r.PairsCut = r.PairsCut || l.Lost > len(l.Pairs)
			visit(l, lost)
		})
	}
	taken, cables := map[[2]key]bool{}, map[string]bool{}
	failures, err := each(before, func(_ reach.Loss, lost []pick) {
		for _, p := range lost {
			taken[[2]key{before.keys[p.from], before.keys[p.to]}] = true
		}
	})
	if err != nil {
		return err
	}
	for _, f := range failures {
		cables[f.Name(before.w.Spec)] = true
	}
	failures, err = each(after, func(l reach.Loss, lost []pick) {
		risk := Risk{Without: l.Failures[0].Name(after.w.Spec)}
		risk.New = !cables[risk.Without]
		why := map[pick]*forward.Failure{}
		var fresh []pick
		for i, p := range lost {
			if !taken[[2]key{after.keys[p.from], after.keys[p.to]}] {
				why[p] = l.Pairs[i].Failure
				fresh = append(fresh, p)
			}
		}
		for _, p := range after.fold(fresh, func(p pick) bool { return counts[[2]key{after.keys[p.from], after.keys[p.to]}] }) {
			x := after.pair(p, model.Echo)
			x.because(why[p], l.After)
			risk.Pairs = append(risk.Pairs, x)
		}
		if len(risk.Pairs) > 0 {
			r.Risks = append(r.Risks, risk)
		}
	})
	r.Failures = len(failures)
	return err
}
