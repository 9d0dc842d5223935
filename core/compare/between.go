package compare

import (
	"slices"

	"ropeswing/core/forward"
	"ropeswing/core/observed"
)

// Between compares one state with an earlier one, or what runs with what is saved: only
// what both tell of. The tables are those of the plan; where neither state tells of
// something it is as planned.
func Between(net *forward.Network, before, after []*observed.Device) *Result {
	earlier := map[string]*observed.Device{}
	for _, d := range before {
		earlier[d.Name] = d
	}
	var both []*observed.Device
	for _, d := range after {
		if e := earlier[d.Name]; e != nil {
			both = append(both, asFarAs(d, e))
		}
	}
	return Compare(Overlay(net, before), both)
}

// asFarAs is what a device says as far as an earlier word of it says the same things.
func asFarAs(d, earlier *observed.Device) *observed.Device {
	next := *d
	next.Known = slices.DeleteFunc(slices.Clone(d.Known), func(p observed.Part) bool { return !earlier.Knows(p) })
	next.Interfaces = slices.Clone(d.Interfaces)
	for i := range next.Interfaces {
		x := &next.Interfaces[i]
		n := slices.IndexFunc(earlier.Interfaces, func(e observed.Interface) bool { return e.Name == x.Name })
		if n < 0 {
			continue
		}
		e := earlier.Interfaces[n]
		if e.Admin == "" {
			x.Admin = ""
		}
		if e.Oper == "" {
			x.Oper = ""
		}
		if e.MTU == 0 {
			x.MTU = 0
		}
	}
	return &next
}
