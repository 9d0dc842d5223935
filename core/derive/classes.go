package derive

import (
	"cmp"
	"fmt"
	"maps"
	"net/netip"
	"slices"

	"ropeswing/core/model"
	"ropeswing/core/routing"
)

type classID int32

// class is all subnets to which every device has the same way: those that are
// on the same devices, and for which nobody has a written route of another kind.
type class struct {
	id      classID
	owners  []owner
	several bool                      // of one subnet on several devices
	world   bool                      // everything beyond the plan
	forced  map[model.DeviceID]forced // devices whose written routes decide, and are other than would be derived
	writes  map[model.DeviceID]forced // all whose written routes decide
	said    map[model.DeviceID]forced // of forced, as others may look at it while the classes are worked out side by side

	link      bool  // of a link between routers, or to the world
	wanted    bool  // somebody is to reach it
	variation int32 // which paths are tried: 0, the first
	proven    bool  // in every failure what can arrive does
	sound     bool  // nothing circles in any failure
	covered   bool  // all of it lies in what common routes are for
	demanded  bool  // watches need it, along paths of their own

	nearest []stepID // of one that probes go to and others too: the first step of the cheapest path, by device

	// The cheapest path to an owner, by device.
	cost  []int32
	first []stepID

	options [][]option                                   // by device: the preferred first; nil where nobody has any
	ends    []bool                                       // by device: nothing follows its options
	behind  classID                                      // whose options follow; none where none do
	outside bool                                         // of a link: it lies in no block
	base    classID                                      // of a link that watches need: the link, of which this may be an end
	wants   map[model.DeviceID]map[model.DeviceID]stepID // of a link: by its end, then by device, the steps that watches need
	either  map[model.DeviceID]bool                      // whether anything follows its options makes no odds
	loose   []model.DeviceID                             // of a link: those on it that may send what they cannot deliver the common way
	home    classID                                      // of a link: the class it goes with where nothing is asked of it; none, nobody's
	gaveUp  map[model.DeviceID]bool

	failures []failureID      // those that matter, once they are known
	senders  []model.DeviceID // from whom to look at it, once they are known
	fork     *fork
}

// renew forgets what is known of a class, since it was given other options.
func (c *class) renew() { c.failures, c.senders = nil, nil }

// giveUp notes that a device could not keep what it had for when something fails.
func (c *class) giveUp(d model.DeviceID) {
	if c.gaveUp == nil {
		c.gaveUp = map[model.DeviceID]bool{}
	}
	c.gaveUp[d] = true
}

// forced is where written routes lead: by which steps, the preferred first. With
// no steps it goes nowhere.
type forced struct {
	steps []stepID
	watch netip.Addr // what the first is watched by; invalid where it is not
}

// owner is a device with the class's subnets on an interface of its own.
type owner struct {
	device model.DeviceID
	on     model.InterfaceID // of a class with several owners, else None
}

// subnet is one prefix to reach, and whose it is.
type subnet struct {
	netip.Prefix
	class classID
}

// classes finds the subnets of all forwarding devices and puts those with the
// same paths together.
func (g *graph) findClasses(w *wanted) ([]class, []subnet) {
	links, named := map[netip.Prefix]bool{}, map[netip.Prefix]bool{}
	isLink, isWanted := g.spec.Links(), g.spec.Wanted()
	owners := map[netip.Prefix][]owner{}
	var order []netip.Prefix
	for id := range g.spec.Interfaces {
		i := &g.spec.Interfaces[id]
		d := &g.spec.Devices[i.Device]
		if !d.Forwards || d.Kind == model.World || i.Switched || i.Table != "" || !g.net.State.IsUp(model.InterfaceID(id)) {
			continue
		}
		for _, a := range i.Addresses {
			if !g.usual(a) {
				continue
			}
			p := a.Masked()
			if len(owners[p]) == 0 {
				order = append(order, p)
			}
			if i.Segment != model.None {
				links[p], named[p] = links[p] || isLink[i.Segment], named[p] || isWanted[i.Segment]
			}
			if !slices.ContainsFunc(owners[p], func(o owner) bool { return o.device == i.Device }) {
				owners[p] = append(owners[p], owner{i.Device, model.InterfaceID(id)})
			}
		}
	}
	slices.SortFunc(order, comparePrefixes)
	var classes []class
	var subnets []subnet
	known := map[string]classID{}
	for _, p := range order {
		c := class{owners: owners[p], several: len(owners[p]) > 1, behind: none, home: none}
		c.link = links[p]
		c.wanted = !c.link || named[p]
		if !c.several {
			c.owners[0].on = model.None
		}
		c.forced = g.forcedFor(p, &c, w)
		c.writes = c.forced
		key := fmt.Sprint(c.owners)
		if c.link {
			key = p.String()
		}
		for _, d := range c.writers() {
			key += fmt.Sprint(d, c.writes[d])
		}
		id, ok := known[key]
		if !ok {
			id = classID(len(classes))
			known[key] = id
			classes = append(classes, c)
		}
		subnets = append(subnets, subnet{p, id})
	}
	return classes, subnets
}

func comparePrefixes(a, b netip.Prefix) int {
	return cmp.Or(a.Addr().Compare(b.Addr()), cmp.Compare(a.Bits(), b.Bits()))
}

// world is the class of everything beyond the plan; false where no carrier is
// there.
func (g *graph) world(w *wanted) (class, bool) {
	c := class{world: true, wanted: true, behind: none, home: none}
	for _, d := range w.Carriers {
		if len(g.coming[d]) > 0 {
			c.owners = append(c.owners, owner{d, model.None})
		}
	}
	if len(c.owners) == 0 || len(w.World) == 0 {
		return class{}, false
	}
	c.forced = g.forcedFor(g.family.Everything(), &c, w)
	c.writes = c.forced
	return c, true
}

// writers lists the devices whose written routes decide, in order.
func (c *class) writers() []model.DeviceID {
	return slices.Sorted(maps.Keys(c.writes))
}

// forcedFor is what written routes have devices do with a prefix. A written
// route stands for all that it leads to, but a default only for the world, and
// one that discards only where nothing longer is derived. Devices that are left
// out, and those of the world, have nothing but what is written.
func (g *graph) forcedFor(p netip.Prefix, c *class, w *wanted) map[model.DeviceID]forced {
	var all map[model.DeviceID]forced
	for d := range g.spec.Devices {
		id := model.DeviceID(d)
		if !w.writes[d] || slices.ContainsFunc(c.owners, func(o owner) bool { return o.device == id }) {
			continue
		}
		if x, ok := g.written(id, p, w.leftOut[d]); ok {
			if all == nil {
				all = map[model.DeviceID]forced{}
			}
			all[id] = x
		}
	}
	return all
}

// written is where the written routes of a device lead for a prefix.
func (g *graph) written(d model.DeviceID, p netip.Prefix, leftOut bool) (forced, bool) {
	var x forced
	table := g.net.Table(d)
	m, ok := table.Lookup(p.Addr())
	if !ok || m.Prefix.Bits() > p.Bits() {
		return x, leftOut
	}
	static, discards := false, false
	for _, e := range table.Of(m) {
		if e.Source != routing.Static {
			continue
		}
		discards = discards || e.Discard && !static
		static = true
		for _, hop := range e.Hops {
			for _, s := range g.leaving[d] {
				y := &g.steps[s]
				if y.out != hop.Out || hop.Via.IsValid() && y.via != hop.Via || slices.Contains(x.steps, s) {
					continue
				}
				x.steps = append(x.steps, s)
				if len(x.steps) == 1 {
					x.watch = g.spec.Statics[e.Static()].Watch
				}
			}
		}
	}
	if leftOut {
		return x, true
	}
	if !static || m.Prefix.Bits() == 0 && p.Bits() > 0 || discards && m.Prefix.Bits() < p.Bits() {
		return forced{}, false
	}
	return x, true
}

// owns tells whether the class's subnets are on the device, and its interface
// there is up.
func (c *class) owns(d model.DeviceID, f *failure) bool {
	if len(c.owners) == 1 {
		return c.owners[0].device == d && f.fails != d && (len(f.down) == 0 || !slices.Contains(f.down, c.owners[0].on))
	}
	for _, o := range c.owners {
		if o.device == d {
			return f.fails != d && !slices.Contains(f.down, o.on)
		}
	}
	return false
}

// isOwner tells whether the class's subnets are on the device at all.
func (c *class) isOwner(d model.DeviceID) bool {
	for _, o := range c.owners {
		if o.device == d {
			return true
		}
	}
	return false
}
