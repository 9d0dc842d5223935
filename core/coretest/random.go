package coretest

import (
	"fmt"
	"math/rand/v2"
	"net/netip"
	"slices"
	"strings"

	"ropeswing/core/model"
	"ropeswing/core/network"
)

// RandomNetwork is the text of a plan of a few routers: links between them, some
// of which hide their faults, a segment with a host behind each, here and there a
// segment that several routers are on, and a carrier or two.
func RandomNetwork(r *rand.Rand, wants string) string {
	var segments, devices, cables strings.Builder
	n := 3 + r.IntN(5)
	interfaces := make([]string, n)
	link := 0
	join := func(a, b int) {
		fmt.Fprintf(&segments, "  link%d: {prefix: [10.0.0.%d/31, \"2001:db8:0:%x::/127\"]}\n", link, 2*link, link)
		interfaces[a] += fmt.Sprintf("      l%d: {segment: link%d, address: first}\n", link, link)
		interfaces[b] += fmt.Sprintf("      l%d: {segment: link%d, address: last}\n", link, link)
		fault := "seen"
		if r.IntN(6) == 0 {
			fault = "hidden"
		}
		fmt.Fprintf(&cables, "  - c%d: {between: \"r%d:l%d to r%d:l%d\", cost: %d, fault: %s}\n", link, a, link, b, link, 5+r.IntN(3)*5, fault)
		link++
	}
	for i := 1; i < n; i++ {
		join(i, r.IntN(i)) // all hang together
	}
	for range r.IntN(n) {
		if a, b := r.IntN(n), r.IntN(n); a != b {
			join(a, b)
		}
	}
	for i := range n {
		fmt.Fprintf(&segments, "  lan%d: {prefix: [10.0.%d.0/%d, \"2001:db8:1:%x::/64\"]}\n", i, 16+i, 25+r.IntN(3), i)
		interfaces[i] += fmt.Sprintf("      lan: {segment: lan%d, address: first}\n", i)
		fmt.Fprintf(&devices, "  h%d: {is: host, interfaces: {port: {segment: lan%d, address: 5}}, gateway: r%d}\n", i, i, i)
	}
	if r.IntN(2) == 0 {
		segments.WriteString("  shared: {prefix: [10.0.15.0/28, \"2001:db8:2::/64\"]}\n")
		for i, where := range r.Perm(n)[:2] {
			interfaces[where] += fmt.Sprintf("      sh: {segment: shared, address: %d}\n", i+1)
		}
	}
	carriers := r.IntN(3)
	for i, where := range r.Perm(n)[:carriers] {
		fmt.Fprintf(&segments, "  up%d: {prefix: [198.51.100.%d/30, \"2001:db8:ca:%x::/64\"]}\n", i, 4*i, i)
		interfaces[where] += fmt.Sprintf("      up%d: {segment: up%d, address: last}\n", i, i)
		fmt.Fprintf(&devices, "  w%d: {is: world, beyond: [192.0.2.0/24, \"2001:db8:ffff::/48\"], interfaces: {to: {segment: up%d, address: "+
			"first}}, routes: {home: r%d}}\n", i, i, where)
		fmt.Fprintf(&cables, "  - r%d:up%d to w%d:to\n", where, i, i)
	}
	for i := range n {
		loopback := ""
		if r.IntN(2) == 0 {
			loopback = fmt.Sprintf("    loopback: [10.0.14.%d, \"2001:db8:3::%x\"]\n", 1+i, i+1)
		}
		fmt.Fprintf(&devices, "  r%d:\n    is: router\n%s    interfaces:\n%s", i, loopback, interfaces[i])
	}
	return fmt.Sprintf("wants: %s\nblocks: {home: [10.0.0.0/16, \"2001:db8::/46\"], links: [10.0.0.0/24], lans: [10.0.16.0/20]}\n"+
		"segments:\n%sdevices:\n%scables:\n%s", wants, &segments, &devices, &cables)
}

// LargeNetwork is the text of a plan of routers in a tree with other paths,
// about 1.4 links each, with ten segments and a block for each router, and two carriers.
func LargeNetwork(routers int, wants string) string {
	r := rand.New(rand.NewPCG(1, 1))
	var blocks, segments, cables, devices strings.Builder
	interfaces := make([]strings.Builder, routers)
	link := 0
	join := func(a, b int) {
		fmt.Fprintf(&segments, "  l%d: {prefix: [10.255.%d.%d/31, \"2001:db8:7f00:%x::/127\"]}\n", link, link/128, link%128*2, link)
		fmt.Fprintf(&interfaces[a], "      l%d: {segment: l%d, address: first}\n", link, link)
		fmt.Fprintf(&interfaces[b], "      l%d: {segment: l%d, address: last}\n", link, link)
		fmt.Fprintf(&cables, "  - c%d: {between: \"r%d:l%d to r%d:l%d\", cost: %d}\n", link, a, link, b, link, 10+r.IntN(3))
		link++
	}
	for i := 1; i < routers; i++ {
		join(i, (i-1)/3) // each has three below it
	}
	for range routers * 2 / 5 {
		a := r.IntN(routers)
		if b := (a + 2 + r.IntN(60)) % routers; a != b { // and another path
			join(a, b)
		}
	}
	for i := range routers {
		fmt.Fprintf(&blocks, "  b%d: [10.%d.%d.0/22, \"2001:db8:%x::/44\"]\n", i, i/64, i%64*4, 0x10*i)
		for s := range 10 {
			fmt.Fprintf(&segments, "  s%d-%d: {prefix: [10.%d.%d.%d/27, \"2001:db8:%x:%x::/64\"]}\n", i, s, i/64, i%64*4+s/8, s%8*32, 0x10*i, s)
			fmt.Fprintf(&interfaces[i], "      s%d: {segment: s%d-%d, address: first}\n", s, i, s)
		}
	}
	for i, at := range []int{0, routers / 2} {
		fmt.Fprintf(&segments, "  up%d: {prefix: [198.51.100.%d/30, \"2001:db8:fffe:%x::/64\"]}\n", i, 4*i, i)
		fmt.Fprintf(&interfaces[at], "      up: {segment: up%d, address: last}\n", i)
		fmt.Fprintf(&devices, "  w%d: {is: world, beyond: [192.0.2.0/24, \"2001:db8:ffff::/48\"], interfaces: {to: {segment: up%d, address: "+
			"first}}, routes: {home: r%d}}\n", i, i, at)
	}
	for i := range routers {
		fmt.Fprintf(&devices, "  r%d:\n    is: router\n    interfaces:\n%s", i, &interfaces[i])
	}
	return fmt.Sprintf("wants: %s\nblocks:\n  home: [10.0.0.0/8, \"2001:db8::/33\"]\n%ssegments:\n%sdevices:\n%scables:\n%s", wants, &blocks,
		&segments, &devices, &cables)
}

// WithTreeRoutes gives every router of a large network routes to the blocks, links
// and carriers' segments of all others, by the fewest hops.
func WithTreeRoutes(spec *model.Spec) *model.Spec {
	state := network.Build(spec).State()
	type link struct {
		to  model.DeviceID
		out model.InterfaceID
		far model.InterfaceID
	}
	links := make([][]link, len(spec.Devices))
	for id := range spec.Interfaces {
		for _, n := range state.Neighbours(model.InterfaceID(id)) {
			d := spec.Interfaces[id].Device
			links[d] = append(links[d], link{spec.Interfaces[n].Device, model.InterfaceID(id), n})
		}
	}
	own := make([][]netip.Prefix, len(spec.Devices))
	for d := range own {
		own[d] = ownPrefixes(spec, model.DeviceID(d))
	}
	var statics []model.Static
	for d := range spec.Devices {
		from := model.DeviceID(d)
		first := map[model.DeviceID]link{}
		queue := []model.DeviceID{from}
		for len(queue) > 0 {
			at := queue[0]
			queue = queue[1:]
			for _, l := range links[at] {
				if _, known := first[l.to]; known || l.to == from {
					continue
				}
				if first[l.to] = first[at]; at == from {
					first[l.to] = l
				}
				queue = append(queue, l.to)
			}
		}
		has := map[netip.Prefix]bool{}
		for to := range spec.Devices {
			l, ok := first[model.DeviceID(to)]
			if !ok {
				continue
			}
			for _, p := range own[to] {
				if slices.ContainsFunc(own[from], func(q netip.Prefix) bool { return q == p }) {
					continue // it is on it itself
				}
				if has[p] {
					continue // a link, by its other end
				}
				has[p] = true
				for _, a := range spec.Interfaces[l.far].Addresses {
					if a.Addr().Is4() == p.Addr().Is4() {
						statics = append(statics, model.Static{Device: from, To: p, Via: a.Addr(), Out: l.out, Distance: 1, Origin: model.Derived})
					}
				}
			}
		}
	}
	return spec.WithDerived(statics)
}

// ownPrefixes is a router's block, and the subnets of it that are in none.
func ownPrefixes(spec *model.Spec, d model.DeviceID) []netip.Prefix {
	var all []netip.Prefix
	for _, b := range spec.Blocks {
		if b.Name == "b"+strings.TrimPrefix(spec.Devices[d].Name, "r") {
			for _, p := range b.Prefixes {
				all = append(all, p.Prefix)
			}
		}
	}
	for _, id := range spec.InterfacesOf(d) {
		for _, a := range spec.Interfaces[id].Addresses {
			if !slices.ContainsFunc(all, func(p netip.Prefix) bool { return p.Contains(a.Addr()) }) {
				all = append(all, a.Masked())
			}
		}
	}
	return all
}
