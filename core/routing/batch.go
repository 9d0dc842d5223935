package routing

import "net/netip"

// Deciding finds, for each of many addresses of one family, the group of routes
// that decides for it, or -1: what Lookup finds for one, several times as fast.
func (v View) Deciding(addresses []netip.Addr, groups []int32) {
	for len(addresses) > 0 {
		n := min(lanes, len(addresses))
		v.table.batch(addresses[:n], groups[:n])
		addresses, groups = addresses[n:], groups[n:]
	}
}

// Decided is the match of a group that Deciding found.
func (v View) Decided(group int32) Match { return v.match(group) }

// lanes is how many searches go side by side: while one waits for memory, the
// others go on.
const lanes = 32

// batch finds the deciding groups of no more addresses than there are lanes, all
// of them one step at a time.
func (t *Table) batch(addresses []netip.Addr, groups []int32) {
	var low, high [lanes]int
	if addresses[0].Is4() {
		var keys [lanes]uint32
		x := &t.ranges4
		for i, a := range addresses {
			keys[i] = key4(a)
			low[i], high[i] = x.span(keys[i])
		}
		for i := range addresses { // fetch what is needed next, all at once
			if low[i] < high[i] {
				groups[i] = int32(x.runs[(low[i]+high[i])/2].start)
			}
		}
		for i := range addresses {
			groups[i] = -1
			l, h, k := low[i], high[i], keys[i]
			if l == h || x.runs[l].start > k {
				continue
			}
			for h-l > 1 {
				if mid := int(uint(l+h) / 2); x.runs[mid].start <= k {
					l = mid
				} else {
					h = mid
				}
			}
			groups[i] = x.runs[l].group
		}
	} else {
		var keys [lanes][2]uint64
		x := &t.ranges6
		for i, a := range addresses {
			keys[i] = key6(a)
			low[i], high[i] = x.span(keys[i])
		}
		for i := range addresses {
			if low[i] < high[i] {
				groups[i] = x.runs[(low[i]+high[i])/2].group
			}
		}
		for i := range addresses {
			groups[i] = -1
			l, h, k := low[i], high[i], keys[i]
			if l == h || less6(k, x.runs[l].start) {
				continue
			}
			for h-l > 1 {
				if mid := int(uint(l+h) / 2); !less6(k, x.runs[mid].start) {
					l = mid
				} else {
					h = mid
				}
			}
			groups[i] = x.runs[l].group
		}
	}
	for i, g := range groups {
		groups[i] = t.decidingOf(g)
	}
}
