package routing

import (
	"encoding/binary"
	"net/netip"
	"sort"

	"ropeswing/core/prefix"
)

// indexRanges cuts the address space into runs of addresses with the same
// longest match, so that a lookup is one binary search. A run nobody matches
// has group -1.
func (t *Table) indexRanges(shared *shared) {
	var open []int32
	closeUpTo := func(next netip.Addr) {
		for len(open) > 0 {
			g := open[len(open)-1]
			p := shared.prefixOf(t.groups[g].prefix)
			if next.IsValid() && p.Contains(next) {
				return
			}
			open = open[:len(open)-1]
			after := prefix.Top(p).Next()
			if !after.IsValid() || next == after {
				continue
			}
			cover := t.groups[g].cover
			if cover >= 0 && after.Compare(prefix.Top(shared.prefixOf(t.groups[cover].prefix))) > 0 {
				continue // the one around ends here too
			}
			t.addRange(after, cover)
		}
	}
	for i := range t.groups {
		p := shared.prefixOf(t.groups[i].prefix)
		closeUpTo(p.Addr())
		t.addRange(p.Addr(), int32(i))
		open = append(open, int32(i))
	}
	closeUpTo(netip.Addr{})
}

// addRange begins a run; a run that begins where the last one does takes its
// place.
func (t *Table) addRange(start netip.Addr, group int32) {
	if start.Is4() {
		r := range4{key4(start), group}
		if n := len(t.ranges4); n > 0 && t.ranges4[n-1].start == r.start {
			t.ranges4[n-1] = r
			return
		}
		t.ranges4 = append(t.ranges4, r)
		return
	}
	r := range6{key6(start), group}
	if n := len(t.ranges6); n > 0 && t.ranges6[n-1].start == r.start {
		t.ranges6[n-1] = r
		return
	}
	t.ranges6 = append(t.ranges6, r)
}

func key4(a netip.Addr) uint32 {
	b := a.As4()
	return binary.BigEndian.Uint32(b[:])
}

func key6(a netip.Addr) [2]uint64 {
	b := a.As16()
	return [2]uint64{binary.BigEndian.Uint64(b[:8]), binary.BigEndian.Uint64(b[8:])}
}

// narrowest is the group of the longest prefix that holds the address, usable
// or not; -1 where none does.
func (t *Table) narrowest(a netip.Addr) int32 {
	if a.Is4() {
		k := key4(a)
		if n := sort.Search(len(t.ranges4), func(i int) bool { return t.ranges4[i].start > k }); n > 0 {
			return t.ranges4[n-1].group
		}
		return -1
	}
	k := key6(a)
	n := sort.Search(len(t.ranges6), func(i int) bool {
		s := t.ranges6[i].start
		return s[0] > k[0] || s[0] == k[0] && s[1] > k[1]
	})
	if n > 0 {
		return t.ranges6[n-1].group
	}
	return -1
}
