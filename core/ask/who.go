// Package ask finds what the words of a question stand for, and asks it: who is meant,
// by which address, and what a ping does.
package ask

import (
	"errors"
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"ropeswing/core/finding"
	"ropeswing/core/model"
	"ropeswing/core/plan"
	"ropeswing/core/prefix"
)

// Who is what the names and addresses of a plan stand for.
type Who struct {
	Spec   *model.Spec
	Groups []plan.Group
}

// Endpoint is one end of a ping or trace, as a person names it.
type Endpoint struct {
	Text      string
	Device    model.DeviceID    // None for an address nobody in the plan has
	Interface model.InterfaceID // None where none is named
	Address   netip.Addr        // invalid where a device or interface is named
}

// Endpoint finds what a device, DEVICE:INTERFACE or an address stands for.
func (w Who) Endpoint(text string) (Endpoint, error) {
	e := Endpoint{Text: text, Device: model.None, Interface: model.None}
	if d, ok := w.Spec.DeviceNamed(text); ok {
		e.Device = d
		return e, nil
	}
	if a, err := prefix.ParseAddress(text); err == nil {
		e.Address = a
		if scope := prefix.ScopeOf(a); a.IsMulticast() || a.IsUnspecified() || a.IsLoopback() {
			return e, fmt.Errorf("%s is for %s (%s), not one machine's address", a, scope.Use, scope.RFC)
		}
		if holders := w.Spec.HoldersOf(a); len(holders) > 0 {
			e.Interface = holders[0]
			e.Device = w.Spec.Interfaces[holders[0]].Device
		}
		return e, nil
	}
	if device, iface, ok := strings.Cut(text, ":"); ok {
		if d, known := w.Spec.DeviceNamed(device); known {
			id, found := w.Spec.InterfaceNamed(d, iface)
			if !found {
				return e, Unknown(fmt.Sprintf("%s has no interface called %s", device, iface), iface, w.Spec.InterfaceNames(d))
			}
			e.Device, e.Interface = d, id
			return e, nil
		}
		if _, err := prefix.ParseAddress(text); strings.Count(text, ":") > 1 {
			return e, err
		}
		text = device
	}
	if p, _, err := prefix.Parse(text); err == nil {
		return e, fmt.Errorf("%s is a subnet; name one address in it, such as %s", text, prefix.First(p))
	}
	if s, ok := w.Spec.SegmentNamed(text); ok {
		return e, errors.New(w.onSegment(s))
	}
	if strings.Count(text, ".") == 3 {
		_, err := prefix.ParseAddress(text)
		return e, err
	}
	return e, Unknown("the plan has no device called "+text, text, w.DeviceNames())
}

// onSegment names devices of a segment, for who named the segment itself.
func (w Who) onSegment(s model.SegmentID) string {
	var names []string
	for id := range w.Spec.Interfaces {
		if i := &w.Spec.Interfaces[id]; i.Segment == s && len(i.Addresses) > 0 && len(names) < 3 {
			names = append(names, w.Spec.Devices[i.Device].Name)
		}
	}
	text := w.Spec.Segments[s].Name + " is a segment; name a device or an address on it"
	if len(names) > 0 {
		text += ", such as " + strings.Join(names, ", ")
	}
	return text
}

// Unknown is the error of a word that is not known; it guesses at what was meant.
func Unknown(what, word string, names []string) error {
	if near, ok := finding.Nearest(word, names); ok {
		return fmt.Errorf("%s; did you mean %s?", what, near)
	}
	return errors.New(what)
}

// DeviceNames lists the devices of the plan, in its order.
func (w Who) DeviceNames() []string {
	names := make([]string, len(w.Spec.Devices))
	for i, d := range w.Spec.Devices {
		names[i] = d.Name
	}
	return names
}

// Device finds a device by name; the error guesses at what was meant.
func (w Who) Device(name string) (model.DeviceID, error) {
	if d, ok := w.Spec.DeviceNamed(name); ok {
		return d, nil
	}
	return model.None, Unknown("the plan has no device called "+name, name, w.DeviceNames())
}

// BlockNames lists the blocks of the plan, in its order.
func (w Who) BlockNames() []string {
	var names []string
	for _, b := range w.Spec.Blocks {
		names = append(names, b.Name)
	}
	return names
}

// HasBlock is the error of naming a block that is not there; it guesses at what
// was meant.
func (w Who) HasBlock(name string) error {
	if slices.Contains(w.BlockNames(), name) {
		return nil
	}
	return Unknown("the plan has no block called "+name, name, w.BlockNames())
}

// HasSegment is the error of naming a segment that is not there; it guesses at what
// was meant.
func (w Who) HasSegment(name string) error {
	if _, ok := w.Spec.SegmentNamed(name); ok {
		return nil
	}
	var names []string
	for _, s := range w.Spec.Segments {
		names = append(names, s.Name)
	}
	return Unknown("the plan has no segment called "+name, name, names)
}

// Operator is the host the engineer sits at.
func (w Who) Operator() (Endpoint, error) {
	if w.Spec.Operator == model.None {
		return Endpoint{}, errors.New("the plan names no operator to start from; name one: ping FROM TO, or add 'operator: HOST' to the plan")
	}
	return Endpoint{Text: w.Spec.Devices[w.Spec.Operator].Name, Device: w.Spec.Operator, Interface: model.None}, nil
}

// SentFrom is an endpoint that sends from an address or interface of its own.
func (w Who) SentFrom(e Endpoint, source string) (Endpoint, error) {
	if e.Device == model.None {
		return e, fmt.Errorf("nobody in the plan has %s to send from", e.Text)
	}
	name := w.Spec.Devices[e.Device].Name
	next := Endpoint{Text: e.Text, Device: e.Device, Interface: model.None}
	if id, ok := w.Spec.InterfaceNamed(e.Device, strings.TrimPrefix(source, name+":")); ok {
		next.Interface = id
		return next, nil
	}
	a, err := prefix.ParseAddress(source)
	if err != nil {
		return e, Unknown(fmt.Sprintf("%s has no interface called %s", name, source), source, w.Spec.InterfaceNames(e.Device))
	}
	if !slices.ContainsFunc(w.Spec.HoldersOf(a), func(id model.InterfaceID) bool { return w.Spec.Interfaces[id].Device == e.Device }) {
		return e, fmt.Errorf("%s is no address of %s", a, name)
	}
	next.Address = a
	return next, nil
}
