package coretest

import (
	"fmt"
	"math/rand/v2"
	"strings"
)

// RingNetwork is the text of a plan of routers in a ring with chords, 1.4 links
// each, and ten LANs on each router. No subnet is written out: they are assigned in
// the order of the plan, in which neighbouring LANs are on different routers, so
// that no router's LANs can be summarised.
func RingNetwork(routers int, wants string) string {
	r := rand.New(rand.NewPCG(7, 7))
	var segments, cables, devices strings.Builder
	interfaces := make([]strings.Builder, routers)
	for lan := range 10 {
		for _, i := range r.Perm(routers) {
			fmt.Fprintf(&segments, "  s%d-%d: {hosts: 20}\n", i, lan)
			fmt.Fprintf(&interfaces[i], "      s%d: {segment: s%d-%d, address: first}\n", lan, i, lan)
		}
	}
	link := 0
	join := func(a, b int) {
		fmt.Fprintf(&segments, "  l%d: {point-to-point: true}\n", link)
		fmt.Fprintf(&interfaces[a], "      l%d: {segment: l%d}\n", link, link)
		fmt.Fprintf(&interfaces[b], "      l%d: {segment: l%d}\n", link, link)
		fmt.Fprintf(&cables, "  - c%d: {between: \"r%d:l%d to r%d:l%d\", cost: %d}\n", link, a, link, b, link, 10+r.IntN(3))
		link++
	}
	for i := range routers {
		join(i, (i+1)%routers)
	}
	for range routers * 2 / 5 {
		a := r.IntN(routers)
		join(a, (a+2+r.IntN(routers-3))%routers)
	}
	for _, i := range r.Perm(routers) {
		fmt.Fprintf(&devices, "  r%d:\n    is: router\n    interfaces:\n%s", i, &interfaces[i])
	}
	return fmt.Sprintf("wants: %s\nblocks: {home: [10.0.0.0/8, \"2001:db8::/40\"]}\nsegments:\n%sdevices:\n%scables:\n%s", wants, &segments,
		&devices, &cables)
}
