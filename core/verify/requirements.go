package verify

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"ropeswing/core/finding"
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/network"
	"ropeswing/core/parallel"
	"ropeswing/core/policy"
	"ropeswing/core/prefix"
	"ropeswing/core/reach"
	"ropeswing/core/source"
)

// requirements proves each requirement of the plan, or shows what contradicts
// it.
func (c *checker) requirements() {
	for i := range c.spec.Must {
		c.requirement(&c.spec.Must[i])
	}
}

// against is a way that contradicts a requirement.
type against struct {
	from, to target
	x        *forward.Exchange
	device   model.DeviceID // that it does not go through, else None
}

// target is a device with one of its addresses, or an address nobody in the plan
// has.
type target struct {
	device  model.DeviceID
	address netip.Addr
}

func (c *checker) requirement(r *model.Requirement) {
	nets, unknown := c.under(r)
	if unknown != nil {
		c.report(finding.New(finding.BadFailure, unknown.place, "%s", unknown.err).About(unknown.name))
		return
	}
	for i, net := range nets {
		tried, failing, first := c.tryAll(net, r)
		switch {
		case tried == 0 && i == 0:
			c.report(finding.New(finding.RequirementUnmet, r.Place, "%s: there is nobody to try it with; the two have no addresses of one family",
				r.Text).About(r.Text))
			return
		case first != nil:
			c.unmet(net, r, first, failing, tried)
			return
		}
	}
}

// unknownPart is a part that a requirement puts out of order and the plan does not have.
type unknownPart struct {
	place source.Place
	name  string
	err   error
}

// under are the networks in which a requirement is to hold: with what it names out of
// order, and where it says so with each cable or device in turn, its own two left out.
func (c *checker) under(r *model.Requirement) ([]*forward.Network, *unknownPart) {
	net := c.net
	var failures []network.Failure
	for _, name := range r.Without {
		f, err := net.State.FailureNamed(name.Value)
		if err != nil {
			return nil, &unknownPart{name.Place, name.Value, err}
		}
		failures = append(failures, f)
	}
	if len(failures) > 0 {
		net = c.without([][]network.Failure{failures})[0]
	}
	nets := []*forward.Network{net}
	var each []network.Failure
	switch r.AnyOne {
	case model.AnyOneCable:
		each = reach.Cables(c.state())
	case model.AnyOneDevice:
		own := map[model.DeviceID]bool{}
		for _, e := range slices.Concat(c.ends(r.From, true), c.ends(r.To, false)) {
			own[e.device] = true
		}
		each = slices.DeleteFunc(reach.Devices(c.spec), func(f network.Failure) bool { return own[f.Device] })
	}
	all := make([][]network.Failure, len(each))
	for i, f := range each {
		all[i] = append(slices.Clone(failures), f)
	}
	return append(nets, c.without(all)...), nil
}

// without is the network with each of some sets of parts out of order. What was made for one requirement serves the others.
func (c *checker) without(all [][]network.Failure) []*forward.Network {
	if c.failed == nil || c.failedOf != c.net { // remedies are tried in others
		c.failed, c.failedOf = map[string]*forward.Network{}, c.net
	}
	nets := make([]*forward.Network, len(all))
	for i, f := range all {
		nets[i] = c.failed[fmt.Sprint(f)]
	}
	parallel.Each(len(all), func(i int) {
		if nets[i] == nil {
			nets[i] = c.net.Update(c.net.State.With(all[i]...))
		}
	})
	if len(c.failed) < mostKept {
		for i, f := range all {
			c.failed[fmt.Sprint(f)] = nets[i]
		}
	}
	return nets
}

// mostKept is how many networks with something out of order are kept for other requirements.
const mostKept = 200

// tryAll tries every way a requirement covers, and returns the first that speaks
// against it.
func (c *checker) tryAll(net *forward.Network, r *model.Requirement) (tried, failing int, first *against) {
	from, to := c.ends(r.From, true), c.ends(r.To, false)
	holds := func(a, b target) bool { return c.speaksAgainst(net, r, a, b) == nil }
	if len(from)*len(to) > mostAlone && len(r.Through) == 0 {
		holds = c.allAtOnce(net, r, from, to)
	}
	for _, a := range from {
		for _, b := range to {
			if a.device == b.device && a.device != model.None || a.address.Is4() != b.address.Is4() {
				continue
			}
			tried++
			if holds(a, b) {
				continue
			}
			if failing++; first == nil {
				first = c.speaksAgainst(net, r, a, b)
			}
		}
	}
	return tried, failing, first
}

// mostAlone is how many paths are asked one by one; for more it costs less to ask by
// destination.
const mostAlone = 64

// allAtOnce asks for all paths of a requirement by destination. Addresses that nobody
// in the plan has are asked for one by one.
func (c *checker) allAtOnce(net *forward.Network, r *model.Requirement, from, to []target) func(a, b target) bool {
	at := map[target]int{}
	var ends []*reach.End
	for _, e := range slices.Concat(from, to) {
		if _, known := at[e]; known || e.device == model.None {
			continue
		}
		for _, id := range c.spec.InterfacesOf(e.device) {
			if i := &c.spec.Interfaces[id]; i.Has(e.address) {
				at[e] = len(ends)
				ends = append(ends, &reach.End{Segment: i.Segment, Device: e.device, Interface: id, Address: e.address})
				break
			}
		}
	}
	m := reach.AllOver(net, ends, r.Over)
	return func(a, b target) bool {
		i, known := at[a]
		j, also := at[b]
		switch {
		case !known || !also:
			return c.speaksAgainst(net, r, a, b) == nil
		case r.Not:
			return !m.Arrives(i, j)
		}
		return m.Verdict(i, j) == forward.Works
	}
}

// ends lists who stands for each party: the hosts of a segment, or its routers
// where it has none; a device by its addresses of each family.
func (c *checker) ends(parties []model.Party, sending bool) []target {
	var all []target
	add := func(e target) {
		if !slices.Contains(all, e) {
			all = append(all, e)
		}
	}
	for _, p := range parties {
		switch {
		case p.Address.IsValid():
			holders := c.state().HoldersOf(p.Address)
			if len(holders) > 0 {
				add(target{c.spec.Interfaces[holders[0]].Device, p.Address})
			} else if !sending {
				add(target{model.None, p.Address})
			}
		case p.Device != model.None:
			for _, family := range prefix.Families {
				if a := c.spec.MainAddress(p.Device, family); a.IsValid() {
					add(target{p.Device, a})
				}
			}
		default:
			for _, e := range c.onSegment(p.Segment) {
				add(e)
			}
		}
	}
	return all
}

// onSegment lists the hosts of a segment with their addresses there, or where
// there are none the devices that forward.
func (c *checker) onSegment(s model.SegmentID) []target {
	var hosts, others []target
	for id := range c.spec.Interfaces {
		i := &c.spec.Interfaces[id]
		if i.Segment != s || !i.Routed() {
			continue
		}
		for _, a := range i.Addresses {
			if a.Secondary || a.Addr().IsLinkLocalUnicast() {
				continue
			}
			if c.spec.Devices[i.Device].Kind == model.Host {
				hosts = append(hosts, target{i.Device, a.Addr()})
			} else if c.spec.Devices[i.Device].Kind != model.World {
				others = append(others, target{i.Device, a.Addr()})
			}
		}
	}
	if len(hosts) > 0 {
		return hosts
	}
	return others
}

// whom is who is asked: the device, where one is meant.
func whom(b target) forward.Whom {
	if b.device == model.None {
		return 0
	}
	return forward.Only(b.device)
}

// speaksAgainst tries one way; nil where it is as the requirement wants it. What
// must not reach must not even get there, answered or not.
func (c *checker) speaksAgainst(net *forward.Network, r *model.Requirement, a, b target) *against {
	x := forward.PingBy(net, a.device, a.address, b.address, model.None, forward.Probe{Over: r.Over, Whom: whom(b)})
	if r.Not {
		if x.There.Verdict() != forward.Fails {
			return &against{a, b, x, model.None}
		}
		return nil
	}
	if x.Verdict() != forward.Works {
		return &against{a, b, x, model.None}
	}
	for _, d := range r.Through {
		for _, g := range append([]*forward.Graph{x.There}, x.Back...) {
			if goesRound(g, d) {
				return &against{a, b, x, d}
			}
		}
	}
	return nil
}

// goesRound tells whether some way through a graph gets to its end without a
// device.
func goesRound(g *forward.Graph, d model.DeviceID) bool {
	seen := map[int]bool{}
	var visit func(int) bool
	visit = func(n int) bool {
		if seen[n] || g.Nodes[n].Device == d {
			return false
		}
		seen[n] = true
		if g.Nodes[n].Decision.Action == forward.Deliver {
			return true
		}
		return slices.ContainsFunc(g.Nodes[n].Edges, func(e forward.Edge) bool { return e.To >= 0 && visit(e.To) })
	}
	return visit(0)
}

// unmet reports a requirement with the way that contradicts it, and what
// would mend that, tried.
func (c *checker) unmet(net *forward.Network, r *model.Requirement, a *against, failing, tried int) {
	who := fmt.Sprintf("%s to %s", c.endName(a.from), c.endName(a.to))
	reason := ""
	switch {
	case r.Not:
		reason = fmt.Sprintf("%s gets there, %s", who, c.byWhom(c.passed(a.x.There)))
		if s := c.withoutHosts(r, a); len(s) > 0 { // permits for hosts do not stop it
			verb := "has no host, and its router stands for it"
			if len(s) > 1 {
				verb = "have no host, and their routers stand for them"
			}
			reason += fmt.Sprintf("; %s %s", strings.Join(s, " and "), verb)
		}
	case a.device != model.None:
		reason = fmt.Sprintf("%s does not go through %s", who, c.spec.Devices[a.device].Name)
	default:
		failure, _ := a.x.Failure(net)
		way := "forward"
		if failure.Back {
			way = "return"
		}
		reason = fmt.Sprintf("%s: on the %s path, %s", who, way, failure.Words(net))
	}
	if r.AnyOne != model.NoOne {
		if all := net.State.Failures(); len(all) > len(r.Without) {
			reason = "without " + all[len(all)-1].Name(c.spec) + ": " + reason
		}
	}
	if failing > 1 {
		reason += fmt.Sprintf("; so for %d of %d pairs tried", failing, tried)
	}
	if c.pendingNeeded(net, r) {
		return
	}
	f := finding.New(finding.RequirementUnmet, r.Place, "%s: %s", r.Text, reason).About(r.Text)
	if n := len(c.slips); n > 0 && !r.Not {
		if _, still, _ := c.tryAll(c.slips[n-1].after, r); still == 0 {
			c.report(f) // a slip that was found is why
			return
		}
	}
	if c.trials++; !r.Not && a.device == model.None && c.trials <= mostTrials {
		if remedy, ok := c.budget.mend(net, a.x, a.from.address, model.None); ok {
			f = fixed(f, remedy.Changes).Works()
		}
	}
	if r.Not && c.trials <= mostTrials && tried <= mostAlone {
		if changes, ok := c.forbid(r, a); ok {
			var all []Applied
			spec := c.spec
			for _, x := range changes {
				all = append(all, Applied{x, spec})
				spec = x.Apply(spec)
			}
			f = fixed(f, all).Works()
		}
	}
	c.report(f)
}

// withoutHosts lists the segments of a requirement for which a router is an end of a path, since they have
// no host.
func (c *checker) withoutHosts(r *model.Requirement, a *against) []string {
	var all []string
	for _, side := range []struct {
		parties []model.Party
		end     target
	}{{r.From, a.from}, {r.To, a.to}} {
		for _, p := range side.parties {
			if p.Segment != model.None && side.end.device != model.None && c.spec.Devices[side.end.device].Forwards &&
				slices.Contains(c.onSegment(p.Segment), side.end) {
				all = append(all, c.spec.Segments[p.Segment].Name)
				break
			}
		}
	}
	return all
}

// pendingNeeded reports a requirement that would hold if pending permits were in
// force, at the one of them that decides.
func (c *checker) pendingNeeded(net *forward.Network, r *model.Requirement) bool {
	if r.Not || !c.spec.Pending() {
		return false
	}
	if c.inForce == nil {
		c.inForce = c.spec.WithPending()
	}
	next := forward.Resolve(network.Build(c.inForce).State(net.State.Failures()...))
	var decides *model.Permit
	device := ""
	for _, a := range c.ends(r.From, true) {
		for _, b := range c.ends(r.To, false) {
			if a.device == b.device && a.device != model.None || a.address.Is4() != b.address.Is4() {
				continue
			}
			if c.speaksAgainst(next, r, a, b) != nil {
				return false
			}
			eachJudgement(forward.PingBy(next, a.device, a.address, b.address, model.None, forward.Probe{Over: r.Over}),
				func(d model.DeviceID, j policy.Judgement) {
					list := c.spec.Devices[d].Permits
					if j.Own {
						list = c.spec.Devices[d].OwnPermits
					}
					if j.By >= 0 && list[j.By].Pending && decides == nil {
						decides, device = &list[j.By], c.spec.Devices[d].Name
					}
				})
		}
	}
	if decides == nil {
		return false
	}
	c.report(finding.New(finding.PendingNeeded, r.Place, "%s: it does not, and would if %s passed %s, which is pending", r.Text, device,
		forward.Sentence(decides.Text, decides.Place)).
		About(r.Text).With(decides.Place).Mend("put it in force").Works())
	return true
}

func (c *checker) endName(e target) string {
	if e.device == model.None {
		return e.address.String()
	}
	return fmt.Sprintf("%s (%s)", c.spec.Devices[e.device].Name, e.address)
}

// passed lists the devices on the first path through a graph that forward.
func (c *checker) passed(g *forward.Graph) []model.DeviceID {
	var all []model.DeviceID
	for _, e := range g.Endings {
		if e.Outcome == forward.Delivered {
			for _, n := range g.Path(e.Node) {
				if n != 0 && n != e.Node {
					all = append(all, g.Nodes[n].Device)
				}
			}
			break
		}
	}
	return all
}
