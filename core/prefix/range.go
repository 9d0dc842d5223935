package prefix

import (
	"net/netip"
	"slices"
)

// Range is the addresses of one family from First up to Last, both in it. The zero
// value holds none.
type Range struct{ First, Last netip.Addr }

// Contains tells whether the address is in the range.
func (r Range) Contains(a netip.Addr) bool {
	return r.First.IsValid() && a.Is4() == r.First.Is4() && !a.Less(r.First) && !r.Last.Less(a)
}

// Overlaps tells whether the two have an address in common.
func (r Range) Overlaps(o Range) bool {
	return r.First.IsValid() && o.First.IsValid() && r.First.Is4() == o.First.Is4() && !r.Last.Less(o.First) && !o.Last.Less(r.First)
}

// String is the range as a plan writes it: FIRST..LAST, or its only address.
func (r Range) String() string {
	switch {
	case !r.First.IsValid():
		return ""
	case r.Single():
		return r.First.String()
	}
	return r.First.String() + ".." + r.Last.String()
}

// Single tells whether it is one address.
func (r Range) Single() bool { return r.First.IsValid() && r.First == r.Last }

// But is what is left of the range without some others, in order.
func (r Range) But(taken []Range) []Range {
	if !r.First.IsValid() {
		return nil
	}
	taken = slices.DeleteFunc(slices.Clone(taken), func(t Range) bool { return !t.Overlaps(r) })
	slices.SortFunc(taken, func(a, b Range) int { return a.First.Compare(b.First) })
	var left []Range
	at := r.First
	for _, t := range taken {
		if at.Less(t.First) {
			left = append(left, Range{at, t.First.Prev()})
		}
		if !t.Last.Less(at) {
			if at = t.Last.Next(); !at.IsValid() || r.Last.Less(at) {
				return left
			}
		}
	}
	return append(left, Range{at, r.Last})
}
