package prefix

import "net/netip"

// Beside is the address nearest to a known one in its subnet that may be given to another
// machine: not the known one, none of those that are taken, and not the first usable one,
// which is most often the gateway's, unless nothing else is left. Higher addresses come
// before lower ones as far away. It is false where the subnet has no other.
func Beside(known netip.Prefix, taken []Range) (netip.Addr, bool) {
	gateway := First(known)
	one := func(a netip.Addr) Range { return Range{a, a} }
	left := UsableRange(known).But(append([]Range{one(known.Addr()), reservedRange(known)}, taken...))
	var best, far netip.Addr
	for _, r := range left {
		for _, free := range r.But([]Range{one(gateway)}) {
			near := free.First // the range lies above
			if free.Last.Less(known.Addr()) {
				near = free.Last
			}
			if !best.IsValid() || nearer(near, best, known.Addr()) {
				best = near
			}
		}
		if r.Contains(gateway) {
			far = gateway
		}
	}
	if !best.IsValid() {
		best = far
	}
	return best, best.IsValid()
}

// nearer tells whether a is nearer to an address than b, or as near and above it.
func nearer(a, b, to netip.Addr) bool {
	away := func(x netip.Addr) Wide {
		if x.Less(to) {
			return Number(to).minus(Number(x))
		}
		return Number(x).minus(Number(to))
	}
	if d := away(a).Compare(away(b)); d != 0 {
		return d < 0
	}
	return b.Less(a)
}

// UsableRange is from the first usable address of a subnet to the last; the reserved
// anycast ones of an IPv6 subnet of length 64 are within.
func UsableRange(p netip.Prefix) Range { return Range{First(p), Last(p)} }

// reservedRange is the reserved anycast addresses of a subnet, none where it has none.
func reservedRange(p netip.Prefix) Range {
	first, last, _ := ReservedRange(p)
	return Range{first, last}
}
