package workspace

import (
	"errors"
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"ropeswing/core/finding"
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/prefix"
)

// Endpoint is one end of a ping or trace, as a person names it.
type Endpoint struct {
	Text      string
	Device    model.DeviceID    // None for an address nobody in the plan has
	Interface model.InterfaceID // None where none is named
	Address   netip.Addr        // invalid where a device or interface is named
}

// Endpoint finds what a device, DEVICE:INTERFACE or an address stands for.
func (w *Workspace) Endpoint(text string) (Endpoint, error) {
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
				return e, unknown(fmt.Sprintf("%s has no interface called %s", device, iface), iface, w.Spec.InterfaceNames(d))
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
	return e, unknown("the plan has no device called "+text, text, w.DeviceNames())
}

// onSegment names devices of a segment, for who named the segment itself.
func (w *Workspace) onSegment(s model.SegmentID) string {
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

func unknown(what, word string, names []string) error {
	if near, ok := finding.Nearest(word, names); ok {
		return fmt.Errorf("%s; did you mean %s?", what, near)
	}
	return errors.New(what)
}

// DeviceNames lists the devices of the plan, in its order.
func (w *Workspace) DeviceNames() []string {
	names := make([]string, len(w.Spec.Devices))
	for i, d := range w.Spec.Devices {
		names[i] = d.Name
	}
	return names
}

// Device finds a device by name; the error guesses at what was meant.
func (w *Workspace) Device(name string) (model.DeviceID, error) {
	if d, ok := w.Spec.DeviceNamed(name); ok {
		return d, nil
	}
	return model.None, unknown("the plan has no device called "+name, name, w.DeviceNames())
}

// BlockNames lists the blocks of the plan, in its order.
func (w *Workspace) BlockNames() []string {
	var names []string
	for _, b := range w.Spec.Blocks {
		names = append(names, b.Name)
	}
	return names
}

// HasBlock is the error of naming a block that is not there; it guesses at what
// was meant.
func (w *Workspace) HasBlock(name string) error {
	if slices.Contains(w.BlockNames(), name) {
		return nil
	}
	return unknown("the plan has no block called "+name, name, w.BlockNames())
}

// Operator is the host the engineer sits at.
func (w *Workspace) Operator() (Endpoint, error) {
	if w.Spec.Operator == model.None {
		return Endpoint{}, errors.New("the plan names no operator to start from; name one: ping FROM TO, or add 'operator: HOST' to the plan")
	}
	return Endpoint{Text: w.Spec.Devices[w.Spec.Operator].Name, Device: w.Spec.Operator, Interface: model.None}, nil
}

// address is the address of a family by which an endpoint is known: the one
// named, else that of its interface, else the device's loopback, VLAN
// interface or first address. Addresses on interfaces that are up come first.
func (w *Workspace) address(e Endpoint, is4 bool) (netip.Addr, bool) {
	if e.Address.IsValid() {
		return e.Address, e.Address.Is4() == is4
	}
	ids := []model.InterfaceID{e.Interface}
	if e.Interface == model.None {
		ids = w.Spec.InterfacesOf(e.Device)
	}
	var best netip.Addr
	bestRank := 0
	for _, id := range ids {
		i := &w.Spec.Interfaces[id]
		rank := i.Kind.Rank()
		if w.Network.State.IsUp(id) {
			rank += 4
		}
		for _, a := range i.Addresses {
			linkLocal := a.Addr().Is6() && a.Addr().IsLinkLocalUnicast()
			if a.Addr().Is4() == is4 && rank > bestRank && (!linkLocal || e.Interface != model.None) {
				best, bestRank = a.Addr(), rank
			}
		}
	}
	return best, best.IsValid()
}

// SentFrom is an endpoint that sends from an address or interface of its own.
func (w *Workspace) SentFrom(e Endpoint, source string) (Endpoint, error) {
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
		return e, unknown(fmt.Sprintf("%s has no interface called %s", name, source), source, w.Spec.InterfaceNames(e.Device))
	}
	if !slices.ContainsFunc(w.Spec.HoldersOf(a), func(id model.InterfaceID) bool { return w.Spec.Interfaces[id].Device == e.Device }) {
		return e, fmt.Errorf("%s is no address of %s", a, name)
	}
	next.Address = a
	return next, nil
}

// Families says which families to look at.
type Families struct{ Only4, Only6 bool }

// Trial is one ping of one family, and what is needed to repeat it in a copy.
type Trial struct {
	*forward.Exchange
	FixedSource netip.Addr        // invalid where the device chooses
	Out         model.InterfaceID // None where the device chooses
}

// Pings predicts a ping between two endpoints, once for each family both have
// and that is asked for. The probe's size is that of its payload here. Passed are the families only the target has.
func (w *Workspace) Pings(from, to Endpoint, families Families, probe forward.Probe) (trials []Trial, passed []string, err error) {
	if from.Device == model.None {
		return nil, nil, fmt.Errorf("nobody in the plan has %s to send from", from.Text)
	}
	for _, is4 := range []bool{true, false} {
		if is4 && families.Only6 || !is4 && families.Only4 {
			continue
		}
		target, ok := w.address(to, is4)
		if !ok {
			continue
		}
		trial := Trial{Out: model.None}
		if from.Address.IsValid() || from.Interface != model.None {
			if trial.FixedSource, ok = w.address(from, is4); !ok {
				passed = append(passed, fmt.Sprintf("%s has no %s address", from.Text, forward.FamilyOf(target)))
				continue
			}
		} else if _, ok := w.address(from, is4); !ok && !to.Address.IsValid() && !families.Only4 && !families.Only6 {
			passed = append(passed, fmt.Sprintf("%s has no %s address", from.Text, forward.FamilyOf(target)))
			continue
		}
		if target.Is6() && target.IsLinkLocalUnicast() {
			if trial.Out = w.linkFor(from, target); trial.Out == model.None {
				return nil, nil, fmt.Errorf("%s is link-local and could be on any of %s's interfaces; name one: ping %s:INTERFACE %s", target, from.Text, from.Text, target)
			}
		}
		p := probe
		if p.Size > 0 { // of the payload so far
			p.Size += forward.HeaderBytes(target.Is4())
		}
		trial.Exchange = forward.PingBy(w.Network, from.Device, trial.FixedSource, target, trial.Out, p)
		trials = append(trials, trial)
	}
	if len(trials) == 0 {
		switch {
		case len(passed) > 0:
			return nil, nil, errors.New(passed[0])
		case families.Only4 || families.Only6:
			return nil, nil, fmt.Errorf("%s has no %s address", to.Text, map[bool]string{true: "IPv4", false: "IPv6"}[families.Only4])
		}
		return nil, nil, fmt.Errorf("%s has no address to ping", to.Text)
	}
	return trials, passed, nil
}

// linkFor is the interface a link-local target is meant on: the one named, or
// the sender's only one.
func (w *Workspace) linkFor(from Endpoint, target netip.Addr) model.InterfaceID {
	if from.Interface != model.None {
		return from.Interface
	}
	only, count := model.InterfaceID(model.None), 0
	for _, id := range w.Spec.InterfacesOf(from.Device) {
		if i := &w.Spec.Interfaces[id]; len(i.Addresses) > 0 && i.Kind != model.Loopback {
			only = id
			count++
		}
	}
	if count == 1 {
		return only
	}
	return model.None
}
