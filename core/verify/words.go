package verify

import (
	"fmt"
	"slices"

	"ropeswing/core/derive"
	"ropeswing/core/forward"
	"ropeswing/core/model"
)

// Unprotected is a way that a single failure takes away though a wire is left,
// in words.
type Unprotected struct {
	Device  string // that is cut off
	To      string
	Failure string // of a cable or segment
	Because string
}

// Describe puts what derived routes leave unprotected into words.
func Describe(net *forward.Network, open []derive.Open) []Unprotected {
	c := &checker{net: net, spec: net.Spec}
	var all []Unprotected
	for _, o := range open {
		if u := c.describe(o); !slices.Contains(all, u) {
			all = append(all, u)
		}
	}
	return all
}

func (c *checker) describe(o derive.Open) Unprotected {
	return Unprotected{c.spec.Devices[o.Device].Name, c.segmentsOf(o), c.failureName(o), c.because(o)}
}

// segmentsOf names what is lost: the first segment, and how many more.
func (c *checker) segmentsOf(o derive.Open) string {
	var names []string
	for _, p := range o.To {
		name := p.String()
		if s := c.segmentWith(p); s != model.None {
			name = c.spec.Segments[s].Name
		}
		if !slices.Contains(names, name) {
			names = append(names, name)
		}
	}
	if o.World {
		names = append(names, "the world")
	}
	if len(names) > 2 {
		return fmt.Sprintf("%s and %d others", names[0], len(names)-1)
	}
	return forward.And(names)
}

func (c *checker) failureName(o derive.Open) string {
	if o.Failure.Cable != model.None {
		return c.spec.Cables[o.Failure.Cable].Name
	}
	return c.spec.Segments[o.Failure.Segment].Name
}

func (c *checker) because(o derive.Open) string {
	at := c.spec.Devices[o.At].Name
	switch o.Because {
	case derive.IsWritten:
		return fmt.Sprintf("the route of %s is written, and has nothing behind it that leads round", at)
	case derive.NotFloating:
		return "no floating routes are wanted"
	case derive.WouldCircle:
		return fmt.Sprintf("on the way round from %s somebody would have to notice, and there is nothing to watch that tells for sure", at)
	}
	return fmt.Sprintf("%s has no other way that does not lead back", at)
}
