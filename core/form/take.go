package form

import (
	"maps"
	"slices"
	"strings"
)

// Shows are the different things that a device has to show, in words: those of several give what a form learnt from them has seen.
func (t *Thing) Shows() map[string]bool {
	shown := map[string]bool{}
	for _, x := range t.everything() {
		for name, v := range x.V {
			f := factNamed(x.Kind, name)
			if f == nil || name == "oper" || name == "family" || name == "kind" || name == "device" || name == "active" || name == "source" {
				continue
			}
			at := name
			if x.Kind == Address || x.Kind == Route {
				at = x.Kind.String() + " of " + familyName(x.V["family"]) + ", " + name
			}
			switch {
			case f.Type == Words:
				shown[at+" "+v] = true
			case f.Unset != "" && v != f.Unset:
				shown[at+" other than "+f.Unset] = true
			case f.Type == Names || f.Type == Numbers:
				if all := listOf(v); len(all) > 1 {
					shown["several "+name] = true
					if (listShape{with: ",", runs: "-"}).write(all) != (listShape{with: ","}).write(all) {
						shown["a run among "+name] = true
					}
				}
			default:
				shown[at] = true
			}
		}
	}
	return shown
}

func familyName(word string) string { return strings.Replace(word, "ipv", "IPv", 1) }

// Variety is how many different things a device has to show: the device with the most is the one to learn from first.
func (t *Thing) Variety() int { return len(t.Shows()) }

// Next is which of some devices shows the most that others have not shown, and what that is; -1 where none shows more.
func Next(devices, seen []*Thing) (which int, shows []string) {
	known := map[string]bool{}
	for _, t := range seen {
		maps.Copy(known, t.Shows())
	}
	which = -1
	for n, t := range devices {
		var more []string
		for _, s := range slices.Sorted(maps.Keys(t.Shows())) {
			if !known[s] {
				more = append(more, s)
			}
		}
		if len(more) > len(shows) {
			which, shows = n, more
		}
	}
	return which, shows
}

// Value is a value of a device: of what, which fact, and the value.
type Value struct{ Of, Fact, Value string }

// compared are the facts that a text is asked for; others follow from them, or are said of a VLAN and a port alike.
var compared = []string{
	"note", "admin", "mtu", "mac", "speed", "duplex", "group", "tag", "parent", "untagged", "tagged", "address", "length", "next-hop", "distance",
	"discard", "out", "table",
}

// Values are the values of a device that its gear may tell; that an interface is up is nothing that needs saying.
func (t *Thing) Values() []Value {
	var all []Value
	for _, x := range t.everything() {
		if x.Kind != Interface && x.Kind != Address && x.Kind != Route {
			continue
		}
		of := x.label()
		switch x.Kind {
		case Address:
			of = x.Parent.label()
		case Route:
			of += "/" + x.V["length"]
		}
		for _, name := range compared {
			v, has := x.V[name]
			switch {
			case !has, name == "admin" && v == "up", x.Kind == Route && x.follows(name):
				continue
			case name == "length":
				of = x.Parent.label() + " " + x.label()
			}
			all = append(all, Value{of, name, strings.ReplaceAll(v, separator, ",")})
		}
	}
	return all
}

// follows tells whether a fact of a route follows from others, or need not be said.
func (t *Thing) follows(name string) bool {
	switch name {
	case "length":
		return true // told with the destination
	case "out":
		return t.V["next-hop"] != ""
	case "discard":
		return t.V["discard"] == "no"
	case "distance":
		return t.V["discard"] == "yes"
	}
	return false
}

// NotRead are the values of a device that were not read in its text: those of known that are not among those of read.
func NotRead(known, read *Thing) []Value {
	left := map[Value]int{}
	for _, v := range read.Values() {
		left[v]++
	}
	var all []Value
	for _, v := range known.Values() {
		if left[v] > 0 {
			left[v]--
		} else {
			all = append(all, v)
		}
	}
	return all
}
