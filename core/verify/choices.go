package verify

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"ropeswing/core/finding"
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/prefix"
	"ropeswing/core/routing"
)

// choices checks the written routes for slips in what is preferred to what.
func (c *checker) choices() {
	for _, d := range c.writers() {
		first, last := c.spec.StaticsOf(d)
		c.distances(first, last)
		for _, table := range c.net.Of(d) {
			entries := table.Entries()
			c.defaults(d, entries)
			c.leaksToStandby(d, entries)
		}
		c.shared(first, last)
	}
	c.chasing()
}

// distances finds a next hop that stands behind another and is not less
// preferred.
func (c *checker) distances(first, last int) {
	type choice struct {
		to         netip.Prefix
		table, key string
	}
	before := map[choice][]*model.Static{}
	for i := first; i < last; i++ {
		s := &c.spec.Statics[i]
		if s.Origin != model.Written {
			continue
		}
		k := choice{s.To, s.Table, s.Key}
		if n := slices.IndexFunc(before[k], func(o *model.Static) bool { return s.Distance < o.Distance }); n >= 0 {
			o, name := before[k][n], c.spec.Devices[s.Device].Name
			c.reportIn(finding.New(finding.FloatNotBehind, s.Place,
				"%s has this way to %s behind another, and prefers it: its distance %d is lower than %d", name, s.To, s.Distance, o.Distance).
				About(name).Mend("write it first, or give it a distance above %d", o.Distance).With(o.Place), prefix.FamilyOf(s.To.Addr()))
		}
		before[k] = append(before[k], s)
	}
}

// defaults finds two default routes that are equally preferred and lead to
// different neighbours.
func (c *checker) defaults(d model.DeviceID, entries []routing.Entry) {
	var first *model.Static
	for _, e := range entries {
		if e.Prefix.Bits() > 0 || !e.InUse || e.Static() == model.None || c.spec.Statics[e.Static()].Origin != model.Written {
			continue
		}
		s := &c.spec.Statics[e.Static()]
		if first == nil || first.To != s.To {
			first = s
			continue
		}
		name := c.spec.Devices[d].Name
		c.reportIn(finding.New(finding.DefaultsCompete, s.Place,
			"%s has two default routes of the same distance, by %s and by %s: which one a packet takes depends on the flow", name,
			c.wayWord(first), c.wayWord(s)).
			About(name).Mend("give one of them a higher distance, unless both are meant to carry traffic").With(first.Place),
			prefix.FamilyOf(s.To.Addr()))
	}
}

// wayWord is a route's next hop, or else its interface.
func (c *checker) wayWord(s *model.Static) string {
	if s.Via.IsValid() {
		return s.Via.String()
	}
	return c.spec.Interfaces[s.Out].Name
}

// leaksToStandby finds a written route that sends part of the world to a carrier which
// only stands by.
func (c *checker) leaksToStandby(d model.DeviceID, entries []routing.Entry) {
	var preferred, standby []model.DeviceID
	carrier := func(e routing.Entry) (model.DeviceID, bool) {
		s := &c.spec.Statics[e.Static()]
		for _, h := range c.state().HoldersOf(s.Via) {
			if far := c.spec.Interfaces[h].Device; c.spec.Devices[far].Kind == model.World {
				return far, true
			}
		}
		return 0, false
	}
	for _, e := range entries {
		if e.Prefix.Bits() == 0 && e.Static() != model.None {
			if far, ok := carrier(e); ok && e.InUse {
				preferred = append(preferred, far)
			} else if ok {
				standby = append(standby, far)
			}
		}
	}
	for _, e := range entries {
		if e.Prefix.Bits() == 0 || e.Static() == model.None || c.spec.Statics[e.Static()].Origin != model.Written || !e.InUse {
			continue
		}
		far, ok := carrier(e)
		if !ok || !slices.Contains(standby, far) || slices.Contains(preferred, far) {
			continue
		}
		s, name := &c.spec.Statics[e.Static()], c.spec.Devices[d].Name
		c.reportIn(finding.New(finding.LeaksToStandby,
			s.Place, "%s sends %s by %s, which otherwise stands by: the longer prefix wins over the default by %s", name, e.Prefix,
			c.spec.Devices[far].Name, strings.Join(c.deviceNames(preferred[:min(1, len(preferred))]), "")).
			About(name).Mend("remove it, unless %s is meant to carry this", c.spec.Devices[far].Name), prefix.FamilyOf(e.Prefix.Addr()))
	}
}

// shared finds a route that names an interface only, on a segment that more than
// two are on: every destination would have to be asked for there.
func (c *checker) shared(first, last int) {
	for i := first; i < last; i++ {
		s := &c.spec.Statics[i]
		if s.Origin != model.Written || s.Via.IsValid() || s.Out == model.None || c.spec.Interfaces[s.Out].Serial {
			continue
		}
		wide := slices.ContainsFunc(c.spec.Interfaces[s.Out].Addresses, func(a model.Address) bool {
			return a.Addr().Is4() == s.To.Addr().Is4() && a.Addr().BitLen()-a.Bits() > 1 && !a.Addr().IsLinkLocalUnicast()
		})
		if !wide {
			continue
		}
		there, answered, other := c.answeredOn(s.Out, s.To)
		if there > 0 && there == answered {
			continue // who has addresses of it is on this very wire
		}
		name, who := c.spec.Devices[s.Device].Name, "and nobody answers for them"
		if answered > 0 {
			who = fmt.Sprintf("and nobody answers for %s", other)
		}
		f := finding.New(finding.OutOnShared,
			s.Place, "%s sends %s out of %s without a next hop, and that is a shared segment: it asks there for each address itself, %s", name,
			s.To, c.spec.Interfaces[s.Out].Name, who).About(name)
		if n, ok := soleForwarder(c.net, s.Device, s.Out, prefix.FamilyOf(s.To.Addr())); ok {
			f = f.Mend("add 'next-hop: %s', which is %s", n.address, c.spec.Devices[n.device].Name)
		}
		c.reportIn(f, prefix.FamilyOf(s.To.Addr()))
	}
}

// answeredOn counts the addresses of a prefix that somebody has, and those of them that are
// answered for on an interface's wire; other is the first that is not.
func (c *checker) answeredOn(out model.InterfaceID, p netip.Prefix) (there, answered int, other netip.Addr) {
	for _, a := range c.heldAllIn(p) {
		if there++; len(forward.Receivers(c.net, out, a)) > 0 {
			answered++
		} else if !other.IsValid() {
			other = a
		}
	}
	return there, answered, other
}

// chasing reports routes whose watches never settle.
func (c *checker) chasing() {
	var names []string
	for _, m := range c.net.Unsettled {
		names = append(names, c.spec.Devices[m.Key.Device].Name)
	}
	for i := range c.spec.Statics {
		s := &c.spec.Statics[i]
		if !s.Watch.IsValid() || !slices.Contains(c.net.Unsettled, routing.MonitorOf(s)) {
			continue
		}
		name := c.spec.Devices[s.Device].Name
		reason := "what it watches, %s, answers while the route is out of use, and no more once it is in use"
		if len(names) > 1 {
			reason += fmt.Sprintf("; it chases that of %s",
				forward.And(slices.DeleteFunc(slices.Clone(names), func(n string) bool { return n == name })))
		}
		c.report(finding.New(finding.WatchesChase, s.Place, "%s: the watch of its route to %s never settles: "+reason, name, s.To,
			s.Watch).About(name).
			Mend("watch an address that is reached the same way whether the route is in use or not"))
	}
}
