package reach

import (
	"net/netip"
	"slices"

	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/routing"
)

// fixed is what of a matrix does not depend on the state of the network. A place is
// an end by its position in the order of addresses.
type fixed struct {
	Ends   []*End
	over   model.Service
	sorted []netip.Addr // the ends' addresses in order; IPv4 stands first
	four   int          // how many are of IPv4
	end    []int32      // by place: the end
	place  []int32      // by end: its place
	odd    []bool       // by place: several devices may answer, so that each way is asked for itself
	deaf   []uint64     // by place, as bits: it does not answer what is asked; nil where all do
	on     map[lan][]int32

	nodes []routing.Key // the tables of devices that forward
	node  map[routing.Key]int32
	meets []bool // by node: it judges or translates; nil where none does
	words int    // of a row of places
}

func newFixed(net *forward.Network, ends []*End, over model.Service) *fixed {
	f := &fixed{Ends: ends, over: over, on: map[lan][]int32{}, node: map[routing.Key]int32{}, words: (len(ends) + 63) / 64}
	f.end = make([]int32, len(ends))
	for i := range f.end {
		f.end[i] = int32(i)
	}
	slices.SortFunc(f.end, func(a, b int32) int { return ends[a].Address.Compare(ends[b].Address) })
	f.place = make([]int32, len(ends))
	for p, e := range f.end {
		f.sorted = append(f.sorted, ends[e].Address)
		f.place[e] = int32(p)
		f.on[ends[e].lan()] = append(f.on[ends[e].lan()], int32(p))
		if ends[e].Address.Is4() {
			f.four = p + 1
		}
		if !net.Spec.Devices[ends[e].Device].Serves(over) {
			if f.deaf == nil {
				f.deaf = make([]uint64, f.words)
			}
			put(f.deaf, int32(p/64), 1<<(p%64), true)
		}
	}
	for d := range net.Spec.Devices {
		if net.Spec.Devices[d].Forwards {
			for _, v := range net.Of(model.DeviceID(d)) {
				k := routing.Key{Device: model.DeviceID(d), Name: v.Name()}
				f.node[k] = int32(len(f.nodes))
				f.nodes = append(f.nodes, k)
			}
		}
	}
	f.findOdd(net)
	return f
}

// findOdd notes the ends whose address several devices answer for.
func (f *fixed) findOdd(net *forward.Network) {
	var beyond []model.Prefix
	for d := range net.Spec.Devices {
		beyond = append(beyond, net.Spec.Devices[d].Beyond...)
	}
	f.odd = make([]bool, len(f.sorted))
	for p, a := range f.sorted {
		f.odd[p] = len(net.State.HoldersOf(a)) > 1 || slices.ContainsFunc(beyond, func(b model.Prefix) bool { return b.Contains(a) })
	}
}

// answers tells whether the end at a place answers what is asked.
func (f *fixed) answers(p int32) bool { return f.deaf == nil || !get(f.deaf, p) }

// at is the end at a place.
func (f *fixed) at(p int32) *End { return f.Ends[f.end[p]] }

// counts tells whether the way between two places is one to be asked for: of one
// family, and between segments.
func (f *fixed) counts(p, q int32) bool {
	return (int(p) < f.four) == (int(q) < f.four) && f.at(p).lan() != f.at(q).lan()
}

// eachOdd visits every way, there and back, with an end that is odd.
func (f *fixed) eachOdd(visit func(p, q int32)) {
	for i, odd := range f.odd {
		if !odd {
			continue
		}
		p := int32(i)
		for j := range f.odd {
			if q := int32(j); f.counts(p, q) {
				visit(p, q)
				if !f.odd[q] {
					visit(q, p)
				}
			}
		}
	}
}
