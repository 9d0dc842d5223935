package wire

import (
	"bytes"
	"cmp"
	"maps"
	"net/netip"
	"slices"

	"ropeswing/core/observed"
	"ropeswing/internal/yang"
)

// Edit is what edit-config takes to make of one configuration another: only what differs is in
// it. Beyond tells whether it has anything that no standard model has. It is nil where the models
// have nothing of what differs. Static routes stand in the instances that are there, by their names; where none suits, in one of our own.
func Edit(before, after *observed.Device, there []observed.Instance) (text []byte, beyond bool) {
	after = after.Clone()
	for n := range after.Interfaces { // what is not said stays
		i := &after.Interfaces[n]
		was := slices.IndexFunc(before.Interfaces, func(b observed.Interface) bool { return b.Name == i.Name })
		if was >= 0 && i.MTU < 68 {
			i.MTU = before.Interfaces[was].MTU
		}
	}
	all := yang.Diff(settings(before, after, there), settings(after, before, there))
	if len(all) == 0 {
		return nil, false
	}
	var b bytes.Buffer
	for _, n := range all {
		n.XMLLines(&b, "", 1)
		beyond = beyond || isBeyond(n)
	}
	return b.Bytes(), beyond
}

// isBeyond tells whether a datum is none of the standard models', or anything in it.
func isBeyond(n *yang.Node) bool {
	return yang.Module(n.Space) == yang.Device || slices.ContainsFunc(n.Children, isBeyond)
}

// settings are what an edit may set of a device, where another is what it is made of, or made of it.
func settings(d, other *observed.Device, there []observed.Instance) []*yang.Node {
	all := []*yang.Node{deviceInterfaces(d, nil, false)}
	e := &editor{there}
	if r := e.statics(d, other); r != nil {
		all = append(all, r)
	}
	return all
}

type editor struct{ there []observed.Instance }

// statics are the static routes in the instances they stand in. One that is there stays where nothing stands in it any more; of
// which are there, where that is not known, is what the other device has.
func (e *editor) statics(d, other *observed.Device) *yang.Node {
	by := map[string][]observed.Route{}
	says := map[string][]*yang.Node{}
	for _, i := range e.there {
		by[i.Name] = nil
	}
	take := func(of *observed.Device, theirs bool) {
		for _, r := range of.Routes {
			if r.Source != "" && r.Source != "static" {
				continue
			}
			s := standingOf(&r)
			name := e.instance(s, r.To)
			if !slices.ContainsFunc(e.there, func(i observed.Instance) bool { return i.Name == name }) {
				if says[name] = s.leaves(); s.distance == 1 { // as where nothing is said; it has no place in the standard's models
					says[name] = says[name][1:]
				}
			}
			if theirs {
				by[name] = append(by[name], r)
			} else if _, ok := by[name]; !ok {
				by[name] = nil
			}
		}
	}
	take(d, true)
	if e.there == nil {
		take(other, false)
	}
	if len(by) == 0 {
		return nil
	}
	protocols := yang.Box(yang.Routing, "control-plane-protocols")
	for _, name := range slices.Sorted(maps.Keys(by)) {
		protocols.Add(instanceOf(name, says[name], by[name]))
	}
	return yang.Box(yang.Routing, "routing", protocols)
}

// instance is the one in which a route stands, or would: the one that has it, else one that holds routes of its kind, else one of our own.
func (e *editor) instance(s standing, to netip.Prefix) string {
	name := ""
	for i := range e.there {
		x := &e.there[i]
		if (standing{x.Table, x.Distance, x.Metric}) != s {
			continue
		}
		if slices.Contains(x.To, to) {
			return x.Name
		}
		name = cmp.Or(name, x.Name)
	}
	if name != "" {
		return name
	}
	name = s.name()
	for slices.ContainsFunc(e.there, func(i observed.Instance) bool { return i.Name == name }) {
		name += "-own" // that name is another's
	}
	return name
}
