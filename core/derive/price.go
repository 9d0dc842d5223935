package derive

import (
	"cmp"
	"net/netip"
	"slices"

	"ropeswing/core/model"
)

// Price is what a level of protection costs.
type Price struct {
	Protect model.Protection
	Lines   int // routes of both families
	Watches int // addresses that are watched, each once for each device
	Open    int // of failures of a cable or segment that take something from a device though a wire is left
	Wanted  bool
}

// Costly is a destination, and how many lines lead to just it.
type Costly struct {
	To    netip.Prefix
	Lines int
}

// Prices derives the routes of a network for each level of protection, and tells what each costs.
// The network is one with nothing out of order.
func Prices(spec *model.Spec) []Price {
	if spec.Wants == nil {
		return nil
	}
	var all []Price
	plain := spec.WithDerived(nil)
	for level := range model.Protections {
		s, wants := *plain, *spec.Wants
		wants.Protect = model.Protection(level)
		s.Wants = &wants
		r := Routes(&s)
		p := Price{Protect: wants.Protect, Lines: len(r.Statics), Open: len(r.Open), Wanted: wants.Protect == spec.Wants.Protect}
		type asked struct {
			device model.DeviceID
			watch  netip.Addr
		}
		seen := map[asked]bool{}
		for _, x := range r.Statics {
			if x.Watch.IsValid() {
				seen[asked{x.Device, x.Watch}] = true
			}
		}
		p.Watches = len(seen)
		all = append(all, p)
	}
	return all
}

// Costliest lists the destinations of derived routes to which most lines lead, defaults left out, at
// most so many.
func (r Result) Costliest(most int) []Costly {
	lines := map[netip.Prefix]int{}
	for _, s := range r.Statics {
		if s.To.Bits() > 0 && !s.Discard {
			lines[s.To]++
		}
	}
	var all []Costly
	for p, n := range lines {
		all = append(all, Costly{p, n})
	}
	slices.SortFunc(all, func(a, b Costly) int { return cmp.Or(b.Lines-a.Lines, comparePrefixes(a.To, b.To)) })
	return all[:min(most, len(all))]
}

// ManyLines is how many lines one device may have before static routes are the wrong means.
const ManyLines = 150

// MostLines is how many routes the device with most of them has.
func (r Result) MostLines() int {
	lines := map[model.DeviceID]int{}
	most := 0
	for _, s := range r.Statics {
		lines[s.Device]++
		most = max(most, lines[s.Device])
	}
	return most
}
