package derive_test

import (
	"fmt"
	"math/bits"
	"math/rand/v2"
	"net/netip"
	"slices"
	"strings"

	"ropeswing/core/prefix"
)

// small is a network of few routers.
type small struct {
	routers int
	links   [][2]int
	lans    []netip.Prefix
	owner   []int // by LAN
}

// hops is how many links lie between two routers.
func (s small) hops(from, to int) int {
	reached := uint(1) << from
	for n := 0; ; n++ {
		if reached>>to&1 == 1 {
			return n
		}
		next := reached
		for _, l := range s.links {
			if reached>>l[0]&1 == 1 || reached>>l[1]&1 == 1 {
				next |= 1<<l[0] | 1<<l[1]
			}
		}
		reached = next
	}
}

// shapes lists the connected networks of a number of routers, one of all that are alike.
func shapes(routers int) []small {
	var pairs [][2]int
	for i := range routers {
		for j := range i {
			pairs = append(pairs, [2]int{j, i})
		}
	}
	var all []small
	seen := make([]bool, 1<<len(pairs))
	for set := range uint(1) << len(pairs) {
		if seen[set] {
			continue
		}
		s := small{routers: routers}
		for k, p := range pairs {
			if set>>k&1 == 1 {
				s.links = append(s.links, p)
			}
		}
		if bits.OnesCount(s.within(0, -1)) == routers {
			all = append(all, s)
		}
		eachOrder(routers, func(order []int) {
			like := uint(0)
			for _, l := range s.links {
				a, b := order[l[0]], order[l[1]]
				like |= 1 << slices.Index(pairs, [2]int{min(a, b), max(a, b)})
			}
			seen[like] = true
		})
	}
	return all
}

// eachOrder calls do with every order of the first n numbers.
func eachOrder(n int, do func([]int)) {
	order := make([]int, n)
	for i := range order {
		order[i] = i
	}
	var from func(int)
	from = func(k int) {
		if k == n {
			do(order)
			return
		}
		for i := k; i < n; i++ {
			order[k], order[i] = order[i], order[k]
			from(k + 1)
			order[k], order[i] = order[i], order[k]
		}
	}
	from(0)
}

// withLANs gives each router a LAN or two, anywhere in 10.0.0.0/15.
func (s small) withLANs(r *rand.Rand) small {
	s.lans, s.owner = nil, nil
	for i := range s.routers {
		for n := 1 + r.IntN(2); n > 0; {
			p := netip.PrefixFrom(netip.AddrFrom4([4]byte{10, byte(r.IntN(2)), byte(r.IntN(256)), 0}), 24)
			if !slices.Contains(s.lans, p) {
				s.lans, s.owner = append(s.lans, p), append(s.owner, i)
				n--
			}
		}
	}
	return s
}

// plan is the network as a plan.
func (s small) plan(wants string) string {
	var b strings.Builder
	fmt.Fprintf(&b, "wants: %s\nblocks: {all: 10.0.0.0/8}\nsegments:\n", wants)
	for i, p := range s.lans {
		fmt.Fprintf(&b, "  lan-%d: {prefix: %s}\n", i, p)
	}
	for k := range s.links {
		fmt.Fprintf(&b, "  l-%d: {prefix: 10.255.0.%d/31}\n", k, 2*k)
	}
	b.WriteString("devices:\n")
	for i := range s.routers {
		fmt.Fprintf(&b, "  r%d: {is: router, interfaces: {", i)
		for k, o := range s.owner {
			if o == i {
				fmt.Fprintf(&b, "lan%d: {segment: lan-%d, address: 1}, ", k, k)
			}
		}
		for k, l := range s.links {
			for e := range 2 {
				if l[e] == i {
					fmt.Fprintf(&b, "e%d: {segment: l-%d, address: %d}, ", k, k, e+1)
				}
			}
		}
		b.WriteString("}}\n")
	}
	b.WriteString("cables:\n")
	for k, l := range s.links {
		fmt.Fprintf(&b, "  - r%d:e%d to r%d:e%d\n", l[0], k, l[1], k)
	}
	return b.String()
}

// within is the routers that hang together with one when a link has failed.
func (s small) within(from, without int) uint {
	in := uint(1) << from
	for was := uint(0); was != in; {
		was = in
		for k, l := range s.links {
			if k != without && in>>l[0]&1 != in>>l[1]&1 {
				in |= 1<<l[0] | 1<<l[1]
			}
		}
	}
	return in
}

// places is where lines may lead: to sets of LANs, and of addresses that nobody has, one
// inside each prefix around several LANs and one outside of all. Lines to any other prefix do the
// same as one of these.
type places struct {
	leaves []netip.Prefix // the LANs first
	sets   []uint         // of leaves, by place
	parent []int          // by place; -1 of the widest
}

func (s small) places() places {
	p := places{leaves: slices.Clone(s.lans)}
	p.leaves = append(p.leaves, netip.MustParsePrefix("10.200.0.1/32"))
	for i := range s.lans {
		for j := range i {
			around := prefix.Around([]netip.Prefix{s.lans[i], s.lans[j]})
			if free, ok := s.free(around); ok && !slices.Contains(p.leaves, free) {
				p.leaves = append(p.leaves, free)
			}
		}
	}
	for _, leaf := range p.leaves {
		for n := leaf.Bits(); n >= 0; n-- {
			wide := netip.PrefixFrom(leaf.Addr(), n).Masked()
			set := uint(0)
			for k, q := range p.leaves {
				if wide.Overlaps(q) {
					set |= 1 << k
				}
			}
			if !slices.Contains(p.sets, set) {
				p.sets = append(p.sets, set)
			}
		}
	}
	slices.SortFunc(p.sets, func(a, b uint) int { return bits.OnesCount(b) - bits.OnesCount(a) })
	for i, set := range p.sets {
		p.parent = append(p.parent, -1)
		for j := range i {
			if p.sets[j]&set == set {
				p.parent[i] = j
			}
		}
	}
	return p
}

// free is an address in a prefix around LANs, as near the middle of it as may be, that none of them has.
func (s small) free(around netip.Prefix) (netip.Prefix, bool) {
	low := netip.PrefixFrom(around.Addr(), around.Bits()+1)
	high, _ := prefix.Next(low)
	for _, half := range []netip.Prefix{low, high} {
		var in []netip.Prefix
		for _, l := range s.lans {
			if half.Overlaps(l) {
				in = append(in, l)
			}
		}
		tight := prefix.Around(in)
		for a := half; ; {
			a = netip.PrefixFrom(a.Addr(), 24)
			if !tight.Overlaps(a) {
				return netip.PrefixFrom(a.Addr(), 32), true
			}
			next, ok := prefix.Next(a)
			if !ok || !half.Contains(next.Addr()) {
				break
			}
			a = next
		}
	}
	return netip.Prefix{}, false
}
