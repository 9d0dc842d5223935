package verify

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"ropeswing/core/finding"
	"ropeswing/core/forward"
	"ropeswing/core/model"
)

// Managed is how the operator comes to a device.
type Managed struct {
	Device   model.DeviceID
	Address  netip.Addr // invalid where it has none
	Answers  []string
	By       string            // the service by which the operator logs in, or would; "" where it answers none
	Exchange *forward.Exchange // over that service, else a ping; nil without an address or an operator
	Way      []model.DeviceID  // from the operator to it, where it is reached
}

// Management is every device that somebody has to log in to: all but hosts and
// the world, and how the plan's operator reaches each.
func Management(net *forward.Network) []Managed {
	spec := net.Spec
	var all []Managed
	for n := range spec.Devices {
		d := model.DeviceID(n)
		device := &spec.Devices[d]
		if device.Kind == model.Host || device.Kind == model.World {
			continue
		}
		m := Managed{Device: d, Answers: device.Answers}
		m.Address, m.By, m.Exchange = reached(net, d)
		if m.Exchange != nil && m.Exchange.Verdict() == forward.Works {
			there := m.Exchange.There
			for _, node := range there.Path(there.Endings[0].Node) {
				m.Way = append(m.Way, there.Nodes[node].Device)
			}
		}
		all = append(all, m)
	}
	return all
}

// reached tries the device's management addresses, IPv4 first, each over the services by
// which one logs in, and returns the first that works, else the first it has.
func reached(net *forward.Network, d model.DeviceID) (netip.Addr, string, *forward.Exchange) {
	spec := net.Spec
	device := &spec.Devices[d]
	if device.Manage == model.None {
		return netip.Addr{}, "", nil
	}
	logins := slices.DeleteFunc(slices.Clone(model.Logins), func(word string) bool { return !slices.Contains(device.Answers, word) })
	by := ""
	over := []model.Service{model.Echo} // whether a path leads there, though nobody can log in
	if len(logins) > 0 {
		by, over = logins[0], over[:0]
		for _, word := range logins {
			over = append(over, model.ServiceOf(word))
		}
	}
	var first netip.Addr
	var failed *forward.Exchange
	for _, a := range spec.Interfaces[device.Manage].Addresses {
		if a.Addr().IsLinkLocalUnicast() || a.OnTop() {
			continue
		}
		if spec.Operator == model.None {
			return a.Addr(), by, nil
		}
		for n, s := range over {
			x := forward.PingBy(net, spec.Operator, netip.Addr{}, a.Addr(), model.None, forward.Probe{Over: s, Whom: forward.Only(d)})
			if x.Verdict() == forward.Works {
				if len(logins) > 0 {
					by = logins[n]
				}
				return a.Addr(), by, x
			}
			if !first.IsValid() {
				first, failed = a.Addr(), x
			}
		}
	}
	return first, by, failed
}

// management finds devices that cannot be managed, where the plan says who
// manages them.
func (c *checker) management() {
	if c.spec.Operator == model.None {
		return
	}
	operator := c.spec.Devices[c.spec.Operator].Name
	said := map[string]int{} // by finding and why: the finding that says so of several
	others := map[int][]string{}
	defer func() {
		for n, names := range others {
			if more := len(names); more > 3 {
				names = append(names[:3:3], fmt.Sprintf("%d more", more-3))
			}
			c.found[n].Reason += "; so " + forward.And(names)
		}
	}()
	for _, m := range Management(c.net) {
		device := &c.spec.Devices[m.Device]
		report := func(name finding.Name, reason string, args ...any) *finding.Finding {
			// What ails several alike is told once.
			key := string(name) + " " + strings.ReplaceAll(strings.ReplaceAll(fmt.Sprintf(reason, args...), device.Name, "it"),
				m.Address.String(), "there")
			if name == finding.ManagedByItself {
				key = string(name)
			}
			if n, again := said[key]; again {
				others[n] = append(others[n], device.Name)
				return &finding.Finding{}
			}
			said[key] = len(c.found)
			c.report(finding.New(name, device.Place, "%s", device.Name+" "+fmt.Sprintf(reason, args...)).About(device.Name))
			return &c.found[len(c.found)-1]
		}
		switch {
		case !m.Address.IsValid():
			report(finding.NoManagement, "has no address to be managed by")
		case m.By == "":
			report(finding.Unmanageable, "answers %s at %s, and none of %s", strings.Join(m.Answers, " and "), m.Address,
				strings.Join(model.Logins, ", "))
		case m.Exchange.Verdict() != forward.Works:
			why := ""
			if f, ok := m.Exchange.Failure(c.net); ok {
				why = ": " + f.Words(c.net)
			}
			f := report(finding.Unmanageable, "cannot be managed by %s over %s at %s%s", operator, m.By, m.Address, why)
			*f = f.Then("ping", m.Address.String(), "--over", model.ServiceOf(m.By).String())
		case c.cutsItselfOff(m):
			report(finding.ManagedByItself, "is managed at %s, the address of the very interface the operator comes in by",
				m.Address).Remedy = "give it a loopback, and manage it there"
		}
	}
}

// cutsItselfOff tells whether a forwarding device is managed at a port that
// carries other traffic, by which the operator's packets come in.
func (c *checker) cutsItselfOff(m Managed) bool {
	device := &c.spec.Devices[m.Device]
	manage := &c.spec.Interfaces[device.Manage]
	if !device.Forwards || manage.Kind == model.Loopback || manage.Table != "" {
		return false
	}
	there := m.Exchange.There
	return there.Nodes[there.Endings[0].Node].In == device.Manage
}
