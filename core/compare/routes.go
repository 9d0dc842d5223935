package compare

import (
	"cmp"
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"ropeswing/core/model"
	"ropeswing/core/observed"
	"ropeswing/core/source"
)

// routeKey is one destination in one table.
type routeKey struct {
	table string
	to    netip.Prefix
}

// way is one next hop of a route, planned or found.
type way struct {
	via      netip.Addr
	out      model.InterfaceID // None where it is not said
	discard  bool
	distance int  // 0 where it is not known
	inUse    bool // of a planned one: in the tables as predicted
	watch    netip.Addr
	place    source.Place
}

func (w way) words(spec *model.Spec) string {
	text := "discard"
	if !w.discard {
		text = ""
		if w.via.IsValid() {
			text = "via " + spec.HolderLabel(w.via)
		}
		if w.out != model.None && !w.via.IsValid() {
			text = strings.TrimSpace(text + " out of " + spec.Interfaces[w.out].Name)
		}
	}
	return text
}

// same tells whether two lead the same way, as far as both say.
func (w way) same(o way) bool {
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
func (c *comparer) routes(id model.DeviceID, o *observed.Device, names map[string]model.InterfaceID, is4 bool) {
	planned, found := map[routeKey][]way{}, map[routeKey][]way{}
	var order []routeKey
	note := func(m map[routeKey][]way, k routeKey, w way) {
		if len(planned[k])+len(found[k]) == 0 {
			order = append(order, k)
		}
		m[k] = append(m[k], w)
	}
	first, last := c.spec.StaticsOf(id)
	inUse := map[model.StaticID]bool{}
	for _, v := range c.t.Of(id) {
		for _, e := range v.Entries() {
			if e.Static() != model.None && e.InUse {
				inUse[e.Static()] = true
			}
		}
	}
	for n := first; n < last; n++ {
		s := &c.spec.Statics[n]
		if s.To.Addr().Is4() == is4 {
			note(planned, routeKey{s.Table, s.To}, way{s.Via, s.Out, s.Discard, int(s.Distance), inUse[model.StaticID(n)], s.Watch, s.Place})
		}
	}
	for _, r := range o.Routes {
		if r.To.Addr().Is4() != is4 || r.Source == "direct" || r.Source == "local" {
			continue
		}
		w := way{via: r.NextHop, out: model.None, discard: r.Discard, inUse: r.Active == nil || *r.Active}
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
	slices.SortStableFunc(order, func(a, b routeKey) int {
		return cmp.Or(cmp.Compare(a.table, b.table), a.to.Addr().Compare(b.to.Addr()), a.to.Bits()-b.to.Bits())
	})
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
func (c *comparer) route(id model.DeviceID, k routeKey, planned, found []way) {
	var missing, standing []way // standing: found in use, and planned to stand by only
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
		d := Difference{Kind: Missing, What: OfRoute, Device: name, Subject: subject, Planned: w.words(c.spec), Place: w.place, to: k.to, apply: c.routesAs(id, k, found)}
		if len(extra) > 0 {
			d.Kind, d.What, d.Found, d.hop = Different, OfNextHop, extra[0].words(c.spec), extra[0].via
			d.Slip = c.hopSlip(w.via, extra[0].via)
			extra = extra[1:]
		} else if len(standing) > 0 {
			d.Kind, d.What, d.Found, d.hop = Different, OfNextHop, standing[0].words(c.spec), standing[0].via
			d.Slip = "it goes by the one that is to stand by"
			if w.watch.IsValid() {
				d.Slip += fmt.Sprintf(": %s, which the first watches, may not answer", c.spec.HolderLabel(w.watch))
			}
			standing = standing[1:]
		}
		if d.Kind == Missing && w.watch.IsValid() {
			d.Slip = fmt.Sprintf("it is in use only while %s answers by it", c.spec.HolderLabel(w.watch))
		}
		c.add(d)
	}
	for _, w := range extra {
		c.Compared++
		c.add(Difference{Kind: Extra, What: OfRoute, Device: name, Subject: subject, Found: w.words(c.spec), Place: c.spec.Devices[id].Place, to: k.to, apply: c.routesAs(id, k, found)})
	}
}

// routesAs makes a device's routes to one destination what was found.
func (c *comparer) routesAs(id model.DeviceID, k routeKey, found []way) func(*model.Spec) *model.Spec {
	return func(s *model.Spec) *model.Spec {
		next := *s
		next.Statics = slices.DeleteFunc(slices.Clone(s.Statics), func(x model.Static) bool { return x.Device == id && x.Table == k.table && x.To == k.to })
		for n, w := range found {
			distance := w.distance
			if distance == 0 {
				if distance = 1; !w.inUse {
					distance = 10 + n
				}
			}
			next.Statics = append(next.Statics, model.Static{Device: id, To: k.to, Via: w.via, Out: w.out, Discard: w.discard, Distance: uint8(min(distance, 255)), Table: k.table, Origin: model.Learned, Key: k.to.String()})
		}
		slices.SortStableFunc(next.Statics, func(a, b model.Static) int { return cmp.Compare(a.Device, b.Device) })
		return &next
	}
}
