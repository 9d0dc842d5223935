package compare

import (
	"fmt"
	"strings"

	"ropeswing/core/forward"
)

// Words says what was likely done; empty where nothing comes to mind. The network is
// the planned one.
func (s Slip) Words(net *forward.Network) string {
	switch s.Code {
	case SwitchedOff:
		return "administratively down"
	case FollowsFrom:
		return "it follows from " + net.Spec.Label(s.Interface) + ", which is administratively down"
	case FarEndSilent:
		return "nothing comes from " + net.Spec.Label(s.Interface)
	case PredictedDown:
		return "predicted down: " + net.State.Why(s.Interface)
	case VLANsMissing:
		return "VLAN " + numbers(s.VLANs) + " is missing"
	case VLANsExtra:
		return "VLAN " + numbers(s.VLANs) + " is not planned there"
	case VLANSwapped:
		return fmt.Sprintf("%d for %d: digits swapped", s.Found, s.Planned)
	case OtherLength:
		return fmt.Sprintf("mask /%d for /%d", s.Found, s.Planned)
	case IsBroadcast:
		return "the broadcast address"
	case DigitsSwapped:
		return "digits swapped"
	case OneDigitOff:
		return "one digit off"
	case OtherOfSubnet:
		return "another address of the subnet"
	case OnOtherInterface:
		return fmt.Sprintf("the address is on %s, planned on %s", net.Spec.Interfaces[s.Interface].Name, net.Spec.Interfaces[s.Instead].Name)
	case PlannedElsewhere:
		return "it is planned for " + net.Spec.Label(s.Interface)
	case HopOfNobody:
		return "nobody in the plan has " + s.Address.String()
	case HopPointsBack:
		return "the next hop points back"
	case ByStandby:
		text := "it goes by the standby route"
		if s.Address.IsValid() {
			text += fmt.Sprintf(": %s, which the first watches, may not answer", net.State.HolderLabel(s.Address))
		}
		return text
	case WatchMaySilence:
		return fmt.Sprintf("it is in use only while %s answers by it", net.State.HolderLabel(s.Address))
	}
	return ""
}

func numbers(all []int) string {
	words := make([]string, len(all))
	for i, v := range all {
		words[i] = fmt.Sprint(v)
	}
	return strings.Join(words, ", ")
}
