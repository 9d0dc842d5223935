package derive

import (
	"fmt"
	"net/netip"

	"ropeswing/core/model"
	"ropeswing/core/parallel"
)

// label is one thing a device may do with a packet: the steps it takes, the
// preferred first, and what the first watches. Equal labels have equal
// identifiers within one device.
type label int32

// drop is the label of packets that go no further.
const drop label = 0

// way is what a label stands for.
type way struct {
	steps []stepID
	watch stepID
}

// table is the routes of one device in the making.
type table struct {
	*answer
	device model.DeviceID
	ways   []way // by label
	known  map[wayKey]label
	one    []classID // by label: one class that has it
	of     []label   // by class
	need   []bool    // by class
	routes []model.Static
}

// emit turns the ways of every device into routes, by device.
func (a *answer) emit(r *Result) [][]model.Static {
	need := a.need(a.wanted)
	s := a.newSpace(a.sink())
	tables := make([][]model.Static, len(a.g.leaving))
	single := make([]int, len(tables))
	parallel.Each(len(tables), func(d int) {
		if !a.g.derives(a.wanted, model.DeviceID(d)) {
			return
		}
		t := &table{answer: a, device: model.DeviceID(d), ways: []way{{}}, one: []classID{none}, known: map[wayKey]label{}, need: need[d]}
		t.labels()
		t.addDefault()
		if a.wanted.Summarise {
			t.summarise(s)
		} else {
			t.eachSubnet()
		}
		tables[d], single[d] = t.routes, t.single()
	})
	for _, n := range single {
		r.Single += n
	}
	return tables
}

// sink is the class that addresses of nobody go to: the device by which one
// leaves for the world, else the one that is nearest to all.
func (a *answer) sink() classID {
	best, least := nobody, int64(0)
	for id := range a.classes {
		c := &a.classes[id]
		if c.several || c.world || !a.g.derives(a.wanted, c.owners[0].device) {
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

// labels works out what the device does with each class.
func (t *table) labels() {
	t.of = make([]label, len(t.classes))
	for id := range t.classes {
		c := &t.classes[id]
		w := way{watch: c.watch[t.device]}
		if first := c.first[t.device]; first != none {
			w.steps = append(w.steps, first)
		}
		w.steps = append(w.steps, c.further[t.device]...)
		if len(w.steps) == 0 {
			continue
		}
		key := keyOf(w)
		l, ok := t.known[key]
		if !ok {
			l = label(len(t.ways))
			t.known[key] = l
			t.ways = append(t.ways, w)
			t.one = append(t.one, classID(id))
		}
		t.of[id] = l
	}
}

// wayKey tells ways apart: the few that have many steps, by their text.
type wayKey struct {
	steps [4]stepID
	watch stepID
	text  string
}

func keyOf(w way) wayKey {
	k := wayKey{watch: w.watch}
	if copy(k.steps[:], w.steps) < len(w.steps) {
		k.text = fmt.Sprint(w.steps)
	}
	for i := len(w.steps); i < len(k.steps); i++ {
		k.steps[i] = none
	}
	return k
}

// route adds the routes of a label to a prefix.
func (t *table) route(p netip.Prefix, l label) {
	base := model.Static{Device: t.device, To: p, Out: model.None, Distance: 1, Origin: model.Derived, Place: t.wanted.Place, Key: p.String()}
	if p.Bits() == 0 {
		base.Key = "default"
	}
	if l == drop {
		base.Discard = true
		t.routes = append(t.routes, base)
		return
	}
	w := t.ways[l]
	for i, id := range w.steps {
		x := base
		x.Via, x.Out, x.Distance = t.g.steps[id].via, t.g.steps[id].out, uint8(min(254, 1+10*i))
		if i == 0 && w.watch != none {
			x.Watch = t.g.steps[w.watch].via
		}
		t.routes = append(t.routes, x)
	}
}

// within adds the routes of a label to a prefix that lies in one with another
// label. Where a failure may take all its next hops, what is sent to it must not
// fall to the wider route, which leads elsewhere: it is discarded.
func (t *table) within(p netip.Prefix, l, wider label) {
	t.route(p, l)
	if l == drop || wider == drop || !t.mayFail(l) {
		return
	}
	last := t.routes[len(t.routes)-1]
	t.routes = append(t.routes, model.Static{Device: t.device, To: p, Out: model.None, Discard: true, Distance: uint8(min(254, int(last.Distance)+10)), Origin: model.Derived, Place: last.Place, Key: last.Key})
}

// mayFail tells whether some failure of a cable or segment takes every step of a
// label.
func (t *table) mayFail(l label) bool {
	c := &t.classes[t.one[l]]
	steps := t.ways[l].steps
	for _, id := range t.g.breaking[steps[len(steps)-1]] {
		f := &t.g.failures[id]
		if f.required && t.g.decide(c, t.device, f, t.g.lostOnWay(f)) == none {
			return true
		}
	}
	return false
}

// forcedHere tells whether written routes of the device decide for a class.
func (t *table) forcedHere(c classID) bool {
	if c < 0 {
		return false
	}
	_, ok := t.classes[c].forced[t.device]
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
		t.route(t.g.family.Everything(), t.of[t.answer.world])
	}
}

// eachSubnet adds a route to each subnet, and where there is a default route
// keeps what is the device's own from taking it.
func (t *table) eachSubnet() {
	for _, s := range t.subnets {
		if !t.need[s.class] || t.forcedHere(s.class) {
			continue
		}
		wider := drop
		if t.hasDefault() {
			wider = -1
		}
		if l := t.of[s.class]; l != wider {
			t.within(s.Prefix, l, wider)
		}
	}
}

// single is how many routes the device would have with one for each subnet.
func (t *table) single() int {
	n := 0
	for _, s := range t.subnets {
		if t.need[s.class] && !t.forcedHere(s.class) && t.of[s.class] != drop {
			n += len(t.ways[t.of[s.class]].steps)
		}
	}
	if t.hasDefault() && !t.forcedHere(t.answer.world) {
		n += len(t.ways[t.of[t.answer.world]].steps)
	}
	return n
}
