package standin

import (
	"bytes"
	"fmt"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/coretest"
	"ropeswing/core/derive"
	"ropeswing/core/observed"
	"ropeswing/core/standin"
	"ropeswing/internal/wire"
	"ropeswing/internal/yang"
)

// settings are what a device is set to, on one line.
func (s *server) settings(t *testing.T) string {
	d, err := s.yard.Running(s.name)
	require.NoError(t, err)
	var b bytes.Buffer
	s.data(d, false).XML(&b, string(yang.NETCONF))
	return b.String()
}

// facts are what an edit may change of a device, in an order of their own.
func facts(d *observed.Device) (all []string) {
	for i := range d.Interfaces {
		x := &d.Interfaces[i]
		vlans := ""
		if x.Untagged != nil {
			vlans = fmt.Sprint(*x.Untagged, slices.Sorted(slices.Values(x.Tagged)))
		}
		all = append(all, fmt.Sprint(x.Name, x.Admin != observed.Down, x.Description, x.MTU, vlans))
		for _, a := range x.Addresses {
			all = append(all, x.Name+" "+a.Prefix.String())
		}
	}
	for _, r := range d.Routes {
		if r.Source == "static" {
			distance := 1
			if r.Distance != nil {
				distance = *r.Distance
			}
			all = append(all, fmt.Sprint(r.Table, r.To, r.NextHop, r.Interface, r.Discard, distance))
		}
	}
	slices.Sort(all)
	return all
}

// changed is a device of which some things are others.
func changed(r *rand.Rand, d *observed.Device) *observed.Device {
	d = d.Clone()
	for n := range d.Interfaces {
		i := &d.Interfaces[n]
		switch r.IntN(6) {
		case 0:
			i.Admin = map[bool]observed.Status{true: observed.Down, false: observed.Up}[i.Admin != observed.Down]
		case 1:
			i.Description += "x"
		case 2:
			if i.MTU > 0 { // one that is not known cannot be brought back
				i.MTU = 1300 + r.IntN(200)
			}
		case 3:
			if len(i.Addresses) > 1 {
				i.Addresses = i.Addresses[1:]
			}
		case 4:
			if i.Untagged != nil {
				i.Tagged = append(i.Tagged, 100+r.IntN(100))
			}
		}
	}
	kept := d.Routes[:0]
	for _, x := range d.Routes {
		if x.Source != "static" || r.IntN(4) > 0 {
			if x.Source == "static" && r.IntN(4) == 0 {
				x.NextHop, x.Interface, x.Discard = observed.Route{}.NextHop, "", true
			}
			kept = append(kept, x)
		}
	}
	d.Routes = kept
	return d
}

// An edit makes of what a device is set to what it is to be, and the edit the other way round makes that again: with the instances that
// stand there known, and without.
func TestAnEditMakesOneOfTheOther(t *testing.T) {
	t.Parallel()
	edits := 0
	for seed := range uint64(25) {
		r := rand.New(rand.NewPCG(seed, 17))
		_, net, _ := derive.Resolve(coretest.Spec(t, coretest.RandomNetwork(r, "{}")))
		for _, name := range []string{net.Spec.Devices[0].Name, net.Spec.Devices[len(net.Spec.Devices)-1].Name} {
			y := standin.New(net, nil)
			s := newServer(y, name)
			c := connected(t, s)
			before, err := y.Running(name)
			require.NoError(t, err)
			r1, err := wire.ReadData(s.data(before, false), name)
			require.NoError(t, err)
			after := changed(r, before)
			there := r1.Devices[0].Instances
			if seed%2 == 0 {
				there = nil
			}
			edit, _ := wire.Edit(before, after, there)
			undo, _ := wire.Edit(after, before, there)
			if edit == nil {
				continue
			}
			was := s.settings(t)
			for _, x := range []struct {
				edit []byte
				is   *observed.Device
			}{{edit, after}, {undo, before}} {
				answer := c.ask("<edit-config><target><candidate/></target><config>" + string(x.edit) + "</config></edit-config>")
				require.Contains(t, answer, "<ok/>", "seed %d: %s", seed, x.edit)
				require.Contains(t, c.ask("<commit/>"), "<ok/>")
				now, err := y.Running(name)
				require.NoError(t, err)
				assert.Equal(t, facts(x.is), facts(now), "seed %d, %s: %s", seed, name, x.edit)
				edits++
			}
			assert.Equal(t, was, s.settings(t), "seed %d: taken back", seed)
		}
	}
	assert.Greater(t, edits, 40)
}
