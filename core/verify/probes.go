package verify

import (
	"ropeswing/core/finding"
	"ropeswing/core/model"
	"ropeswing/core/prefix"
	"ropeswing/core/routing"
)

// probes tells of watched routes whose probes are answered only because they leave by the next hop, whatever the device's
// own table says: on a device that sends them by its table they would be discarded, or go another way.
func (c *checker) probes() {
	if c.spec.Settings.ProbesByTable || c.spec.Wants != nil {
		return // where routes are derived the setting says which probes they are for, and pinned ones are like them
	}
	for id := range c.spec.Statics {
		s := &c.spec.Statics[id]
		if s.Origin != model.Written || !s.Watch.IsValid() {
			continue
		}
		if _, silent := c.net.Silence(routing.MonitorOf(s)); silent {
			continue // of that more is told
		}
		table, ok := c.net.Named(routing.Key{Device: s.Device, Name: s.Table})
		if !ok {
			continue
		}
		var hops []routing.Hop
		for _, e := range table.Covering(s.To.Addr()) {
			if e.Static() == model.StaticID(id) {
				hops = e.Hops
			}
		}
		m, found := table.Lookup(s.Watch)
		if len(hops) == 0 || found && len(m.Hops) > 0 && m.Hops[0].Out == hops[0].Out {
			continue
		}
		device := &c.spec.Devices[s.Device]
		what := "has no route to it"
		switch {
		case found && m.Drops:
			what = "discards it, by " + m.Prefix.String()
		case found && len(m.Hops) > 0:
			what = "leads to it out of " + c.spec.Interfaces[m.Hops[0].Out].Name + ", by " + m.Prefix.String()
		}
		c.reportIn(finding.New(finding.ProbePassesTable, s.Place,
			"%s watches %s out of %s, and its own table %s: the probe is answered only where it leaves by its next hop, whatever the table says",
			device.Name, s.Watch,
			c.spec.Interfaces[hops[0].Out].Name, what).About(device.Name).
			Mend("add to %s: a route to %s by the same next hop; or say under settings that 'probes-by-table: true', if its probes go by its "+
				"table", device.Name, s.Watch), prefix.FamilyOf(s.Watch))
	}
}
