package verify

import (
	"strings"

	"ropeswing/core/finding"
	"ropeswing/core/source"
)

// names finds two devices, segments or blocks whose names differ by case only.
func (c *checker) names() {
	seen := map[string]int{} // by kind and the name in lower case
	type named struct {
		name  string
		place source.Place
	}
	var all []named
	add := func(kind, name string, place source.Place) {
		key := kind + " " + strings.ToLower(name)
		n, twice := seen[key]
		if all = append(all, named{name, place}); !twice {
			seen[key] = len(all) - 1
			return
		}
		other := all[n]
		f := finding.New(finding.NamesDifferInCase, place, "%s and %s, two %ss, differ by case only", name, other.name, kind).About(name).
			Mend("give one another name: 'rename %s NAME'", name)
		if other.place.Known() {
			f = f.With(other.place)
		}
		c.report(f)
	}
	for i := range c.spec.Devices {
		add("device", c.spec.Devices[i].Name, c.spec.Devices[i].Place)
	}
	for i := range c.spec.Segments {
		add("segment", c.spec.Segments[i].Name, c.spec.Segments[i].Place)
	}
	for i := range c.spec.Blocks {
		add("block", c.spec.Blocks[i].Name, c.spec.Blocks[i].Place)
	}
}
