package routing

import (
	"encoding/binary"
	"math/bits"
	"net/netip"
	"slices"

	"ropeswing/core/prefix"
)

// indexRanges cuts the address space into runs of addresses with the same
// longest match, so that a lookup is one binary search. A run nobody matches
// has group -1.
func (t *Table) indexRanges() {
	var open []int32
	closeUpTo := func(next netip.Addr) {
		for len(open) > 0 {
			g := open[len(open)-1]
			p := t.prefixOf(g)
			if next.IsValid() && p.Contains(next) {
				return
			}
			open = open[:len(open)-1]
			after := prefix.Top(p).Next()
			if !after.IsValid() || next == after {
				continue
			}
			cover := t.groups[g].cover
			if cover >= 0 && after.Compare(prefix.Top(t.prefixOf(cover))) > 0 {
				continue // the one around ends here too
			}
			t.addRange(after, cover)
		}
	}
	for i := range t.groups {
		p := t.prefixOf(int32(i))
		closeUpTo(p.Addr())
		t.addRange(p.Addr(), int32(i))
		open = append(open, int32(i))
	}
	closeUpTo(netip.Addr{})
	t.ranges4.finish()
	t.ranges6.finish()
}

// addRange begins a run; a run that begins where the last one does takes its
// place.
func (t *Table) addRange(start netip.Addr, group int32) {
	if start.Is4() {
		t.ranges4.add(key4(start), group)
	} else {
		t.ranges6.add(key6(start), group)
	}
}

// range4 is a run of IPv4 addresses: where it starts, and once the table is
// settled what is done with it, as a place in the table's list of that: so a
// lookup need not look at groups.
type range4 struct {
	start uint32
	does  int32
}

// range6 is a run of IPv6 addresses.
type range6 struct {
	start [2]uint64
	does  int32
}

// does is what a table does with the addresses of a run. There are few in a
// table, however many runs.
type does struct {
	hops  hopSetID
	bits  uint8 // the length of the prefix
	local bool
	drops bool
	none  bool // no usable route
}

// index4 leads into a list of runs: for each value of the leading bits of an
// address, behind those that all starts have in common, the first run that starts
// with it or later. So a search has a few runs to look at.
type index4 struct {
	runs   []range4
	groups []int32 // by run: the narrowest, or -1
	common uint8   // leading bits that all starts but that of 0 have in common
	shift  uint8   // how far what is left of an address is shifted to be a place in at
	at     []int32
}

type index6 struct {
	runs   []range6
	groups []int32
	common uint8
	shift  uint8
	at     []int32
}

func (x *index4) add(start uint32, group int32) {
	if n := len(x.runs); n > 0 && x.runs[n-1].start == start {
		x.groups[n-1] = group
		return
	}
	x.runs, x.groups = append(x.runs, range4{start: start}), append(x.groups, group)
}

func (x *index6) add(start [2]uint64, group int32) {
	if n := len(x.runs); n > 0 && x.runs[n-1].start == start {
		x.groups[n-1] = group
		return
	}
	x.runs, x.groups = append(x.runs, range6{start: start}), append(x.groups, group)
}

// placesFor is how many bits of an address lead to its place in an index of n
// runs: about eight runs have one place.
func placesFor(n int) int { return max(0, min(20, bits.Len(uint(n))-3)) }

func (x *index4) finish() {
	x.runs, x.groups = slices.Clip(x.runs), slices.Clip(x.groups)
	n := len(x.runs)
	if n < 8 {
		return
	}
	x.common = uint8(min(bits.LeadingZeros32(x.runs[1].start^x.runs[n-1].start), 31))
	x.shift = uint8(32 - min(placesFor(n), 32-int(x.common)))
	x.at = make([]int32, 1<<(32-x.shift)+1)
	i := 0
	for p := range x.at {
		for i < n && (x.runs[i].start < x.runs[1].start || int(x.runs[i].start<<x.common>>x.shift) < p) {
			i++
		}
		x.at[p] = int32(i)
	}
	x.at[len(x.at)-1] = int32(n)
}

func (x *index6) finish() {
	x.runs, x.groups = slices.Clip(x.runs), slices.Clip(x.groups)
	n := len(x.runs)
	if n < 8 {
		return
	}
	first, last := x.runs[1].start, x.runs[n-1].start
	x.common = uint8(bits.LeadingZeros64(first[0] ^ last[0]))
	if x.common == 64 {
		x.common += uint8(min(bits.LeadingZeros64(first[1]^last[1]), 63))
	}
	x.shift = uint8(64 - min(placesFor(n), 128-int(x.common)))
	x.at = make([]int32, 1<<(64-x.shift)+1)
	i := 0
	for p := range x.at {
		for i < n && (less6(x.runs[i].start, first) || int(window(x.runs[i].start, x.common)>>x.shift) < p) {
			i++
		}
		x.at[p] = int32(i)
	}
	x.at[len(x.at)-1] = int32(n)
}

// window is the 64 bits of an address behind the first few.
func window(k [2]uint64, skip uint8) uint64 {
	if skip >= 64 {
		return k[1] << (skip - 64)
	}
	return k[0]<<skip | k[1]>>(64-skip)
}

// span is the part of the runs in which the last one that starts at an address
// or before it is: it is at low or behind it, and before high.
func (x *index4) span(k uint32) (low, high int) {
	n := len(x.runs)
	switch {
	case x.at == nil || k < x.runs[1].start:
		return 0, min(n, 8)
	case k >= x.runs[n-1].start:
		return n - 1, n
	}
	p := k << x.common >> x.shift
	return max(0, int(x.at[p])-1), int(x.at[p+1])
}

func (x *index6) span(k [2]uint64) (low, high int) {
	n := len(x.runs)
	switch {
	case x.at == nil || less6(k, x.runs[1].start):
		return 0, min(n, 8)
	case !less6(k, x.runs[n-1].start):
		return n - 1, n
	}
	p := window(k, x.common) >> x.shift
	return max(0, int(x.at[p])-1), int(x.at[p+1])
}

// find is the last run that starts at an address or before it; -1 where none
// does.
func (x *index4) find(k uint32) int {
	low, high := x.span(k)
	if low == high || x.runs[low].start > k {
		return -1
	}
	for high-low > 1 {
		if mid := int(uint(low+high) / 2); x.runs[mid].start <= k {
			low = mid
		} else {
			high = mid
		}
	}
	return low
}

func (x *index6) find(k [2]uint64) int {
	low, high := x.span(k)
	if low == high || less6(k, x.runs[low].start) {
		return -1
	}
	for high-low > 1 {
		if mid := int(uint(low+high) / 2); !less6(k, x.runs[mid].start) {
			low = mid
		} else {
			high = mid
		}
	}
	return low
}

// narrowest is the group of the longest prefix that holds the address, usable
// or not; -1 where none does.
func (t *Table) narrowest(a netip.Addr) int32 {
	if a.Is4() {
		if i := t.ranges4.find(key4(a)); i >= 0 {
			return t.ranges4.groups[i]
		}
		return -1
	}
	if i := t.ranges6.find(key6(a)); i >= 0 {
		return t.ranges6.groups[i]
	}
	return -1
}

// nothing is the place of what is done where no route matches.
const nothing = 0

// doing is what is done with an address, as a place in the list of that.
func (t *Table) doing(a netip.Addr) int32 {
	if a.Is4() {
		if i := t.ranges4.find(key4(a)); i >= 0 {
			return t.ranges4.runs[i].does
		}
		return nothing
	}
	if i := t.ranges6.find(key6(a)); i >= 0 {
		return t.ranges6.runs[i].does
	}
	return nothing
}

// run is what is done with the address at place i of a sorted list, and the
// place of the first behind it that is in another run.
func (t *Table) run(sorted []netip.Addr, i int) (doing int32, last int) {
	last = i + 1
	if a := sorted[i]; a.Is4() {
		x := &t.ranges4
		at := x.find(key4(a))
		if at >= 0 {
			doing = x.runs[at].does
		}
		for last < len(sorted) && sorted[last].Is4() && (at+1 == len(x.runs) || key4(sorted[last]) < x.runs[at+1].start) {
			last++
		}
		return doing, last
	}
	x := &t.ranges6
	at := x.find(key6(sorted[i]))
	if at >= 0 {
		doing = x.runs[at].does
	}
	for last < len(sorted) && (at+1 == len(x.runs) || less6(key6(sorted[last]), x.runs[at+1].start)) {
		last++
	}
	return doing, last
}

func key4(a netip.Addr) uint32 {
	b := a.As4()
	return binary.BigEndian.Uint32(b[:])
}

func address4(k uint32) netip.Addr {
	var b [4]byte
	binary.BigEndian.PutUint32(b[:], k)
	return netip.AddrFrom4(b)
}

func key6(a netip.Addr) [2]uint64 {
	b := a.As16()
	return [2]uint64{binary.BigEndian.Uint64(b[:8]), binary.BigEndian.Uint64(b[8:])}
}

func address6(k [2]uint64) netip.Addr {
	var b [16]byte
	binary.BigEndian.PutUint64(b[:8], k[0])
	binary.BigEndian.PutUint64(b[8:], k[1])
	return netip.AddrFrom16(b)
}

func less6(a, b [2]uint64) bool { return a[0] < b[0] || a[0] == b[0] && a[1] < b[1] }
