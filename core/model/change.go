package model

import (
	"cmp"
	"fmt"
	"net/netip"
	"slices"
)

func sortByDevice(all []Static) {
	slices.SortStableFunc(all, func(a, b Static) int { return cmp.Compare(a.Device, b.Device) })
}

// Change is one thing done to a network: something to try in a copy.
type Change interface {
	// Apply returns a copy of the spec in which the change is made. The spec
	// itself stays as it is; what does not change is shared.
	Apply(*Spec) *Spec
	// Describe says what to do, in one line.
	Describe(*Spec) string
	// On is the device that changes.
	On(*Spec) DeviceID
	// Touches is what of the device the change bears on.
	Touches() Touched
}

// Touched is what of a device a change bears on.
type Touched uint8

const (
	TouchesRoutes     Touched = iota // its static routes only
	TouchesPermits                   // what it lets pass and translates only
	TouchesInterfaces                // what interfaces it has, and what they are
)

// AddRoute adds a static route.
type AddRoute struct{ Static Static }

// Apply implements Change.
func (c AddRoute) Apply(s *Spec) *Spec {
	next := *s
	_, last := s.StaticsOf(c.Static.Device)
	next.Statics = slices.Concat(s.Statics[:last], []Static{c.Static}, s.Statics[last:])
	return &next
}

// Describe implements Change.
func (c AddRoute) Describe(s *Spec) string {
	text := fmt.Sprintf("add to %s: %s via %s", s.Devices[c.Static.Device].Name, c.Static.To, s.hopLabel(c.Static.Via))
	if c.Static.Distance > 1 {
		text += fmt.Sprintf(", distance: %d", c.Static.Distance)
	}
	return text
}

// On implements Change.
func (c AddRoute) On(*Spec) DeviceID { return c.Static.Device }

// Touches implements Change.
func (AddRoute) Touches() Touched { return TouchesRoutes }

// hopLabel is an address with the device that has it, where one has.
func (s *Spec) hopLabel(a netip.Addr) string {
	if holders := s.HoldersOf(a); len(holders) == 1 {
		return fmt.Sprintf("%s (%s)", a, s.Devices[s.Interfaces[holders[0]].Device].Name)
	}
	return a.String()
}

// SetNextHop gives a static route another next hop.
type SetNextHop struct {
	Static StaticID
	Via    netip.Addr
}

// Apply implements Change.
func (c SetNextHop) Apply(s *Spec) *Spec {
	next := *s
	next.Statics = slices.Clone(s.Statics)
	route := &next.Statics[c.Static]
	route.Via, route.Out, route.Discard = c.Via, None, false
	return &next
}

// Describe implements Change.
func (c SetNextHop) Describe(s *Spec) string {
	route := s.Statics[c.Static]
	name := s.Devices[route.Device].Name
	if route.Origin.Gateway() {
		return fmt.Sprintf("give %s the gateway %s instead of %s", name, s.hopLabel(c.Via), route.Via)
	}
	if route.Discard {
		return fmt.Sprintf("on %s send %s via %s instead of discarding it", name, route.To, s.hopLabel(c.Via))
	}
	old := ""
	if route.Via.IsValid() {
		old = s.hopLabel(route.Via)
	} else if route.Out != None {
		old = "out of " + s.Interfaces[route.Out].Name
	}
	return fmt.Sprintf("on %s send %s via %s instead of %s", name, route.To, s.hopLabel(c.Via), old)
}

// On implements Change.
func (c SetNextHop) On(s *Spec) DeviceID { return s.Statics[c.Static].Device }

// Touches implements Change.
func (SetNextHop) Touches() Touched { return TouchesRoutes }

// withInterface is the network with one interface changed in a copy.
func (s *Spec) withInterface(id InterfaceID, change func(*Interface)) *Spec {
	next := *s
	next.Interfaces = slices.Clone(s.Interfaces)
	change(&next.Interfaces[id])
	return &next
}

// BringUp switches an interface on.
type BringUp struct{ Interface InterfaceID }

// Apply implements Change.
func (c BringUp) Apply(s *Spec) *Spec {
	return s.withInterface(c.Interface, func(i *Interface) { i.AdminDown = false })
}

// Describe implements Change.
func (c BringUp) Describe(s *Spec) string {
	return fmt.Sprintf("bring up %s, which is administratively down", s.Label(c.Interface))
}

// On implements Change.
func (c BringUp) On(s *Spec) DeviceID { return s.Interfaces[c.Interface].Device }

// Touches implements Change.
func (BringUp) Touches() Touched { return TouchesInterfaces }

// TakeDown switches an interface off.
type TakeDown struct{ Interface InterfaceID }

// Apply implements Change.
func (c TakeDown) Apply(s *Spec) *Spec {
	return s.withInterface(c.Interface, func(i *Interface) { i.AdminDown = true })
}

// Describe implements Change.
func (c TakeDown) Describe(s *Spec) string {
	return fmt.Sprintf("take down %s", s.Label(c.Interface))
}

// On implements Change.
func (c TakeDown) On(s *Spec) DeviceID { return s.Interfaces[c.Interface].Device }

// Touches implements Change.
func (TakeDown) Touches() Touched { return TouchesInterfaces }

// SetAddress gives an interface an address in place of those of its family.
type SetAddress struct {
	Interface InterfaceID
	Address   netip.Prefix
}

// Apply implements Change.
func (c SetAddress) Apply(s *Spec) *Spec {
	return s.withInterface(c.Interface, func(i *Interface) {
		i.Addresses = slices.DeleteFunc(slices.Clone(i.Addresses), func(a Address) bool {
			return a.Addr().Is4() == c.Address.Addr().Is4() && !a.Addr().IsLinkLocalUnicast()
		})
		i.Addresses = append(i.Addresses, Address{Prefix: c.Address, Place: i.Place})
	})
}

// Describe implements Change.
func (c SetAddress) Describe(s *Spec) string {
	return fmt.Sprintf("give %s the address %s", s.Label(c.Interface), c.Address)
}

// On implements Change.
func (c SetAddress) On(s *Spec) DeviceID { return s.Interfaces[c.Interface].Device }

// Touches implements Change.
func (SetAddress) Touches() Touched { return TouchesInterfaces }

// AddRoutes adds several static routes of one device.
type AddRoutes []Static

// Apply implements Change.
func (c AddRoutes) Apply(s *Spec) *Spec {
	for _, r := range c {
		s = AddRoute{r}.Apply(s)
	}
	return s
}

// Describe implements Change.
func (c AddRoutes) Describe(s *Spec) string {
	r := c[0]
	what := "discard"
	if !r.Discard {
		what = "via " + s.hopLabel(r.Via)
	}
	return fmt.Sprintf("%s: %s %s", s.Devices[r.Device].Name, r.Key, what)
}

// On implements Change.
func (c AddRoutes) On(*Spec) DeviceID { return c[0].Device }

// Touches implements Change.
func (AddRoutes) Touches() Touched { return TouchesRoutes }
