package derive

import (
	"slices"

	"ropeswing/core/model"
)

// wanted is what the plan wants, by device where that is asked often.
type wanted struct {
	*model.Wants
	leftOut []bool // nothing is derived for it
	writes  []bool // it has written routes, or has nothing but such
}

func newWanted(spec *model.Spec) *wanted {
	w := &wanted{Wants: spec.Wants, leftOut: make([]bool, len(spec.Devices)), writes: make([]bool, len(spec.Devices))}
	for d := range spec.Devices {
		w.leftOut[d] = spec.Devices[d].Kind == model.World || slices.Contains(w.LeaveOut, model.DeviceID(d))
		w.writes[d] = w.leftOut[d]
	}
	for _, s := range spec.Statics {
		if s.Origin == model.Written && s.Table == "" {
			w.writes[s.Device] = true
		}
	}
	return w
}

// derives tells whether routes are derived for a device.
func (g *graph) derives(w *wanted, d model.DeviceID) bool {
	return g.spec.Devices[d].Forwards && !w.leftOut[d]
}
