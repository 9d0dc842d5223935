package forward

import "slices"

// SamePath tells whether the packets of two exchanges go by the same devices and next hops, are
// treated alike, and end alike.
func (x *Exchange) SamePath(o *Exchange) bool {
	return samePath(x.There, o.There) && slices.EqualFunc(x.Back, o.Back, samePath)
}

func samePath(a, b *Graph) bool {
	return slices.EqualFunc(a.Nodes, b.Nodes, func(x, y Node) bool {
		return x.At == y.At && x.To == y.To && x.Decision.Action == y.Decision.Action &&
			slices.EqualFunc(x.Edges, y.Edges, func(e, f Edge) bool { return e.Address == f.Address && e.To == f.To && e.Left == f.Left })
	}) && slices.EqualFunc(a.Endings, b.Endings, func(x, y Ending) bool { return x.Outcome == y.Outcome && x.Node == y.Node })
}

// TablesOn are the routing tables other than the main one that the packets of an exchange are
// looked up in, with the devices that do: as DEVICE and TABLE.
func (x *Exchange) TablesOn(net *Network) [][2]string {
	var all [][2]string
	for _, g := range append([]*Graph{x.There}, x.Back...) {
		for _, n := range g.Nodes {
			if n.In < 0 {
				continue
			}
			i := &net.Spec.Interfaces[n.In]
			if one := [2]string{net.Spec.Devices[n.Device].Name, i.Table}; i.Table != "" && !slices.Contains(all, one) {
				all = append(all, one)
			}
		}
	}
	return all
}
