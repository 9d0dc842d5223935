package derive

import (
	"net/netip"
	"slices"

	"ropeswing/core/model"
	"ropeswing/core/network"
)

// Flaw is what derived routes would do with packets in one failure, and must not: the proof of the routes found it, and
// no other routes were found that do not. Written routes may leave no others.
type Flaw struct {
	Failure network.Failure  // NoFailure where nothing is broken
	To      []netip.Prefix   // in the order of addresses
	Devices []model.DeviceID // of a circle, all of it, in the packet's order; else the device where it happens
	Kind    FlawKind
}

// FlawKind is what happens to the packets of a Flaw.
type FlawKind uint8

const (
	Circling FlawKind = iota // they go round
	Leaking                  // they leave for beyond the plan, though they are for a network of the plan
	Losing                   // they do not arrive, though a way is left that the device could take
	Unheard                  // probes of a watch: the device sends them or their answers another way than the path that is watched
)

// told is the flaws that are left in what is emitted, those of one failure and place together.
func (a *answer) told(e *emitted) []Flaw {
	var all []Flaw
	for _, f := range e.flaws {
		x := Flaw{Failure: network.NoFailure, Kind: f.kind, Devices: f.devices}
		if f.failure != none {
			x.Failure = a.g.failures[f.failure].Failure
		}
		if f.kind == Circling { // from the same device on, wherever it was entered
			at := slices.Index(f.devices, slices.Min(f.devices))
			x.Devices = slices.Concat(f.devices[at:], f.devices[:at])
		}
		at := slices.IndexFunc(all, func(y Flaw) bool {
			return x.Failure == y.Failure && x.Kind == y.Kind && slices.Equal(x.Devices, y.Devices)
		})
		if at < 0 {
			at = len(all)
			all = append(all, x)
		}
		all[at].To = append(all[at].To, e.space.nodes[f.leaf].prefix)
	}
	for i := range all {
		slices.SortFunc(all[i].To, comparePrefixes)
	}
	return all
}
