package push

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/steps"
)

// silent are the devices that were asked before anything was told, and did not answer.
func (p *Pusher) silent() []model.DeviceID {
	var all []model.DeviceID
	for _, name := range p.Report.Silent {
		if d, ok := p.w.Spec.DeviceNamed(name); ok {
			all = append(all, d)
		}
	}
	return all
}

// mayLose are the silent devices that a step may cut off. Of a device that did not answer nothing is known: it may be as planned,
// or as it ever was, at an old address, in an old VLAN. So whatever a step takes away on a device that it hangs on, by the path
// from the operator or by a segment of its own, may be what it is reached by. Those that are to be left are passed over.
func (p *Pusher) mayLose(sheet *steps.Worksheet, n int) []string {
	s := &sheet.Steps[n]
	if !slices.ContainsFunc(s.Sets, func(x steps.Set) bool { return x.Does() != steps.Adds }) {
		return nil
	}
	spec := sheet.After.Spec
	var names []string
	for _, d := range p.silent() {
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
func loseWords(names []string) string {
	them := "it answers"
	if len(names) > 1 {
		them = "they answer"
	}
	return fmt.Sprintf("%s did not answer, and may be cut off by it: nothing is known of what is set there. Have %s first, at the address "+
		"of now, or say --leave %s",
		strings.Join(names, ", "), them, strings.Join(names, ","))
}
