package prefix

import "net/netip"

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
