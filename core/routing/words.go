package routing

import (
	"fmt"

	"ropeswing/core/network"
)

// Words says why a route is not usable: "next hop 10.48.0.9 is on beam0, which is
// down: the far end mole-rtr:beam0 is administratively down". It is empty where
// there is no cause. Silent says why a monitor hears nothing.
func (c Cause) Words(state *network.State, silent func(Monitor) string) string {
	spec := state.Spec
	switch c.Code {
	case OutIsDown:
		return fmt.Sprintf("%s is down: %s", spec.Interfaces[c.Interface].Name, state.Why(c.Interface))
	case HopIsOneself:
		return fmt.Sprintf("the next hop %s is %s's own address", c.Via, spec.Devices[c.Device].Name)
	case HopLeadsBack:
		return fmt.Sprintf("finding the next hop %s leads back to this route", c.Via)
	case HopOnDown:
		return fmt.Sprintf("next hop %s is on %s, which is down: %s", c.Via, spec.Interfaces[c.Interface].Name, state.Why(c.Interface))
	case HopByDefault:
		return fmt.Sprintf("only the default route matches the next hop %s", c.Via)
	case HopBehind:
		return fmt.Sprintf("the next hop %s is behind %s, which is not usable: %s", c.Via, c.Prefix, c.Further.Words(state, silent))
	case HopUnmatched:
		return fmt.Sprintf("no route leads to the next hop %s", c.Via)
	case WatchIsSilent:
		return silent(c.Monitor)
	case HopUnderDiscard:
		text := fmt.Sprintf("its next hop %s falls under the discard route %s, so it discards too", c.Via, c.Prefix)
		if c.Further != nil {
			text += "; " + c.Further.Words(state, silent)
		}
		return text
	}
	return ""
}
