package steps

import (
	"math/rand/v2"
	"net/netip"
	"slices"
	"strconv"
	"strings"
	"testing"

	"ropeswing/core/compare"
	"ropeswing/core/coretest"
	"ropeswing/core/derive"
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/observed"
)

// RandomFound is a random network with derived routes and an operator, and its devices as
// somebody found them who had been at work: so many things are otherwise.
func RandomFound(t testing.TB, r *rand.Rand, slips int) (*forward.Network, []*observed.Device) {
	t.Helper()
	spec, net, _ := derive.Resolve(coretest.Spec(t, "operator: h0\n"+coretest.RandomNetwork(r, "{}")))
	devices := compare.AsObserved(net)
	Slip(r, spec, devices, slips)
	return net, devices
}

// Slip makes so many things of devices otherwise.
func Slip(r *rand.Rand, spec *model.Spec, devices []*observed.Device, slips int) {
	for range slips {
		d := devices[r.IntN(len(devices))]
		id, _ := spec.DeviceNamed(d.Name)
		if spec.Devices[id].Kind == model.World {
			continue
		}
		switch {
		case r.IntN(3) > 0 && len(d.Routes) > 0:
			slipRoute(r, spec, id, d)
		default:
			slipInterface(r, d)
		}
	}
}

// slipRoute takes a route away, or lets it lead elsewhere.
func slipRoute(r *rand.Rand, spec *model.Spec, id model.DeviceID, d *observed.Device) {
	n := r.IntN(len(d.Routes))
	if r.IntN(2) == 0 {
		d.Routes = slices.Delete(d.Routes, n, n+1)
		return
	}
	x := &d.Routes[n]
	for range 20 {
		i := spec.InterfacesOf(id)[r.IntN(len(spec.InterfacesOf(id)))]
		s := spec.Interfaces[i].Segment
		if s == model.None {
			continue
		}
		for other := range spec.Interfaces {
			o := &spec.Interfaces[other]
			if o.Segment != s || o.Device == id || !spec.Devices[o.Device].Forwards {
				continue
			}
			for _, a := range o.Addresses {
				if a.Addr().Is4() == x.To.Addr().Is4() && !a.Addr().IsLinkLocalUnicast() {
					x.NextHop, x.Interface, x.Discard = a.Addr(), spec.Interfaces[i].Name, false
					return
				}
			}
		}
	}
}

// slipInterface switches an interface off, or gives it another address or length.
func slipInterface(r *rand.Rand, d *observed.Device) {
	x := &d.Interfaces[r.IntN(len(d.Interfaces))]
	if r.IntN(3) == 0 || len(x.Addresses) == 0 {
		if x.Type == "" {
			x.Admin = observed.Down
		}
		return
	}
	x.Addresses = slices.Clone(x.Addresses)
	a := &x.Addresses[r.IntN(len(x.Addresses))]
	switch p := a.Prefix; {
	case p.IsSingleIP() || p.Bits() == p.Addr().BitLen()-1:
	case r.IntN(2) == 0:
		a.Prefix = netip.PrefixFrom(p.Addr(), p.Bits()-1)
	default:
		a.Prefix = netip.PrefixFrom(p.Addr().Next().Next().Next(), p.Bits())
	}
}

// RandomMove is a random network with derived routes and an operator, and its devices before
// some links and LANs had the subnets they are to have.
func RandomMove(t testing.TB, r *rand.Rand, subnets int) (*forward.Network, []*observed.Device) {
	t.Helper()
	text := "operator: h0\n" + coretest.RandomNetwork(r, "{}")
	before := text
	for n := range subnets {
		old := "10.0.0." + strconv.Itoa(2*r.IntN(3)) + "/31"
		if r.IntN(3) == 0 {
			before = strings.Replace(before, "[10.0."+strconv.Itoa(16+r.IntN(3))+".0/", "[10.0."+strconv.Itoa(28+n)+".0/", 1)
			continue
		}
		before = strings.Replace(before, "["+old, "[10.0.13."+strconv.Itoa(2*n)+"/31", 1)
	}
	_, from, _ := derive.Resolve(coretest.Spec(t, before))
	_, to, _ := derive.Resolve(coretest.Spec(t, text))
	return to, compare.AsObserved(from)
}
