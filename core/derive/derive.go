// Package derive works out static routes from what a plan wants: shortest ways,
// defaults towards the world, and floating routes that are proven to help.
//
// Static routes never come to know of a failure elsewhere, so that a neighbour
// whose own way does not lead back (RFC 5286) is not enough: where there is none,
// each device on the way round is given a floating route behind a watched one. A
// floating route stays only if all tables together are free of loops in every
// single failure of a cable or segment.
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

// Because is why a way is not protected.
type Because uint8

const (
	NoOtherWay  Because = iota // every way round leads back, or through devices that cannot be given routes
	IsWritten                  // the device where it ends has a written route
	NotFloating                // no floating routes are wanted
	WouldCircle                // what was found was given up: it would loop in another failure, or nothing can be watched
)

// Routes derives the routes that the plan wants for the state that the tables,
// of written routes only, are in.
func Routes(net *forward.Network) Result {
	var r Result
	if net.Spec.Wants == nil {
		return r
	}
	four, six := newAnswer(net, prefix.IPv4), newAnswer(net, prefix.IPv6)
	four.derive()
	like, twins := six.twin(four)
	if !twins {
		six.derive()
	}
	tables := four.emit(&r)
	four.listOpen(&r)
	if twins {
		six.lostBy = make([][]lost, len(six.classes))
		for c := range six.classes {
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
	if spec.Wants == nil {
		return spec, forward.Resolve(network.Build(spec).State()), Result{}
	}
	spec = spec.WithDerived(nil)
	r := Routes(forward.Answered(network.Build(spec).State()))
	spec = spec.WithDerived(r.Statics)
	return spec, forward.Resolve(network.Build(spec).State()), r
}

// answer is the work on one family: where to, what watches hear of failures, and what
// is proven of floating routes.
type answer struct {
	destinations
	watching
	proof
	g     *graph
	links bool // links are being protected
}

// destinations is where routes are wanted to.
type destinations struct {
	wanted    *wanted
	classes   []class
	subnets   []subnet
	world     classID   // none where the world is not wanted, or not there
	linkClass []classID // by step: that of the subnet of its link; none on a line without
	target    map[target]bool
}

// proof is which floating routes have to be given up, and what stays unprotected.
type proof struct {
	gaveUp map[givenUp]bool
	lostBy [][]lost // by class, once it is known
}

// givenUp is a device and a class whose floating routes it may have to give up.
type givenUp struct {
	class  classID
	device model.DeviceID
}

func newAnswer(net *forward.Network, family prefix.Family) *answer {
	a := &answer{
		g: newGraph(net, family), destinations: destinations{wanted: newWanted(net.Spec), world: none, target: map[target]bool{}},
		proof: proof{gaveUp: map[givenUp]bool{}},
	}
	a.classes, a.subnets = a.g.findClasses(a.wanted)
	if w, ok := a.g.world(a.wanted); ok {
		a.world = classID(len(a.classes))
		a.classes = append(a.classes, w)
	}
	for id := range a.classes {
		a.classes[id].id = classID(id)
	}
	byPrefix := map[netip.Prefix]classID{}
	for _, s := range a.subnets {
		byPrefix[s.Prefix] = s.class
	}
	a.linkClass = make([]classID, len(a.g.steps))
	for id := range a.g.steps {
		s := &a.g.steps[id]
		a.linkClass[id] = none
		for _, x := range a.g.spec.Interfaces[s.in].Addresses {
			if c, ok := byPrefix[x.Masked()]; ok && x.Addr() == s.via {
				a.linkClass[id] = c
			}
		}
	}
	return a
}

func (a *answer) derive() {
	a.each(a.g.findWays)
	var several []model.InterfaceID
	for _, c := range a.classes {
		for _, o := range c.owners {
			if c.several && !slices.Contains(several, o.on) {
				several = append(several, o.on)
			}
		}
	}
	a.g.findFailures(several)
	if a.wanted.Floating {
		a.protect()
		a.prove()
	}
}

// protect gives all classes their floating routes: first those that are of no
// link, then the links. What is watched is an address on a link, and the way to
// it must not change for whoever watches it, or a probe that comes back to its
// sender could get round to its target from the other side: so a link that a
// device watches an end of is not watched for by it, and for links nothing is
// watched that was not before.
func (a *answer) protect() {
	isLink := make([]bool, len(a.classes))
	for _, c := range a.linkClass {
		if c != none {
			isLink[c] = true
		}
	}
	for _, links := range []bool{false, true} {
		a.links = links
		a.each(func(c *class, w *walker) {
			if isLink[c.id] == links {
				a.floats(c, w)
			}
		})
		for id := range a.classes {
			a.noteTargets(&a.classes[id])
		}
	}
}

// noteTargets notes which links each device watches an end of for a class.
func (a *answer) noteTargets(c *class) {
	for d, w := range c.watch {
		if w != none {
			a.target[target{model.DeviceID(d), a.linkClass[w]}] = true
		}
	}
}

// target is a device and a link it watches an end of.
type target struct {
	device model.DeviceID
	link   classID
}

// each does something for every class, on all cores: classes do not depend on
// one another.
func (a *answer) each(do func(*class, *walker)) {
	_ = parallel.Workers(context.Background(), len(a.classes), func() func(int) error {
		w := newWalker(a.g)
		return func(i int) error { do(&a.classes[i], w); return nil }
	})
}
