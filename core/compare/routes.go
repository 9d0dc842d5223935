package compare

import (
	"cmp"
	"fmt"
	"maps"
	"net/netip"
	"slices"
	"strings"

	"ropeswing/core/model"
	"ropeswing/core/observed"
	"ropeswing/core/prefix"
	"ropeswing/core/source"
)

// routeKey is one destination in one table.
type routeKey struct {
	table string
	to    netip.Prefix
}

// words are the destination, and the table where it is not the main one.
func (k routeKey) words() string {
	if k.table == "" {
		return k.to.String()
	}
	return k.to.String() + " in " + k.table
}

func compareKeys(a, b routeKey) int {
	return cmp.Or(cmp.Compare(a.table, b.table), a.to.Addr().Compare(b.to.Addr()), a.to.Bits()-b.to.Bits())
}

// nextHop is one of a route, planned or found.
type nextHop struct {
	via      netip.Addr
	out      model.InterfaceID // None where it is not said
	discard  bool
	distance int  // 0 where it is not known
	metric   int  // -1 where it is not known
	inUse    bool // of a planned one: in the tables as predicted
	surely   bool // of a found one: it says that it is in use
	told     bool // of a found one: whether it is in use was told, so that those that stand by are listed too
	watch    netip.Addr
	from     netip.Addr // of the watch
	place    source.Place

	alike      bool // of a found one: another is in use beside it, and neither is preferred (equal cost)
	advertised bool // of a planned one: any link-local next hop is as planned
}

// order is less than 0 where one is preferred to another, by distance, then metric; 0 where neither is: equal cost.
func (w nextHop) order(o nextHop) int {
	return cmp.Or(cmp.Compare(w.distance, o.distance), cmp.Compare(w.metric, o.metric))
}

// ordered says in words which of two is preferred, by their order.
func (c *comparer) ordered(w, o nextHop, order int) string {
	switch {
	case order == 0:
		return c.words(w) + " and " + c.words(o) + ", alike"
	case order > 0:
		w, o = o, w
	}
	return c.words(w) + " before " + c.words(o)
}

// words says in words where a way leads.
func (c *comparer) words(w nextHop) string {
	text := "discard"
	if !w.discard {
		text = ""
		if w.via.IsValid() {
			text = "via " + c.label(w.via)
		}
		if w.out != model.None && !w.via.IsValid() {
			text = strings.TrimSpace(text + " out of " + c.spec.Interfaces[w.out].Name)
		}
	}
	return text
}

// preferred is words with the distance, where that is another than expected.
func (c *comparer) preferred(w nextHop, expected int) string {
	text := c.words(w)
	if w.distance > 0 && w.distance != expected {
		text += fmt.Sprintf(" distance: %d", w.distance)
	}
	return text
}

// same tells whether two lead the same way, as far as both say.
func (w nextHop) same(o nextHop) bool {
	switch {
	case w.discard || o.discard:
		return w.discard == o.discard
	case w.advertised && o.via.Is6() && o.via.IsLinkLocalUnicast():
		return true
	case w.via.IsValid() && o.via.IsValid():
		return w.via == o.via && (w.out == model.None || o.out == model.None || w.out == o.out)
	}
	return w.out == o.out && w.out != model.None
}

// routes compares the routes of a family that are not direct. Those that only stand
// by may be left out of a list.
func (c *comparer) routes(id model.DeviceID, o *observed.Device, names map[string]model.InterfaceID, family prefix.Family) {
	planned, found := map[routeKey][]nextHop{}, map[routeKey][]nextHop{}
	var order []routeKey
	note := func(m map[routeKey][]nextHop, k routeKey, w nextHop) {
		if len(planned[k])+len(found[k]) == 0 {
			order = append(order, k)
		}
		m[k] = append(m[k], w)
	}
	standby := o.Knows(observed.Standby)
	first, last := c.spec.StaticsOf(id)
	inUse := map[model.StaticID]bool{}
	for _, v := range c.net.Of(id) {
		for _, e := range v.Entries() {
			if e.Static() != model.None && e.InUse {
				inUse[e.Static()] = true
			}
		}
	}
	others := false
	for n := first; n < last; n++ {
		s := &c.spec.Statics[n]
		if o.MainTableOnly && s.Table != "" {
			others = true
			continue
		}
		if prefix.FamilyOf(s.To.Addr()) == family {
			note(planned, routeKey{s.Table, s.To}, nextHop{
				via: s.Via, out: s.Out, discard: s.Discard, distance: int(s.Distance), metric: int(s.Metric), inUse: inUse[model.StaticID(n)],
				watch: s.Watch, from: s.WatchFrom, place: s.Place,
				advertised: s.Origin == model.ImpliedRouter && s.To.Addr().Is6() && c.advertised(id),
			})
		}
	}
	for _, r := range o.Routes {
		if prefix.FamilyOf(r.To.Addr()) != family || r.Source == "direct" || r.Source == "local" {
			continue
		}
		w := nextHop{via: r.NextHop, out: model.None, discard: r.Discard, metric: -1, inUse: r.Active == nil || *r.Active, told: standby}
		w.surely = r.Active != nil && *r.Active
		if i, ok := names[r.Interface]; ok {
			w.out = i
		}
		if r.Distance != nil {
			w.distance = *r.Distance
		}
		if r.Metric != nil {
			w.metric = *r.Metric
		}
		if r.Source == "" && !w.via.IsValid() && !w.discard && c.isDirect(id, r.To) {
			continue
		}
		note(found, routeKey{r.Table, r.To}, w)
	}
	slices.SortFunc(order, compareKeys)
	for _, k := range order {
		for i := range found[k] {
			w := &found[k][i]
			w.alike = w.surely && slices.ContainsFunc(found[k], func(o nextHop) bool {
				return o.surely && !o.same(*w) && o.distance == w.distance && o.metric == w.metric
			})
		}
	}
	silent := false
	for _, k := range order {
		silent = c.route(id, k, planned[k], found[k], standby) || silent
	}
	if silent {
		c.unknown = append(c.unknown, family.String()+" routes that stand by")
	}
	if others {
		c.unknown = append(c.unknown, family.String()+" routes of tables beside the main one")
	}
}

// advertised tells whether a device takes its IPv6 gateway from what a router advertises.
func (c *comparer) advertised(id model.DeviceID) bool {
	return slices.ContainsFunc(c.spec.InterfacesOf(id), func(i model.InterfaceID) bool { return c.spec.Interfaces[i].Advertised })
}

// isDirect tells whether a prefix is one of the device's own subnets.
func (c *comparer) isDirect(id model.DeviceID, p netip.Prefix) bool {
	for _, i := range c.spec.InterfacesOf(id) {
		for _, a := range c.spec.Interfaces[i].Addresses {
			if a.Masked() == p {
				return true
			}
		}
	}
	return false
}

// pairOf is a next hop as planned and as found.
type pairOf struct{ planned, found nextHop }

// route compares the next hops to one destination. It tells whether one that stands by
// may be there or not: it is not known whether such are listed.
func (c *comparer) route(id model.DeviceID, k routeKey, planned, found []nextHop, standby bool) (silent bool) {
	var missing, standing []nextHop // standing: found in use, and planned to stand by only
	var both []pairOf
	rest := slices.Clone(found)
	for _, first := range []bool{true, false} { // those in use before those that stand by
		for _, w := range planned {
			if w.inUse != first {
				continue
			}
			n := c.likest(w, rest)
			switch {
			case n >= 0:
				c.inPlace(OfRoute, c.spec.Devices[id].Name, k.words(), c.words(w))
				both = append(both, pairOf{w, rest[n]})
				if !first && rest[n].inUse {
					standing = append(standing, rest[n])
				}
				rest = slices.Delete(rest, n, n+1)
			case w.inUse || standby || len(planned) == 1 && !c.isDirect(id, k.to): // behind a direct route it stands by
				missing = append(missing, w)
			default:
				silent = true
			}
		}
	}
	as := &routesFound{id, k, asFound(found, both)}
	name := c.spec.Devices[id].Name
	differ := func(d Difference) {
		d.Device, d.Subject, d.to, d.routes = name, k.words(), k.to, as
		c.add(d)
	}
	extra := rest
	for n, w := range missing {
		d := Difference{Kind: Missing, What: OfRoute, Planned: c.preferred(w, 1), Place: w.place, Beside: len(found) > 0}
		if len(found) == 0 { // all of them are missing, which is one thing
			if n > 0 {
				break
			}
			before := w
			for _, behind := range missing[1:] {
				between, expected := ", then ", before.distance+10
				if behind.distance == before.distance {
					between, expected = ", ", before.distance
				}
				d.Planned += between + c.preferred(behind, expected)
				before = behind
			}
		}
		if len(extra) > 0 {
			d.Kind, d.What, d.Found, d.hop = Different, OfNextHop, c.preferred(extra[0], 1), extra[0].via
			d.Beside = len(found) > 1
			d.Slip = c.hopSlip(w.via, extra[0].via)
			extra = extra[1:]
		} else if w.inUse && len(standing) > 0 {
			d.Kind, d.What, d.Found, d.hop = Different, OfNextHop, c.words(standing[0]), standing[0].via
			d.Slip, d.Stays = slip(ByStandby).with(w.watch), true
			standing = standing[1:]
		}
		if d.Kind == Missing && w.watch.IsValid() {
			d.Slip = slip(WatchMaySilence).with(w.watch)
		}
		differ(d)
	}
	for _, w := range extra {
		differ(Difference{Kind: Extra, What: OfRoute, Found: c.preferred(w, 1), Place: c.spec.Devices[id].Place})
	}
	c.preferences(id, k, both, differ)
	return silent
}

// likest is the one of some found that leads the same way as one planned, of several
// that with its distance; -1 where there is none.
func (c *comparer) likest(w nextHop, found []nextHop) int {
	if n := slices.IndexFunc(found, func(o nextHop) bool { return w.same(o) && o.distance == w.distance }); n >= 0 {
		return n
	}
	return slices.IndexFunc(found, w.same)
}

// preferences compares which of the next hops to one destination are preferred, as far
// as that is told: by distance and metric, or by their order.
func (c *comparer) preferences(id model.DeviceID, k routeKey, both []pairOf, differ func(Difference)) {
	var best nextHop // as planned, of those that are found in use alike
	for _, x := range both {
		if x.found.alike && (best.distance == 0 || x.planned.order(best) < 0) {
			best = x.planned
		}
	}
	for i, x := range both {
		w, f := x.planned, x.found
		one := func(what What, planned, found int) {
			if planned == found {
				c.inPlace(what, c.spec.Devices[id].Name, k.words(), fmt.Sprint(planned))
				return
			}
			differ(Difference{Kind: Different, What: what, Planned: fmt.Sprintf("%d, %s", planned, c.words(w)), Found: fmt.Sprint(found),
				Place: w.place})
		}
		if f.distance > 0 {
			one(OfDistance, w.distance, f.distance)
		}
		if f.metric >= 0 && (f.distance > 0 || w.metric > 0) {
			one(OfMetric, w.metric, f.metric)
		}
		if f.alike && f.distance == 0 && best.order(w) < 0 { // equal cost, where this one was to stand by
			differ(Difference{Kind: Different, What: OfDistance, Planned: fmt.Sprintf("%d, %s", w.distance, c.words(w)),
				Found: fmt.Sprint(best.distance), Place: w.place})
		}
		for _, y := range both[i+1:] { // metrics that stand for distances
			v, g := y.planned, y.found
			if f.distance > 0 || g.distance > 0 || w.order(v) == f.order(g) {
				continue
			}
			if f.metric >= 0 && g.metric >= 0 && !(f.alike && g.alike) {
				differ(Difference{Kind: Different, What: OfOrder, Planned: c.ordered(w, v, w.order(v)), Found: c.ordered(f, g, f.order(g)),
					Place: w.place})
			}
		}
		if w.inUse && f.told && !f.inUse {
			c.idle = append(c.idle, idleRoute{w, differ})
		}
	}
}

// idleRoute is a route that is planned to be in use, and was found not to be.
type idleRoute struct {
	nextHop
	differ func(Difference)
}

// idleRoutes tells of routes that are found out of use, but of those whose interface was
// found down: that is told, and why.
func (c *comparer) idleRoutes() {
	down := map[string]bool{}
	for _, d := range c.Differences {
		if (d.What == OfOper || d.What == OfAdmin) && d.Found == string(observed.Down) || d.Kind == Missing && d.What == OfInterface {
			down[d.Device+":"+d.Subject] = true
		}
	}
	for _, x := range c.idle {
		if x.out == model.None || !down[c.spec.Label(x.out)] {
			x.differ(Difference{Kind: Different, What: OfUse, Planned: "in use", Found: "not in use", Place: x.place})
		}
	}
}

// asFound is what was found, and of that nobody told of, what is planned.
func asFound(found []nextHop, both []pairOf) []nextHop {
	all := slices.Clone(found)
	for i := range all {
		for _, x := range both {
			if x.found == all[i] {
				all[i].watch, all[i].from = x.planned.watch, x.planned.from
				if all[i].distance == 0 && all[i].metric < 0 && x.planned.inUse == all[i].inUse {
					all[i].distance = x.planned.distance
				}
			}
		}
	}
	return all
}

// routesFound is the routes of a device to one destination as they were found.
type routesFound struct {
	device model.DeviceID
	key    routeKey
	found  []nextHop
}

// statics are the routes of a device with some of them as they were found, behind those
// in all.
func (f foundOnes) statics(all, own []model.Static) []model.Static {
	for i := range own {
		if _, other := f[routeKey{own[i].Table, own[i].To}]; !other {
			all = append(all, own[i])
		}
	}
	for _, k := range slices.SortedFunc(maps.Keys(f), compareKeys) {
		for n, w := range f[k].found {
			distance := w.distance
			if distance == 0 {
				if distance = 1; !w.inUse {
					distance = 10 + n
				}
			}
			all = append(all, model.Static{
				Device: f[k].device, To: k.to, Via: w.via, Out: w.out, Discard: w.discard, Distance: uint8(min(distance,
					255)), Metric: uint32(max(0, w.metric)),
				Table: k.table, Watch: w.watch, WatchFrom: w.from, Origin: model.Learned, Key: k.to.String(),
			})
		}
	}
	return all
}

// foundOnes is what was found otherwise of one device's routes.
type foundOnes map[routeKey]*routesFound

// staticsWith are all routes of a network with some of them as they were found.
func staticsWith(spec *model.Spec, found map[model.DeviceID]foundOnes) []model.Static {
	all := make([]model.Static, 0, len(spec.Statics))
	for first, d := 0, model.DeviceID(0); int(d) < len(spec.Devices); d++ {
		last := first
		for last < len(spec.Statics) && spec.Statics[last].Device == d {
			last++
		}
		if found[d] != nil {
			all = found[d].statics(all, spec.Statics[first:last])
		} else {
			all = append(all, spec.Statics[first:last]...)
		}
		first = last
	}
	return all
}
