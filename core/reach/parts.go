package reach

import (
	"ropeswing/core/model"
	"ropeswing/core/network"
)

// parts tells which devices some wire still leads to from which others, through
// devices that forward, whatever their routes say.
type parts struct {
	root []int32   // of devices and domains, as disjoint sets
	at   [][]int32 // by device that does not forward: its domains
	own  func(model.DeviceID) bool
}

// wired finds the parts of a network in a state. Devices that forward and
// broadcast domains hang together where an interface is up; a table of its own is
// a network apart, though the wire is there.
func wired(s *network.State) *parts {
	spec := s.Spec
	n := int32(len(spec.Devices))
	most := network.NoDomain
	for id := range spec.Interfaces {
		most = max(most, s.Domain(model.InterfaceID(id)))
	}
	p := &parts{root: make([]int32, n+int32(most)+1), at: make([][]int32, n)}
	p.own = func(d model.DeviceID) bool {
		return spec.Devices[d].Forwards && spec.Devices[d].Kind != model.World
	}
	for i := range p.root {
		p.root[i] = int32(i)
	}
	for id := range spec.Interfaces {
		i := &spec.Interfaces[id]
		domain := s.Domain(model.InterfaceID(id))
		if domain == network.NoDomain || i.Table != "" {
			continue
		}
		if p.own(i.Device) {
			p.join(int32(i.Device), n+int32(domain))
		} else {
			p.at[i.Device] = append(p.at[i.Device], n+int32(domain))
		}
	}
	for _, c := range spec.Cables { // lines without addresses are wires too
		a, b := &spec.Interfaces[c.Ends[0]], &spec.Interfaces[c.Ends[1]]
		if !c.Pulled && a.Serial && s.IsUp(c.Ends[0]) && s.IsUp(c.Ends[1]) && p.own(a.Device) && p.own(b.Device) {
			p.join(int32(a.Device), int32(b.Device))
		}
	}
	return p
}

func (p *parts) find(x int32) int32 {
	for p.root[x] != x {
		p.root[x] = p.root[p.root[x]]
		x = p.root[x]
	}
	return x
}

func (p *parts) join(a, b int32) { p.root[p.find(a)] = p.find(b) }

// appendEnds appends the parts a device hangs on: that of itself where it forwards,
// else those of its domains.
func (p *parts) appendEnds(d model.DeviceID, all []int32) []int32 {
	if p.own(d) {
		return append(all, p.find(int32(d)))
	}
	for _, domain := range p.at[d] {
		all = append(all, p.find(domain))
	}
	return all
}
