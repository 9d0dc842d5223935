package coretest

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
)

// Shape is which routers are linked with which, the same pair twice for two links.
type Shape struct {
	Name    string
	Routers int
	Links   [][2]int
}

// Hub is a router with all others on it.
func Hub(branches int) Shape {
	s := Shape{Name: fmt.Sprintf("hub of %d", branches), Routers: branches + 1}
	for b := range branches {
		s.Links = append(s.Links, [2]int{0, b + 1})
	}
	return s
}

// DualHub is two linked routers with all others on both.
func DualHub(branches int) Shape {
	s := Shape{Name: fmt.Sprintf("two hubs of %d", branches), Routers: branches + 2, Links: [][2]int{{0, 1}}}
	for b := range branches {
		s.Links = append(s.Links, [2]int{0, b + 2}, [2]int{1, b + 2})
	}
	return s
}

// Ring is routers in a ring.
func Ring(n int) Shape {
	s := Shape{Name: fmt.Sprintf("ring of %d", n), Routers: n}
	for i := range n {
		s.Links = append(s.Links, [2]int{i, (i + 1) % n})
	}
	return s
}

// Grid is routers in rows and columns; one of two rows is a ladder.
func Grid(rows, columns int) Shape {
	s := Shape{Name: fmt.Sprintf("grid %d×%d", rows, columns), Routers: rows * columns}
	for r := range rows {
		for c := range columns {
			if c > 0 {
				s.Links = append(s.Links, [2]int{r*columns + c - 1, r*columns + c})
			}
			if r > 0 {
				s.Links = append(s.Links, [2]int{(r-1)*columns + c, r*columns + c})
			}
		}
	}
	return s
}

// RingOfRings is a ring of routers each of which lies in a ring of its own.
func RingOfRings(rings, size int) Shape {
	s := Shape{Name: fmt.Sprintf("ring of %d rings of %d", rings, size), Routers: rings * size}
	for i := range rings {
		s.Links = append(s.Links, [2]int{i * size, (i + 1) % rings * size})
		for j := range size {
			s.Links = append(s.Links, [2]int{i*size + j, i*size + (j+1)%size})
		}
	}
	return s
}

// Chords is a ring in random order with links across, as many as a share of its routers,
// in percent.
func Chords(r *rand.Rand, n, percent int) Shape {
	s := Shape{Name: fmt.Sprintf("ring of %d with %d %% chords", n, percent), Routers: n}
	p := r.Perm(n)
	for i := range n {
		s.Links = append(s.Links, [2]int{p[i], p[(i+1)%n]})
	}
	for range n * percent / 100 {
		a, b := r.IntN(n), r.IntN(n)
		if a != b && !slices.Contains(s.Links, [2]int{a, b}) && !slices.Contains(s.Links, [2]int{b, a}) {
			s.Links = append(s.Links, [2]int{a, b})
		}
	}
	return s
}

// Plan is the text of a plan of the shape: each router a site with a block of its own, in which
// are its LANs and its loopback; the links in another; carriers at some routers.
func (s Shape) Plan(lans int, carriers []int, wants string) string {
	var blocks, segments, cables, devices strings.Builder
	interfaces := make([]string, s.Routers)
	for i := range s.Routers {
		fmt.Fprintf(&blocks, "  site%d: [10.%d.%d.0/24, \"2001:db8:%x::/60\"]\n", i, i/200, i%200, 0x100+i)
		for l := range lans {
			fmt.Fprintf(&segments, "  lan%d-%d: {prefix: [10.%d.%d.%d/27, \"2001:db8:%x:%x::/64\"]}\n", i, l, i/200, i%200, l*32, 0x100+i, l)
			interfaces[i] += fmt.Sprintf("      lan%d: {segment: lan%d-%d, address: first}\n", l, i, l)
		}
	}
	for l, ends := range s.Links {
		fmt.Fprintf(&segments, "  link%d: {prefix: [10.255.%d.%d/31, \"2001:db8:0:%x::/127\"]}\n", l, l/128, l%128*2, l)
		fmt.Fprintf(&cables, "  - x%d: r%d:l%d to r%d:l%d\n", l, ends[0], l, ends[1], l)
		interfaces[ends[0]] += fmt.Sprintf("      l%d: {segment: link%d, address: first}\n", l, l)
		interfaces[ends[1]] += fmt.Sprintf("      l%d: {segment: link%d, address: last}\n", l, l)
	}
	for i, at := range carriers {
		fmt.Fprintf(&segments, "  up%d: {prefix: [198.51.100.%d/30, \"2001:db8:fffe:%x::/64\"]}\n", i, 4*i, i)
		interfaces[at] += fmt.Sprintf("      up%d: {segment: up%d, address: last}\n", i, i)
		fmt.Fprintf(&devices, "  w%d: {is: world, beyond: [192.0.2.0/24, \"2001:db8:ffff::/48\"], interfaces: {to: {segment: up%d, address: "+
			"first}}, routes: {home: r%d}}\n", i, i, at)
		fmt.Fprintf(&cables, "  - r%d:up%d to w%d:to\n", at, i, i)
	}
	for i := range s.Routers {
		fmt.Fprintf(&devices, "  r%d:\n    is: router\n    loopback: [10.%d.%d.255, \"2001:db8:%x:f::1\"]\n    interfaces:\n%s", i, i/200,
			i%200, 0x100+i, interfaces[i])
	}
	return fmt.Sprintf("wants: %s\nblocks:\n  home: [10.0.0.0/8, \"2001:db8::/32\"]\n  links: [10.255.0.0/16, \"2001:db8::/48\"]\n"+
		"%ssegments:\n%sdevices:\n%scables:\n%s", wants, &blocks, &segments, &devices, &cables)
}
