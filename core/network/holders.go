package network

import (
	"net/netip"
	"sync"

	"ropeswing/core/model"
)

// holders finds the interfaces that have an address, wherever they are. It is made
// when it is first asked.
type holders struct {
	once sync.Once
	of   map[netip.Addr][]model.InterfaceID
}

// HoldersOf lists every interface that has the address, wherever it is, up or down.
func (t *Topology) HoldersOf(a netip.Addr) []model.InterfaceID {
	t.holders.once.Do(func() {
		t.holders.of = make(map[netip.Addr][]model.InterfaceID, len(t.Spec.Interfaces))
		for id := range t.Spec.Interfaces {
			for _, own := range t.Spec.Interfaces[id].Addresses {
				if all := t.holders.of[own.Addr()]; len(all) == 0 || all[len(all)-1] != model.InterfaceID(id) {
					t.holders.of[own.Addr()] = append(all, model.InterfaceID(id))
				}
			}
		}
	})
	return t.holders.of[a]
}

// HolderLabel is an address with the interface that has it, where one has.
func (t *Topology) HolderLabel(a netip.Addr) string {
	if all := t.HoldersOf(a); len(all) > 0 {
		return a.String() + " (" + t.Spec.Label(all[0]) + ")"
	}
	return a.String()
}
