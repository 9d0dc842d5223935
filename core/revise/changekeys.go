package revise

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"ropeswing/core/model"
)

// keyChange sets a key of an interface, adds to it, or takes it or some of it away.
func (w reviser) keyChange(id model.InterfaceID, k *model.InterfaceKey, mode how, values []string, say string) (model.Change, error) {
	has := k.Says(w.Spec, &w.Spec.Interfaces[id])
	value, err := keyValue(w.Spec.Label(id), k.Name, k.List, has, mode, strings.Join(values, " "))
	if err != nil {
		return nil, err
	}
	x := w.Spec.Interfaces[id]
	if err := k.Set(w.Spec, &x, value); err != nil {
		return nil, err
	}
	return w.Spec.AlterInterface(id, say, func(i *model.Interface) { _ = k.Set(w.Spec, i, value) }), nil
}

// deviceKeyChange does the same with a key of a device.
func (w reviser) deviceKeyChange(d model.DeviceID, k *model.DeviceKey, mode how, values []string) (model.Change, error) {
	x := w.Spec.Devices[d]
	value, err := keyValue(x.Name, k.Name, k.List, k.Says(&x), mode, strings.Join(values, " "))
	if err != nil {
		return nil, err
	}
	if k.Of && value != "" {
		if _, err := w.Device(value); err != nil {
			return nil, err
		}
	}
	if err := k.Set(&x, value); err != nil {
		return nil, err
	}
	return w.Spec.AlterDevice(d, w.said(d, mode, k.Name+": "+strings.Join(values, " ")), func(x *model.Device) { _ = k.Set(x, value) }), nil
}

// keyValue is what a key has after a change; has is what it has before.
func keyValue(of, key string, list bool, has string, mode how, value string) (string, error) {
	if mode == replaces {
		return value, nil
	}
	if !list {
		if mode == adds {
			return "", fmt.Errorf("%s has one %s; leave 'also' out", of, key)
		}
		if has != value {
			return "", fmt.Errorf("the %s of %s is %s, not %s", key, of, hasWords(has), value)
		}
		return "", nil
	}
	split := func(text string) []string {
		return strings.FieldsFunc(text, func(r rune) bool { return r == ',' || r == ' ' })
	}
	all := split(has)
	for _, one := range split(value) {
		n := slices.Index(all, one)
		switch {
		case mode == adds && n < 0:
			all = append(all, one)
		case mode == removes && n < 0:
			return "", fmt.Errorf("the %s of %s is %s, without %s", key, of, hasWords(has), one)
		case mode == removes:
			all = slices.Delete(all, n, n+1)
		}
	}
	return strings.Join(all, ", "), nil
}

func hasWords(text string) string {
	if text == "" {
		return "not set"
	}
	return text
}

// joinChange puts a port into a group, or takes it out of the one it is in: 'in GROUP', 'in no group'.
func (w reviser) joinChange(id model.InterfaceID, values []string, text, say string) (model.Change, error) {
	x := &w.Spec.Interfaces[id]
	to := model.InterfaceID(model.None)
	switch {
	case len(values) == 2 && values[0] == "no" && values[1] == "group":
	case len(values) == 1:
		g, ok := w.Spec.InterfaceNamed(x.Device, values[0])
		if !ok || w.Spec.Interfaces[g].Kind != model.Group {
			return nil, fmt.Errorf("%s has no group %s", w.Spec.Devices[x.Device].Name, values[0])
		}
		to = g
	default:
		return nil, changeForm(text)
	}
	return model.Alter{Device: x.Device, Text: say, Bears: model.TouchesInterfaces, Do: func(s *model.Spec) *model.Spec {
		next := *s
		next.Interfaces = slices.Clone(s.Interfaces)
		if from := next.Interfaces[id].Group; from != model.None {
			members := slices.Clone(next.Interfaces[from].Members)
			next.Interfaces[from].Members = slices.DeleteFunc(members, func(m model.InterfaceID) bool { return m == id })
		}
		if next.Interfaces[id].Group = to; to == model.None {
			next.Interfaces[id].Switched = next.Interfaces[id].Switched || s.Devices[x.Device].Kind == model.SwitchDevice
		} else {
			next.Interfaces[to].Members = append(slices.Clone(next.Interfaces[to].Members), id)
		}
		return &next
	}}, nil
}

// madeChange makes an interface, or takes one away: 'interface NAME, a KIND [of PARENT][, tag N]'.
func (w reviser) madeChange(d model.DeviceID, mode how, words []string, text string) (model.Change, error) {
	name, is, _ := strings.Cut(strings.Join(words, " "), ", ")
	id, ok := w.Spec.InterfaceNamed(d, name)
	say := w.said(d, mode, "interface "+strings.Join(words, " "))
	switch {
	case mode == removes && !ok:
		return nil, fmt.Errorf("%s has no interface %s", w.Spec.Devices[d].Name, name)
	case mode == removes && w.Spec.Interfaces[id].Kind == model.Port:
		return nil, fmt.Errorf("%s is a port, and stays; take it down", w.Spec.Label(id))
	case mode == removes:
		return w.Spec.AlterInterface(id, say, func(i *model.Interface) { i.AdminDown, i.Addresses = true, nil }), nil
	case ok:
		return w.Spec.AlterInterface(id, say, func(i *model.Interface) { i.AdminDown = false }), nil
	}
	i := model.Interface{
		Name: name, Device: d, Parent: model.None, Segment: model.None, Group: model.None, Borrow: model.None, Gone: true,
		Place: w.Spec.Devices[d].Place,
	}
	kind, tag, tagged := strings.Cut(strings.TrimPrefix(strings.TrimPrefix(is, "an "), "a "), ", tag ")
	kind, parent, _ := strings.Cut(kind, " of ")
	known := false
	for k := model.Subinterface; k <= model.Group; k++ {
		if kind == k.String() {
			i.Kind, known = k, true
		}
	}
	if !known {
		return nil, changeForm(text)
	}
	for _, set := range [][2]string{{"parent", parent}, {"tag", tag}} {
		if err := model.InterfaceKeyNamed(set[0]).Set(w.Spec, &i, set[1]); err != nil {
			return nil, err
		}
	}
	if i.Kind == model.Subinterface && i.Parent == model.None || (i.Kind == model.VLANInterface || i.Kind == model.Subinterface) != tagged {
		return nil, changeForm(text)
	}
	i.Switched = i.Kind == model.Group && w.Spec.Devices[d].Kind == model.SwitchDevice
	return model.Alter{Device: d, Text: say, Bears: model.TouchesInterfaces, Do: func(s *model.Spec) *model.Spec {
		return s.WithMore(map[model.DeviceID][]model.Interface{d: {i}})
	}}, nil
}

// watchChange sets what a route watches, or takes the watch away: 'DESTINATION [in TABLE] via NEXT-HOP watch: ADDRESS [from ADDRESS]'.
func (w reviser) watchChange(d model.DeviceID, mode how, words []string, at int, text string) (model.Change, error) {
	hops, table, _, err := hopsOf(words[1:at], text)
	if err != nil || len(hops) != 1 || hops[0].via == "" || mode == adds {
		return nil, changeForm(text)
	}
	to, err := w.destination(words[0])
	if err != nil {
		return nil, err
	}
	via, err := netip.ParseAddr(hops[0].via)
	if err != nil {
		return nil, fmt.Errorf("%s is no address of a next hop", hops[0].via)
	}
	var watch, from netip.Addr
	if mode == replaces {
		rest := words[at+1:]
		if len(rest) != 1 && !(len(rest) == 3 && rest[1] == "from") {
			return nil, changeForm(text)
		}
		if watch, err = netip.ParseAddr(rest[0]); err != nil {
			return nil, fmt.Errorf("%s is no address to watch", rest[0])
		}
		if len(rest) == 3 {
			if from, err = netip.ParseAddr(rest[2]); err != nil {
				return nil, fmt.Errorf("%s is no address to watch from", rest[2])
			}
		}
	}
	is := func(s *model.Static) bool {
		return slices.Contains(to, s.To) && s.Table == table && s.Via == via && (hops[0].distance == 0 || int(s.Distance) == hops[0].distance)
	}
	first, last := w.Spec.StaticsOf(d)
	if !slices.ContainsFunc(w.Spec.Statics[first:last], func(s model.Static) bool { return is(&s) }) {
		return nil, fmt.Errorf("%s has no route to %s via %s", w.Spec.Devices[d].Name, words[0], via)
	}
	return w.Spec.AlterRoutes(d, w.said(d, mode, "route "+strings.Join(words, " ")), func(all []model.Static) []model.Static {
		for i := range all {
			if is(&all[i]) {
				all[i].Watch, all[i].WatchFrom = watch, from
			}
		}
		return all
	}), nil
}
