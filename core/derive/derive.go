// Package derive works out static routes from what a plan wants, few rather than short
// ones, and floating routes that outlast what the plan says.
//
// Everything a device has no longer route for it sends towards the centre of the network,
// by one of two paths that share no more than they must (fork.go). A subnet then needs
// routes of its own only along two such paths from the centre to it (toward.go). A device
// takes a path while what is left of it is whole, which it sees itself or by a watch
// whose probe and answer travel by routes that never float, and else falls back on
// the next: what one failure need not take is not lost, and nothing circles. What is
// not needed is taken away again (prune.go), and all of it is proven failure by failure
// (prove.go).
package derive

import (
	"context"
	"net/netip"
	"slices"

	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/network"
	"ropeswing/core/parallel"
	"ropeswing/core/prefix"
)

// Result is what was derived.
type Result struct {
	Statics []model.Static
	Single  int    // how many routes there would be with one for each subnet
	Open    []Open // what no floating route protects
	Flaws   []Flaw // what the proof of the routes found and could not mend, as written routes may have it
}

// Open is a way that a single failure takes away though a wire is left.
type Open struct {
	Device  model.DeviceID // that is cut off
	Failure network.Failure
	To      []netip.Prefix // in the order of addresses
	World   bool           // and what lies beyond the plan
	Because Because
	At      model.DeviceID // where it ends
}

// Because is why a path is not protected.
type Because uint8

const (
	NoOtherWay  Because = iota // every other path leads back, or through devices that cannot be given routes
	IsWritten                  // the device where it ends has a written route
	NotFloating                // no floating routes are wanted
	WouldCircle                // what was found was given up: it would loop in another failure, or nothing can be watched
)

// Routes derives the routes that the plan of a network wants. They are a function of the network: they do not
// depend on what anything is called, nor on the order of the plan. Result is zero where nothing is wanted.
func Routes(spec *model.Spec) Result {
	if spec.Wants == nil {
		return Result{}
	}
	order := canonicalOrder(spec)
	spec = spec.WithDerived(nil).Reordered(order)
	if !spec.Wants.CarriersSaid {
		slices.Sort(spec.Wants.Carriers)
	}
	return back(routes(forward.Answered(network.Build(spec).State())), order)
}

// routes derives routes in a network whose parts stand in canonical order and whose written routes are all usable.
func routes(net *forward.Network) Result {
	var r Result
	centre := bestCentre(net)
	four, six := newAnswer(net, prefix.IPv4, centre), newAnswer(net, prefix.IPv6, centre)
	four.derive()
	like, twins := six.twin(four)
	if !twins {
		six.derive()
	}
	tables := four.emit(&r)
	four.listOpen(&r)
	if twins {
		six.lostBy = make([][]lost, len(six.classes))
		for c := range six.plain {
			six.lostBy[c] = four.lostBy[like[c]]
		}
	}
	tables6 := six.emit(&r)
	six.listOpen(&r)
	count := 0
	for d := range tables {
		count += len(tables[d]) + len(tables6[d])
	}
	r.Statics = make([]model.Static, 0, count)
	for d := range tables {
		r.Statics = append(append(r.Statics, tables[d]...), tables6[d]...)
	}
	return r
}

// Resolve makes the tables of a network with nothing out of order, derived
// routes among them, and returns the network with those routes in it. Routes
// that were derived before are forgotten.
func Resolve(spec *model.Spec) (*model.Spec, *forward.Network, Result) {
	if spec.Wants == nil || spec.RoutesStand {
		return spec, forward.Resolve(network.Build(spec).State()), Result{}
	}
	r := Routes(spec)
	spec = spec.WithDerived(r.Statics)
	return spec, forward.Resolve(network.Build(spec).State()), r
}

// Cheapest is what the cheapest path from a device to an address that some device has costs;
// false where there is none.
func Cheapest(net *forward.Network, from model.DeviceID, to netip.Addr) (int, bool) {
	g := newGraph(net, prefix.FamilyOf(to))
	var c class
	for id := range net.Spec.Interfaces {
		for _, a := range net.Spec.Interfaces[id].Addresses {
			if d := net.Spec.Interfaces[id].Device; a.Contains(to) && net.Spec.Devices[d].Forwards && net.State.IsUp(model.InterfaceID(id)) {
				c.owners = append(c.owners, owner{d, model.None})
			}
		}
	}
	g.findShortest(&c)
	return int(c.cost[from]), c.cost[from] != unreached
}

// answer is the work on one family.
type answer struct {
	destinations
	g          *graph
	nothing    *failure
	lostBy     [][]lost         // by class, once it is known
	need       [][]bool         // by device and class: it needs a path there
	commonLost []failureID      // the failures in which not everybody reaches the centre
	plain      int              // how many classes there are without ends of links
	deriving   []model.DeviceID // that routes are derived for
	downs      []failureID      // those that take interfaces in segments of several routers
	own        needs
}

// destinations is where routes are wanted to.
type destinations struct {
	wanted    *wanted
	classes   []class
	subnets   []subnet
	byPrefix  map[netip.Prefix]classID
	world     classID   // none where the world is not wanted, or not there
	common    classID   // what has no longer route; none where everything has
	linkClass []classID // by step: that of the subnet of its link; none on a line without
}

// newAnswer begins the work on one family. Everything goes to a centre, or where none is given, to
// the one that is nearest to all.
func newAnswer(net *forward.Network, family prefix.Family, centre model.DeviceID) *answer {
	a := &answer{
		g: newGraph(net, family), destinations: destinations{wanted: newWanted(net.Spec), world: none, common: none,
			byPrefix: map[netip.Prefix]classID{}},
	}
	a.deriving = deriving(a.g, a.wanted)
	a.classes, a.subnets = a.g.findClasses(a.wanted)
	if w, ok := a.g.world(a.wanted); ok {
		a.world = classID(len(a.classes))
		a.classes = append(a.classes, w)
	}
	a.nothing = &failure{Failure: network.NoFailure, id: none, fails: model.None, effect: make([]effect, len(a.g.steps))}
	a.nothing.fails = model.None
	if a.wanted.All && a.wanted.Protect < model.ProtectDevices {
		a.common = classID(len(a.classes))
		a.classes = append(a.classes, class{owners: a.centres(centre), behind: none, home: none})
	}
	for id := range a.classes {
		a.classes[id].id = classID(id)
	}
	a.plain = len(a.classes)
	for _, s := range a.subnets {
		a.byPrefix[s.Prefix] = s.class
	}
	a.linkClass = make([]classID, len(a.g.steps))
	for id := range a.g.steps {
		s := &a.g.steps[id]
		a.linkClass[id] = none
		for _, x := range a.g.spec.Interfaces[s.in].Addresses {
			if c, ok := a.byPrefix[x.Masked()]; ok && x.Addr() == s.via {
				a.linkClass[id] = c
			}
		}
	}
	return a
}

// deriving lists the devices that routes are derived for.
func deriving(g *graph, w *wanted) []model.DeviceID {
	var all []model.DeviceID
	for d := range g.leaving {
		if g.derives(w, model.DeviceID(d)) {
			all = append(all, model.DeviceID(d))
		}
	}
	return all
}

// derive works out what every device does with everything.
func (a *answer) derive() {
	var several []model.InterfaceID
	for _, c := range a.classes {
		for _, o := range c.owners {
			if c.several && !slices.Contains(several, o.on) {
				several = append(several, o.on)
			}
		}
	}
	a.g.findFailures(several, a.wanted.Protect)
	for id := range a.g.failures {
		if len(a.g.failures[id].down) > 0 {
			a.downs = append(a.downs, failureID(id))
		}
	}
	a.findHomes()
	a.findCovered()
	a.each(func(c *class, w *toWork) { // by which probes go must be known before others choose what to watch
		if c.wanted && slices.Contains(a.linkClass, c.id) {
			x := class{owners: c.owners, several: c.several, forced: c.forced}
			a.g.findShortest(&x)
			c.nearest = x.first
		}
	})
	a.settle()
	isCommon := func(c *class) bool { return c.id == a.common || c.world }
	a.each(func(c *class, w *toWork) {
		if isCommon(c) {
			a.work(c, w)
		}
	})
	a.joinWorld(newToWork(a))
	a.each(func(c *class, w *toWork) {
		if !isCommon(c) && c.wanted {
			a.work(c, w)
		}
	})
	a.settle()
	a.need = a.findNeed()
	a.demandRoutes(newToWork(a))
	a.settleLinks()
	if a.common != none && !a.classes[a.common].proven {
		for id := range a.classes {
			a.classes[id].proven = false
		}
	}
	for _, first := range []bool{true, false} { // what others lean on
		a.each(func(c *class, w *toWork) {
			if c.options != nil && !c.link && (c.behind == none) == first {
				a.repair(c, w)
			}
		})
	}
	a.each(func(c *class, w *toWork) { // links, as far as they are wanted
		if c.link && c.wanted && !c.demanded {
			a.choose(c, w)
			a.unwatched(c)
			a.prune(c, w)
		}
	})
	a.fillDemanded()
	a.prove()
	a.loosen()
	a.need = a.findNeed()
}

// settle notes what of the written routes decides, for all to look at until the next time: a class that is worked out tries without.
func (a *answer) settle() {
	for id := range a.classes {
		a.classes[id].said = a.classes[id].forced
	}
}

// work works out what everybody does with a class. Where what is written on some
// devices is what would be derived, it is as if it were not there: so that routes that are
// pinned change nothing. Else everything is built around it.
func (a *answer) work(c *class, w *toWork) {
	written := c.forced
	c.forced = nil
	for d, x := range written {
		if a.wanted.leftOut[d] {
			if c.forced == nil {
				c.forced = map[model.DeviceID]forced{}
			}
			c.forced[d] = x
		}
	}
	a.g.findShortest(c)
	if c.link {
		if len(c.forced) < len(written) {
			c.forced = written
			a.g.findShortest(c)
		}
		return // watches come first
	}
	a.choose(c, w)
	if a.agrees(c, written) {
		return
	}
	c.forced = written
	a.g.findShortest(c)
	a.choose(c, w)
}

// choose gives a class its routes.
func (a *answer) choose(c *class, w *toWork) {
	c.behind = none
	if a.leans(c) {
		a.toward(c, w)
	} else {
		a.byFork(c)
	}
	a.prune(c, w)
	a.repair(c, w)
}

// agrees tells whether devices with written routes do what was chosen.
func (a *answer) agrees(c *class, written map[model.DeviceID]forced) bool {
	for d, x := range written {
		if a.wanted.leftOut[d] {
			continue
		}
		var all []option
		for at := c; at.options != nil; at = &a.classes[at.behind] {
			all = append(all, at.options[d]...)
			if at.ends[d] || at.behind == none {
				break
			}
		}
		if len(x.steps) > len(all) || len(x.steps) == 0 != (len(all) == 0) {
			return false
		}
		for i, s := range x.steps {
			if all[i].step != s {
				return false
			}
		}
		var asked netip.Addr
		if len(all) > 0 && all[0].watch != nil {
			asked = a.g.steps[all[0].watch.target()].via
		}
		if asked != x.watch {
			return false
		}
	}
	return true
}

// leans tells whether a class has routes of its own only where the common ones do not
// lead to it: where nothing about it is written, and its subnets lie in what the common
// routes are for.
func (a *answer) leans(c *class) bool {
	if a.common == none || c.world || c.id == a.common || !a.wanted.Summarise {
		return false
	}
	for d, x := range c.forced {
		if a.g.spec.Devices[d].Kind != model.World && (len(x.steps) > 0 || !a.wanted.leftOut[d]) {
			return false
		}
	}
	return c.covered
}

// each does something for every class, on all cores: classes do not depend on
// one another.
func (a *answer) each(do func(*class, *toWork)) {
	_ = parallel.Workers(context.Background(), len(a.classes), func() func(int) error {
		w := newToWork(a)
		return func(i int) error { do(&a.classes[i], w); return nil }
	})
}
