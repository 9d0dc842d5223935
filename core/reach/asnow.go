package reach

import "ropeswing/core/model"

// AsNow is ends with the addresses that they have in a state of the network: who has another
// address of the family there is asked for by that.
func AsNow(ends []*End, spec *model.Spec) []*End {
	now := make([]*End, len(ends))
	for i, e := range ends {
		now[i] = e
		own := &spec.Interfaces[e.Interface]
		if own.Has(e.Address) {
			continue
		}
		for _, a := range own.Addresses {
			if a.Addr().Is4() == e.Address.Is4() && !a.Addr().IsLinkLocalUnicast() {
				x := *e
				x.Address = a.Addr()
				now[i] = &x
				break
			}
		}
	}
	return now
}
