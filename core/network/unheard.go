package network

import (
	"net/netip"

	"ropeswing/core/model"
)

// Watched is an address that a route of a device watches.
type Watched struct {
	Device  model.DeviceID
	Address netip.Addr
}

// Followed is what is watched and priorities of virtual addresses go by, each once; it belongs to the topology.
func (t *Topology) Followed() []Watched { return t.watched }

// Unheard is what is watched and not heard, as far as priorities go by it; it belongs to the state.
func (s *State) Unheard() map[Watched]bool { return s.unheard }

// WithUnheard is the same state where some of what is watched is not heard, so that others may be masters of virtual addresses.
func (s *State) WithUnheard(unheard map[Watched]bool) *State {
	next := *s
	next.members, next.unheard = nil, unheard
	next.number(s.sets)
	return &next
}
