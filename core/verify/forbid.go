package verify

import (
	"net/netip"
	"slices"

	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/prefix"
)

// forbid is what to add to the permits of one device so that a requirement holds which wants two
// sides apart: the first on the path with which it does, in every state it speaks of, with all other
// requirements as they were, and the other side's own requests answered as before.
func (c *checker) forbid(r *model.Requirement, a *against) ([]model.Change, bool) {
	if r.Names[0] == "" || r.Names[1] == "" {
		return nil, false // no permit says it so
	}
	no := model.Permit{Ruling: model.Drop, From: c.side(r.From), To: c.side(r.To), Place: r.Place, Text: r.Names[0] + " may not reach " +
		r.Names[1]}
	if r.Over != model.Echo {
		no.Over = []model.Service{r.Over}
		no.Text += " over " + r.Over.String()
	}
	answers := no
	answers.Ruling, answers.Answers, answers.Text = model.Pass, true, r.Names[0]+" may answer "+r.Names[1]
	pairs := 0
	for i := range c.spec.Must {
		pairs += len(c.ends(c.spec.Must[i].From, true)) * len(c.ends(c.spec.Must[i].To, false))
	}
	if pairs > mostForbidden {
		return nil, false // it would take too long to see that nothing else is lost
	}
	for _, d := range c.passed(a.x.There) {
		if d == a.from.device || d == a.to.device || c.spec.Devices[d].Kind == model.World || !c.spec.Devices[d].Forwards {
			continue
		}
		for _, changes := range [][]model.Change{
			{model.AddPermit{Device: d, Permit: no}},
			{model.AddPermit{Device: d, Permit: answers}, model.AddPermit{Device: d, Permit: no, Before: 1}},
		} {
			if c.keepsApart(r, changes) {
				return changes, true
			}
		}
	}
	return nil, false
}

// mostForbidden is for how many pairs of all requirements a permit is tried that keeps two sides apart.
const mostForbidden = 5000

// side is all addresses of some parties.
func (c *checker) side(parties []model.Party) model.Side {
	var all []netip.Prefix
	for _, p := range parties {
		switch {
		case p.Address.IsValid():
			all = append(all, netip.PrefixFrom(p.Address, p.Address.BitLen()))
		case p.Device != model.None:
			all = append(all, c.spec.Own(p.Device)...)
		default:
			for _, x := range c.spec.Segments[p.Segment].Prefixes {
				all = append(all, x.Prefix)
			}
		}
	}
	return model.Side{Prefixes: prefix.Merge(all)}
}

// keepsApart tells whether a requirement holds with some permits added, and nothing else that is
// wanted is lost.
func (c *checker) keepsApart(r *model.Requirement, changes []model.Change) bool {
	after := *c
	for _, x := range changes {
		after.net = Try(after.net, x)
	}
	after.spec = after.net.Spec
	holds := func(c *checker, r *model.Requirement) bool {
		nets, unknown := c.under(r)
		return unknown == nil && !slices.ContainsFunc(nets,
			func(net *forward.Network) bool { _, _, first := c.tryAll(net, r); return first != nil })
	}
	if !holds(&after, r) {
		return false
	}
	for i := range c.spec.Must {
		if o := &c.spec.Must[i]; o != r && holds(c, o) && !holds(&after, o) {
			return false
		}
	}
	back := &model.Requirement{From: r.To, To: r.From, Over: r.Over}
	_, before, _ := c.tryAll(c.net, back)
	_, now, _ := after.tryAll(after.net, back)
	return now <= before
}
