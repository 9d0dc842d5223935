package derive

import (
	"cmp"
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"ropeswing/core/model"
	"ropeswing/core/network"
)

// canonicalOrder is an order of a network's parts that follows from what the plan says of them and the numbers
// they have, and not from what they are called, nor from where the plan has them: so that routes are
// derived alike whatever the names and the order of the file. A device stands where its loopback does among
// addresses, or without one its lowest address on a link between routers, or its lowest at all; devices
// without addresses by what they are plugged into. A device more or less leaves the order of the others as it is.
func canonicalOrder(spec *model.Spec) model.Order {
	x := &ordering{spec: spec}
	x.orderDevices()
	x.orderInterfaces()
	var o model.Order
	o.Devices, o.Interfaces = x.devices, x.interfaces
	place := model.Positions(x.interfaces)
	o.Segments = byKeys(len(spec.Segments), func(s model.SegmentID) []netip.Addr { return x.prefixesOf(s) }, x.firstMembers(place))
	o.Cables = byKeys(len(spec.Cables), func(model.CableID) []netip.Addr { return nil }, func(a, b model.CableID) int {
		p, q := ends(spec.Cables[a], place), ends(spec.Cables[b], place)
		return cmp.Or(cmp.Compare(p[0], q[0]), cmp.Compare(p[1], q[1]))
	})
	return o
}

// ordering finds the order of a network's parts.
type ordering struct {
	spec       *model.Spec
	devices    []model.DeviceID
	rank       []int32 // by device: equal where nothing that was looked at tells two apart
	interfaces []model.InterfaceID
}

// byKeys sorts identifiers by addresses, those without last, then by what else tells them apart.
func byKeys[ID ~int32](n int, key func(ID) []netip.Addr, then func(a, b ID) int) []ID {
	all, keys := make([]ID, n), make([][]netip.Addr, n)
	for i := range all {
		all[i], keys[i] = ID(i), key(ID(i))
	}
	slices.SortStableFunc(all, func(a, b ID) int { return cmp.Or(compareKeys(keys[a], keys[b]), then(a, b)) })
	return all
}

func compareKeys(a, b []netip.Addr) int {
	if len(a) == 0 || len(b) == 0 {
		return len(b) - len(a)
	}
	return slices.CompareFunc(a, b, netip.Addr.Compare)
}

// own lists the addresses of an interface that are nobody else's, in their order.
func own(i *model.Interface) []netip.Addr {
	var all []netip.Addr
	for _, a := range i.Addresses {
		if !a.OnTop() && !a.Addr().IsLinkLocalUnicast() {
			all = append(all, a.Addr())
		}
	}
	slices.SortFunc(all, netip.Addr.Compare)
	return all
}

// deviceKeys is by device the address that tells it apart: that of its loopback, else its lowest on a link between
// routers, else its lowest at all; invalid where it has none.
func deviceKeys(spec *model.Spec) []netip.Addr {
	isLink := spec.Links()
	keys := make([]netip.Addr, len(spec.Devices))
	for d := range keys {
		var tiers [3][]netip.Addr // by how little an address says that comes or goes with a LAN
		for _, id := range spec.InterfacesOf(model.DeviceID(d)) {
			i := &spec.Interfaces[id]
			tier := 2
			if i.Kind == model.Loopback {
				tier = 0
			} else if i.Segment != model.None && isLink[i.Segment] {
				tier = 1
			}
			tiers[tier] = append(tiers[tier], own(i)...)
		}
		for _, all := range tiers {
			if len(all) > 0 {
				keys[d] = slices.MinFunc(all, netip.Addr.Compare)
				break
			}
		}
	}
	return keys
}

// orderDevices orders devices by their addresses, then by what hangs on them.
func (x *ordering) orderDevices() {
	keys := deviceKeys(x.spec)
	x.devices = byKeys(len(x.spec.Devices), func(d model.DeviceID) []netip.Addr {
		if !keys[d].IsValid() {
			return nil
		}
		return keys[d : d+1]
	}, func(a, b model.DeviceID) int { return compareKeys(x.addressesOf(a), x.addressesOf(b)) })
	x.rank = make([]int32, len(x.devices))
	for i, d := range x.devices {
		x.rank[d] = int32(i)
		if i > 0 && slices.Equal(x.addressesOf(x.devices[i-1]), x.addressesOf(d)) {
			x.rank[d] = x.rank[x.devices[i-1]]
		}
	}
	for names := false; ; names = true { // what ports are called counts only where nothing else tells two apart
		for x.refine(names) {
		}
		if names {
			return
		}
	}
}

// addressesOf lists a device's own addresses.
func (x *ordering) addressesOf(d model.DeviceID) []netip.Addr {
	var all []netip.Addr
	for _, id := range x.spec.InterfacesOf(d) {
		all = append(all, own(&x.spec.Interfaces[id])...)
	}
	slices.SortFunc(all, netip.Addr.Compare)
	return all
}

// refine tells devices of one rank apart by what they are plugged into, and reports whether any were.
func (x *ordering) refine(names bool) bool {
	n := len(x.devices)
	tied := make([]bool, n)
	some := false
	for i := 1; i < n; i++ {
		if a, b := x.devices[i-1], x.devices[i]; x.rank[a] == x.rank[b] {
			tied[a], tied[b], some = true, true, true
		}
	}
	if !some {
		return false
	}
	hangs := make([][]string, n)
	end := func(near, far model.InterfaceID, c *model.Cable) {
		i := &x.spec.Interfaces[near]
		if !tied[i.Device] {
			return
		}
		key := fmt.Sprint(x.rank[x.spec.Interfaces[far].Device], c.Cost, c.Hidden, i.Untagged, i.Tagged, i.AdminDown,
			own(&x.spec.Interfaces[far]))
		if names {
			key += " " + i.Name + " " + x.spec.Interfaces[far].Name
		}
		hangs[i.Device] = append(hangs[i.Device], key)
	}
	for id := range x.spec.Cables {
		c := &x.spec.Cables[id]
		end(c.Ends[0], c.Ends[1], c)
		end(c.Ends[1], c.Ends[0], c)
	}
	key := make([]string, n)
	for d := range key {
		slices.Sort(hangs[d])
		key[d] = fmt.Sprint(x.spec.Devices[d].Kind, x.spec.Devices[d].Count) + strings.Join(hangs[d], ";")
	}
	slices.SortStableFunc(x.devices, func(a, b model.DeviceID) int {
		return cmp.Or(cmp.Compare(x.rank[a], x.rank[b]), cmp.Compare(key[a], key[b]))
	})
	next, parted := make([]int32, n), false
	for i, d := range x.devices {
		next[d] = int32(i)
		if i == 0 {
			continue
		}
		if before := x.devices[i-1]; x.rank[before] == x.rank[d] {
			if key[before] == key[d] {
				next[d] = next[before]
			} else {
				parted = true
			}
		}
	}
	x.rank = next
	return parted
}

// orderInterfaces orders the interfaces of each device by their addresses, then by who is at the far end, and only
// then by what they are called.
func (x *ordering) orderInterfaces() {
	far := make([]int32, len(x.spec.Interfaces))
	for id := range far {
		far[id] = model.None
	}
	for _, c := range x.spec.Cables {
		far[c.Ends[0]], far[c.Ends[1]] = x.rank[x.spec.Interfaces[c.Ends[1]].Device], x.rank[x.spec.Interfaces[c.Ends[0]].Device]
	}
	for _, d := range x.devices {
		ids := x.spec.InterfacesOf(d)
		slices.SortStableFunc(ids, func(a, b model.InterfaceID) int {
			i, j := &x.spec.Interfaces[a], &x.spec.Interfaces[b]
			return cmp.Or(cmp.Compare(i.Kind, j.Kind), compareKeys(own(i), own(j)), cmp.Compare(far[a], far[b]), cmp.Compare(i.Tag, j.Tag),
				cmp.Compare(i.Name, j.Name))
		})
		x.interfaces = append(x.interfaces, ids...)
	}
}

// prefixesOf lists a segment's subnets in their order.
func (x *ordering) prefixesOf(s model.SegmentID) []netip.Addr {
	var all []netip.Addr
	for _, p := range x.spec.Segments[s].Prefixes {
		all = append(all, p.Addr())
	}
	slices.SortFunc(all, netip.Addr.Compare)
	return all
}

// firstMembers compares segments by the first interface on each.
func (x *ordering) firstMembers(place []int32) func(a, b model.SegmentID) int {
	first := make([]int32, len(x.spec.Segments))
	for s := range first {
		first[s] = int32(len(place))
	}
	for id, at := range place {
		if s := x.spec.Interfaces[id].Segment; s != model.None {
			first[s] = min(first[s], at)
		}
	}
	return func(a, b model.SegmentID) int { return cmp.Compare(first[a], first[b]) }
}

// ends are the places of a cable's two ends, the lower first.
func ends(c model.Cable, place []int32) [2]int32 {
	a, b := place[c.Ends[0]], place[c.Ends[1]]
	return [2]int32{min(a, b), max(a, b)}
}

// back turns what was derived in an order into what it is in the network as it stands.
func back(r Result, o model.Order) Result {
	next := make([]int, len(o.Devices)+1) // by device: where its next route comes
	for i := range r.Statics {
		s := &r.Statics[i]
		s.Device, s.Out = o.Devices[s.Device], was(o.Interfaces, s.Out)
		next[s.Device+1]++
	}
	for d := range o.Devices {
		next[d+1] += next[d]
	}
	statics := make([]model.Static, len(r.Statics))
	for i := range r.Statics {
		d := r.Statics[i].Device
		statics[next[d]] = r.Statics[i]
		next[d]++
	}
	r.Statics = statics
	for i := range r.Open {
		x := &r.Open[i]
		x.Device, x.At = o.Devices[x.Device], o.Devices[x.At]
		x.Failure = failureBefore(x.Failure, o)
	}
	for i := range r.Flaws {
		x := &r.Flaws[i]
		for k, d := range x.Devices {
			x.Devices[k] = o.Devices[d]
		}
		x.Failure = failureBefore(x.Failure, o)
	}
	return r
}

// failureBefore is a failure in the order before.
func failureBefore(f network.Failure, o model.Order) network.Failure {
	return network.Failure{
		Device: was(o.Devices, f.Device), Interface: was(o.Interfaces, f.Interface), Cable: was(o.Cables, f.Cable), Segment: was(o.Segments,
			f.Segment),
	}
}

// was is what an identifier was before; None of none.
func was[ID ~int32](order []ID, id ID) ID {
	if id == model.None {
		return id
	}
	return order[id]
}
