package verify

import (
	"slices"
	"strings"

	"ropeswing/core/finding"
	"ropeswing/core/forward"
	"ropeswing/core/source"
)

// mostCauses is up to how many devices each slip is told apart by what it makes vanish; of more, all are taken
// together, and of more than mostAgain it is not looked for.
const (
	mostCauses = 200
	mostAgain  = 600
)

// same is what two findings of one thing have alike, before and after a change.
type same struct {
	name    finding.Name
	at      line
	subject string
}

func sameOf(f *finding.Finding) same { return same{f.Name, lineOf(f.Place), f.Subject} }

// causes says each slip that was found where something is wrong because of it: what vanishes when it is mended. One
// finding of these has the change as its remedy, and the others follow from it.
func (c *checker) causes() {
	gone := func(net *forward.Network) map[same]bool {
		after := &checker{net: net, spec: net.Spec, derived: c.derived, inBoth: map[int]bool{}, said: newSaid(), budget: &Budget{}, plain: true}
		after.all()
		stays := map[same]bool{}
		for i := range after.found {
			stays[sameOf(&after.found[i])] = true
		}
		return stays
	}
	taken := make([]bool, len(c.found))
	var all map[same]bool
	for n := range c.slips {
		s := &c.slips[n]
		if len(c.spec.Devices) > mostAgain {
			c.sayLikely(s, nil)
			continue
		}
		if all == nil || len(c.spec.Devices) <= mostCauses {
			after := s.after
			if len(c.spec.Devices) > mostCauses {
				after = c.slips[len(c.slips)-1].after
			}
			all = gone(after)
		}
		var vanish []int
		for i := range c.found {
			if !taken[i] && !all[sameOf(&c.found[i])] {
				vanish = append(vanish, i)
			}
		}
		place := c.sayLikely(s, vanish)
		for _, i := range vanish {
			f := &c.found[i]
			if taken[i] = true; f.Mends == 0 {
				f.Because, f.Remedy, f.Fix, f.Tried = place, "", nil, false
			}
		}
		for len(taken) < len(c.found) {
			taken = append(taken, true)
		}
	}
}

// sayLikely says a slip, and returns where: at what is wrong on its own line, else at the first that vanishes with
// it, else as a finding of its own.
func (c *checker) sayLikely(s *slip, vanish []int) source.Place {
	before, change := s.Changes[0].Before, s.Changes[0].Change
	place, device := placeOf(before, change), before.Devices[change.On(before)].Name
	for i := range c.found {
		if f := &c.found[i]; f.Mends > 0 && lineOf(f.Place) == lineOf(place) && f.Subject == device {
			f.Mends += s.Mends // the other family of one word
			return f.Place
		}
	}
	best, rank := -1, 0
	for i := range c.found {
		f := &c.found[i]
		r := 0
		switch {
		case f.Mends > 0 || f.Severity() < finding.Warning:
			continue
		case lineOf(f.Place) == lineOf(place) && f.Because == (source.Place{}):
			r = 3 + int(f.Severity())
		case !slices.Contains(vanish, i):
			continue
		case follows(f.Name):
			r = 1
		default:
			r = 2
		}
		if r > rank {
			best, rank = i, r
		}
	}
	if best < 0 {
		f := finding.New(finding.LikelySlip, place, "%s to %s fails, and works with one change of %s",
			c.endName(s.Example[0]), c.endName(s.Example[1]), device).About(device)
		best = len(c.found)
		c.report(f)
	}
	f := c.found[best]
	said := f.Remedy
	f = fixed(f, s.Changes).Works()
	if strings.HasPrefix(said, f.Remedy) {
		f.Remedy = said // with more beside it
	}
	f.Mends, f.Of, f.Some, f.Next = s.Mends, s.Of, s.some, nil
	c.found[best] = f
	return f.Place
}

// follows tells whether a kind of finding is of what somebody sees, and not of why.
func follows(name finding.Name) bool {
	switch name {
	case finding.RequirementUnmet, finding.PairsUnsaid, finding.Unmanageable, finding.PendingNeeded, finding.WantedMissing, finding.NoWayOut:
		return true
	}
	return false
}
