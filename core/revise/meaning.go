package revise

import (
	"fmt"
	"slices"
	"strings"

	"ropeswing/core/model"
)

// naming is what something is called by now.
type naming func(string) string

func same(name string) string { return name }

// meaning is all that a plan says, line by line, in what its words stand for: two plans
// with one meaning differ in how they are written, and in names that naming changes.
func meaning(spec *model.Spec, called naming) []string {
	var all []string
	say := func(format string, args ...any) { all = append(all, fmt.Sprintf(format, args...)) }
	label := func(id model.InterfaceID) string { return labelled(spec, id, called) }
	for _, b := range spec.Blocks {
		say("block %s %v %v", called(b.Name), plain(b.Prefixes), plain(b.Kept))
	}
	for i := range spec.Segments {
		s := &spec.Segments[i]
		say("segment %s vlan %d %v need %v from %v gateways %v", called(s.Name), s.VLAN, plain(s.Prefixes),
			[6]any{s.Need.Hosts, s.Need.HostsSaid, s.Need.Grow, s.Need.PointToPoint, s.Need.Length4,
				s.Need.Length6}, s.From, addressesOf(s.Gateways))
		for _, l := range s.Leases {
			say(" leases %s by %d gateway %s", l.Range, l.By, l.Gateway)
		}
	}
	for i := range spec.Devices {
		d := &spec.Devices[i]
		say("device %s %s forwards %v beyond %v answers %v servers %v otherwise %s state %v %s",
			called(d.Name), d.Kind, d.Forwards, plain(d.Beyond),
			d.Answers, servers(d), d.Otherwise, d.KeepsState, called(d.SharesState))
		for _, id := range spec.InterfacesOf(model.DeviceID(i)) {
			x := &spec.Interfaces[id]
			say(" %s kind %s segment %d parent %d tag %d switched %v %d %v group %d %v borrow %d follows %v table %s down %v managed %v",
				label(id), x.Kind,
				x.Segment, x.Parent, x.Tag, x.Switched, x.Untagged, x.Tagged, x.Group, x.Members, x.Borrow, x.Follows, x.Table, x.AdminDown,
				d.Manage == id)
			for _, a := range x.Addresses {
				say("  %s secondary %v shared %v preferred %v", a.Prefix, a.Secondary, a.Virtual, a.Preferred)
			}
			for _, r := range x.Relay {
				say("  relay %s", r.To)
			}
		}
		for _, p := range slices.Concat(d.Permits, d.OwnPermits) {
			say(" permit %s %v from %v to %v over %v in %v out %v pending %v", p.Ruling, p.Answers, p.From, p.To, p.Over, p.In, p.Out, p.Pending)
		}
		for _, t := range d.Translates {
			say(" translates %d %v %v is %v %s %v beyond %d", t.Kind, t.Inside, t.To, t.Outside, t.Range, t.Asked, t.Beyond)
		}
	}
	for _, c := range spec.Cables {
		name := called(c.Name)
		if strings.Contains(c.Name, " to ") {
			name = "" // it has none of its own
		}
		say("cable %s %s %s hidden %v cost %d", name, label(c.Ends[0]), label(c.Ends[1]), c.Hidden, c.Cost)
	}
	for n := range spec.Statics {
		all = append(all, routeMeaning(spec, &spec.Statics[n], called))
	}
	for _, r := range spec.Must {
		var without []string
		for _, w := range r.Without {
			without = append(without, calledInParts(w.Value, called))
		}
		say("must %v %v not %v without %v %d through %v over %s", r.From, r.To, r.Not, without, r.AnyOne, r.Through, r.Over)
	}
	say("operator %d tree root %d", spec.Operator, spec.Settings.TreeRoot)
	return all
}

// labelled is DEVICE:INTERFACE by what both are called now.
func labelled(spec *model.Spec, id model.InterfaceID, called naming) string {
	if id == model.None {
		return ""
	}
	return calledInParts(spec.Label(id), called)
}

// calledInParts is a name, or DEVICE:INTERFACE, by what it is called now: as a whole, and
// its device.
func calledInParts(text string, called naming) string {
	text = called(text)
	if device, name, ok := strings.Cut(text, ":"); ok {
		return called(device) + ":" + name
	}
	return text
}

func routeMeaning(spec *model.Spec, s *model.Static, called naming) string {
	return fmt.Sprintf("route %s table %s %s via %s out %s discard %v %d %d watch %s", called(spec.Devices[s.Device].Name), s.Table, s.To,
		s.Via, labelled(spec, s.Out, called), s.Discard, s.Distance, s.Metric, s.Watched())
}

func plain(all []model.Prefix) []string {
	words := make([]string, len(all))
	for i, p := range all {
		words[i] = p.Prefix.String()
	}
	return words
}

func addressesOf(all []model.Gateway) []string {
	words := make([]string, len(all))
	for i, g := range all {
		words[i] = g.Address.String()
	}
	return words
}

// firstOther is the first line in which two meanings differ.
func firstOther(before, after []string) (string, bool) {
	for i := range max(len(before), len(after)) {
		switch {
		case i >= len(before):
			return "it has " + after[i] + " more", true
		case i >= len(after):
			return "it lacks " + before[i], true
		case before[i] != after[i]:
			return after[i] + " in place of " + before[i], true
		}
	}
	return "", false
}

// servers are the servers that a device is told.
func servers(d *model.Device) (all []string) {
	for _, k := range model.DeviceKeys {
		if k.List && k.Name != "answers" {
			all = append(all, k.Says(d))
		}
	}
	return all
}
