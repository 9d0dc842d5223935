package rehearse

import (
	"github.com/vishvananda/netlink"
	"golang.org/x/sys/unix"

	"ropeswing/core/model"
)

// mostLent is up to how many addresses of one translation neighbours are told of.
const mostLent = 1024

// neighbours makes who is on a link know by whom addresses are answered for that stand for
// others: the kernel answers for none of them in its own subnet.
func (l *Lab) neighbours() error {
	for _, d := range l.devices {
		for i := range l.now.Load().Spec.Devices[d.id].Translates {
			t := &l.now.Load().Spec.Devices[d.id].Translates[i]
			if t.ByInterface || !l.now.Load().State.IsUp(t.Beyond) || !within(&l.now.Load().Spec.Interfaces[t.Beyond], t) {
				continue
			}
			for _, n := range l.now.Load().State.Neighbours(t.Beyond) {
				if err := l.know(n, t); err != nil {
					return err
				}
			}
		}
	}
	return nil
}

// know makes a neighbour know the addresses of a translation.
func (l *Lab) know(n model.InterfaceID, t *model.Translation) error {
	d := l.devices[l.now.Load().Spec.Interfaces[n].Device]
	a := t.First
	if l.now.Load().Spec.Interfaces[t.Beyond].Has(a) {
		return nil // it answers for its own
	}
	for count := 0; count < mostLent && a.IsValid() && !t.Last.Less(a); count, a = count+1, a.Next() {
		neighbour := &netlink.Neigh{LinkIndex: d.links[n], IP: a.AsSlice(), HardwareAddr: MACOf(l.now.Load().Spec, t.Beyond),
			State: unix.NUD_PERMANENT}
		if err := d.space.handle.NeighSet(neighbour); err != nil {
			return err
		}
	}
	return nil
}

func within(i *model.Interface, t *model.Translation) bool {
	for _, own := range i.Addresses {
		if own.Contains(t.First) && own.Contains(t.Last) {
			return true
		}
	}
	return false
}
