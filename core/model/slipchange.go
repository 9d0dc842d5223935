package model

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"ropeswing/core/prefix"
)

// Together is several changes, of which none helps without the others. The first says on
// which device.
type Together []Change

// Apply implements Change.
func (c Together) Apply(s *Spec) *Spec {
	for _, one := range c {
		s = one.Apply(s)
	}
	return s
}

// Describe implements Change.
func (c Together) Describe(s *Spec) string {
	words := make([]string, len(c))
	for i, one := range c {
		words[i] = one.Describe(s)
		s = one.Apply(s)
	}
	return strings.Join(words, ", and ")
}

// On implements Change.
func (c Together) On(s *Spec) DeviceID { return c[0].On(s) }

// Touches implements Change.
func (Together) Touches() Touched { return TouchesInterfaces }

// SetUntagged gives a trunk port another VLAN for untagged frames.
type SetUntagged struct {
	Port InterfaceID
	VLAN VLAN
}

// Apply implements Change.
func (c SetUntagged) Apply(s *Spec) *Spec {
	return s.withInterface(c.Port, func(i *Interface) { i.Untagged = c.VLAN })
}

// Describe implements Change.
func (c SetUntagged) Describe(s *Spec) string {
	was := ""
	if v := s.Interfaces[c.Port].Untagged; v != 0 {
		was = " instead of " + s.vlanWords(v)
	}
	return fmt.Sprintf("let untagged frames at %s be in %s%s", s.Label(c.Port), s.vlanWords(c.VLAN), was)
}

// On implements Change.
func (c SetUntagged) On(s *Spec) DeviceID { return s.Interfaces[c.Port].Device }

// Touches implements Change.
func (SetUntagged) Touches() Touched { return TouchesInterfaces }

// SetLine makes an interface an end of a serial line, or not, that clocks it, or not.
type SetLine struct {
	Interface      InterfaceID
	Serial, Clocks bool
}

// Apply implements Change.
func (c SetLine) Apply(s *Spec) *Spec {
	return s.withInterface(c.Interface, func(i *Interface) { i.Serial, i.Clocks = c.Serial, c.Clocks })
}

// Describe implements Change.
func (c SetLine) Describe(s *Spec) string {
	label, i := s.Label(c.Interface), &s.Interfaces[c.Interface]
	switch {
	case c.Serial != i.Serial && c.Serial:
		return "make " + label + " serial, as its far end is"
	case c.Serial != i.Serial:
		return "make " + label + " no serial line, as its far end is none"
	case c.Clocks:
		return "let " + label + " clock the line"
	}
	return "do not let " + label + " clock the line: its far end does"
}

// On implements Change.
func (c SetLine) On(s *Spec) DeviceID { return s.Interfaces[c.Interface].Device }

// Touches implements Change.
func (SetLine) Touches() Touched { return TouchesInterfaces }

// LetForward makes a device forward what is not for itself.
type LetForward struct{ Device DeviceID }

// Apply implements Change.
func (c LetForward) Apply(s *Spec) *Spec {
	return s.withDevice(c.Device, func(d *Device) { d.Forwards = true })
}

// Describe implements Change.
func (c LetForward) Describe(s *Spec) string {
	return "let " + s.Devices[c.Device].Name + " forward"
}

// On implements Change.
func (c LetForward) On(*Spec) DeviceID { return c.Device }

// Touches implements Change.
func (LetForward) Touches() Touched { return TouchesInterfaces }

// LetAnswer makes a device answer a further service, by its word.
type LetAnswer struct {
	Device DeviceID
	Word   string
}

// Apply implements Change.
func (c LetAnswer) Apply(s *Spec) *Spec {
	return s.withDevice(c.Device, func(d *Device) { d.Answers = append(slices.Clone(d.Answers), c.Word) })
}

// Describe implements Change.
func (c LetAnswer) Describe(s *Spec) string {
	return fmt.Sprintf("let %s answer %s", s.Devices[c.Device].Name, c.Word)
}

// On implements Change.
func (c LetAnswer) On(*Spec) DeviceID { return c.Device }

// Touches implements Change.
func (LetAnswer) Touches() Touched { return TouchesPermits }

// WordOf is the word of `answers` for a service; "" where there is none.
func WordOf(s Service) string {
	for _, word := range []string{"ping", "ssh", "https", "snmp", "netconf"} {
		if services[word] == s {
			return word
		}
	}
	return ""
}

// ShareAddress puts a device's addresses behind that of an interface, in IPv4.
type ShareAddress struct {
	Host   DeviceID
	Beyond InterfaceID
}

// Sentence is the change as a plan says it.
func (c ShareAddress) Sentence(s *Spec) string {
	return s.Devices[c.Host].Name + " shares " + s.Interfaces[c.Beyond].Name
}

// Apply implements Change.
func (c ShareAddress) Apply(s *Spec) *Spec {
	t := Translation{Text: c.Sentence(s), Kind: Sharing, Inside: Side{Prefixes: s.Own(c.Host)}, ByInterface: true, Beyond: c.Beyond}
	return s.withDevice(c.On(s), func(d *Device) { d.Translates = append(slices.Clone(d.Translates), t) })
}

// Describe implements Change.
func (c ShareAddress) Describe(s *Spec) string {
	return fmt.Sprintf("on %s translate '%s'", s.Devices[c.On(s)].Name, c.Sentence(s))
}

// On implements Change.
func (c ShareAddress) On(s *Spec) DeviceID { return s.Interfaces[c.Beyond].Device }

// Touches implements Change.
func (ShareAddress) Touches() Touched { return TouchesPermits }

// AddCable plugs two ports together.
type AddCable struct{ Ends [2]InterfaceID }

// Words is the cable as a plan says it.
func (c AddCable) Words(s *Spec) string { return s.Label(c.Ends[0]) + " to " + s.Label(c.Ends[1]) }

// Apply implements Change.
func (c AddCable) Apply(s *Spec) *Spec {
	next := *s
	next.Cables = append(slices.Clone(s.Cables), Cable{Name: c.Words(s), Ends: c.Ends, Cost: DefaultCost})
	return &next
}

// Describe implements Change.
func (c AddCable) Describe(s *Spec) string { return "add the cable '" + c.Words(s) + "'" }

// On implements Change.
func (c AddCable) On(s *Spec) DeviceID { return s.Interfaces[c.Ends[0]].Device }

// Touches implements Change.
func (AddCable) Touches() Touched { return TouchesInterfaces }

// DropWatch makes a static route usable whatever the address that it watches does.
type DropWatch struct{ Static StaticID }

// Apply implements Change.
func (c DropWatch) Apply(s *Spec) *Spec {
	next := *s
	next.Statics = slices.Clone(s.Statics)
	next.Statics[c.Static].Watch, next.Statics[c.Static].WatchFrom = netip.Addr{}, netip.Addr{}
	return &next
}

// Describe implements Change.
func (c DropWatch) Describe(s *Spec) string {
	route := &s.Statics[c.Static]
	return fmt.Sprintf("on %s let %s via %s not watch %s, which does not answer", s.Devices[route.Device].Name, route.To,
		s.hopLabel(route.Via), route.Watch)
}

// On implements Change.
func (c DropWatch) On(s *Spec) DeviceID { return s.Statics[c.Static].Device }

// Touches implements Change.
func (DropWatch) Touches() Touched { return TouchesRoutes }

// MoveAddress gives an interface another address in place of one.
type MoveAddress struct {
	Interface InterfaceID
	Old, New  netip.Prefix
}

// Apply implements Change.
func (c MoveAddress) Apply(s *Spec) *Spec {
	next := s.withInterface(c.Interface, func(i *Interface) {
		i.Addresses = slices.Clone(i.Addresses)
		for n := range i.Addresses {
			if i.Addresses[n].Prefix == c.Old {
				i.Addresses[n].Prefix = c.New
			}
		}
	})
	next.followAddress(c.Old.Addr(), c.New.Addr())
	return next
}

// Describe implements Change.
func (c MoveAddress) Describe(s *Spec) string {
	return fmt.Sprintf("give %s the address %s instead of %s", s.Label(c.Interface), c.New, c.Old)
}

// On implements Change.
func (c MoveAddress) On(s *Spec) DeviceID { return s.Interfaces[c.Interface].Device }

// Touches implements Change.
func (MoveAddress) Touches() Touched { return TouchesInterfaces }

// followAddress gives the routes and gateways that name a device the address it has now in
// place of an old one; those that write the address stay.
func (s *Spec) followAddress(old, new netip.Addr) {
	if len(s.HoldersOf(old)) > 0 {
		return
	}
	s.Statics = slices.Clone(s.Statics)
	for n := range s.Statics {
		if r := &s.Statics[n]; r.Via == old && !strings.Contains(r.Place.Text(), old.String()) {
			r.Via = new
		}
	}
}

// Fitting is the address that an interface should have in a subnet: what others already
// send to there and nobody has, else the same place as its present one, else the lowest
// that is free. It is false where the subnet is full.
func (s *Spec) Fitting(id InterfaceID, p netip.Prefix) (netip.Prefix, bool) {
	free := s.FreeRanges(p)
	isFree := func(a netip.Addr) bool {
		return slices.ContainsFunc(free, func(r prefix.Range) bool { return r.Contains(a) })
	}
	for n := range s.Statics {
		r := &s.Statics[n]
		if r.Via.IsValid() && p.Contains(r.Via) && r.Device != s.Interfaces[id].Device && len(s.HoldersOf(r.Via)) == 0 &&
			prefix.RoleOf(p, r.Via) == prefix.UsableAddress {
			return netip.PrefixFrom(r.Via, p.Bits()), true
		}
	}
	for _, a := range s.Interfaces[id].Addresses {
		if a.Addr().Is4() != p.Addr().Is4() || a.Addr().IsLinkLocalUnicast() {
			continue
		}
		if moved := prefix.Moved(a.Addr(), netip.PrefixFrom(a.Masked().Addr(), max(a.Bits(), p.Bits())), p); isFree(moved) {
			return netip.PrefixFrom(moved, p.Bits()), true
		}
	}
	if len(free) == 0 {
		return netip.Prefix{}, false
	}
	return netip.PrefixFrom(free[0].First, p.Bits()), true
}
