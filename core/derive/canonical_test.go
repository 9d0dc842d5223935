package derive_test

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/coretest"
	"ropeswing/core/derive"
	"ropeswing/core/model"
)

// shuffled is a random order of a network's parts: devices, each with its interfaces in another order, segments and
// cables.
func shuffled(r *rand.Rand, spec *model.Spec) model.Order {
	var o model.Order
	for _, d := range r.Perm(len(spec.Devices)) {
		o.Devices = append(o.Devices, model.DeviceID(d))
		ids := spec.InterfacesOf(model.DeviceID(d))
		r.Shuffle(len(ids), func(i, j int) { ids[i], ids[j] = ids[j], ids[i] })
		o.Interfaces = append(o.Interfaces, ids...)
	}
	for _, s := range r.Perm(len(spec.Segments)) {
		o.Segments = append(o.Segments, model.SegmentID(s))
	}
	for _, c := range r.Perm(len(spec.Cables)) {
		o.Cables = append(o.Cables, model.CableID(c))
	}
	return o
}

// renamed is a network with all of its devices, segments and cables called otherwise.
func renamed(r *rand.Rand, spec *model.Spec) *model.Spec {
	next := *spec
	next.Devices, next.Segments, next.Cables = slices.Clone(spec.Devices), slices.Clone(spec.Segments), slices.Clone(spec.Cables)
	name := func() string { return fmt.Sprintf("n%08x", r.Uint32()) }
	for i := range next.Devices {
		next.Devices[i].Name = name()
	}
	for i := range next.Segments {
		next.Segments[i].Name = name()
	}
	for i := range next.Cables {
		next.Cables[i].Name = name()
	}
	return &next
}

// byAddress is every derived route, with the lowest address of its device in the place of the device's name, in
// alphabetical order.
func byAddress(spec *model.Spec, r derive.Result) []string {
	var all []string
	for _, s := range r.Statics {
		var own []string
		for _, id := range spec.InterfacesOf(s.Device) {
			for _, a := range spec.Interfaces[id].Addresses {
				own = append(own, a.String())
			}
		}
		slices.Sort(own)
		out := ""
		if s.Out != model.None {
			out = spec.Interfaces[s.Out].Name
		}
		all = append(all, fmt.Sprint(own[0], " ", s.To, " ", s.Via, " ", out, " ", s.Discard, s.Distance, " ", s.Watch))
	}
	slices.Sort(all)
	return all
}

// Routes are a function of the network: neither the order in which the plan lists it nor what anything is called makes a
// difference.
func TestRoutesDependOnTheNetworkAlone(t *testing.T) {
	t.Parallel()
	shapes := []coretest.Shape{coretest.DualHub(9), coretest.Ring(7), coretest.Grid(3, 4), coretest.RingOfRings(3, 4)}
	for seed := range coretest.Cases(10, 70) {
		r := rand.New(rand.NewPCG(uint64(seed), 3))
		wants := "{protect: " + model.Protections[seed%4] + "}"
		text := coretest.RandomNetwork(r, wants)
		switch seed % 3 {
		case 1:
			text = shapes[r.IntN(len(shapes))].Plan(1+r.IntN(3), []int{0, 1}[:r.IntN(3)], wants)
		case 2:
			text = coretest.Chords(r, 4+r.IntN(9), r.IntN(60)).Plan(1+r.IntN(3), nil, wants)
		}
		spec := coretest.Spec(t, text)
		want := byAddress(spec, derive.Routes(spec))
		require.NotEmpty(t, want)
		for range 2 {
			other := renamed(r, spec.Reordered(shuffled(r, spec)))
			if got := byAddress(other, derive.Routes(other)); !slices.Equal(want, got) {
				t.Fatalf("seed %d: %d routes, and %d in another order\n%s", seed, len(want), len(got), text)
			}
		}
	}
}

// An order and the order that takes it back leave a network as it was, whatever refers to what.
func TestReorderedThereAndBack(t *testing.T) {
	t.Parallel()
	for seed := range coretest.Cases(9, 50) {
		r := rand.New(rand.NewPCG(uint64(seed), 4))
		text := "operator: h0\nsettings: {tree-root: s0}\n" + coretest.RandomNetwork(r, "{carriers: []}")
		if !strings.Contains(text, "\n  s0:") {
			text = strings.Replace(text, "settings: {tree-root: s0}\n", "", 1)
		}
		spec := coretest.WithRandomPolicies(coretest.Spec(t, text), r)
		o := shuffled(r, spec)
		back := model.Order{
			Devices: inverse(o.Devices), Interfaces: inverse(o.Interfaces), Segments: inverse(o.Segments), Cables: inverse(o.Cables),
		}
		there := spec.Reordered(o)
		assert.NotEqual(t, spec.Devices, there.Devices)
		assert.Equal(t, spec, there.Reordered(back), text)
	}
}

func inverse[ID ~int32](order []ID) []ID {
	all := make([]ID, len(order))
	for i, at := range model.Positions(order) {
		all[i] = ID(at)
	}
	return all
}
