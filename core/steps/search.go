package steps

import (
	"container/heap"
	"fmt"
	"net/netip"
	"slices"

	"ropeswing/core/compare"
	"ropeswing/core/model"
	"ropeswing/core/prefix"
)

// cost is what an order costs, the worst first: steps for which somebody has to be at a
// device, steps that have to set several things at once, requirements and pairs that fail in
// between, logins, and steps.
type cost [6]int

const (
	hands = iota
	batches
	unmet
	broken
	logins
	count
)

func (c cost) plus(o cost) cost {
	for i := range c {
		c[i] += o[i]
	}
	return c
}

// place is how far an order has come.
type place struct {
	levels []compare.Level
	on     model.DeviceID // that was set last
	at     netip.Addr     // where the operator is logged in on it; invalid for nowhere
	before *place
	step   []moved // from there

	cost   cost // up to here; without what the state here costs where that is not known yet
	judged bool
	moves  bool // the last step moves the session
	bound  cost // of the whole order at least
	serial int
}

type frontier []*place

func (f frontier) Len() int { return len(f) }
func (f frontier) Less(i, j int) bool {
	if c := slices.Compare(f[i].bound[:], f[j].bound[:]); c != 0 {
		return c < 0
	}
	if a, b := f[i].done(), f[j].done(); a != b {
		return a > b
	}
	return f[i].serial < f[j].serial
}
func (f frontier) Swap(i, j int) { f[i], f[j] = f[j], f[i] }
func (f *frontier) Push(x any)   { *f = append(*f, x.(*place)) }
func (f *frontier) Pop() any {
	last := (*f)[len(*f)-1]
	*f = (*f)[:len(*f)-1]
	return last
}

func (p *place) done() int {
	n := 0
	for _, l := range p.levels {
		n += int(l)
	}
	return n
}

// How many states are judged at most to find a better order than one that was found
// straight on: of few things, so that every order counts, and of many.
const (
	few      = 8
	mostFew  = 6000
	mostMany = 400
)

// search finds the best order: states are judged only where nothing that is known could be
// better. It is false where there are too many to look at all.
func (j *judge) search() ([]*place, bool) {
	if len(j.items) == 0 {
		return nil, true
	}
	if j.tooMany() {
		return j.waves(), false
	}
	j.most = j.asked + max(2*len(j.items), mostWork/j.work())
	best := j.firstOrder()
	if j.asked >= j.most {
		return best, false
	}
	limit := j.asked + mostMany
	if len(j.items) <= few {
		limit = j.asked + mostFew
	}
	if c := best[len(best)-1].cost; !c.harms() && len(j.items) > few {
		limit = j.asked + mostMany/20 // only logins and steps could be fewer
	}
	if work := len(j.ends)*len(j.ends) + 20*len(j.spec.Interfaces); len(j.items) > few && work > 1000 {
		limit = min(limit, j.asked+mostMany*1000/work)
	}
	f := frontier{{levels: j.start(), on: model.None, judged: true}}
	seen := map[string]bool{}
	serial := 0
	for len(f) > 0 {
		p := heap.Pop(&f).(*place)
		if slices.Compare(p.bound[:], best[len(best)-1].cost[:]) >= 0 {
			return best, true // nothing that is left can be better
		}
		key := keyOf(p.levels) + string(rune(p.on+1)) + p.at.String()
		if seen[key] {
			continue
		}
		if !p.judged {
			if j.asked >= limit && j.known[keyOf(p.levels)] == nil {
				return best, false
			}
			j.judgeStep(p)
			p.bound = p.cost.plus(j.atLeast(p))
			heap.Push(&f, p)
			continue
		}
		seen[key] = true
		if slices.Equal(p.levels, j.goal()) {
			return p.path(), true
		}
		for _, next := range j.onward(p) {
			serial++
			next.serial = serial
			next.bound = next.cost.plus(j.atLeast(next))
			heap.Push(&f, next)
		}
	}
	return best, true
}

// firstOrder is an order found straight on: without helpers where that harms nobody, else the
// better of both ways.
func (j *judge) firstOrder() []*place {
	helped := slices.ContainsFunc(j.items, func(i compare.Item) bool { return i.HasBoth() })
	if !helped {
		return j.straight(false, false)
	}
	if path := j.straight(false, true); path != nil {
		return path
	}
	if path := j.straight(true, true); path != nil {
		return path
	}
	plain, other := j.straight(false, false), j.straight(true, false)
	if slices.Compare(other[len(other)-1].cost[:], plain[len(plain)-1].cost[:]) < 0 {
		return other
	}
	return plain
}

// harms tells whether an order costs more than logins and steps.
func (c cost) harms() bool { return c[hands]+c[batches]+c[unmet]+c[broken] > 0 }

// path is the steps that led to a place.
func (p *place) path() []*place {
	var path []*place
	for q := p; q.before != nil; q = q.before {
		path = append(path, q)
	}
	slices.Reverse(path)
	return path
}

// onward lists what can be done next: one thing, or all that is left on one device at once.
func (j *judge) onward(p *place) []*place {
	var all []*place
	add := func(step []moved) {
		next := &place{levels: slices.Clone(p.levels), on: j.items[step[0].item].Device, before: p, step: step, cost: p.cost}
		for _, m := range step {
			next.levels[m.item] = m.to
		}
		next.cost[count]++
		if len(step) > 1 {
			next.cost[batches]++
		}
		if next.on != p.on {
			next.cost[logins]++
		}
		all = append(all, next)
	}
	left := map[model.DeviceID][]moved{}
	for i, l := range p.levels {
		if l == compare.AsPlanned {
			continue
		}
		m := moved{i, l, compare.AsPlanned}
		may := j.mayMove(p.levels, i)
		if may {
			add([]moved{m})
		}
		left[j.items[i].Device] = append(left[j.items[i].Device], m)
		if may && l == compare.AsFound && j.items[i].HasBoth() {
			add([]moved{{i, l, compare.Both}})
		}
	}
	for _, d := range j.devices {
		if len(left[d]) > 1 {
			j.inTurn(left[d])
			add(left[d])
		}
	}
	return all
}

// atLeast is what is still to come at least: a step for each thing, and a login for each
// device but the present one. Setting several things at once costs more than it saves here.
func (j *judge) atLeast(p *place) cost {
	var c cost
	devices := map[model.DeviceID]bool{}
	for i, l := range p.levels {
		if l != compare.AsPlanned {
			c[count]++
			devices[j.items[i].Device] = true
		}
	}
	if c[logins] = len(devices); devices[p.on] {
		c[logins]--
	}
	return c
}

// judgeStep adds what the last step of an order costs: what fails in the state it leads to,
// and what becomes of the operator.
func (j *judge) judgeStep(p *place) {
	j.judgePairs(p)
	j.judgePromises(p)
}

// judgePromises adds the requirements that do not hold in the state the last step of an order leads to.
func (j *judge) judgePromises(p *place) {
	p.judged = true
	s := j.at(p.levels)
	p.cost[unmet] += len(j.unmetIn(s))
	j.settle(s)
}

// judgePairs adds what the last step of an order costs, but for requirements.
func (j *judge) judgePairs(p *place) {
	s := j.at(p.levels)
	p.cost[broken] += len(s.broken)
	login, session, then := j.session(p)
	switch session {
	case AtConsole:
		p.cost[hands]++
	case Ends:
		p.cost[hands]++
	case Moves:
		p.moves = true
		p.cost[logins]++
		p.at = then.Address
	default:
		p.at = login.Address
	}
}

// session is where the operator is logged in for the last step of an order, what becomes of
// that, and where to log in again.
func (j *judge) session(p *place) (Login, Session, Login) {
	d := p.on
	if j.spec.Operator == model.None || d == j.spec.Operator {
		return Login{}, Local, Login{}
	}
	if j.spec.Devices[d].Kind == model.World {
		return Login{}, Theirs, Login{}
	}
	before, after := j.at(p.before.levels).logins[d], j.at(p.levels).logins[d]
	login, ok := Login{}, false
	if p.before.on == d && p.before.at.IsValid() {
		login, ok = find(before, p.before.at)
	}
	if !ok && len(before) > 0 {
		if login, ok = find(before, j.sessions[d]); !ok {
			login, ok = goingOn(j.spec, before, after), true
		}
	}
	if !ok {
		if len(after) > 0 {
			return Login{}, AtConsole, after[0]
		}
		return Login{}, AtConsole, Login{}
	}
	if now, stays := find(after, login.Address); stays && goesOn(j.spec, login, now) {
		return login, Stays, now
	}
	if len(after) > 0 {
		return login, Moves, after[0]
	}
	return login, Ends, Login{}
}

// find is the login by an address.
func find(all []Login, a netip.Addr) (Login, bool) {
	n := slices.IndexFunc(all, func(l Login) bool { return l.Address == a })
	if n < 0 {
		return Login{}, false
	}
	return all[n], true
}

// goingOn is the first login that survives, and the first of all where none does.
func goingOn(spec *model.Spec, before, after []Login) Login {
	for _, l := range before {
		if n, stays := find(after, l.Address); stays && goesOn(spec, l, n) {
			return l
		}
	}
	return before[0]
}

// goesOn tells whether a session survives: by no device that keeps state and does not know it, and on
// the same port where ports share the address.
func goesOn(spec *model.Spec, before, after Login) bool {
	if before.Moving && before.on != after.on {
		return false
	}
	return !slices.ContainsFunc(after.stateful, func(d model.DeviceID) bool {
		return !slices.ContainsFunc(before.stateful, func(o model.DeviceID) bool { return spec.OneState(o, d) })
	})
}

// tell puts an order into steps.
func (j *judge) tell(path []*place) {
	for n, p := range path {
		s := Step{Device: p.on, Judged: p.judged, Together: len(p.step) > 1, items: p.step}
		var before, now *state
		if p.judged {
			now = j.at(p.levels)
			s.Broken = len(now.broken)
		}
		if p.judged && p.before.judged {
			before = j.at(p.before.levels)
			s.Login, s.Session, s.Then = j.session(p)
		} else {
			s.Session = Unknown
		}
		j.Judged += map[bool]int{true: 1}[p.judged]
		for _, m := range p.step {
			s.Sets = append(s.Sets, j.sets(m)...)
		}
		s.Hosts, s.Notes = j.hosts(p.on, s.Sets), j.notes(p.on, s.Sets)
		if now == nil {
			now = &state{}
		}
		for _, m := range j.unmetIn(now) {
			s.Unmet = append(s.Unmet, j.spec.Must[m].Text)
		}
		if len(now.broken) > 0 {
			s.First = j.names(j.pairs[now.broken[0]])
		}
		if before != nil {
			s.Works = j.newlyWorks(before, now)
			j.settle(before)
		}
		s.Last = !slices.ContainsFunc(path[n+1:], func(q *place) bool { return q.on == p.on })
		j.Steps = append(j.Steps, s)
	}
}

// isGateway tells whether hosts of a segment send through an address of a device: as the
// plan says, else through the only router there, or the first usable address.
func (j *judge) isGateway(d model.DeviceID, at model.SegmentID, a netip.Prefix) bool {
	if written := j.spec.Segments[at].Gateways; len(written) > 0 {
		return slices.ContainsFunc(written, func(g model.Gateway) bool { return g.Address == a.Addr() })
	}
	if a.Addr() == prefix.First(a.Masked()) {
		return true
	}
	for id := range j.spec.Interfaces {
		if i := &j.spec.Interfaces[id]; i.Segment == at && i.Device != d && len(i.Addresses) > 0 && j.spec.Devices[i.Device].Forwards {
			return false
		}
	}
	return true
}

// hosts lists the segments that lose a subnet with a step on a device that forwards: of
// their hosts the plan may not know all.
func (j *judge) hosts(d model.DeviceID, sets []Set) []string {
	var all []string
	if j.links == nil {
		j.links = j.spec.Links()
	}
	for i := range sets {
		s := &sets[i]
		id, ok := j.spec.InterfaceNamed(d, s.Subject)
		if !ok || s.Difference.What != compare.OfAddress || s.Helper == SetsBeside || s.Planned == "" || s.Found == "" ||
			!j.spec.Devices[d].Forwards {
			continue
		}
		at := j.spec.Interfaces[id].Segment
		planned, err := netip.ParsePrefix(s.Planned)
		found, other := netip.ParsePrefix(s.Found)
		if at == model.None || j.links[at] || j.spec.Devices[d].Kind == model.World || err != nil || other != nil ||
			planned.Masked() == found.Masked() {
			continue
		}
		if !j.isGateway(d, at, planned) {
			continue // its hosts send through somebody else
		}
		all = append(all, fmt.Sprintf("%s: %s instead of %s", j.spec.Segments[at].Name, planned.Masked(), found.Masked()))
	}
	return all
}

func (j *judge) names(p [2]int) [2]string {
	name := func(n int) string {
		if n >= len(j.ends) {
			return j.world[n-len(j.ends)].String()
		}
		return j.ends[n].Name(j.spec)
	}
	return [2]string{name(p[0]), name(p[1])}
}

// newlyWorks is the first pair that works in a state and did not in the one before.
func (j *judge) newlyWorks(before, now *state) [2]string {
	var first [2]string
	j.each(func(a, b int) bool {
		if now.works(j, a, b) && !before.works(j, a, b) {
			first = j.names([2]int{a, b})
		}
		return first[0] == ""
	})
	return first
}
