package verify

import (
	"ropeswing/core/finding"
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/prefix"
	"ropeswing/core/reach"
	"slices"
)

// mostJudged is for how many pairs that work without permits and translations the reason is looked for.
const mostJudged = 3000

// apartFrom is one of how many pairs may be kept apart, as the plan says, without a word about it.
const apartFrom = 10

// unsaid asks what everybody would want of a network without an error, whatever the plan says must hold:
// that its LANs reach each other and the world beyond the plan, and are answered. What does not work is told with its
// reason, but for what the plan itself says not to work: by a permit, by 'does not reach', by a host without a way
// out. Where that is much, it is told as well: that all is well would be said of what nobody asked.
func (c *checker) unsaid() {
	if c.spec.Wants != nil && !c.spec.Wants.All || finding.Count(c.found, finding.Error) > 0 {
		return
	}
	a := &asked{checker: c, dead: map[lanPair]bool{}, kept: map[lanPair]bool{}}
	a.lans()
	if c.spec.Wants == nil {
		a.world()
	}
	switch {
	case len(a.dead) > 0:
		why := ""
		if a.first.Failure != nil {
			why = ": " + a.first.Failure.Words(c.net)
		}
		from := a.first.From.Name(c.spec)
		f := finding.New(finding.PairsUnsaid, c.spec.Segments[a.first.From.Segment].Place,
			"%d of %d pairs of LANs do not reach each other, and the plan does not say that they must not; such as %s to %s%s",
			len(a.dead), a.pairs, from, a.first.To.Name(c.spec), why).About(from)
		c.report(f.Then("reach", "--lost"))
	case len(a.lost) > 0:
		e := a.lost[0]
		name := e.Name(c.spec)
		why := ""
		if f, failing := a.beyond.Failure(c.net); failing {
			why = ": " + f.Words(c.net)
		}
		f := finding.New(finding.PairsUnsaid, c.spec.Segments[e.Segment].Place,
			"%d of %d LANs do not reach the world in some family, and the plan does not say that they must not; such as %s in %s%s",
			len(a.lost), a.sought, name, forward.FamilyOf(e.Address), why).About(name)
		c.report(f.Then("ping", c.spec.Devices[e.Device].Name, a.beyond.Target.String()))
	case len(a.kept)*apartFrom >= a.pairs && len(a.kept) > 0:
		f := finding.New(finding.PairsApart, c.spec.Segments[a.keptApart.From.Segment].Place,
			"%d of %d pairs of LANs do not reach each other, as %s; such as %s to %s",
			len(a.kept), a.pairs, a.because, a.keptApart.From.Name(c.spec), a.keptApart.To.Name(c.spec)).About(a.keptApart.From.Name(c.spec))
		c.report(f.Then("reach", "--lost"))
	}
}

// lanPair is a LAN and another, or two places of one.
type lanPair struct{ from, to model.SegmentID }

// asked is what came of asking what everybody would want.
type asked struct {
	*checker
	pairs            int              // of LANs, and LANs with several places
	dead, kept       map[lanPair]bool // kept apart, as the plan says
	first, keptApart reach.Pair       // of the dead, and of those apart
	because          string           // why these are apart

	sought int          // how many LANs were asked for a way to the world
	lost   []*reach.End // that have none
	beyond *forward.Exchange
}

// isLAN reports whether an end stands for a LAN of one's own.
func (a *asked) isLAN(e *reach.End) bool {
	return !a.isLink(e.Segment) && a.spec.Devices[e.Device].Kind != model.World
}

// lans asks every LAN for every other.
func (a *asked) lans() {
	var passing *reach.Working // in which permits and translations do nothing
	place := map[*reach.End]int{}
	judged := 0
	a.count()
	a.everyone().Lost(func(w reach.Pair) bool {
		if !a.isLAN(w.From) || !a.isLAN(w.To) {
			return true
		}
		p := lanPair{w.From.Segment, w.To.Segment}
		because := a.said(w)
		if because == "" && a.net.Policy != nil && !w.From.IsNear(w.To) {
			if passing == nil {
				passing = reach.All(a.passing(), a.everyone().Ends).Working()
				for i, e := range a.everyone().Ends {
					place[e] = i
				}
			}
			if passing.Works(place[w.From], place[w.To]) {
				because = "permits or translations keep them apart"
				if judged++; judged <= mostJudged {
					w = a.everyone().Explain(w)
					because = ""
					if w.Failure != nil && (w.Failure.Name == finding.FilteredOut || w.Failure.Name == finding.RefusedByPermit) {
						because = "permits say"
					}
				}
			}
		}
		switch {
		case because == "":
			if len(a.dead) == 0 {
				a.first = a.everyone().Explain(w)
			}
			a.dead[p] = true
		default:
			if len(a.kept) == 0 {
				a.keptApart, a.because = w, because
			}
			a.kept[p] = true
		}
		return true
	})
}

// count counts the pairs of LANs that have addresses of one family, and the LANs of which several places are asked.
func (a *asked) count() {
	var in [3][]model.SegmentID // of IPv4, of IPv6, of both
	several := map[model.SegmentID]bool{}
	for _, e := range a.everyone().Ends {
		if !a.isLAN(e) {
			continue
		}
		family := map[bool]int{true: 0, false: 1}[e.Address.Is4()]
		if n := len(in[family]); n == 0 || in[family][n-1] != e.Segment { // those of one segment stand together
			in[family] = append(in[family], e.Segment)
		}
		several[e.Segment] = several[e.Segment] || e.Place > 1
	}
	for _, s := range in[1] {
		if slices.Contains(in[0], s) {
			in[2] = append(in[2], s)
		}
	}
	pairs := func(all []model.SegmentID) int { return len(all) * (len(all) - 1) }
	a.pairs = pairs(in[0]) + pairs(in[1]) - pairs(in[2])
	for _, is := range several {
		if is {
			a.pairs++
		}
	}
}

// said is what of the plan says that a pair need not work; "" where nothing does.
func (a *asked) said(w reach.Pair) string {
	family := prefix.FamilyOf(w.To.Address)
	switch {
	case a.spec.Devices[w.From.Device].Closed[family], a.spec.Devices[w.To.Device].Closed[family]:
		return "hosts have no way out"
	case a.tablesPart(w.From.Segment, w.To.Segment):
		return "routing tables keep them apart"
	case a.spec.MustSaid && len(a.spec.Must) == 0:
		return "nothing is required under 'must'"
	}
	is := func(all []model.Party, e *reach.End) bool {
		for _, p := range all {
			if p.Segment == e.Segment && p.Segment != model.None || p.Device == e.Device && p.Device != model.None || p.Address == e.Address {
				return true
			}
		}
		return false
	}
	for i := range a.spec.Must {
		if r := &a.spec.Must[i]; r.Not && (is(r.From, w.From) && is(r.To, w.To) || is(r.From, w.To) && is(r.To, w.From)) {
			return "'must' says"
		}
	}
	return ""
}

// world asks every LAN for an address that a carrier answers for, in each family in which one does.
func (a *asked) world() {
	for _, family := range prefix.Families {
		var targets []reach.End
		for d := range a.spec.Devices {
			if x := a.checker.beyond(model.DeviceID(d), family); a.spec.Devices[d].Kind == model.World && x.IsValid() {
				targets = append(targets, reach.End{Segment: model.None, Device: model.DeviceID(d), Interface: model.None, Address: x})
			}
		}
		if len(targets) == 0 {
			continue
		}
		for _, e := range a.everyone().Ends {
			if prefix.FamilyOf(e.Address) != family || !a.isLAN(e) || e.Place > 1 || a.spec.Devices[e.Device].Closed[family] || a.spec.MustSaid &&
				len(a.spec.Must) == 0 {
				continue
			}
			a.sought++
			var failed *forward.Exchange
			for i := range targets {
				x := forward.Ping(a.net, e.Device, e.Address, targets[i].Address, model.None)
				f, failing := x.Failure(a.net)
				if !failing || f.Name == finding.FilteredOut || f.Name == finding.RefusedByPermit {
					failed = nil
					break
				}
				failed = x
			}
			if failed != nil {
				if len(a.lost) == 0 {
					a.beyond = failed
				}
				a.lost = append(a.lost, e)
			}
		}
	}
}
