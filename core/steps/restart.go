package steps

import (
	"ropeswing/core/model"
	"ropeswing/core/network"
	"ropeswing/core/reach"
)

// Restart is what the restart of a device takes while it lasts.
type Restart struct {
	Broken int // pairs that work before and after all
	First  [2]string
}

// AddRestarts notes for the last step on each device what its restart takes: what was saved
// is there again afterwards, since all of it is set by then. Hosts of the world are not
// restarted.
func (w *Worksheet) AddRestarts() {
	for n := range w.Steps {
		s := &w.Steps[n]
		if !s.Last || s.Session == Theirs || w.judge.spec.Devices[s.Device].Kind == model.World {
			continue
		}
		net := w.Network(n + 1)
		down := network.NoFailure
		down.Device = s.Device
		after := net.Update(net.State.With(down))
		j := w.judge
		x := &state{net: after, ends: reach.AsNow(j.ends, after.Spec)}
		x.matrix = reach.All(after, x.ends)
		s.Restart = &Restart{}
		for _, p := range j.pairs {
			if x.works(j, p[0], p[1]) || j.of(p, s.Device) {
				continue
			}
			if s.Restart.Broken++; s.Restart.Broken == 1 {
				s.Restart.First = j.names(p)
			}
		}
	}
}

// of tells whether a pair is the device's own: of its loopback.
func (j *judge) of(p [2]int, d model.DeviceID) bool {
	own := func(n int) bool {
		return n < len(j.ends) && j.ends[n].Device == d && j.ends[n].Segment == model.None
	}
	return own(p[0]) || own(p[1])
}
