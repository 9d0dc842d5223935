package compare

import (
	"cmp"
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

func compareKeys(a, b routeKey) int {
	return cmp.Or(cmp.Compare(a.table, b.table), a.to.Addr().Compare(b.to.Addr()), a.to.Bits()-b.to.Bits())
}

// nextHop is one of a route, planned or found.
type nextHop struct {
	via      netip.Addr
	out      model.InterfaceID // None where it is not said
	discard  bool
	distance int  // 0 where it is not known
	inUse    bool // of a planned one: in the tables as predicted
	watch    netip.Addr
	place    source.Place
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

// same tells whether two lead the same way, as far as both say.
func (w nextHop) same(o nextHop) bool {
	switch {
	case w.discard || o.discard:
		return w.discard == o.discard
	case w.via.IsValid() && o.via.IsValid():
		return w.via == o.via && (w.out == model.None || o.out == model.None || w.out == o.out || !w.via.IsLinkLocalUnicast())
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
	first, last := c.spec.StaticsOf(id)
	inUse := map[model.StaticID]bool{}
	for _, v := range c.net.Of(id) {
		for _, e := range v.Entries() {
			if e.Static() != model.None && e.InUse {
				inUse[e.Static()] = true
			}
		}
	}
	for n := first; n < last; n++ {
		s := &c.spec.Statics[n]
		if prefix.FamilyOf(s.To.Addr()) == family {
			note(planned, routeKey{s.Table, s.To}, nextHop{s.Via, s.Out, s.Discard, int(s.Distance), inUse[model.StaticID(n)], s.Watch, s.Place})
		}
	}
	for _, r := range o.Routes {
		if prefix.FamilyOf(r.To.Addr()) != family || r.Source == "direct" || r.Source == "local" {
			continue
		}
		w := nextHop{via: r.NextHop, out: model.None, discard: r.Discard, inUse: r.Active == nil || *r.Active}
		if i, ok := names[r.Interface]; ok {
			w.out = i
		}
		if r.Distance != nil {
			w.distance = *r.Distance
		}
		if r.Source == "" && !w.via.IsValid() && !w.discard && c.isDirect(id, r.To) {
			continue
		}
		note(found, routeKey{r.Table, r.To}, w)
	}
	slices.SortFunc(order, compareKeys)
	for _, k := range order {
		c.route(id, k, planned[k], found[k])
	}
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

// route compares the ways to one destination.
func (c *comparer) route(id model.DeviceID, k routeKey, planned, found []nextHop) {
	var missing, standing []nextHop // standing: found in use, and planned to stand by only
	rest := slices.Clone(found)
	for _, first := range []bool{true, false} { // those in use before those that stand by
		for _, w := range planned {
			if w.inUse != first {
				continue
			}
			n := slices.IndexFunc(rest, w.same)
			switch {
			case n >= 0:
				c.inPlace()
				if !first && rest[n].inUse {
					standing = append(standing, rest[n])
				}
				rest = slices.Delete(rest, n, n+1)
			case w.inUse || len(planned) == 1:
				missing = append(missing, w)
			}
		}
	}
	extra := rest
	subject := k.to.String()
	if k.table != "" {
		subject += " in " + k.table
	}
	name := c.spec.Devices[id].Name
	for _, w := range missing {
		c.Compared++
		d := Difference{Kind: Missing, What: OfRoute, Device: name, Subject: subject, Planned: c.words(w), Place: w.place, to: k.to, routes: &routesFound{id, k, found}}
		if len(extra) > 0 {
			d.Kind, d.What, d.Found, d.hop = Different, OfNextHop, c.words(extra[0]), extra[0].via
			d.Slip = c.hopSlip(w.via, extra[0].via)
			extra = extra[1:]
		} else if len(standing) > 0 {
			d.Kind, d.What, d.Found, d.hop = Different, OfNextHop, c.words(standing[0]), standing[0].via
			d.Slip = slip(ByStandby).with(w.watch)
			standing = standing[1:]
		}
		if d.Kind == Missing && w.watch.IsValid() {
			d.Slip = slip(WatchMaySilence).with(w.watch)
		}
		c.add(d)
	}
	for _, w := range extra {
		c.Compared++
		c.add(Difference{Kind: Extra, What: OfRoute, Device: name, Subject: subject, Found: c.words(w), Place: c.spec.Devices[id].Place, to: k.to, routes: &routesFound{id, k, found}})
	}
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
			all = append(all, model.Static{Device: f[k].device, To: k.to, Via: w.via, Out: w.out, Discard: w.discard, Distance: uint8(min(distance, 255)), Table: k.table, Origin: model.Learned, Key: k.to.String()})
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
