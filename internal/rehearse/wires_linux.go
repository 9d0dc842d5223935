package rehearse

import (
	"fmt"

	"github.com/vishvananda/netlink"

	"ropeswing/core/model"
	"ropeswing/core/network"
)

// wires is what is between devices: a bridge for each broadcast domain, with the far ends
// of the interfaces in it. VLANs, groups of ports and the cables of switches are in who is
// in which, so that a kernel without VLANs does.
type wires struct {
	space   *space
	ends    map[model.InterfaceID]int               // the far end of each interface, by its index
	on      map[model.InterfaceID]model.InterfaceID // the bridge it is on
	up      map[model.InterfaceID]bool
	bridges map[model.InterfaceID]int // by the least interface on it: the bridge's index
}

// most is the MTU of what is between devices: their own is what counts.
const most = 65535

func newWires() (*wires, error) {
	s, err := newSpace()
	if err != nil {
		return nil, err
	}
	err = s.inside(func() error {
		return set([][2]string{{"ipv6/conf/default/disable_ipv6", "1"}, {"ipv6/conf/all/disable_ipv6", "1"}}, false)
	})
	return &wires{s, map[model.InterfaceID]int{}, map[model.InterfaceID]model.InterfaceID{}, map[model.InterfaceID]bool{},
		map[model.InterfaceID]int{}}, err
}

func endName(id model.InterfaceID) string { return fmt.Sprintf("w%d", id) }

// settle puts each interface where the state has it; it lists those whose links went up or
// down.
func (w *wires) settle(l *Lab, state *network.State) (changed []model.InterfaceID, err error) {
	h := w.space.handle
	least := map[network.DomainID]model.InterfaceID{}
	serial := map[model.InterfaceID]bool{}
	for i := range state.Spec.Interfaces {
		id := model.InterfaceID(i)
		if !l.made(id) {
			continue
		}
		if _, ok := w.ends[id]; !ok {
			end, err := h.LinkByName(endName(id))
			if err != nil {
				return changed, err
			}
			w.ends[id] = end.Attrs().Index
		}
		bridge, domain := model.InterfaceID(model.None), state.Domain(id)
		if domain != network.NoDomain {
			if _, ok := least[domain]; !ok {
				least[domain] = id
			}
			bridge = least[domain]
		}
		if bridge != model.None && state.Spec.Interfaces[id].Serial {
			serial[id] = true
		}
		if err := w.put(id, bridge, serial[id]); err != nil {
			return changed, err
		}
		if up := state.IsUp(id); up != w.up[id] {
			link := &netlink.GenericLink{LinkAttrs: netlink.LinkAttrs{Index: w.ends[id]}}
			change := h.LinkSetDown
			if up {
				change = h.LinkSetUp
			}
			if err := change(link); err != nil {
				return changed, err
			}
			w.up[id] = up
			changed = append(changed, id)
		}
	}
	return changed, nil
}

// put puts the far end of an interface on a bridge, which is made where it is not there.
func (w *wires) put(id, bridge model.InterfaceID, serial bool) error {
	h := w.space.handle
	on, ok := w.on[id]
	if !ok {
		on = model.None
	}
	if on == bridge {
		return nil
	}
	end := &netlink.GenericLink{LinkAttrs: netlink.LinkAttrs{Index: w.ends[id]}}
	w.on[id] = bridge
	if bridge == model.None {
		return h.LinkSetNoMaster(end)
	}
	index, ok := w.bridges[bridge]
	if !ok {
		snooping := false
		b := &netlink.Bridge{LinkAttrs: netlink.LinkAttrs{Name: fmt.Sprintf("d%d", bridge), MTU: most, TxQLen: -1},
			MulticastSnooping: &snooping}
		if err := h.LinkAdd(b); err != nil {
			return fmt.Errorf("making a bridge: %w", err)
		}
		made, err := h.LinkByName(b.Name)
		if err != nil {
			return err
		}
		if err := h.LinkSetUp(made); err != nil {
			return err
		}
		index = made.Attrs().Index
		w.bridges[bridge] = index
	}
	if err := h.LinkSetMasterByIndex(end, index); err != nil {
		return err
	}
	if serial { // both ends of a line without addresses of its own have the same
		return h.LinkSetLearning(end, false)
	}
	return nil
}
