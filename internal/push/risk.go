package push

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/observed"
	"ropeswing/core/steps"
	"ropeswing/internal/access"
)

// unsure are the devices of which it is not known what they are reached by: those that were asked before anything was told and did
// not answer, and those that answered though by what is known they would not.
func (p *Pusher) unsure() []model.DeviceID {
	var all []model.DeviceID
	for _, name := range slices.Concat(p.Report.Silent, p.unforeseen) {
		if d, ok := p.w.Spec.DeviceNamed(name); ok {
			all = append(all, d)
		}
	}
	return all
}

// notForeseen are the devices that were heard at an address of theirs which, as the network is known, the operator does not reach.
func (p *Pusher) notForeseen(before *forward.Network, heard []*observed.Device) []string {
	spec := before.Spec
	if spec.Operator == model.None {
		return nil
	}
	var all []string
	for _, o := range heard {
		d, ok := spec.DeviceNamed(o.Name)
		if !ok || d == spec.Operator {
			continue
		}
		if w, ok := p.way(d); !ok || beside(w) {
			continue
		}
		if !isReached(before, d) {
			all = append(all, o.Name)
		}
	}
	return all
}

// isReached tells whether the operator reaches a device at any address it has, as a network is known.
func isReached(net *forward.Network, d model.DeviceID) bool {
	spec := net.Spec
	return slices.ContainsFunc(spec.InterfacesOf(d), func(id model.InterfaceID) bool {
		return slices.ContainsFunc(spec.Interfaces[id].Addresses, func(a model.Address) bool {
			return forward.Ping(net, spec.Operator, netip.Addr{}, a.Addr(), model.None).Verdict() != forward.Fails
		})
	})
}

// cutsOff are the devices that are reached before a step and not behind it, and at which a later step is to be carried out that
// nobody could then log in for. Those that are to be left are passed over.
func (p *Pusher) cutsOff(sheet *steps.Worksheet, n int) []string {
	var names []string
	if p.w.Spec.Operator == model.None {
		return nil
	}
	for m := n + 1; m < len(sheet.Steps); m++ {
		later := &sheet.Steps[m]
		d := later.Device
		name := sheet.After.Spec.Devices[d].Name
		if later.Session != steps.AtConsole || d == sheet.Steps[n].Device || slices.Contains(p.Leave, name) || slices.Contains(names, name) {
			continue
		}
		if w, ok := p.way(d); ok && !beside(w) && isReached(sheet.Network(n), d) && !isReached(sheet.Network(n+1), d) {
			names = append(names, name)
		}
	}
	return names
}

// stops says why a step is not carried out for the sake of others, and the way out; "" where nothing speaks against it.
func (p *Pusher) stops(sheet *steps.Worksheet, n int) string {
	if names := p.mayLose(sheet, n); len(names) > 0 {
		return p.loseWords(names)
	}
	if names := p.cutsOff(sheet, n); len(names) > 0 {
		return fmt.Sprintf("%s would be cut off by it, and has a later step to be carried out there, that nobody could then log in for. Do "+
			"that step first, at its console, or say --leave %s", strings.Join(names, ", "), strings.Join(names, ","))
	}
	return ""
}

// beside tells whether a way leads to an address of its own, beside the plan's network.
func beside(w access.Way) bool { return w.At != "" && !strings.HasPrefix(w.At, ":") }

// mayLose are the devices that a step may cut off, of those of which it is not known what they are reached by. One that is silent may
// be as planned, or as it ever was, at an old address, in an old VLAN. So whatever a step takes away on a device that it hangs on, by
// the path from the operator or by a segment of its own, may be what it is reached by. Those that are to be left are passed over.
func (p *Pusher) mayLose(sheet *steps.Worksheet, n int) []string {
	s := &sheet.Steps[n]
	if !slices.ContainsFunc(s.Sets, func(x steps.Set) bool { return x.Does() != steps.Adds }) {
		return nil
	}
	spec := sheet.After.Spec
	var names []string
	for _, d := range p.unsure() {
		name := spec.Devices[d].Name
		takes := func(x steps.Set) bool { return x.Does() != steps.Adds && p.hangsOn(sheet, n, d, &x) }
		if d != s.Device && !slices.Contains(p.Leave, name) && slices.ContainsFunc(s.Sets, takes) {
			names = append(names, name)
		}
	}
	return names
}

// hangsOn reports whether what a set takes away may be what a device is reached by.
func (p *Pusher) hangsOn(sheet *steps.Worksheet, n int, d model.DeviceID, x *steps.Set) bool {
	s, spec := &sheet.Steps[n], sheet.After.Spec
	at := spec.MainAddress(d, 0)
	if to, err := netip.ParsePrefix(firstWord(x.Subject)); err == nil && at.IsValid() && !to.Contains(at) {
		return false // a route to others
	}
	own := spec.InterfacesOf(d)
	id, isInterface := spec.InterfaceNamed(s.Device, x.Subject)
	if isInterface {
		i := &spec.Interfaces[id]
		for _, o := range own {
			segment := spec.Interfaces[o].Segment
			if segment == model.None {
				continue
			}
			found := strings.FieldsFunc(x.Found, func(r rune) bool { return r == ' ' || r == ',' })
			v := spec.Segments[segment].VLAN
			if segment == i.Segment || v != 0 && i.Switched && slices.Contains(found, fmt.Sprint(v)) {
				return true
			}
		}
	}
	if !at.IsValid() || spec.Operator == model.None || s.Device == spec.Operator {
		return false
	}
	for _, net := range []*forward.Network{sheet.Network(n), sheet.After} {
		for _, node := range forward.Ping(net, spec.Operator, netip.Addr{}, at, model.None).There.Nodes {
			leaves := func(e forward.Edge) bool { return e.Hop.Out == id }
			if node.Device == s.Device && (!isInterface || node.In == id || slices.ContainsFunc(node.Edges, leaves)) {
				return true
			}
		}
	}
	return false
}

func firstWord(text string) string {
	word, _, _ := strings.Cut(text, " ")
	return word
}

// loseWords says why a step is not carried out, and the way out.
func (p *Pusher) loseWords(names []string) string {
	var silent, answered []string
	for _, name := range names {
		if slices.Contains(p.unforeseen, name) {
			answered = append(answered, name)
		} else {
			silent = append(silent, name)
		}
	}
	var parts []string
	if len(silent) > 0 {
		them := "it answers"
		if len(silent) > 1 {
			them = "they answer"
		}
		parts = append(parts, fmt.Sprintf("%s did not answer, and may be cut off by it: nothing is known of what is set there. Have %s first, "+
			"at the address of now, or say --leave %s", strings.Join(silent, ", "), them, strings.Join(silent, ",")))
	}
	if len(answered) > 0 {
		parts = append(parts, fmt.Sprintf("%s answers, though by what is known it would not, and may be cut off by it: something on the way "+
			"is not as planned that no list shows, such as permits. Do it by hand, or say --leave %s",
			strings.Join(answered, ", "), strings.Join(answered, ",")))
	}
	return strings.Join(parts, "; ")
}
