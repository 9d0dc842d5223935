package verify_test

import (
	"math/rand/v2"
	"net/netip"
	"testing"

	"github.com/stretchr/testify/require"

	"ropeswing/core/coretest"
	"ropeswing/core/derive"
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/network"
	"ropeswing/core/reach"
	"ropeswing/core/verify"
)

// A change tried is the network as it is when the change is made and all is worked out
// anew: the same tables and the same pings, with parts out of order as before, in random
// networks with watched routes, permits and translations; change upon change.
func TestAChangeTriedIsTheChangeMade(t *testing.T) {
	kinds := map[string]int{}
	for seed := range 60 {
		r := rand.New(rand.NewPCG(uint64(seed), 5))
		spec, _, _ := derive.Resolve(coretest.Spec(t, coretest.RandomNetwork(r, "{}")))
		spec = coretest.WithRandomPolicies(spec, r)
		plain := *spec
		plain.Wants = nil // what is derived stands, as if it were written
		net := forward.Resolve(network.Build(&plain).State())
		if cables := reach.Cables(network.Build(&plain).State()); seed%2 == 0 {
			net = net.Update(net.State.With(cables[r.IntN(len(cables))]))
		}
		for range 4 {
			c, kind := randomChange(r, net.Spec)
			if c == nil {
				continue
			}
			kinds[kind]++
			tried := verify.Try(net, c)
			made := forward.Resolve(network.Build(c.Apply(net.Spec)).State(net.State.Failures()...))
			require.Equal(t, net.State.Failures(), tried.State.Failures(), "seed %d: %s", seed, kind)
			sameNetwork(t, made, tried, seed, kind)
			net = tried
		}
	}
	for _, kind := range []string{"add", "next hop", "down", "up", "address", "permit"} {
		require.Greater(t, kinds[kind], 5, kind)
	}
}

// Where routes are derived, they are derived again, and what is out of order stays so.
func TestAChangeIsTriedWithPartsOutOfOrder(t *testing.T) {
	_, net, _ := derive.Resolve(coretest.Spec(t, ringWithHosts))
	f, err := net.State.FailureNamed("x-ab")
	require.NoError(t, err)
	net = net.Update(net.State.With(f))
	tried := verify.Try(net, model.TakeDown{Interface: coretest.Interface(t, net.Spec, "c:l")})
	require.Equal(t, []network.Failure{f}, tried.State.Failures())
	require.False(t, tried.State.IsUp(coretest.Interface(t, net.Spec, "a:b")), "the cable is still down")
}

func randomChange(r *rand.Rand, spec *model.Spec) (model.Change, string) {
	var routers []model.DeviceID
	for d := range spec.Devices {
		if spec.Devices[d].Kind == model.Router {
			routers = append(routers, model.DeviceID(d))
		}
	}
	d := routers[r.IntN(len(routers))]
	via := spec.MainAddress(routers[r.IntN(len(routers))], 0)
	ids := spec.InterfacesOf(d)
	id := ids[r.IntN(len(ids))]
	first, last := spec.StaticsOf(d)
	switch r.IntN(6) {
	case 0:
		to := netip.PrefixFrom(netip.AddrFrom4([4]byte{10, 0, byte(r.IntN(32)), 0}), 24)
		return model.AddRoute{Static: model.Static{Device: d, To: to, Via: via, Out: model.None, Distance: uint8(1 + r.IntN(20))}}, "add"
	case 1:
		for n := first; n < last; n++ {
			if s := &spec.Statics[n]; s.Via.Is4() && r.IntN(2) == 0 {
				return model.SetNextHop{Static: model.StaticID(n), Via: via}, "next hop"
			}
		}
	case 2:
		return model.TakeDown{Interface: id}, "down"
	case 3:
		return model.BringUp{Interface: id}, "up"
	case 4:
		return model.SetAddress{Interface: id, Address: netip.PrefixFrom(netip.AddrFrom4([4]byte{10, 0, byte(r.IntN(32)), 9}), 25)}, "address"
	case 5:
		return model.AddPermit{Device: d,
			Permit: model.Permit{From: model.Side{Anyone: true}, To: model.Side{Anyone: true}, Ruling: model.Ruling(r.IntN(3))}}, "permit"
	}
	return nil, ""
}

func sameNetwork(t *testing.T, want, got *forward.Network, seed int, kind string) {
	t.Helper()
	require.Equal(t, want.Unsettled, got.Unsettled, "seed %d: %s", seed, kind)
	for d := range want.Spec.Devices {
		a, b := want.Of(model.DeviceID(d)), got.Of(model.DeviceID(d))
		require.Len(t, b, len(a), "seed %d: %s", seed, kind)
		for i := range a {
			x, y := a[i].Entries(), b[i].Entries()
			require.Len(t, y, len(x), "seed %d: %s", seed, kind)
			for n := range x {
				require.Equal(t, x[n].Prefix, y[n].Prefix, "seed %d: %s", seed, kind)
				require.Equal(t, x[n].Static(), y[n].Static(), "seed %d: %s: %s", seed, kind, x[n].Prefix)
				require.Equal(t, x[n].Usable, y[n].Usable, "seed %d: %s: %s", seed, kind, x[n].Prefix)
				require.Equal(t, x[n].InUse, y[n].InUse, "seed %d: %s: %s", seed, kind, x[n].Prefix)
				require.Equal(t, x[n].Hops, y[n].Hops, "seed %d: %s: %s", seed, kind, x[n].Prefix)
				require.Equal(t, want.Why(a[i], x[n]), got.Why(b[i], y[n]), "seed %d: %s: %s", seed, kind, x[n].Prefix)
			}
		}
	}
	ends := reach.Ends(want.Spec)
	for _, from := range ends {
		for _, to := range ends {
			if from.Address.Is4() == to.Address.Is4() {
				x := forward.Ping(want, from.Device, from.Address, to.Address, model.None)
				y := forward.Ping(got, from.Device, from.Address, to.Address, model.None)
				require.Equal(t, x.Verdict(), y.Verdict(), "seed %d: %s: %s to %s", seed, kind, from.Address, to.Address)
			}
		}
	}
}
