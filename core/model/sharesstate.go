package model

import (
	"errors"

	"ropeswing/core/finding"
	"ropeswing/core/plan"
)

var errSharesWithItself = errors.New("a device shares its table of states with another, not with itself")

// sharesState resolves with whom a device has one table of states.
func (r *resolver) sharesState(d DeviceID, t plan.Text) {
	other, ok := r.device(t)
	switch device := &r.spec.Devices[d]; {
	case !ok:
	case other == d:
		r.report(finding.New(finding.BadValue, t.Place, "%s", errSharesWithItself).About(device.Name))
	case !r.hasStates(d) && !r.hasStates(other):
		r.report(finding.New(finding.BadValue, t.Place, "neither %s nor %s has states to share: neither keeps any, and neither translates",
			device.Name, r.spec.Devices[other].Name).Mend("write 'keeps-state: true' for both, or leave 'shares-state' out").About(device.Name))
	default:
		device.SharesState = r.spec.Devices[other].Name
	}
}

// hasStates tells whether a device keeps in mind what passed it.
func (r *resolver) hasStates(d DeviceID) bool {
	written := &r.doc.Devices[d]
	return written.KeepsState.Or(r.spec.Devices[d].Kind == Firewall) || len(written.Translates) > 0
}

// OneState tells whether two devices have one table of states: they are one device, or either says that it shares its
// table with the other.
func (s *Spec) OneState(a, b DeviceID) bool {
	x, y := &s.Devices[a], &s.Devices[b]
	return a == b || x.SharesState != "" && x.SharesState == y.Name || y.SharesState != "" && y.SharesState == x.Name
}

// StateWith is the name of the device with which one has one table of states, whichever of them says so; "" where there is none.
func (s *Spec) StateWith(d DeviceID) string {
	if x := &s.Devices[d]; x.SharesState != "" || !x.KeepsState && len(x.Translates) == 0 { // it has no states for anybody
		return x.SharesState
	}
	for other := range s.Devices {
		if id := DeviceID(other); id != d && s.OneState(d, id) {
			return s.Devices[other].Name
		}
	}
	return ""
}
