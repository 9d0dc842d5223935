package verify

import (
	"fmt"
	"net/netip"

	"ropeswing/core/finding"
	"ropeswing/core/forward"
	"ropeswing/core/model"
)

// servers finds servers that a device is told to ask and does not reach over what they are asked over. Of one server and kind one device
// stands for all that fail.
func (c *checker) servers() {
	type told struct {
		kind model.ServerKind
		at   netip.Addr
	}
	first := map[told]int{} // where in found it is told
	more := map[told]int{}
	reason := map[told]string{}
	for d := range c.spec.Devices {
		device := &c.spec.Devices[d]
		for _, kind := range model.ServerKinds {
			for _, s := range device.Servers[kind] {
				x := forward.PingBy(c.net, model.DeviceID(d), netip.Addr{}, s.Addr, model.None, forward.Probe{Over: kind.Service()})
				if x.Verdict() == forward.Works {
					continue
				}
				k := told{kind, s.Addr}
				if _, known := first[k]; known {
					more[k]++
					continue
				}
				why := ""
				if f, failing := x.Failure(c.net); failing {
					why = ": " + f.Words(c.net)
				}
				first[k] = len(c.found)
				reason[k] = fmt.Sprintf("%s does not reach %s, which it is told under %s, over %s%s", device.Name, s, kind.Key(), kind.Service(), why)
				c.report(finding.New(finding.ServerOutOfReach, s.Place, "%s", reason[k]).About(device.Name).
					Mend("see 'ping %s %s --over %s'; name a server that answers, or let it pass", device.Name, s, kind.Service()))
			}
		}
	}
	for k, n := range more {
		c.found[first[k]].Reason += fmt.Sprintf("; %d more likewise", n)
	}
}
