package model

import (
	"cmp"
	"net/netip"
	"slices"

	"ropeswing/core/prefix"
)

// Sites tells for each device at which site it stands: the block that most of its own subnets
// lie in, the innermost one that holds no other block; None where there is none. A device's own
// subnets are those with hosts on them, or that no other device forwards on.
func (s *Spec) Sites() []BlockID {
	tree := s.nestedBlocks()
	var leaves []BlockUse
	for i, x := range tree {
		if i+1 == len(tree) || tree[i+1].Depth <= x.Depth {
			leaves = append(leaves, x)
		}
	}
	blockOf := make([]BlockID, len(s.Segments))
	for i := range s.Segments {
		blockOf[i] = None
		for _, p := range s.Segments[i].Prefixes {
			at, found := slices.BinarySearchFunc(leaves, p.Prefix, func(x BlockUse, p netip.Prefix) int {
				return cmp.Or(cmp.Compare(x.Prefix.Addr().BitLen(), p.Addr().BitLen()), x.Prefix.Addr().Compare(p.Addr()))
			})
			if !found {
				at--
			}
			if at >= 0 && prefix.Covers(leaves[at].Prefix.Prefix, p.Prefix) {
				blockOf[i] = leaves[at].Block
				break
			}
		}
	}
	own := make([]bool, len(s.Segments))
	forwarders := make([]int, len(s.Segments))
	for i := range s.Interfaces {
		if x := &s.Interfaces[i]; x.Segment != None && x.Routed() {
			if s.Devices[x.Device].Forwards {
				forwarders[x.Segment]++
			} else {
				own[x.Segment] = true
			}
		}
	}
	all := make([]BlockID, len(s.Devices))
	for d := range s.Devices {
		all[d] = None
		if s.Devices[d].Kind == World {
			continue
		}
		count := map[BlockID]int{}
		for _, i := range s.InterfacesOf(DeviceID(d)) {
			x := &s.Interfaces[i]
			if x.Segment == None || blockOf[x.Segment] == None || x.Kind == Loopback || !own[x.Segment] && forwarders[x.Segment] > 1 {
				continue
			}
			b := blockOf[x.Segment]
			if count[b]++; all[d] == None || count[b] > count[all[d]] || count[b] == count[all[d]] && b < all[d] {
				all[d] = b
			}
		}
	}
	return all
}
