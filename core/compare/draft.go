package compare

import (
	"cmp"
	"fmt"
	"maps"
	"net/netip"
	"slices"
	"strconv"
	"strings"

	"ropeswing/core/observed"
	"ropeswing/core/plan"
	"ropeswing/core/prefix"
)

// drafted is a segment to be: interfaces that share subnets.
type drafted struct {
	name     string
	prefixes []netip.Prefix
	on       map[[2]string]bool // device and interface
}

// Draft drafts a plan from what was observed, as its text: segments from subnets that
// interfaces share, cables from MAC addresses seen behind ports, routes as they were
// found. A comment says where something was guessed.
func Draft(devices []*observed.Device) []byte {
	devices = slices.Clone(devices)
	slices.SortFunc(devices, func(a, b *observed.Device) int { return cmp.Compare(a.Name, b.Name) })
	d := &draft{devices: devices}
	d.segments()
	var b strings.Builder
	b.WriteString("# Drafted from what was observed. What was guessed says so; give the segments names of your own.\nropeswing: 1\nplan: " +
		"Drafted\n")
	if len(d.all) > 0 {
		b.WriteString("\nsegments:\n")
	}
	for _, s := range d.all {
		fmt.Fprintf(&b, "  %s\n", s.line())
	}
	b.WriteString("\ndevices:\n")
	for _, x := range devices {
		d.device(&b, x)
	}
	for n, c := range d.cables() {
		if n == 0 {
			b.WriteString("\ncables:   # guessed, from who says who is at the other end, MAC addresses, neighbours and subnets of two\n")
		}
		fmt.Fprintf(&b, "  - %s\n", c.item())
	}
	return []byte(b.String())
}

// line is the segment as the plan says it.
func (s *drafted) line() string {
	return fmt.Sprintf("%s: {prefix: [%s]}", s.name, quotedPrefixes(s.prefixes))
}

// guessedCable is a cable to be: two ends, each a device and an interface.
type guessedCable [2][2]string

// item is the cable as the plan lists it.
func (j guessedCable) item() string {
	return plan.Word(j[0][0] + ":" + j[0][1] + " to " + j[1][0] + ":" + j[1][1])
}

type draft struct {
	devices []*observed.Device
	cabled  bool // what is drafted goes where there are cables already
	all     []*drafted
	on      map[[2]string]*drafted // the segment an interface is on: device and interface
}

// isLoopback tells whether an interface is one by what it says or is called.
func isLoopback(i *observed.Interface) bool {
	return i.Type == "loopback" || i.Type == "softwareLoopback" || i.Name == "lo" || i.Name == "loopback"
}

// segments puts together the interfaces that share a subnet, and the subnets that are
// on the same interfaces.
func (d *draft) segments() {
	by := map[netip.Prefix]*drafted{}
	for _, x := range d.devices {
		for n := range x.Interfaces {
			i := &x.Interfaces[n]
			if isLoopback(i) {
				continue
			}
			for _, a := range i.Addresses {
				if a.Addr().IsLinkLocalUnicast() || a.IsSingleIP() {
					continue
				}
				p := a.Masked()
				if by[p] == nil {
					by[p] = &drafted{prefixes: []netip.Prefix{p}, on: map[[2]string]bool{}}
					d.all = append(d.all, by[p])
				}
				by[p].on[[2]string{x.Name, i.Name}] = true
			}
		}
	}
	slices.SortFunc(d.all, func(a, b *drafted) int {
		return cmp.Or(a.prefixes[0].Addr().Compare(b.prefixes[0].Addr()), a.prefixes[0].Bits()-b.prefixes[0].Bits())
	})
	var together []*drafted
	at := map[[2]string]int{} // in together, the segment an interface is on
	for _, s := range d.all {
		into := len(together)
		for k := range s.on {
			if n, ok := at[k]; ok {
				into = min(into, n)
			}
		}
		if into == len(together) {
			together = append(together, s)
		} else {
			together[into].prefixes = append(together[into].prefixes, s.prefixes...)
		}
		for k := range s.on {
			together[into].on[k] = true
			if n, ok := at[k]; !ok || into < n {
				at[k] = into
			}
		}
	}
	d.all, d.on = together, map[[2]string]*drafted{}
	for k, n := range at {
		d.on[k] = together[n]
	}
	for _, s := range d.all {
		s.name = "net-" + strings.NewReplacer(".", "-", ":", "-", "/", "-").Replace(s.prefixes[0].String())
	}
}

// of is the segment an interface is on; nil where it is on none.
func (d *draft) of(device, iface string) *drafted { return d.on[[2]string{device, iface}] }

func quotedPrefixes(all []netip.Prefix) string {
	var words []string
	for _, p := range all {
		words = append(words, quotedIf6(p.String()))
	}
	return strings.Join(words, ", ")
}

func quotedIf6(text string) string {
	if strings.Contains(text, ":") {
		return `"` + text + `"`
	}
	return text
}

// guess is what a device seems to be.
type guess uint8

const (
	hostGuess guess = iota
	routerGuess
	plainSwitch
	routingSwitch
)

// words are what it is, and why.
func (g guess) words() (kind, why string) {
	switch g {
	case routingSwitch:
		return "switch", "it has VLANs, and routes"
	case plainSwitch:
		return "switch", "it has VLANs"
	case routerGuess:
		return "router", "it is on several subnets, or has routes"
	}
	return "host", "it is on one subnet"
}

// kind guesses what a device is: who has VLANs is a switch, who has several subnets a
// router, else it is a host.
func (d *draft) kind(x *observed.Device) guess {
	subnets, vlans := map[*drafted]bool{}, false
	for _, i := range x.Interfaces {
		if s := d.of(x.Name, i.Name); s != nil {
			subnets[s] = true
		}
		vlans = vlans || len(i.Tagged) > 0 || i.Untagged != nil && *i.Untagged > 0
	}
	vlans = vlans || x.Knows(observed.VLANs) && len(subnets) == 0
	switch {
	case vlans && len(subnets) > 1:
		return routingSwitch
	case vlans:
		return plainSwitch
	case len(subnets) > 1 || routesBeyondDefault(x):
		return routerGuess
	}
	return hostGuess
}

func routesBeyondDefault(x *observed.Device) bool {
	return slices.ContainsFunc(x.Routes, func(r observed.Route) bool {
		return r.To.Bits() > 0 && r.Source != "direct" && r.Source != "local"
	})
}

func (d *draft) device(b *strings.Builder, x *observed.Device) {
	guess := d.kind(x)
	kind, why := guess.words()
	fmt.Fprintf(b, "  %s:\n    is: %s   # guessed: %s\n", plan.Word(x.Name), kind, why)
	if guess == routingSwitch {
		b.WriteString("    forwards: true\n")
	}
	var loopbacks []string
	var interfaces strings.Builder
	for n := range x.Interfaces {
		i := &x.Interfaces[n]
		if isLoopback(i) {
			for _, a := range i.Addresses {
				loopbacks = append(loopbacks, quotedIf6(a.Addr().String()))
			}
			continue
		}
		fmt.Fprintf(&interfaces, "      %s: {%s}\n", plan.Word(i.Name), strings.Join(d.keys(x, i), ", "))
	}
	if len(loopbacks) > 0 {
		fmt.Fprintf(b, "    loopback: [%s]\n", strings.Join(loopbacks, ", "))
	}
	if interfaces.Len() > 0 {
		b.WriteString("    interfaces:\n" + interfaces.String())
	}
	if guess == hostGuess || guess == plainSwitch {
		var gateways []string
		for _, r := range x.Routes {
			if r.To.Bits() == 0 && r.NextHop.IsValid() && r.Table == "" {
				gateways = append(gateways, quotedIf6(r.NextHop.String()))
			}
		}
		gateways = append(gateways, withoutGateway(x)...)
		if len(gateways) > 0 {
			fmt.Fprintf(b, "    gateway: [%s]\n", strings.Join(gateways, ", "))
		}
		return
	}
	d.routes(b, x)
}

// withoutGateway are the words for the families in which a device has addresses, and is
// known to have no default: a plan would give it its segment's gateway.
func withoutGateway(x *observed.Device) []string {
	var words []string
	for _, family := range prefix.Families {
		part, word := observed.Routes6, "no-ipv6"
		if family == prefix.IPv4 {
			part, word = observed.Routes4, "no-ipv4"
		}
		addressed := slices.ContainsFunc(x.Interfaces, func(i observed.Interface) bool {
			return slices.ContainsFunc(i.Addresses, func(a observed.Address) bool {
				return prefix.FamilyOf(a.Addr()) == family && !a.Addr().IsLinkLocalUnicast() && !a.IsSingleIP()
			})
		})
		has := slices.ContainsFunc(x.Routes, func(r observed.Route) bool {
			return r.To.Bits() == 0 && prefix.FamilyOf(r.To.Addr()) == family && r.NextHop.IsValid() && r.Table == ""
		})
		if x.Knows(part) && addressed && !has {
			words = append(words, word)
		}
	}
	return words
}

// keys are what the plan says of an interface.
func (d *draft) keys(x *observed.Device, i *observed.Interface) []string {
	var keys, addresses, secondary []string
	s := d.of(x.Name, i.Name)
	if s != nil && i.Oper != observed.Down {
		keys = append(keys, "segment: "+s.name)
	}
	for _, a := range i.Addresses {
		switch {
		case a.Addr().IsLinkLocalUnicast():
		case a.Secondary:
			secondary = append(secondary, quotedIf6(a.Prefix.String()))
		default:
			addresses = append(addresses, quotedIf6(a.Prefix.String()))
		}
	}
	for _, v := range []struct {
		key string
		all []string
	}{{"address", addresses}, {"secondary", secondary}} {
		if len(v.all) > 0 {
			keys = append(keys, v.key+": ["+strings.Join(v.all, ", ")+"]")
		}
	}
	if len(i.Tagged) > 0 {
		words := make([]string, len(i.Tagged))
		for n, v := range i.Tagged {
			words[n] = fmt.Sprint(v)
		}
		keys = append(keys, "tagged: ["+strings.Join(words, ", ")+"]")
	}
	if i.Untagged != nil && *i.Untagged > 0 {
		key := "access"
		if len(i.Tagged) > 0 {
			key = "untagged"
		}
		keys = append(keys, fmt.Sprintf("%s: %d", key, *i.Untagged))
	}
	if n := slices.IndexFunc(x.Routes,
		func(r observed.Route) bool { return r.Table != "" && r.Interface == i.Name && !r.NextHop.IsValid() }); n >= 0 {
		keys = append(keys, "table: "+plan.Word(x.Routes[n].Table)) // its subnet is in that table
	}
	if i.Admin == observed.Down {
		keys = append(keys, "admin: down")
	}
	if i.MTU >= 68 && i.MTU <= 65535 && i.MTU != 1500 {
		keys = append(keys, fmt.Sprintf("mtu: %d", i.MTU))
	}
	if i.Duplex == "half" { // full is the usual one
		keys = append(keys, "duplex: half")
	}
	if i.Description != "" {
		keys = append(keys, "note: "+strconv.Quote(i.Description))
	}
	return keys
}

// routes are the routes that are not direct, as they were found.
func (d *draft) routes(b *strings.Builder, x *observed.Device) {
	tables := map[string]map[netip.Prefix][]observed.Route{}
	order := map[string][]netip.Prefix{}
	var names []string
	for _, r := range x.Routes {
		if r.Source == "direct" || r.Source == "local" || !r.Discard && !r.NextHop.IsValid() && r.Interface == "" {
			continue
		}
		if r.NextHop.IsValid() && r.NextHop.Is4() != r.To.Addr().Is4() {
			fmt.Fprintf(b, "    # %s goes via %s, a next hop of the other family, which a plan has not\n", r.To, r.NextHop)
			continue
		}
		if tables[r.Table] == nil {
			tables[r.Table] = map[netip.Prefix][]observed.Route{}
			names = append(names, r.Table)
		}
		if len(tables[r.Table][r.To]) == 0 {
			order[r.Table] = append(order[r.Table], r.To)
		}
		tables[r.Table][r.To] = append(tables[r.Table][r.To], r)
	}
	slices.Sort(names)
	for _, name := range names {
		indent := "      "
		if name == "" {
			b.WriteString("    routes:\n")
		} else {
			if slices.Index(names, name) == 0 || names[slices.Index(names, name)-1] == "" {
				b.WriteString("    tables:\n")
			}
			fmt.Fprintf(b, "      %s:\n", plan.Word(name))
			indent = "        "
		}
		for _, to := range order[name] {
			var hops []string
			for _, r := range ranked(tables[name][to]) {
				hops = append(hops, hopKeys(r))
			}
			text := hops[0]
			if len(hops) > 1 {
				text = "[" + strings.Join(hops, ", ") + "]"
			}
			fmt.Fprintf(b, "%s%s: %s\n", indent, quotedIf6(to.String()), text)
		}
	}
}

// ranked are the next hops of one route in their order. Where two are in use alike, which is equal cost, and no distance is told, each gets
// the distance that its place stands for, since a list without them is an order.
func ranked(all []observed.Route) []observed.Route {
	metric := func(r *observed.Route) int {
		if r.Metric == nil {
			return 0
		}
		return *r.Metric
	}
	if slices.ContainsFunc(all, func(r observed.Route) bool { return r.Distance != nil || r.Active == nil || !*r.Active }) {
		return all
	}
	all = slices.Clone(all)
	slices.SortStableFunc(all, func(a, b observed.Route) int { return metric(&a) - metric(&b) })
	distance, alike := 1, false
	given := make([]int, len(all))
	for i := range all {
		if i > 0 && metric(&all[i]) != metric(&all[i-1]) {
			distance += 10
		} else if i > 0 {
			alike = true
		}
		given[i] = min(distance, 254)
	}
	for i := range all {
		if alike {
			all[i].Distance = &given[i]
		}
	}
	return all
}

func hopKeys(r observed.Route) string {
	var keys []string
	switch {
	case r.Discard:
		keys = append(keys, "discard: true")
	default:
		if r.NextHop.IsValid() {
			keys = append(keys, "next-hop: "+quotedIf6(r.NextHop.String()))
		}
		if r.Interface != "" {
			keys = append(keys, "out: "+plan.Word(r.Interface))
		}
	}
	if r.Distance != nil && *r.Distance >= 1 && *r.Distance <= 254 {
		keys = append(keys, fmt.Sprintf("distance: %d", *r.Distance))
	}
	return "{" + strings.Join(keys, ", ") + "}"
}

// cables are drawn where a device says who is at the other end (IEEE 802.1AB), where a MAC
// address seen behind a port is that of an interface, and where one of the only two
// interfaces on a subnet has the other as its neighbour; and where there are cables at all, where a subnet has no room for more
// than the two that are on it: without cables a segment is the wire, with some a port that has none is taken for unplugged.
func (d *draft) cables() (all []guessedCable) {
	behind := map[string][][2]string{} // by MAC: the ports it was seen behind
	for _, x := range d.devices {
		for _, m := range x.MACs {
			behind[m.MAC] = append(behind[m.MAC], [2]string{x.Name, m.Interface})
		}
	}
	used := map[[2]string]bool{}
	join := func(a, c [2]string) {
		if used[a] || used[c] || a[0] == c[0] {
			return
		}
		used[a], used[c] = true, true
		all = append(all, guessedCable{a, c})
	}
	for _, x := range d.devices {
		for _, l := range x.Links {
			at := [2]string{x.Name, l.Interface}
			n := slices.IndexFunc(d.devices, func(o *observed.Device) bool { return strings.EqualFold(o.Name, l.Device) })
			if n >= 0 && hasInterface(x, l.Interface) && hasInterface(d.devices[n], l.Port) {
				join(at, [2]string{d.devices[n].Name, l.Port})
			}
		}
	}
	for _, x := range d.devices {
		for _, i := range x.Interfaces {
			if i.MAC != "" && len(behind[i.MAC]) == 1 { // else it is seen nowhere, or there is a switch between
				join([2]string{x.Name, i.Name}, behind[i.MAC][0])
			}
		}
	}
	ports, some := d.ports(), len(all) > 0
	for _, s := range d.all {
		ends := slices.SortedFunc(maps.Keys(s.on), func(a, b [2]string) int { return cmp.Or(cmp.Compare(a[0], b[0]), cmp.Compare(a[1], b[1])) })
		if len(ends) != 2 {
			continue
		}
		a, okA := ports[ends[0]]
		c, okC := ports[ends[1]]
		if okA && okC && len(behind[a.MAC])+len(behind[c.MAC]) == 0 && // nothing is known to be between
			(a.hears(c) || c.hears(a) || s.isLink() && (d.cabled || some)) {
			join(ends[0], ends[1])
		}
	}
	return all
}

// isLink tells whether the subnets of a segment have room for two.
func (s *drafted) isLink() bool {
	return len(s.prefixes) > 0 && !slices.ContainsFunc(s.prefixes, func(p netip.Prefix) bool { return p.Addr().BitLen()-p.Bits() > 2 })
}

func hasInterface(d *observed.Device, name string) bool {
	return slices.ContainsFunc(d.Interfaces, func(i observed.Interface) bool { return i.Name == name })
}

// port is an interface that a cable may be plugged into.
type port struct {
	device *observed.Device
	*observed.Interface
}

// ports are the interfaces that cables may be plugged into: not those within others, nor
// of switches, nor those that are down.
func (d *draft) ports() map[[2]string]port {
	all := map[[2]string]port{}
	for _, x := range d.devices {
		for n := range x.Interfaces {
			i := &x.Interfaces[n]
			if !x.Knows(observed.VLANs) && i.Oper != observed.Down && i.Admin != observed.Down && i.Type != "l2vlan" &&
				!strings.Contains(i.Name, ".") && !strings.HasPrefix(i.Name, "vlan") {
				all[[2]string{x.Name, i.Name}] = port{x, i}
			}
		}
	}
	return all
}

// hears tells whether a port has another as its neighbour.
func (a port) hears(b port) bool {
	return b.MAC != "" && slices.ContainsFunc(a.device.Neighbours, func(n observed.Neighbour) bool {
		return n.Interface == a.Name && strings.EqualFold(n.MAC, b.MAC)
	})
}
