package verify

import (
	"fmt"
	"slices"

	"ropeswing/core/derive"
	"ropeswing/core/finding"
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/network"
)

// flawed tells what derived routes would do in a failure, and must not.
func (c *checker) flawed(flaws []derive.Flaw) {
	beside := ""
	if slices.ContainsFunc(c.spec.Statics, func(s model.Static) bool { return s.Origin == model.Written }) {
		beside = " beside the written ones"
	}
	for i := range flaws {
		f := &flaws[i]
		when := "with nothing broken"
		if f.Failure != network.NoFailure {
			when = fmt.Sprintf("when %s fails", f.Failure.Name(c.spec))
		}
		var names []string
		for _, d := range f.Devices {
			names = append(names, c.spec.Devices[d].Name)
		}
		to := c.destinations(f.To, false)
		if to == "" {
			to = f.To[0].String()
		}
		what := ""
		switch f.Kind {
		case derive.Circling:
			what = fmt.Sprintf("packets to %s go round between %s", to, forward.And(names))
		case derive.Leaking:
			what = fmt.Sprintf("%s sends packets to %s out to the world", names[0], to)
		case derive.Losing:
			what = fmt.Sprintf("packets from %s to %s do not arrive, though a way is left", names[0], to)
		case derive.Unheard:
			what = fmt.Sprintf("%s does not hand on the probes of a watch to %s by the path that is watched", names[0], to)
		}
		c.report(finding.New(finding.DerivedFlawed, c.spec.Wants.Place, "%s, %s: no derived routes%s were found that mend it", when, what,
			beside).About(names[0]))
	}
}
