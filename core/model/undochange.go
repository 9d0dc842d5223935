package model

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"
)

// SetDestination gives a static route another destination.
type SetDestination struct {
	Static StaticID
	To     netip.Prefix
}

// Apply implements Change.
func (c SetDestination) Apply(s *Spec) *Spec {
	next := *s
	next.Statics = slices.Clone(s.Statics)
	next.Statics[c.Static].To, next.Statics[c.Static].Key = c.To, c.To.String()
	return &next
}

// Describe implements Change.
func (c SetDestination) Describe(s *Spec) string {
	route := s.Statics[c.Static]
	return fmt.Sprintf("on %s write the route to %s for %s instead", s.Devices[route.Device].Name, route.To, c.To)
}

// On implements Change.
func (c SetDestination) On(s *Spec) DeviceID { return s.Statics[c.Static].Device }

// Touches implements Change.
func (SetDestination) Touches() Touched { return TouchesRoutes }

// SetKey gives an interface another value of one of InterfaceKeys, which says how it is set and told.
type SetKey struct {
	Interface InterfaceID
	Key       string
	Value     string
}

// Apply implements Change. A value that the key does not take changes nothing.
func (c SetKey) Apply(s *Spec) *Spec {
	return s.withInterface(c.Interface, func(i *Interface) {
		if changed := *i; InterfaceKeyNamed(c.Key).Set(s, &changed, c.Value) == nil {
			*i = changed
		}
	})
}

// Describe implements Change.
func (c SetKey) Describe(s *Spec) string {
	text := fmt.Sprintf("give %s the %s %s", s.Label(c.Interface), c.Key, c.Value)
	if old := InterfaceKeyNamed(c.Key).Says(s, &s.Interfaces[c.Interface]); old != "" {
		text += " instead of " + old
	}
	return text
}

// On implements Change.
func (c SetKey) On(s *Spec) DeviceID { return s.Interfaces[c.Interface].Device }

// Touches implements Change.
func (SetKey) Touches() Touched { return TouchesInterfaces }

// DropPermit takes a permit out of a device's list.
type DropPermit struct {
	Device DeviceID
	Permit int // its place in the list
	Own    bool
}

// list is the list of permits that a change is of.
func (c DropPermit) list(d *Device) *[]Permit {
	if c.Own {
		return &d.OwnPermits
	}
	return &d.Permits
}

// Apply implements Change.
func (c DropPermit) Apply(s *Spec) *Spec {
	return s.withDevice(c.Device, func(d *Device) {
		*c.list(d) = slices.Delete(slices.Clone(*c.list(d)), c.Permit, c.Permit+1)
	})
}

// Describe implements Change.
func (c DropPermit) Describe(s *Spec) string {
	d := s.Devices[c.Device]
	return fmt.Sprintf("take permit %d of %s away: '%s'", c.Permit+1, d.Name, (*c.list(&d))[c.Permit].Text)
}

// On implements Change.
func (c DropPermit) On(*Spec) DeviceID { return c.Device }

// Touches implements Change.
func (DropPermit) Touches() Touched { return TouchesPermits }

// WidenService lets a permit cover one more service, or any.
type WidenService struct {
	Device DeviceID
	Permit int     // its place in the list
	By     Service // the zero value is any
}

// Words are those of the permit as it then reads.
func (c WidenService) Words(text string) string {
	if c.By != (Service{}) {
		return text + " over " + c.By.String()
	}
	text, _, _ = strings.Cut(text, " over ")
	return text
}

// Apply implements Change.
func (c WidenService) Apply(s *Spec) *Spec {
	return s.withDevice(c.Device, func(d *Device) {
		d.Permits = slices.Clone(d.Permits)
		p := &d.Permits[c.Permit]
		if p.Text = c.Words(p.Text); c.By == (Service{}) {
			p.Over = nil
		} else {
			p.Over = append(slices.Clip(p.Over), c.By)
		}
	})
}

// Describe implements Change.
func (c WidenService) Describe(s *Spec) string {
	return fmt.Sprintf("write permit %d of %s as '%s' instead of '%s'",
		c.Permit+1, s.Devices[c.Device].Name, c.Words(s.Devices[c.Device].Permits[c.Permit].Text), s.Devices[c.Device].Permits[c.Permit].Text)
}

// On implements Change.
func (c WidenService) On(*Spec) DeviceID { return c.Device }

// Touches implements Change.
func (WidenService) Touches() Touched { return TouchesPermits }

// PutOn puts a VLAN interface on another VLAN, and so on its segment.
type PutOn struct {
	Interface InterfaceID
	VLAN      VLAN
}

// Apply implements Change.
func (c PutOn) Apply(s *Spec) *Spec {
	return s.withInterface(c.Interface, func(i *Interface) { i.Tag, i.Segment = c.VLAN, s.SegmentOfVLAN(c.VLAN) })
}

// Describe implements Change.
func (c PutOn) Describe(s *Spec) string {
	return fmt.Sprintf("put %s on VLAN %s instead of %s", s.Label(c.Interface), s.VLANName(c.VLAN), s.VLANName(s.Interfaces[c.Interface].Tag))
}

// On implements Change.
func (c PutOn) On(s *Spec) DeviceID { return s.Interfaces[c.Interface].Device }

// Touches implements Change.
func (PutOn) Touches() Touched { return TouchesInterfaces }

// SetTagged has a trunk carry some VLANs in place of those it carries; what was an access port becomes one.
type SetTagged struct {
	Port  InterfaceID
	VLANs []VLAN
}

// Apply implements Change.
func (c SetTagged) Apply(s *Spec) *Spec {
	return s.withInterface(c.Port, func(i *Interface) {
		if len(i.Tagged) == 0 {
			i.Untagged = 0
		}
		i.Tagged, i.Switched = c.VLANs, true
	})
}

// Words are the VLANs as the key `tagged` has them.
func (c SetTagged) Words(s *Spec) string {
	names := make([]string, len(c.VLANs))
	for i, v := range c.VLANs {
		names[i] = s.VLANName(v)
	}
	return "[" + strings.Join(names, ", ") + "]"
}

// Describe implements Change.
func (c SetTagged) Describe(s *Spec) string {
	instead := "in place of those it carries"
	if i := &s.Interfaces[c.Port]; len(i.Tagged) == 0 {
		instead = "in place of 'access'"
	}
	return fmt.Sprintf("have %s carry 'tagged: %s' %s", s.Label(c.Port), c.Words(s), instead)
}

// On implements Change.
func (c SetTagged) On(s *Spec) DeviceID { return s.Interfaces[c.Port].Device }

// Touches implements Change.
func (SetTagged) Touches() Touched { return TouchesInterfaces }

// SetBeyond has a translation stand for what lies beyond another interface.
type SetBeyond struct {
	Device      DeviceID
	Translation int // its place in the list
	Beyond      InterfaceID
}

// Sentence is the translation as it then reads.
func (c SetBeyond) Sentence(s *Spec) string {
	t := &s.Devices[c.Device].Translates[c.Translation]
	old, name := s.Interfaces[t.Beyond].Name, s.Interfaces[c.Beyond].Name
	words := strings.Fields(t.Text)
	for i, w := range words[2:] {
		if of, port, ported := strings.Cut(w, ":"); of == old && (!ported || t.ByInterface) {
			words[i+2] = strings.TrimSuffix(name+":"+port, ":")
		}
	}
	return strings.Join(words, " ")
}

// Apply implements Change.
func (c SetBeyond) Apply(s *Spec) *Spec {
	text := c.Sentence(s)
	return s.withDevice(c.Device, func(d *Device) {
		d.Translates = slices.Clone(d.Translates)
		d.Translates[c.Translation].Beyond, d.Translates[c.Translation].Text = c.Beyond, text
	})
}

// Describe implements Change.
func (c SetBeyond) Describe(s *Spec) string {
	return fmt.Sprintf("have %s translate '%s' instead of '%s'",
		s.Devices[c.Device].Name, c.Sentence(s), s.Devices[c.Device].Translates[c.Translation].Text)
}

// On implements Change.
func (c SetBeyond) On(*Spec) DeviceID { return c.Device }

// Touches implements Change.
func (SetBeyond) Touches() Touched { return TouchesPermits }

// ShareAddresses puts all who have addresses in a prefix behind the IPv4 address of an interface.
type ShareAddresses struct {
	Prefix netip.Prefix
	Beyond InterfaceID
}

// Sentence is the change as a plan says it: by the name of a block with just that prefix, where there is one.
func (c ShareAddresses) Sentence(s *Spec) string {
	who := c.Prefix.String()
	for i := range s.Blocks {
		if len(s.Blocks[i].Prefixes) == 1 && s.Blocks[i].Prefixes[0].Prefix == c.Prefix {
			who = s.Blocks[i].Name
		}
	}
	return who + " shares " + s.Interfaces[c.Beyond].Name
}

// Apply implements Change.
func (c ShareAddresses) Apply(s *Spec) *Spec {
	t := Translation{
		Text: c.Sentence(s), Kind: Sharing, Inside: Side{Prefixes: []netip.Prefix{c.Prefix}}, ByInterface: true, Beyond: c.Beyond,
		Place: s.Devices[c.On(s)].Place,
	}
	return s.withDevice(c.On(s), func(d *Device) { d.Translates = append(slices.Clone(d.Translates), t) })
}

// Describe implements Change.
func (c ShareAddresses) Describe(s *Spec) string {
	return fmt.Sprintf("on %s translate '%s'", s.Devices[c.On(s)].Name, c.Sentence(s))
}

// On implements Change.
func (c ShareAddresses) On(s *Spec) DeviceID { return s.Interfaces[c.Beyond].Device }

// Touches implements Change.
func (ShareAddresses) Touches() Touched { return TouchesPermits }
