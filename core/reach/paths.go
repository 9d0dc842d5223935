package reach

import "ropeswing/core/model"

// Paths are those that packets take between the classes of a matrix.
type Paths struct{ *Matrix }

// Paths are the paths between the classes of ends.
func (m *Matrix) Paths() Paths { return Paths{m} }

// between appends the nodes on the path from a class to another, those of the two
// themselves left out. It is false where the path branches, or leads nowhere.
func (m Paths) between(from, to int32, path []int32) ([]int32, bool) {
	p, q := m.members[from][0], m.members[to][0]
	if m.odd[p] || m.odd[q] {
		return path, false
	}
	sender, receiver := m.at(p).Device, m.at(q).Device
	at := m.sends[from].stepTo(q)
	for range len(m.nodes) + 1 {
		switch {
		case at == delivers || at == hands:
			return path, true
		case at < 0:
			return path, false
		}
		if d := m.nodes[at].Device; d != sender && d != receiver {
			path = append(path, int32(at))
		}
		at = m.next[to][at]
	}
	return path, false
}

// Different visits the pairs of classes between which packets come back by another
// path than they went, each once, and those of which that is not known since paths
// branch. The paths hold the devices between the two, there and back, each in the
// order in which it is gone; they are nil where they branch.
func (m Paths) Different(visit func(a, b int32, there, back []model.DeviceID)) {
	var there, back []int32
	for a := range int32(len(m.members)) {
		for b := a + 1; b < int32(len(m.members)); b++ {
			if !m.relatives(a, b) {
				continue
			}
			var sure, also bool
			there, sure = m.between(a, b, there[:0])
			back, also = m.between(b, a, back[:0])
			switch {
			case !sure || !also:
				visit(a, b, nil, nil)
			case !m.mirrored(there, back):
				visit(a, b, m.devices(there), m.devices(back))
			}
		}
	}
}

// relatives tells whether two classes have members of one family.
func (m Paths) relatives(a, b int32) bool {
	x, y := m.members[a], m.members[b]
	four, six := func(p int32) bool { return int(p) < m.four }, func(p int32) bool { return int(p) >= m.four }
	return four(x[0]) && four(y[0]) || six(x[len(x)-1]) && six(y[len(y)-1])
}

// mirrored tells whether one path leads past the devices of the other in the
// opposite order.
func (m Paths) mirrored(there, back []int32) bool {
	if len(there) != len(back) {
		return false
	}
	for i, n := range there {
		if other := back[len(back)-1-i]; n != other && m.nodes[n].Device != m.nodes[other].Device {
			return false
		}
	}
	return true
}

func (m Paths) devices(nodes []int32) []model.DeviceID {
	all := make([]model.DeviceID, len(nodes))
	for i, n := range nodes {
		all[i] = m.nodes[n].Device
	}
	return all
}

// Between lists the devices on the path from a class to another, without those of the
// two themselves. It is not sure where the path branches.
func (m Paths) Between(from, to int32) (devices []model.DeviceID, sure bool) {
	nodes, sure := m.between(from, to, nil)
	return m.devices(nodes), sure
}

// Count is how many classes there are.
func (m Paths) Count() int { return len(m.members) }

// Class is the class of an end, by its place in Ends, from 0 up.
func (m Paths) Class(end int) int32 { return m.of[m.place[end]] }
