package verify

import (
	"net/netip"
	"slices"

	"ropeswing/core/finding"
	"ropeswing/core/model"
)

// followed finds priorities that go by an address which no route of the device watches, so that they are never lower.
func (c *checker) followed() {
	for n := range c.spec.Interfaces {
		i, id := &c.spec.Interfaces[n], model.InterfaceID(n)
		for _, f := range i.Follows {
			if f.Watch.IsValid() && !c.watches(i.Device, f.Watch) {
				c.report(finding.New(finding.VirtualMaster, i.Place, "the priority of %s follows %s, which no route of %s watches: it is never lower",
					c.spec.Label(id), f.Watch, c.spec.Devices[i.Device].Name).
					Mend("give a route of it 'watch: %s', or follow an interface", f.Watch).About(c.spec.Label(id)))
			}
		}
	}
}

// watches tells whether a route of a device watches an address.
func (c *checker) watches(d model.DeviceID, a netip.Addr) bool {
	first, last := c.spec.StaticsOf(d)
	return slices.ContainsFunc(c.spec.Statics[first:last], func(s model.Static) bool { return s.Watch == a })
}
