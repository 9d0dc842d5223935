package forward

import "ropeswing/core/model"

// Elsewhere tells by which interface a request comes in to the device that answers it, and
// by which other the reply leaves; false where some reply leaves as its request came. What
// keeps state by port, and what binds a session to one, does not like that.
func (x *Exchange) Elsewhere() (in, out model.InterfaceID, elsewhere bool) {
	ins := map[model.InterfaceID]bool{}
	device := model.DeviceID(model.None)
	in, out = model.None, model.None
	for _, e := range x.There.Endings {
		if n := &x.There.Nodes[e.Node]; e.Outcome == Delivered && n.In != model.None {
			ins[n.In], device = true, n.Device
			if in == model.None {
				in = n.In
			}
		}
	}
	for _, g := range x.Back {
		if len(g.Nodes) == 0 || g.Nodes[0].Device != device {
			continue
		}
		for _, e := range g.Nodes[0].Edges {
			if ins[e.Hop.Out] {
				return model.None, model.None, false
			}
			if out == model.None {
				out = e.Hop.Out
			}
		}
	}
	return in, out, in != model.None && out != model.None
}
