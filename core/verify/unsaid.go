package verify

import (
	"ropeswing/core/finding"
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/reach"
)

// unsaid tells of LANs that do not reach each other where nothing else is wrong and the
// plan says nothing of what is to reach what: that all is well would be said of what
// nobody asked.
func (c *checker) unsaid() {
	s := c.spec
	if s.MustSaid || s.Wants != nil || s.Operator != model.None || finding.Count(c.found, finding.Warning) > 0 {
		return
	}
	type pair struct{ from, to model.SegmentID }
	asked, dead := map[pair]bool{}, map[pair]bool{}
	var first reach.Pair
	lan := func(e *reach.End) bool { return !c.isLink(e.Segment) && s.Devices[e.Device].Kind != model.World }
	m := c.everyone()
	m.Between(lan, lan, func(w reach.Pair) bool {
		p := pair{w.From.Segment, w.To.Segment}
		asked[p] = true
		if w.Verdict != forward.Works {
			if len(dead) == 0 {
				first = m.Explain(w)
			}
			dead[p] = true
		}
		return true
	})
	if len(dead) == 0 {
		return
	}
	why := ""
	if first.Failure != nil {
		why = ": " + first.Failure.Words(c.net)
	}
	f := finding.New(finding.PairsUnsaid, s.Segments[first.From.Segment].Place, "%d of %d pairs of LANs do not reach each other, and the plan does not say which must; such as %s to %s%s",
		len(dead), len(asked), first.From.Name(s), first.To.Name(s), why).About(first.From.Name(s))
	c.report(f.Then("reach", "--lost"))
}
