package revise

import (
	"fmt"
	"net/netip"
	"slices"
	"strconv"
	"strings"

	"ropeswing/core/model"
	"ropeswing/core/prefix"
)

// interfaceChange reads what a step says of an interface: up, down, or a key of the plan and its
// value.
func (w reviser) interfaceChange(id model.InterfaceID, mode how, words []string, text string) (model.Change, error) {
	if len(words) == 0 {
		return nil, changeForm(text)
	}
	x := &w.Spec.Interfaces[id]
	key, values := strings.TrimSuffix(words[0], ":"), words[1:]
	say := func() string { return w.said(x.Device, mode, x.Name+" "+strings.Join(words, " ")) }
	if key == "admin" && len(values) == 1 {
		key, values = values[0], nil
	}
	switch {
	case key == "up" && len(values) == 0:
		return model.BringUp{Interface: id}, nil
	case key == "down" && len(values) == 0:
		return model.TakeDown{Interface: id}, nil
	case len(values) == 0:
	case key == "address" || key == "secondary":
		return w.addressChange(id, mode, key == "secondary", values, text)
	case key == "access" || key == "tagged" || key == "untagged":
		return w.vlanChange(id, mode, words, text, say())
	case key == "members":
		return w.membersChange(id, mode, values, say())
	case key == "in":
		return w.joinChange(id, values, text, say())
	case key == "no" && len(values) == 1 && values[0] == "VLAN" && mode == replaces:
		return w.Spec.AlterInterface(id, say(), func(i *model.Interface) { i.Tagged, i.Untagged = nil, 0 }), nil
	default:
		if k := model.InterfaceKeyNamed(key); k != nil {
			return w.keyChange(id, k, mode, values, say())
		}
	}
	return nil, changeForm(text)
}

// addressChange gives an interface an address: in place of the others of its kind and family,
// beside them, or takes it away.
func (w reviser) addressChange(id model.InterfaceID, mode how, secondary bool, values []string, text string) (model.Change, error) {
	p, whole, err := prefix.Parse(values[0])
	switch {
	case err != nil:
		return nil, err
	case whole && !strings.Contains(values[0], "/"):
		return nil, fmt.Errorf("%s has no prefix length", values[0])
	case len(values) == 2 && values[1] == "secondary": // as a list may have it
		secondary = true
	case len(values) > 3 && values[1] == "instead" && values[2] == "of" && mode == replaces:
		return w.addressInstead(id, p, values[3:], text)
	case len(values) != 1:
		return nil, changeForm(text)
	}
	x := &w.Spec.Interfaces[id]
	is := func(a model.Address) bool { return a.Prefix == p }
	if mode == removes {
		if !slices.ContainsFunc(x.Addresses, is) {
			return nil, fmt.Errorf("%s does not have %s", w.Spec.Label(id), p)
		}
		return w.Spec.AlterInterface(id, w.said(x.Device, mode, x.Name+" address: "+p.String()), func(i *model.Interface) {
			i.Addresses = slices.DeleteFunc(slices.Clone(i.Addresses), is)
		}), nil
	}
	key := " address: "
	if secondary {
		key = " secondary: "
	}
	return w.Spec.AlterInterface(id, w.said(x.Device, mode, x.Name+key+p.String()), func(i *model.Interface) {
		beside := mode == adds
		var kept []model.Address
		for _, a := range i.Addresses {
			alike := a.Addr().Is4() == p.Addr().Is4() && a.Addr().IsLinkLocalUnicast() == p.Addr().IsLinkLocalUnicast() &&
				a.Secondary == secondary
			if a.Prefix != p && (beside || !alike || a.Virtual) {
				kept = append(kept, a)
			}
		}
		fresh := model.Address{Prefix: p, Place: i.Place, Secondary: secondary || beside &&
			slices.ContainsFunc(kept, func(a model.Address) bool { return a.Addr().Is4() == p.Addr().Is4() })}
		if fresh.Secondary || len(kept) == 0 {
			i.Addresses = append(kept, fresh)
			return
		}
		i.Addresses = append([]model.Address{fresh}, kept...) // the first is what the device sends from
	}), nil
}

// addressInstead puts an address in place of one that the interface has, or another of the device: 'A instead of B [on INTERFACE]'.
func (w reviser) addressInstead(id model.InterfaceID, p netip.Prefix, of []string, text string) (model.Change, error) {
	x := &w.Spec.Interfaces[id]
	old, _, err := prefix.Parse(of[0])
	at := id
	switch {
	case err != nil:
		return nil, err
	case len(of) == 3 && of[1] == "on":
		other, ok := w.Spec.InterfaceNamed(x.Device, of[2])
		if !ok {
			return nil, fmt.Errorf("%s has no interface %s", w.Spec.Devices[x.Device].Name, of[2])
		}
		at = other
	case len(of) != 1:
		return nil, changeForm(text)
	}
	is := func(a model.Address) bool { return a.Prefix == old }
	n := slices.IndexFunc(w.Spec.Interfaces[at].Addresses, is)
	if n < 0 {
		return nil, fmt.Errorf("%s does not have %s", w.Spec.Label(at), old)
	}
	fresh := w.Spec.Interfaces[at].Addresses[n]
	fresh.Prefix = p
	say := w.said(x.Device, replaces, fmt.Sprintf("%s address: %s instead of %s", x.Name, p, strings.Join(of, " ")))
	return model.Alter{Device: x.Device, Text: say, Bears: model.TouchesInterfaces, Do: func(s *model.Spec) *model.Spec {
		next := *s
		next.Interfaces = slices.Clone(s.Interfaces)
		from, to := &next.Interfaces[at], &next.Interfaces[id]
		from.Addresses = slices.Clone(from.Addresses)
		if at == id {
			from.Addresses[n] = fresh
			return &next
		}
		from.Addresses = slices.Delete(from.Addresses, n, n+1)
		to.Addresses = append(slices.Clone(to.Addresses), fresh)
		return &next
	}}, nil
}

// vlan is a VLAN by its number, or by the segment in it.
func (w reviser) vlan(text string) (model.VLAN, error) {
	if n, err := strconv.ParseUint(text, 10, 16); err == nil && n >= 1 && n <= 4094 {
		return model.VLAN(n), nil
	}
	var names []string
	for i := range w.Spec.Segments {
		if s := &w.Spec.Segments[i]; s.VLAN != 0 {
			if s.Name == text {
				return s.VLAN, nil
			}
			names = append(names, s.Name)
		}
	}
	return 0, fmt.Errorf("%s is neither a VLAN from 1 to 4094 nor a segment in one: %s", text, strings.Join(names, ", "))
}

// vlanChange reads which VLANs a port carries: access V, tagged V, V and untagged V.
func (w reviser) vlanChange(id model.InterfaceID, mode how, words []string, text, said string) (model.Change, error) {
	if x := &w.Spec.Interfaces[id]; !x.Switched &&
		(w.Spec.Devices[x.Device].Kind != model.SwitchDevice || x.Kind != model.Port || len(x.Addresses) > 0) {
		return nil, fmt.Errorf("%s is no switch port", w.Spec.Label(id))
	}
	key := ""
	var tagged []model.VLAN
	var untagged model.VLAN
	one := map[string]int{}
	for _, word := range words {
		word = strings.Trim(word, ",:")
		switch word {
		case "", "and":
			continue
		case "access", "tagged", "untagged":
			key = word
			one[key] = 0
			continue
		case "none":
			if key == "" {
				return nil, changeForm(text)
			}
			one[key]++
			continue
		}
		v, err := w.vlan(word)
		if err != nil {
			return nil, err
		}
		if one[key]++; key == "tagged" {
			tagged = append(tagged, v)
		} else {
			untagged = v
		}
	}
	for key, n := range one {
		if n == 0 || n > 1 && key != "tagged" {
			return nil, changeForm(text)
		}
	}
	_, sets := one["tagged"]
	_, access := one["access"]
	_, native := one["untagged"]
	return w.Spec.AlterInterface(id, said, func(i *model.Interface) {
		i.Switched, i.Tagged = true, slices.Clone(i.Tagged)
		switch mode {
		case adds:
			i.Tagged = append(i.Tagged, tagged...)
		case removes:
			i.Tagged = slices.DeleteFunc(i.Tagged, func(v model.VLAN) bool { return slices.Contains(tagged, v) })
		default:
			if sets || access {
				i.Tagged = slices.Clone(tagged)
			}
		}
		slices.Sort(i.Tagged)
		i.Tagged = slices.Compact(i.Tagged)
		switch {
		case mode == removes && (native || access) && i.Untagged == untagged:
			i.Untagged, i.Segment = 0, model.None
		case mode != removes && (native || access):
			i.Untagged = untagged
		case mode == replaces && sets:
			i.Untagged = 0
		}
		if access {
			i.Segment = w.Spec.SegmentOfVLAN(untagged)
		} else if native || sets {
			i.Segment = model.None
		}
	}), nil
}

// membersChange reads which ports a group has.
func (w reviser) membersChange(id model.InterfaceID, mode how, values []string, said string) (model.Change, error) {
	x := &w.Spec.Interfaces[id]
	if x.Kind != model.Group {
		return nil, fmt.Errorf("%s is no group of ports", w.Spec.Label(id))
	}
	var named []model.InterfaceID
	for _, v := range values {
		port, ok := w.Spec.InterfaceNamed(x.Device, strings.Trim(v, ","))
		if !ok {
			return nil, fmt.Errorf("%s has no interface %s", w.Spec.Devices[x.Device].Name, strings.Trim(v, ","))
		}
		if g := w.Spec.Interfaces[port].Group; mode != removes && g != model.None && g != id {
			return nil, fmt.Errorf("%s is a member of %s", w.Spec.Label(port), w.Spec.Label(g))
		}
		named = append(named, port)
	}
	members := named
	switch mode {
	case adds:
		members = append(slices.Clone(x.Members), named...)
	case removes:
		members = slices.DeleteFunc(slices.Clone(x.Members), func(m model.InterfaceID) bool { return slices.Contains(named, m) })
	}
	slices.Sort(members)
	members = slices.Compact(members)
	return model.Alter{Device: x.Device, Text: said, Bears: model.TouchesInterfaces, Do: func(s *model.Spec) *model.Spec {
		next := *s
		next.Interfaces = slices.Clone(s.Interfaces)
		for _, m := range next.Interfaces[id].Members {
			next.Interfaces[m].Group = model.None
		}
		for _, m := range members {
			next.Interfaces[m].Group = id
		}
		next.Interfaces[id].Members = members
		return &next
	}}, nil
}

// cableChange reads 'cable A to B', and with remove the cable by its ends or its name.
func (w reviser) cableChange(mode how, words []string, text string) (model.Change, error) {
	name := strings.Join(words, " ")
	if mode == removes {
		n := slices.IndexFunc(w.Spec.Cables, func(c model.Cable) bool {
			return !c.Pulled && (c.Name == name || w.Spec.Label(c.Ends[0])+" to "+w.Spec.Label(c.Ends[1]) == name || w.Spec.Label(c.Ends[1])+
				" to "+w.Spec.Label(c.Ends[0]) == name)
		})
		if n < 0 {
			return nil, fmt.Errorf("there is no cable %s", name)
		}
		on := w.Spec.Interfaces[w.Spec.Cables[n].Ends[0]].Device
		return model.Alter{Device: on, Text: "remove cable " + name, Bears: model.TouchesInterfaces, Do: func(s *model.Spec) *model.Spec {
			next := *s
			next.Cables = slices.Clone(s.Cables) // the others keep their numbers
			next.Cables[n].Pulled = true
			return &next
		}}, nil
	}
	if len(words) != 3 || words[1] != "to" {
		return nil, changeForm(text)
	}
	var ends [2]model.InterfaceID
	for i, word := range []string{words[0], words[2]} {
		e, err := w.Endpoint(word)
		if err != nil {
			return nil, err
		}
		if e.Interface == model.None || w.Spec.Interfaces[e.Interface].Kind != model.Port {
			return nil, fmt.Errorf("a cable ends at ports, and %s is none", word)
		}
		ends[i] = e.Interface
		if peer := w.Network.State.Peer(e.Interface); peer != model.None {
			return nil, fmt.Errorf("%s is plugged into %s already: remove that cable first", word, w.Spec.Label(peer))
		}
	}
	if ends[0] == ends[1] {
		return nil, fmt.Errorf("a cable has two ends")
	}
	return model.AddCable{Ends: ends}, nil
}

// slips is what a change makes wrong by itself, of the addresses it sets.
func slips(before, after *model.Spec) error {
	for id := range after.Interfaces {
		x := &after.Interfaces[id]
		for _, a := range x.Addresses {
			if id < len(before.Interfaces) &&
				slices.ContainsFunc(before.Interfaces[id].Addresses, func(b model.Address) bool { return b.Prefix == a.Prefix }) {
				continue
			}
			if err := addressSlip(after, model.InterfaceID(id), a); err != nil {
				return err
			}
		}
	}
	return nil
}

func addressSlip(spec *model.Spec, id model.InterfaceID, a model.Address) error {
	label := spec.Label(id)
	ip, subnet := a.Addr(), a.Masked()
	broadcast, _ := prefix.Broadcast(subnet)
	switch {
	case ip.IsMulticast(), ip.IsUnspecified(), ip.IsLoopback():
		return fmt.Errorf("%s is no address for an interface", ip)
	case ip.Is4() && a.Bits() < 31 && ip == broadcast:
		return fmt.Errorf("%s is the broadcast address of %s", ip, subnet)
	case ip.Is4() && a.Bits() < 31 && ip == subnet.Addr():
		return fmt.Errorf("%s is the address of the subnet %s itself", ip, subnet)
	case ip.IsLinkLocalUnicast():
		return nil
	}
	for _, h := range spec.HoldersOf(ip) {
		if h != id && !a.Virtual && !sharedThere(spec, h, ip) {
			return fmt.Errorf("%s has %s already", spec.Label(h), ip)
		}
	}
	x := &spec.Interfaces[id]
	for _, other := range spec.InterfacesOf(x.Device) {
		for _, b := range spec.Interfaces[other].Addresses {
			if other != id && spec.Interfaces[other].Table == x.Table && b.Bits() < b.Addr().BitLen() && a.Bits() < ip.BitLen() &&
				b.Masked().Overlaps(subnet) && !b.Addr().IsLinkLocalUnicast() {
				return fmt.Errorf("%s overlaps %s of %s", subnet, b.Masked(), spec.Label(other))
			}
		}
	}
	if x.Segment == model.None {
		return nil
	}
	var planned []netip.Prefix
	for _, p := range spec.Segments[x.Segment].Prefixes {
		if p.Addr().Is4() == ip.Is4() {
			planned = append(planned, p.Prefix)
		}
	}
	if len(planned) > 0 && !slices.ContainsFunc(planned, func(p netip.Prefix) bool { return p.Contains(ip) }) {
		return fmt.Errorf("%s lies outside %s, the subnet of %s, where %s is", ip, planned[0], spec.Segments[x.Segment].Name, label)
	}
	return nil
}

// sharedThere tells whether an interface has an address together with others.
func sharedThere(spec *model.Spec, id model.InterfaceID, ip netip.Addr) bool {
	return slices.ContainsFunc(spec.Interfaces[id].Addresses, func(a model.Address) bool { return a.Addr() == ip && a.Virtual })
}
