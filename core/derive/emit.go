package derive

import (
	"net/netip"
	"slices"

	"ropeswing/core/model"
	"ropeswing/core/parallel"
)

// table is the routes of one device in the making.
type table struct {
	*answer
	device model.DeviceID
	labels
	watches map[line]*watch
	of      []label // by class
	need    []bool  // by class
	space   *space
	routes  []model.Static
	by      []line // by route: the line it is; of a discard, nowhere

	asDerived bool // written routes are passed over: they are what would be derived
}

// emit turns what every device does into routes, by device.
func (a *answer) emit(r *Result) [][]model.Static {
	e := a.emitted()
	for _, n := range e.single {
		r.Single += n
	}
	r.Flaws = append(r.Flaws, a.told(&e)...)
	return e.tables
}

// emitted is the routes in the space as it is cut by itself.
func (a *answer) emitted() emitted {
	s := a.newSpace(a.sink())
	e := a.emitIn(s)
	// Where a route leads to nothing but what nobody has, it may be better to let that go the
	// common way.
	if a.common != none && e.count() <= mostTriedTwice && slices.ContainsFunc(s.onlyFree, func(b bool) bool { return b }) {
		other := *s
		other.nodes = slices.Clone(s.nodes)
		for n, is := range s.onlyFree {
			if is {
				other.nodes[n].class = a.common
			}
		}
		if o := a.emitIn(&other); o.count() < e.count() {
			e = o
		}
	}
	if a.wanted.Summarise {
		a.dropIdle(&e)
	}
	e = a.proven(e)
	return e
}

// mostTriedTwice is how many routes are worked out a second time to save a few.
const mostTriedTwice = 50000

// emitted is routes, by device, and how many there would be with one for each subnet.
type emitted struct {
	space  *space
	made   []*table // by device; nil where no routes are derived
	tables [][]model.Static
	single []int
	lines  []int  // by device: how many it takes, those that are written already among them
	flaws  []flaw // that the proof of the routes found
}

func (e emitted) count() int {
	n := 0
	for _, lines := range e.lines {
		n += lines
	}
	return n
}

// emitIn makes the routes of all devices in a space.
func (a *answer) emitIn(s *space) emitted {
	a.findSpecial(s)
	wanted := 0
	for _, x := range a.subnets {
		if a.classes[x.class].wanted {
			wanted++
		}
	}
	n := len(a.g.leaving)
	e := emitted{s, make([]*table, n), make([][]model.Static, n), make([]int, n), make([]int, n), nil}
	emit := func(d int) {
		if !a.g.derives(a.wanted, model.DeviceID(d)) {
			return
		}
		t := a.tableIn(s, model.DeviceID(d), false)
		e.made[d], e.tables[d], e.single[d], e.lines[d] = t, t.routes, t.single(s, wanted), len(t.routes)
		if a.isPinned(model.DeviceID(d)) { // it counts for the others as it would without what is written
			e.lines[d] = len(a.tableIn(s, model.DeviceID(d), true).routes)
		}
	}
	parallel.Each(len(e.tables), emit)
	if !a.wanted.Summarise {
		return e
	}
	// Where nobody sends to a device what nobody has, it need not be discarded there.
	s.sentKnown = true
	again := make([]bool, len(e.tables))
	for n := range s.nodes {
		if node := &s.nodes[n]; node.class >= 0 && node.class != a.common && node.free && !s.sent[n].Load() {
			for _, o := range a.classes[node.class].owners {
				again[o.device] = true
			}
		}
	}
	parallel.Each(len(e.tables), func(d int) {
		if again[d] {
			emit(d)
		}
	})
	s.onlyFree = make([]bool, len(s.nodes))
	for n := range s.nodes {
		s.onlyFree[n] = s.routed[n].Load()
	}
	return e
}

// tableIn makes the routes of a device in a space.
func (a *answer) tableIn(s *space, d model.DeviceID, asDerived bool) *table {
	t := a.newTable(d, s)
	t.asDerived = asDerived
	t.addDefault()
	if a.wanted.Summarise {
		t.summarise(s)
	} else {
		t.eachSubnet()
	}
	return t
}

// isPinned tells whether a device has written routes, and all of them are what would be derived; those to
// links alone, which watches decide on, are not looked at.
func (a *answer) isPinned(d model.DeviceID) bool {
	return a.writes(d) && !slices.ContainsFunc(a.classes, func(c class) bool { _, other := c.forced[d]; return other && !c.link })
}

// writes tells whether a device has written routes to anything that is wanted of others.
func (a *answer) writes(d model.DeviceID) bool {
	return slices.ContainsFunc(a.classes, func(c class) bool { _, is := c.writes[d]; return is && !c.link })
}

// newTable works out what a device does with each class.
func (a *answer) newTable(d model.DeviceID, s *space) *table {
	t := &table{answer: a, device: d, labels: newLabels(), watches: map[line]*watch{}, need: a.need[d], space: s,
		of: make([]label, len(a.classes))}
	if a.common != none {
		l := t.labelOf(&a.classes[a.common])
		for id := range a.classes {
			if c := &a.classes[id]; c.behind == a.common || classID(id) == a.common {
				t.of[id] = l
			}
		}
	}
	for _, id := range s.special[d] {
		t.of[id] = t.labelOf(&a.classes[id])
	}
	if a.world != none {
		t.of[a.world] = t.labelOf(&a.classes[a.world])
	}
	return t
}

// labelOf is what the device does with a class.
func (t *table) labelOf(c *class) label {
	if c.isOwner(t.device) && !c.several {
		return drop
	}
	var lines []line
	for {
		if c.options == nil {
			break
		}
		for _, o := range c.options[t.device] {
			l := line{o.step, none}
			if o.watch != nil {
				l.watch = o.watch.target()
				t.watches[l] = o.watch
			}
			lines = append(lines, l)
		}
		if c.ends[t.device] || c.behind == none {
			break
		}
		c = &t.classes[c.behind]
	}
	return t.make(lines)
}

// sink is the class that addresses of nobody go to: the common one, else where the
// device is by which one leaves for the world, or the one that is nearest to all.
func (a *answer) sink() classID {
	if a.common != none {
		return a.common
	}
	best, least := nobody, int64(0)
	for id := range a.classes {
		c := &a.classes[id]
		if c.several || c.world || c.link || !c.wanted || !a.g.derives(a.wanted, c.owners[0].device) {
			continue
		}
		var far int64
		if a.world != none {
			far = int64(a.classes[a.world].cost[c.owners[0].device])
		} else {
			for _, cost := range c.cost {
				if cost != unreached {
					far += int64(cost)
				}
			}
		}
		if best == nobody || far < least {
			best, least = classID(id), far
		}
	}
	return best
}

// route adds routes to a prefix: the lines of a label up to where what is inherited
// follows.
func (t *table) route(p netip.Prefix, l, inherited label) {
	base := model.Static{Device: t.device, To: p, Out: model.None, Distance: 1, Origin: model.Derived, Place: t.wanted.Place, Key: p.String()}
	if p.Bits() == 0 {
		base.Key = "default"
	}
	if l == drop {
		base.Discard = true
		t.add(base, nowhere)
		return
	}
	lines, follows := t.until(l, inherited)
	if n, ok := t.enough(lines, inherited); !follows && ok {
		lines, follows = lines[:n], true
	}
	for i, x := range lines {
		r := base
		r.Via, r.Out, r.Distance = t.g.steps[x.step].via, t.g.steps[x.step].out, distance(i)
		if x.watch != none {
			r.Watch = t.g.steps[x.watch].via
		}
		t.add(r, x)
	}
	// Where a failure may take all its next hops, what is sent to it must not
	// fall to the wider route, which leads elsewhere.
	if !follows && t.mayFail(l) {
		r := base
		r.Discard, r.Distance = true, distance(len(lines))
		t.add(r, nowhere)
	}
}

// nowhere is the line of a discard.
var nowhere = line{none, none}

func (t *table) add(r model.Static, l line) {
	t.routes, t.by = append(t.routes, r), append(t.by, l)
}

// enough tells after how many lines of a label what is inherited does the same as the others, in
// every failure; false where it never does, or watches have a say.
func (t *table) enough(lines []line, inherited label) (int, bool) {
	if inherited <= drop {
		return 0, false
	}
	after, _ := t.until(inherited, drop)
	if slices.ContainsFunc(slices.Concat(lines, after), func(l line) bool { return l.watch != none }) {
		return 0, false
	}
	chosen := func(all []line, f *failure) stepID {
		for _, l := range all {
			if f.effect[l.step] != seen {
				return l.step
			}
		}
		return none
	}
	for n := 1; n < len(lines); n++ {
		with := slices.Concat(lines[:n], after)
		same := true
		for _, l := range lines[:n] {
			for _, id := range t.g.breaking[l.step] {
				if f := &t.g.failures[id]; f.fails != t.device {
					same = same && chosen(lines, f) == chosen(with, f)
				}
			}
		}
		if same {
			return n, true
		}
	}
	return 0, false
}

func distance(i int) uint8 { return uint8(min(254, 1+10*i)) }

// mayFail tells whether some failure takes every step of a label.
func (t *table) mayFail(l label) bool {
	if t.fails[l] != unknown {
		return t.fails[l] == mayFail
	}
	lines, _ := t.until(l, drop)
	last := lines[len(lines)-1]
	out := func(x line, f *failure) bool {
		return f.effect[x.step] == seen || x.watch != none && t.isSilent(t.watches[x], f)
	}
	fails := last.watch != none || slices.ContainsFunc(t.g.breaking[last.step], func(id failureID) bool {
		f := &t.g.failures[id]
		return f.fails != t.device && !slices.ContainsFunc(lines, func(x line) bool { return !out(x, f) })
	})
	if t.fails[l] = neverFails; fails {
		t.fails[l] = mayFail
	}
	return fails
}

// forcedHere tells whether written routes of the device decide for a class.
func (t *table) forcedHere(c classID) bool {
	if c < 0 || t.asDerived {
		return false
	}
	_, ok := t.classes[c].writes[t.device]
	return ok
}

// beyond is what the device does with what no derived route in the plan's blocks
// matches: nothing, or what its default route says.
func (t *table) beyond() label {
	if t.hasDefault() {
		return t.of[t.answer.world]
	}
	return drop
}

// hasDefault tells whether the device has a default route, derived or written.
func (t *table) hasDefault() bool {
	w := t.answer.world
	return w != none && t.need[w] && (t.of[w] != drop || t.forcedHere(w))
}

// addDefault adds the default route, where it is not written.
func (t *table) addDefault() {
	if t.hasDefault() && !t.forcedHere(t.answer.world) {
		t.route(t.g.family.Everything(), t.of[t.answer.world], drop)
	}
}

// eachSubnet adds a route to each subnet, and where there is a default route
// keeps what is the device's own from taking it.
func (t *table) eachSubnet() {
	for _, s := range t.subnets {
		if t.forcedHere(s.class) {
			continue
		}
		wider := drop
		if t.hasDefault() {
			wider = foreign
		}
		if set := t.allowed(s.class, s.Prefix, false); set != nil && !slices.Contains(set, wider) &&
			!(wider == foreign && t.ownRoute(s.Prefix)) {
			t.route(s.Prefix, t.choose(set), wider)
		}
	}
}

// single is how many routes the device would have with one for each subnet, of which so many
// are wanted.
func (t *table) single(s *space, wanted int) int {
	n, special := 0, 0
	count := func(x subnet) {
		if t.need[x.class] && !t.forcedHere(x.class) {
			n += int(t.full[t.of[x.class]])
		}
	}
	if t.common == none {
		for _, x := range t.subnets {
			count(x)
		}
	} else { // most are as any other
		for _, id := range s.special[t.device] {
			for _, x := range s.subnets[id] {
				if t.classes[id].wanted {
					special++
					count(x)
				}
			}
		}
		n += (wanted - special) * int(t.full[t.of[t.common]])
	}
	if t.hasDefault() && !t.forcedHere(t.answer.world) {
		n += int(t.full[t.of[t.answer.world]])
	}
	return n
}
