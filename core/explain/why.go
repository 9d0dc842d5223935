// Package explain tells why things are as they are: where numbers come from, and what a
// device does with a packet.
package explain

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"ropeswing/core/ask"
	"ropeswing/core/assign"
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/network"
	"ropeswing/core/prefix"
	"ropeswing/core/source"
	"ropeswing/core/workspace"
)

// Why is where the numbers of something come from.
type Why struct {
	Subject string
	Answer  Told
	State   []Reason // of an interface: what state it is in, and why
	Numbers []Origin

	net *forward.Network
}

// explainer explains one plan.
type explainer struct {
	*workspace.Numbers
	net *forward.Network // without tables, except for lookups
}

// Origin is where one number comes from, step by step.
type Origin struct {
	Number Told
	Steps  []Reason
}

func (w explainer) about(subject string) Why { return Why{Subject: subject, net: w.net} }

// Why explains a segment, block, subnet, address, device or interface
// (DEVICE:INTERFACE).
func Explain(n *workspace.Numbers, text string) (Why, error) {
	w := explainer{n, &forward.Network{Spec: n.Spec}}
	if s, ok := w.Spec.SegmentNamed(text); ok {
		return w.whySegment(s), nil
	}
	if d, ok := w.Spec.DeviceNamed(text); ok {
		return w.whyInterfaces(text, w.Spec.InterfacesOf(d)), nil
	}
	for b := range w.Spec.Blocks {
		if w.Spec.Blocks[b].Name == text {
			return w.whyBlock(model.BlockID(b)), nil
		}
	}
	if device, name, ok := strings.Cut(text, ":"); ok {
		if d, known := w.Spec.DeviceNamed(device); known {
			id, found := w.Spec.InterfaceNamed(d, name)
			if !found {
				return Why{}, ask.Unknown(fmt.Sprintf("%s has no interface called %s", device, name), name, w.Spec.InterfaceNames(d))
			}
			y := w.whyInterfaces(text, []model.InterfaceID{id})
			w.net.State = network.Build(w.Spec).State()
			y.State = w.stateSteps(id)
			return y, nil
		}
	}
	p, whole, err := prefix.Parse(text)
	switch {
	case err == nil && whole:
		return w.whyAddress(p.Addr()), nil
	case err == nil:
		return w.whySubnet(p.Masked()), nil
	case strings.ContainsAny(text, "/") || strings.Count(text, ".") == 3 || strings.Count(text, ":") > 1:
		return Why{}, err
	}
	return Why{}, w.Named(text)
}

func (w explainer) whySegment(id model.SegmentID) Why {
	s := &w.Spec.Segments[id]
	y := w.about(s.Name)
	var subnets []any
	for _, p := range s.Prefixes {
		subnets = append(subnets, p.Prefix)
		y.Numbers = append(y.Numbers, Origin{told(Number, p.Prefix), w.subnetSteps(id, p)})
	}
	if y.Answer = told(Subnets, subnets...); len(subnets) == 0 {
		y.Answer = told(NoSubnet)
	}
	if s.VLAN != 0 {
		if y.Answer = told(SubnetsVLAN, append(subnets, s.VLAN)...); len(subnets) == 0 {
			y.Answer = told(NoSubnetVLAN, s.VLAN)
		}
		y.Numbers = append(y.Numbers, Origin{told(VLAN, s.VLAN), []Reason{giverStep(s.VLANGiver, s.VLANPlace)}})
	}
	return y
}

// subnetSteps is where a segment's subnet comes from: need, growth, rounding,
// block, neighbours, and who remembers it.
func (w explainer) subnetSteps(id model.SegmentID, p model.Prefix) []Reason {
	s := &w.Spec.Segments[id]
	var steps []Reason
	family := prefix.FamilyOf(p.Addr())
	if s.Need.Said() {
		steps = append(steps, needSteps(s, family)...)
	}
	steps = append(steps, w.placeSteps(p.Prefix)...)
	return append(steps, giverStep(p.Giver, p.Place))
}

// needSteps is how a segment's need became a length.
func needSteps(s *model.Segment, family prefix.Family) []Reason {
	n := s.Need
	length, ok := s.WantedLength(family)
	if !ok {
		return nil
	}
	if family == prefix.IPv6 || !n.HostsSaid || n.Length4 > 0 {
		return []Reason{step(n.Place, HasLength, length, assign.BecauseOf(s, family))}
	}
	hosts := max(n.Hosts, s.HostsThere)
	_, grown := s.Wanted()
	steps := []Reason{step(n.Place, NeedsHosts, hosts)}
	if s.HostsThere > n.Hosts {
		steps[0] = step(n.Place, NeedsMoreHosts, hosts, n.Hosts)
	}
	if n.Grow > 0 {
		steps = append(steps, reason(Growth, n.Grow, grown-s.Own))
	}
	if s.Own > 0 {
		steps = append(steps, reason(ItsOwn, s.Own, grown))
	}
	p, _ := netip.IPv4Unspecified().Prefix(length)
	return append(steps, reason(Rounding, length, prefix.Usable(p)))
}

// placeSteps is in which block a subnet lies, and between what.
func (w explainer) placeSteps(p netip.Prefix) []Reason {
	var steps []Reason
	best, home := -1, ""
	var around netip.Prefix
	var place source.Place
	for _, b := range w.Spec.Blocks {
		for _, q := range b.Prefixes {
			if prefix.Covers(q.Prefix, p) && q.Bits() > best {
				best, home, around, place = q.Bits(), b.Name, q.Prefix, q.Place
			}
		}
	}
	if best < 0 {
		return []Reason{reason(InNoBlock)}
	}
	steps = append(steps, step(place, InBlock, home, around))
	all := w.Spec.Stretches(around)
	at := slices.IndexFunc(all, func(s model.Stretch) bool { return s.Prefix == p && s.InUse() })
	if at < 0 {
		return steps
	}
	return append(steps, reason(Beside, neighbourhood{all, at}))
}

// giverStep is who assigned a number.
func giverStep(g model.Giver, place source.Place) Reason {
	switch g {
	case model.Fixed:
		return step(place, Written)
	case model.Remembered:
		return step(place, GivenBefore)
	}
	return step(place, GivenNow)
}

func (w explainer) whyInterfaces(subject string, ids []model.InterfaceID) Why {
	y := w.about(subject)
	var numbers []any
	for _, id := range ids {
		i := &w.Spec.Interfaces[id]
		for _, a := range i.Addresses {
			numbers = append(numbers, a.Prefix)
			number := told(Number, a.Prefix)
			if len(ids) > 1 {
				number = told(NumberOf, i.Name, a.Prefix)
			}
			y.Numbers = append(y.Numbers, Origin{number, w.addressSteps(id, a, len(ids) > 1)})
		}
	}
	switch {
	case len(numbers) > 0:
		y.Answer = told(Addresses, numbers...)
	case len(ids) == 1 && w.Spec.Interfaces[ids[0]].Switched:
		y.Answer = told(IsPort)
	default:
		y.Answer = told(NoAddress)
	}
	return y
}

// stateSteps is what state an interface is in and why: its own, and that of
// what it hangs on.
func (w explainer) stateSteps(id model.InterfaceID) []Reason {
	s := w.net.State
	i := &w.Spec.Interfaces[id]
	steps := []Reason{step(i.Place, Status, status{id})}
	if c := s.Cable(id); c != model.None {
		far := s.Peer(id)
		code := CabledTo
		if w.Spec.Cables[c].Hidden {
			code = CabledHidden
		}
		steps = append(steps, step(w.Spec.Cables[c].Place, code, far, s.Status(far).Oper))
	}
	if i.Parent != model.None {
		steps = append(steps, step(w.Spec.Interfaces[i.Parent].Place, PartOf, i.Parent, s.Status(i.Parent).Oper))
	}
	if i.Routed() && s.IsUp(id) {
		var all []any
		for _, n := range s.Neighbours(id) {
			all = append(all, n)
		}
		if len(all) > 0 {
			steps = append(steps, reason(Hears, all...))
		} else {
			steps = append(steps, reason(HearsNobody))
		}
	}
	return steps
}

// addressSteps is where an interface's address comes from: its segment's
// subnet, the rule, and who remembers it; in brief without why the subnet is as
// it is.
func (w explainer) addressSteps(id model.InterfaceID, a model.Address, brief bool) []Reason {
	i := &w.Spec.Interfaces[id]
	var steps []Reason
	if i.Segment != model.None {
		for _, p := range w.Spec.Segments[i.Segment].Prefixes {
			if p.Prefix == a.Masked() {
				s := &w.Spec.Segments[i.Segment]
				steps = append(steps, step(s.Place, OfSegment, i.Segment, p.Prefix))
				for _, x := range w.subnetSteps(i.Segment, p) {
					if x.Code != Beside && !brief {
						steps = append(steps, x)
					}
				}
			}
		}
	}
	if i.Kind == model.Loopback && a.Rule != "" {
		steps = append(steps, w.placeSteps(netip.PrefixFrom(a.Addr(), a.Addr().BitLen()))...)
	}
	place := a.Place
	switch a.Rule {
	case "next":
		place = i.NextPlace
	case "given":
		place = i.Place
	}
	steps = append(steps, step(place, Rule, addressRule{a, i.MAC}))
	if a.Giver != model.Fixed {
		steps = append(steps, giverStep(a.Giver, a.Place))
	}
	return steps
}

func (w explainer) whyAddress(a netip.Addr) Why {
	if holders := w.Spec.HoldersOf(a); len(holders) > 0 {
		y := w.about(a.String())
		var labels []any
		for _, id := range holders {
			labels = append(labels, id)
			for _, x := range w.Spec.Interfaces[id].Addresses {
				if x.Addr() == a {
					y.Numbers = append(y.Numbers, Origin{told(Number, id), w.addressSteps(id, x, false)})
				}
			}
		}
		y.Answer = told(HolderIs, labels...)
		return y
	}
	y := w.about(a.String())
	y.Answer = told(Nobodys)
	if s := w.Spec.SegmentOf(a); s != model.None {
		segment := &w.Spec.Segments[s]
		y.Answer = told(NobodysIn, s)
		for _, p := range segment.Prefixes {
			if p.Contains(a) {
				y.Numbers = append(y.Numbers,
					Origin{told(Number, a), []Reason{step(p.Place, SubnetOf, p.Prefix, s), reason(StandsAt, standing{p.Prefix, a})}})
			}
		}
		for _, l := range segment.Leases {
			if l.Contains(a) {
				y.Answer = told(ForLeases, s)
			}
		}
	}
	for _, r := range w.Spec.Retired {
		if r.Prefix.Contains(a) {
			y.Answer = told(RetiredOf, r.Owner)
			y.Numbers = append(y.Numbers, Origin{told(Number, r.Prefix), []Reason{step(r.Place, Release, r.Owner)}})
		}
	}
	if len(y.Numbers) == 0 {
		scope := prefix.ScopeOf(a)
		y.Numbers = []Origin{{told(Number, a), append(w.placeSteps(netip.PrefixFrom(a, a.BitLen())), reason(OfScope, scope.Use, scope.RFC))}}
	}
	return y
}

func (w explainer) whySubnet(p netip.Prefix) Why {
	for id := range w.Spec.Segments {
		for _, q := range w.Spec.Segments[id].Prefixes {
			if q.Prefix == p {
				y := w.whySegment(model.SegmentID(id))
				y.Subject, y.Answer = p.String(), told(OwnedBy, model.SegmentID(id))
				y.Numbers = slices.DeleteFunc(y.Numbers, func(o Origin) bool { return o.Number.Code != Number || o.Number.With[0] != p })
				return y
			}
		}
	}
	y := w.about(p.String())
	y.Answer = told(NoSegments)
	var steps []Reason
	for id := range w.Spec.Segments {
		for _, q := range w.Spec.Segments[id].Prefixes {
			if q.Overlaps(p) {
				steps = append(steps, step(q.Place, Overlapping, q.Prefix, model.SegmentID(id)))
			}
		}
	}
	for _, r := range w.Spec.Retired {
		if r.Prefix.Overlaps(p) {
			steps = append(steps, step(r.Place, WasOf, r.Prefix, r.Owner))
		}
	}
	if len(steps) == 0 {
		y.Answer = told(IsFree)
	}
	y.Numbers = []Origin{{told(Number, p), append(w.placeSteps(p), steps...)}}
	return y
}
