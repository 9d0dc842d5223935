package view

import (
	"fmt"
	"io"
	"net/netip"

	"ropeswing/core/prefix"
)

// Relations says how each subnet lies to the first.
func Relations(w io.Writer, all []netip.Prefix) {
	for i, a := range all {
		for _, b := range all[i+1:] {
			fmt.Fprintln(w, relation(a.Masked(), b.Masked()))
		}
		if len(all) > 12 {
			break // with so many, only how they lie to the first
		}
	}
}

func relation(a, b netip.Prefix) string {
	switch prefix.Relate(a, b) {
	case prefix.Same:
		return fmt.Sprintf("%s is the same subnet twice", a)
	case prefix.Contains:
		return fmt.Sprintf("%s contains %s", a, b)
	case prefix.Within:
		return fmt.Sprintf("%s is within %s", a, b)
	case prefix.Mergeable:
		parent, _ := prefix.Parent(a)
		return fmt.Sprintf("%s and %s are adjacent, and merge into %s", a, b, parent)
	case prefix.Adjacent:
		return fmt.Sprintf("%s and %s are adjacent, but do not merge into one", a, b)
	}
	return fmt.Sprintf("%s and %s are apart", a, b)
}
