package compare

import (
	"math/rand/v2"
	"net/netip"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/coretest"
	"ropeswing/core/derive"
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/network"
	"ropeswing/core/observed"
	"ropeswing/core/reach"
)

// spoil makes some of what was observed other than planned.
func spoil(r *rand.Rand, devices []*observed.Device) {
	for _, d := range devices {
		for n := range d.Routes {
			switch x := &d.Routes[n]; r.IntN(12) {
			case 0:
				x.To = netip.PrefixFrom(x.To.Addr(), max(1, x.To.Bits()-1)).Masked()
			case 1:
				x.NextHop, x.Interface, x.Discard = x.NextHop.Next(), "", !x.NextHop.IsValid()
			case 2:
				x.NextHop, x.Interface, x.Discard = netip.Addr{}, "", true
			}
		}
		for n := range d.Interfaces {
			i := &d.Interfaces[n]
			switch r.IntN(10) {
			case 0:
				i.Admin, i.Oper = observed.Down, observed.Down
			case 1:
				i.Oper = observed.Down
			case 2:
				for k, a := range i.Addresses {
					i.Addresses[k].Prefix = netip.PrefixFrom(a.Addr(), a.Bits()-1)
				}
			}
		}
	}
}

// alike are two tables that send everything the same way.
func alike(t *testing.T, want, got *forward.Network, about string) {
	ends := reach.Ends(want.Spec)
	a, b := reach.All(want, ends), reach.All(got, ends)
	for i := range ends {
		for j := range ends {
			if ends[i].Address.Is4() == ends[j].Address.Is4() {
				require.Equal(t, a.Verdict(i, j), b.Verdict(i, j), "%s: %s to %s", about, ends[i].Address, ends[j].Address)
			}
		}
	}
	for d := range want.Spec.Devices {
		x, y := want.Table(model.DeviceID(d)).Entries(), got.Table(model.DeviceID(d)).Entries()
		require.Len(t, y, len(x), about)
		for i := range x {
			require.Equal(t, x[i].InUse, y[i].InUse, about)
		}
	}
}

// What is worked out anew for one difference is what working out everything gives.
func TestOneDifferenceIsTriedAsTheWholeNetworkWouldBe(t *testing.T) {
	tried := map[What]int{}
	for seed := range uint64(coretest.Cases(16, 40)) {
		r := rand.New(rand.NewPCG(seed, 29))
		spec, _, _ := derive.Resolve(coretest.Spec(t, coretest.RandomNetwork(r, "{}")))
		net := forward.Resolve(network.Build(spec).State())
		devices := AsObserved(net)
		require.Empty(t, Compare(net, devices).Differences, "as it is")
		spoil(r, devices)
		c := differences(net, devices, false)
		x := &trier{comparer: c, ends: reach.Ends(spec)}
		for i := range c.Differences {
			d := &c.Differences[i]
			if d.change == nil && d.routes == nil && d.failure == nil || d.follows {
				continue
			}
			tried[d.What]++
			alike(t, with(net, []Difference{*d}), x.tables(d), d.Device+" "+d.Subject+" "+string(d.What))
		}
		again := forward.Resolve(network.Build(spec).State())
		assert.Empty(t, Compare(again, AsObserved(with(net, nil))).Differences, "the plan itself is as it was")
	}
	for _, what := range []What{OfRoute, OfNextHop, OfAdmin, OfOper, OfAddress} {
		assert.Greater(t, tried[what], 5, what)
	}
}

// The network as found is found as it was observed.
func TestTheOverlayIsWhatWasObserved(t *testing.T) {
	for seed := range uint64(20) {
		r := rand.New(rand.NewPCG(seed, 31))
		spec, _, _ := derive.Resolve(coretest.Spec(t, coretest.RandomNetwork(r, "{}")))
		net := forward.Resolve(network.Build(spec).State())
		devices := AsObserved(net)
		for _, d := range devices {
			for n := range d.Routes {
				if x := &d.Routes[n]; r.IntN(4) == 0 {
					x.NextHop, x.Interface, x.Discard = netip.Addr{}, "", true
				}
			}
			for n := range d.Interfaces {
				for k, a := range d.Interfaces[n].Addresses {
					if r.IntN(6) == 0 && a.Bits() < 120 {
						d.Interfaces[n].Addresses[k].Prefix = netip.PrefixFrom(a.Addr(), a.Bits()-1)
					}
				}
			}
		}
		found := Overlay(net, devices)
		for _, d := range Compare(found, devices).Differences {
			if d.What != OfRoute && d.What != OfNextHop && d.What != OfUse { // what is in use was observed before the addresses were spoilt
				assert.Fail(t, "found otherwise than observed", "%s %s: %s, %s", d.Device, d.Subject, d.Planned, d.Found)
			}
		}
	}
}

// Where the network is too large what is tried first is what is planned, a little of
// each device, and it is told that the rest was not.
func TestALargeNetworkIsTriedInPart(t *testing.T) {
	net := forward.Resolve(network.Build(coretest.Spec(t, coretest.LargeNetwork(20, "{}"))).State())
	devices := AsObserved(net)
	for _, d := range devices {
		for n := range 15 {
			d.Routes = append(d.Routes, observed.Route{To: netip.PrefixFrom(netip.AddrFrom4([4]byte{192, 0, 2, byte(n)}), 32), Discard: true,
				Source: "static"})
		}
	}
	result := Compare(net, devices)
	assert.Len(t, result.Differences, 22*15)
	assert.Equal(t, 22*15-mostTried, result.Untried)
	assert.Zero(t, result.Among)
}
