package verify

import (
	"fmt"

	"ropeswing/core/finding"
	"ropeswing/core/model"
)

// groups checks that the live members of each group make one link.
func (c *checker) groups() {
	for n := range c.spec.Interfaces {
		g := &c.spec.Interfaces[n]
		if g.Kind != model.Group {
			continue
		}
		odd, first := c.state().OddMember(model.InterfaceID(n))
		if odd == model.None {
			continue
		}
		label := c.spec.Label(model.InterfaceID(n))
		far := c.state().Peer(odd)
		to := &c.spec.Interfaces[far]
		place := func(id model.InterfaceID) string {
			if g := c.spec.Interfaces[id].Group; g != model.None {
				return fmt.Sprintf("%s in %s", c.spec.Label(id), c.spec.Interfaces[g].Name)
			}
			return c.spec.Label(id) + ", which is in no group"
		}
		f := finding.New(finding.GroupEndsDiffer, g.Place, "%s leads by %s to %s, and by %s to %s", label,
			c.spec.Interfaces[first].Name, place(c.state().Peer(first)), c.spec.Interfaces[odd].Name, place(far))
		if ends := c.end(far); odd == first || ends == c.end(c.state().Peer(first)) {
			words := map[bool]string{true: "negotiates", false: "does not negotiate"}
			f = finding.New(finding.GroupEndsDiffer, g.Place, "%s %s, and %s at its far end %s", label, words[g.Negotiates],
				c.spec.Devices[ends.Device].Name+":"+ends.Name, words[ends.Negotiates])
		}
		c.report(f.About(label).With(to.Place))
	}
}
