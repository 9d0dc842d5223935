package steps_test

import (
	"math/rand/v2"
	"net/netip"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"

	"ropeswing/core/compare"
	"ropeswing/core/coretest"
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/observed"
	"ropeswing/core/reach"
	"ropeswing/core/steps"
)

// copied is what devices say of themselves, apart from the original.
func copied(devices []*observed.Device) []*observed.Device {
	var all []*observed.Device
	for _, d := range devices {
		x := *d
		x.Interfaces, x.Routes = slices.Clone(d.Interfaces), slices.Clone(d.Routes)
		for i := range x.Interfaces {
			x.Interfaces[i].Addresses = slices.Clone(x.Interfaces[i].Addresses)
		}
		all = append(all, &x)
	}
	return all
}

// carryOut does with what a device says of itself what a step sets, by its words; routes are
// then those that the other has to the destination.
func carryOut(t *testing.T, d, other *observed.Device, s *steps.Set, back bool) {
	planned, found := s.Planned, s.Found
	if back {
		planned, found = found, planned
	}
	switch s.Difference.What {
	case compare.OfRoute, compare.OfNextHop, compare.OfDistance, compare.OfMetric, compare.OfOrder:
		to := func(r observed.Route) bool {
			words := r.To.String()
			if r.Table != "" {
				words += " in " + r.Table
			}
			return words == s.Subject
		}
		d.Routes = slices.DeleteFunc(d.Routes, to)
		for _, r := range other.Routes {
			if to(r) {
				d.Routes = append(d.Routes, r)
			}
		}
		return
	}
	i := slices.IndexFunc(d.Interfaces, func(x observed.Interface) bool { return x.Name == s.Subject })
	require.GreaterOrEqual(t, i, 0, s.Subject)
	x := &d.Interfaces[i]
	drop := func(p string) {
		x.Addresses = slices.DeleteFunc(x.Addresses, func(a observed.Address) bool { return a.Prefix.String() == p })
	}
	switch s.Difference.What {
	case compare.OfAdmin:
		x.Admin = observed.Status(planned)
		x.Oper = x.Admin
	case compare.OfAddress:
		if s.Helper != steps.SetsBeside && found != "" {
			drop(found)
		}
		if planned != "" {
			drop(planned)
			x.Addresses = append(x.Addresses,
				observed.Address{Prefix: netip.MustParsePrefix(planned), Secondary: s.Helper == steps.SetsBeside &&
					netip.MustParsePrefix(found).Masked() == netip.MustParsePrefix(planned).Masked()})
		}
	default:
		t.Fatalf("%s is not carried out", s.Difference.What)
	}
}

// works is which pairs of LANs and loopbacks, and of these with the world, work in a network, by pings one by one.
func works(net *forward.Network, ends []*reach.End) map[[2]int]bool {
	all := map[[2]int]bool{}
	address := func(e *reach.End) netip.Addr {
		if own := &net.Spec.Interfaces[e.Interface]; !own.Has(e.Address) {
			for _, a := range own.Addresses {
				if a.Addr().Is4() == e.Address.Is4() && !a.Addr().IsLinkLocalUnicast() {
					return a.Addr()
				}
			}
		}
		return e.Address
	}
	beyond := steps.Beyond(net.Spec)
	for a, from := range ends {
		for b, to := range beyond {
			if from.Address.Is4() == to.Is4() && net.Spec.Devices[from.Device].Kind != model.World {
				all[[2]int{a, len(ends) + b}] = forward.PingBy(net, from.Device, address(from), to, model.None,
					forward.Probe{}).Verdict() == forward.Works
			}
		}
		for b, to := range ends {
			if from.Asks(to) {
				all[[2]int{a, b}] = forward.PingBy(net, from.Device, address(from), address(to), model.None,
					forward.Probe{}).Verdict() == forward.Works
			}
		}
	}
	return all
}

// Each step is done again by its words, on what the devices say of themselves: the session
// is there, and goes on or not, as told; as many pairs fail as told; at the end nothing
// differs from the plan; and taken back in reverse everything is as it was found.
func TestStepsReplayed(t *testing.T) {
	count, failing, moving := 0, 0, 0
	for seed := range uint64(coretest.Cases(8, 20)) {
		r := rand.New(rand.NewPCG(seed, 43))
		make := steps.RandomFound
		if seed%2 == 0 {
			make = steps.RandomMove
		}
		net, found := make(t, r, 2+r.IntN(4))
		w := steps.Plan(compare.Differences(net, found), nil)
		goal := compare.AsObserved(net)
		now := copied(found)
		of := func(all []*observed.Device, d model.DeviceID) *observed.Device {
			return all[slices.IndexFunc(all, func(x *observed.Device) bool { return x.Name == net.Spec.Devices[d].Name })]
		}
		ends := append(slices.Clip(reach.WithoutLinks(net.Spec, reach.Ends(net.Spec))), reach.Loopbacks(net.Spec)...)
		before, after := works(compare.Overlay(net, found), ends), works(net, ends)
		there := compare.Overlay(net, now)
		for n := range w.Steps {
			s := &w.Steps[n]
			reaches := func(net *forward.Network, a netip.Addr) bool {
				return forward.PingBy(net, net.Spec.Operator, netip.Addr{}, a, model.None,
					forward.Probe{Over: model.ServiceOf("ssh")}).Verdict() == forward.Works ||
					net.Spec.Devices[s.Device].Kind == model.Host &&
						forward.PingBy(net, net.Spec.Operator, netip.Addr{}, a, model.None, forward.Probe{}).Verdict() == forward.Works
			}
			if s.Login.Address.IsValid() {
				require.True(t, reaches(there, s.Login.Address), "seed %d step %d: the session is there", seed, n+1)
			}
			for i := range s.Sets {
				carryOut(t, of(now, s.Device), of(goal, s.Device), &s.Sets[i], false)
			}
			next := compare.Overlay(net, now)
			switch s.Session {
			case steps.Stays:
				require.True(t, reaches(next, s.Login.Address), "seed %d step %d stays\n%s", seed, n+1, told(w))
			case steps.Moves:
				require.True(t, reaches(next, s.Then.Address), "seed %d step %d moves\n%s", seed, n+1, told(w))
				moving++
			}
			broken := 0
			for p, ok := range works(next, ends) {
				if !ok && before[p] && after[p] {
					broken++
				}
			}
			require.Equal(t, s.Broken, broken, "seed %d step %d\n%s", seed, n+1, told(w))
			if broken > 0 {
				failing++
			}
			there = next
			count++
		}
		if len(w.Otherwise) == 0 {
			require.Empty(t, compare.Differences(net, now).Differences, "seed %d: the end is the plan\n%s", seed, told(w))
		}
		for n := len(w.Steps) - 1; n >= 0; n-- {
			s := &w.Steps[n]
			for i := len(s.Sets) - 1; i >= 0; i-- {
				x := s.Sets[i]
				switch x.Helper {
				case steps.SetsBeside: // it is taken away again
					x.Planned, x.Found, x.Helper = x.Found, x.Planned, steps.NoHelper
					carryOut(t, of(now, s.Device), of(found, s.Device), &x, false)
				case steps.TakesAway:
					x.Planned, x.Helper = x.Found, steps.SetsBeside
					carryOut(t, of(now, s.Device), of(found, s.Device), &x, false)
				default:
					carryOut(t, of(now, s.Device), of(found, s.Device), &x, true)
				}
			}
		}
		require.Empty(t, differ(net, found, now), "seed %d: taken back\n%s", seed, told(w))
	}
	t.Logf("%d steps; during %d something fails, %d sessions move", count, failing, moving)
}

// differ lists what of two states differs, in addresses, status and routes.
func differ(net *forward.Network, a, b []*observed.Device) []compare.Difference {
	return slices.DeleteFunc(compare.Between(net, a, b).Differences,
		func(d compare.Difference) bool { return d.What == compare.OfOper || d.What == compare.OfUse })
}
