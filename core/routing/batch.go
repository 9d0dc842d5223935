package routing

import (
	"net/netip"
	"runtime"

	"ropeswing/core/parallel"
)

// Deciding finds, for each of many addresses of one family, what the table does
// with it: what Lookup finds for one, several times as fast. Where two find the
// same they are treated alike; Decided says how. Long lists are shared out among
// the cores.
func (v View) Deciding(addresses []netip.Addr, doing []int32) {
	cores := runtime.GOMAXPROCS(0)
	if len(addresses) < leastShare*2 || cores == 1 {
		v.table.decideAll(addresses, doing)
		return
	}
	share := max(leastShare, (len(addresses)+cores-1)/cores)
	parallel.Each((len(addresses)+share-1)/share, func(i int) {
		first, last := i*share, min(len(addresses), (i+1)*share)
		v.table.decideAll(addresses[first:last], doing[first:last])
	})
}

// leastShare is how many addresses are worth a core of their own.
const leastShare = 512

func (t *Table) decideAll(addresses []netip.Addr, doing []int32) {
	for len(addresses) > 0 {
		n := min(lanes, len(addresses))
		t.batch(addresses[:n], doing[:n])
		addresses, doing = addresses[n:], doing[n:]
	}
}

// lanes is how many searches go side by side: while one waits for memory, the
// others go on.
const lanes = 32

// batch is Deciding for no more addresses than there are lanes, all of them one
// step at a time.
func (t *Table) batch(addresses []netip.Addr, doing []int32) {
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
				doing[i] = x.runs[low[i]].does ^ x.runs[high[i]-1].does
			}
		}
		for i := range addresses {
			doing[i] = nothing
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
			doing[i] = x.runs[l].does
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
				doing[i] = x.runs[low[i]].does ^ x.runs[high[i]-1].does
			}
		}
		for i := range addresses {
			doing[i] = nothing
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
			doing[i] = x.runs[l].does
		}
	}
}
