package compare

import (
	"cmp"
	"slices"

	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/network"
	"ropeswing/core/reach"
	"ropeswing/core/verify"
)

// with is the planned network with some differences in it.
func with(net *forward.Network, all []Difference) *forward.Network {
	spec, failures := specWith(net, all)
	return forward.Resolve(network.Build(spec).State(failures...))
}

// specWith is what there is with some differences in it, and what fails.
func specWith(net *forward.Network, all []Difference) (*model.Spec, []network.Failure) {
	spec, failures := *net.Spec, slices.Clone(net.State.Failures())
	routes := map[model.DeviceID]foundOnes{}
	copied, devices := false, false
	var statics []func([]model.Static)
	var cables []cableFound
	for i := range all {
		switch d := &all[i]; {
		case d.follows:
		case d.change != nil:
			if !copied {
				spec.Interfaces, copied = slices.Clone(spec.Interfaces), true
			}
			d.change(spec.Interfaces)
		case d.routes != nil:
			r := d.routes
			if routes[r.device] == nil {
				routes[r.device] = foundOnes{}
			}
			routes[r.device][r.key] = r
		case d.device != nil:
			if !devices {
				spec.Devices, devices = slices.Clone(spec.Devices), true
			}
			d.device.change(&spec.Devices[d.device.at])
		case d.statics != nil:
			statics = append(statics, d.statics)
		case d.failure != nil:
			failures = append(failures, *d.failure)
		case d.cable != nil:
			cables = append(cables, *d.cable)
		}
	}
	if len(cables) > 0 {
		spec.Cables = plugged(&spec, cables)
	}
	if len(routes) > 0 {
		spec.Statics = staticsWith(&spec, routes)
	}
	if len(statics) > 0 {
		spec.Statics = slices.Clone(spec.Statics)
		for _, change := range statics {
			change(spec.Statics)
		}
	}
	return &spec, failures
}

// Up to how much what differences break is worked out. In a small network that is all
// of it.
const (
	mostTried = 200     // differences
	mostEnds  = 4000    // hosts that are asked about; where there are more, some stand for all
	mostWork  = 3000000 // of the units of work, which take about a microsecond each
)

// consequences works out what each difference breaks by itself, and puts the worst
// first. Where that is not done for all, what is planned goes before what is extra, and
// the first of each device before the second of any.
func (c *comparer) consequences() {
	ends := reach.Hosts(c.spec)
	if len(ends) == 0 {
		ends = reach.Ends(c.spec)
	}
	if len(ends) > mostEnds {
		some := make([]*reach.End, mostEnds)
		for i := range some {
			some[i] = ends[i*len(ends)/mostEnds]
		}
		ends, c.Among = some, mostEnds
	}
	var order []int
	rank := map[int]int{}
	count := map[string]int{}
	for i := range c.Differences {
		d := &c.Differences[i]
		if d.change == nil && d.failure == nil && d.routes == nil && d.cable == nil || d.follows {
			continue
		}
		order = append(order, i)
		if rank[i] = count[d.Device]; d.Kind == Extra {
			rank[i] += len(c.Differences)
		}
		count[d.Device]++
	}
	if len(order) == 0 {
		return
	}
	slices.SortStableFunc(order, func(a, b int) int { return cmp.Compare(rank[a], rank[b]) })
	base := reach.All(c.net, ends)
	t := &trier{comparer: c, ends: ends, base: base, promises: verify.PromisesOf(c.net)}
	for n, i := range order {
		if t.work += t.cost(&c.Differences[i]); n >= mostTried || n > 0 && t.work > mostWork {
			c.Untried = len(order) - n
			break
		}
		t.consequence(&c.Differences[i])
	}
	slices.SortStableFunc(c.Differences, func(a, b Difference) int {
		return cmp.Or(cmp.Compare(b.Lost, a.Lost), cmp.Compare(len(b.Unmet)+len(b.Unmanaged), len(a.Unmet)+len(a.Unmanaged)))
	})
}

// trier tries one difference after the other.
type trier struct {
	*comparer
	ends []*reach.End
	base *reach.Matrix
	work int

	promises verify.Promises // as planned
	room     []model.Static  // the planned routes, with room behind them
}

// cost is how much work it is to try a difference.
func (t *trier) cost(d *Difference) int {
	cost := len(t.ends)*len(t.spec.Devices)/16 + 1
	cost += 100*len(t.spec.Must) + 20*len(t.spec.Devices)
	if d.change != nil || t.net.Watches() {
		cost += len(t.spec.Statics) + 2*len(t.spec.Interfaces)
	}
	return cost
}

// tables are those of the planned network with one difference in it. Only what may
// differ is worked out anew.
func (t *trier) tables(d *Difference) *forward.Network {
	switch {
	case t.net.Watches() || d.change != nil || d.cable != nil:
		return with(t.net, []Difference{*d})
	case d.failure != nil:
		return t.net.Update(t.net.State.With(*d.failure))
	}
	planned := t.spec.Statics
	if t.room == nil {
		t.room = append(make([]model.Static, 0, len(planned)+len(planned)/8+1000), planned...)
	}
	first, last := t.spec.StaticsOf(d.routes.device)
	all := foundOnes{d.routes.key: d.routes}.statics(t.room[:len(planned)], planned[first:last])
	spec := *t.spec
	spec.Statics = all
	return t.net.WithRoutes(t.net.State.WithSpec(&spec), d.routes.device, len(planned), len(all))
}

// followers finds interfaces that are down only because of what else differs, as a subinterface whose port was switched off,
// or a port whose far end was: what they break is told there, and they come up with it.
func (c *comparer) followers() {
	var off []int // what was switched off
	var sets []Difference
	silent := false
	for i := range c.Differences {
		switch d := &c.Differences[i]; {
		case d.What == OfAdmin && d.Found == "down":
			off = append(off, i)
			sets = append(sets, *d)
		case d.What == OfOper && d.failure != nil:
			silent = true
		case d.change != nil || d.device != nil || d.cable != nil:
			sets = append(sets, *d)
		}
	}
	if !silent || len(sets) == 0 {
		return
	}
	spec, _ := specWith(c.net, sets)
	there := network.Build(spec).State()
	for i := range c.Differences {
		d := &c.Differences[i]
		if d.What != OfOper || d.failure == nil || there.IsUp(d.failure.Interface) {
			continue
		}
		d.follows = true
		id := d.failure.Interface
		near := []model.InterfaceID{c.net.State.Peer(id), c.spec.Interfaces[id].Parent}
		for _, n := range off { // of several, the one nearest to it
			o := &c.Differences[n]
			if at, ok := c.spec.DeviceNamed(o.Device); ok {
				if from, ok := c.spec.InterfaceNamed(at, o.Subject); ok &&
					(slices.Contains(near, from) || d.Slip.Code != FollowsFrom && o.Device == d.Device) {
					d.Slip = slip(FollowsFrom).at(from)
				}
			}
		}
	}
}

// broken notes what is promised, and does not hold with a difference.
func (t *trier) broken(d *Difference, after *forward.Network) {
	now := verify.PromisesOf(after)
	for _, i := range now.Unmet {
		if !slices.Contains(t.promises.Unmet, i) {
			d.Unmet = append(d.Unmet, t.spec.Must[i].Text)
		}
	}
	for _, id := range now.Unmanaged {
		if !slices.Contains(t.promises.Unmanaged, id) {
			d.Unmanaged = append(d.Unmanaged, t.spec.Devices[id].Name)
		}
	}
}

func (t *trier) consequence(d *Difference) {
	ends, base := t.ends, t.base
	after := t.tables(d)
	moved := reach.AsNow(ends, after.Spec)
	t.broken(d, after)
	m := reach.All(after, moved)
	for i, from := range ends {
		for j, to := range ends {
			if from.Device == to.Device || from.Address.Is4() != to.Address.Is4() || base.Verdict(i, j) != forward.Works ||
				m.Verdict(i, j) == forward.Works {
				continue
			}
			if d.Lost++; d.Lost == 1 {
				d.From, d.To = t.spec.Devices[from.Device].Name, t.spec.Devices[to.Device].Name
			}
		}
	}
}
