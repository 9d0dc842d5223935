// Package revise changes a plan, in a copy and in its text: changes to try, remedies as
// edits, routes pinned, things renamed.
package revise

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"ropeswing/core/ask"
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/network"
	"ropeswing/core/prefix"
	"ropeswing/core/verify"
	"ropeswing/core/workspace"
)

// reviser revises one plan.
type reviser struct{ *workspace.Workspace }

// ChangeForms is how a change to try is written.
const ChangeForms = "'DEVICE: DESTINATION via NEXT-HOP', 'DEVICE: DESTINATION discard', 'DEVICE:INTERFACE up', 'DEVICE:INTERFACE down' or 'DEVICE:INTERFACE address ADDRESS/LENGTH'"

// With is the same workspace with changes made in a copy of the network.
func With(w *workspace.Workspace, changes ...string) (*workspace.Workspace, error) {
	next := w
	for _, text := range changes {
		c, err := reviser{next}.change(text)
		if err != nil {
			return nil, err
		}
		copied := *next
		copied.Network = verify.Try(next.Network, c)
		copied.Spec, copied.Trying = copied.Network.Spec, true
		copied.Basis += ", trying: " + c.Describe(next.Spec)
		next = &copied
	}
	return next, nil
}

// WithPending is the same workspace with all pending permits in force.
func WithPending(w *workspace.Workspace) *workspace.Workspace {
	next := *w
	next.Network = forward.Resolve(network.Build(w.Spec.WithPending()).State(w.Network.State.Failures()...))
	next.Spec, next.Trying = next.Network.Spec, true
	next.Basis += ", pending permits in force"
	return &next
}

// change reads a change to try.
func (w reviser) change(text string) (model.Change, error) {
	words := strings.Fields(text)
	bad := fmt.Errorf("a change is %s, not '%s'", ChangeForms, text)
	if len(words) < 2 {
		return nil, bad
	}
	if name, ok := strings.CutSuffix(words[0], ":"); ok {
		d, err := w.Device(name)
		if err != nil {
			return nil, err
		}
		return w.routeChange(d, words[1:], bad)
	}
	e, err := w.Endpoint(words[0])
	switch {
	case err != nil:
		return nil, err
	case e.Interface == model.None:
		return nil, bad
	case len(words) == 2 && words[1] == "up":
		return model.BringUp{Interface: e.Interface}, nil
	case len(words) == 2 && words[1] == "down":
		return model.TakeDown{Interface: e.Interface}, nil
	case len(words) == 3 && words[1] == "address":
		p, whole, err := prefix.Parse(words[2])
		if err != nil {
			return nil, err
		}
		if whole && !strings.Contains(words[2], "/") {
			return nil, fmt.Errorf("%s has no prefix length", words[2])
		}
		return model.SetAddress{Interface: e.Interface, Address: p}, nil
	}
	return nil, bad
}

// routeChange reads 'DESTINATION via NEXT-HOP' or 'DESTINATION discard'.
func (w reviser) routeChange(d model.DeviceID, words []string, bad error) (model.Change, error) {
	s := model.Static{Device: d, Out: model.None, Distance: 1, Key: words[0]}
	switch {
	case len(words) == 2 && words[1] == "discard":
		s.Discard = true
	case len(words) == 3 && words[1] == "via":
	default:
		return nil, bad
	}
	to, err := w.destination(words[0])
	if err != nil {
		return nil, err
	}
	var all model.AddRoutes
	for _, p := range to {
		r := s
		r.To = p
		if !s.Discard {
			via, ok, err := w.nextHop(d, words[2], prefix.FamilyOf(p.Addr()))
			if err != nil {
				return nil, err
			}
			if !ok {
				continue
			}
			r.Via = via
		}
		all = append(all, r)
	}
	if len(all) == 0 {
		return nil, fmt.Errorf("%s is no next hop of %s in the family of %s", words[len(words)-1], w.Spec.Devices[d].Name, words[0])
	}
	return all, nil
}

// nextHop is the address a next hop stands for in a family: itself, or that of a
// device on a subnet that the two share.
func (w reviser) nextHop(d model.DeviceID, text string, family prefix.Family) (netip.Addr, bool, error) {
	if a, err := prefix.ParseAddress(text); err == nil {
		return a, prefix.FamilyOf(a) == family, nil
	}
	far, err := w.Device(text)
	if err != nil {
		return netip.Addr{}, false, err
	}
	for _, i := range w.Spec.InterfacesOf(far) {
		for _, a := range w.Spec.Interfaces[i].Addresses {
			if prefix.FamilyOf(a.Addr()) != family || a.Addr().IsLinkLocalUnicast() {
				continue
			}
			if slices.ContainsFunc(w.Spec.InterfacesOf(d), func(near model.InterfaceID) bool {
				return slices.ContainsFunc(w.Spec.Interfaces[near].Addresses, func(b model.Address) bool { return b.Contains(a.Addr()) && b.Addr() != a.Addr() })
			}) {
				return a.Addr(), true, nil
			}
		}
	}
	return netip.Addr{}, false, nil
}

// destination is what a route may lead to: a prefix, default, a segment or a
// block.
func (w reviser) destination(text string) ([]netip.Prefix, error) {
	var to []netip.Prefix
	names := append(w.BlockNames(), "default")
	for _, s := range w.Spec.Segments {
		names = append(names, s.Name)
		if s.Name == text {
			for _, p := range s.Prefixes {
				to = append(to, p.Prefix)
			}
			return to, nil
		}
	}
	for _, b := range w.Spec.Blocks {
		if b.Name == text {
			for _, p := range b.Prefixes {
				to = append(to, p.Prefix)
			}
			return to, nil
		}
	}
	if text == "default" {
		return []netip.Prefix{prefix.IPv4.Everything(), prefix.IPv6.Everything()}, nil
	}
	if !strings.ContainsAny(text, ".:/") {
		return nil, ask.Unknown(text+" is neither a prefix, a segment nor a block", text, names)
	}
	p, _, err := prefix.Parse(text)
	return []netip.Prefix{p.Masked()}, err
}
