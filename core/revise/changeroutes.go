package revise

import (
	"fmt"
	"net/netip"
	"slices"
	"strconv"
	"strings"

	"ropeswing/core/ask"
	"ropeswing/core/finding"
	"ropeswing/core/model"
	"ropeswing/core/prefix"
)

// addRoutes reads 'DESTINATION via NEXT-HOP' or 'DESTINATION discard', as the plan would have
// it: derived routes are built around it.
func (w reviser) addRoutes(d model.DeviceID, words []string, text string) (model.Change, error) {
	s := model.Static{Device: d, Out: model.None, Distance: 1, Key: words[0]}
	switch {
	case len(words) == 2 && words[1] == "discard":
		s.Discard = true
	case len(words) == 3 && words[1] == "via":
	default:
		return nil, changeForm(text)
	}
	to, err := w.destination(words[0])
	if err != nil {
		return nil, err
	}
	var all model.AddRoutes
	for _, p := range to {
		r := s
		r.To = p
		if !s.Discard {
			via, ok, err := w.nextHop(d, words[2], prefix.FamilyOf(p.Addr()))
			if err != nil {
				return nil, err
			}
			if !ok {
				continue
			}
			r.Via = via
		}
		all = append(all, r)
	}
	if len(all) == 0 {
		return nil, fmt.Errorf("%s is no next hop of %s in the family of %s", words[len(words)-1], w.Spec.Devices[d].Name, words[0])
	}
	return all, nil
}

// hop is a next hop as a change says it.
type hop struct {
	via     string // an address or a device; "" for none
	out     string
	discard bool
	after   bool // it stands by behind the one before

	instead bool // it is what goes

	distance, metric int // 0 and -1 where they are not said
}

// hopsOf reads the next hops of a change, and the table; only is that it says how preferred one is.
func hopsOf(rest []string, text string) (hops []hop, table string, only bool, err error) {
	instead := false
	for len(rest) > 0 {
		word := strings.Trim(rest[0], ",:")
		more := ""
		if len(rest) > 1 {
			more = strings.Trim(rest[1], ",")
		}
		used := 2
		switch {
		case word == "in" && more != "":
			table = more
		case word == "via" && more != "":
			hops = append(hops, hop{via: more, metric: -1})
		case word == "out" && more == "of" && len(rest) > 2:
			hops, used = append(hops, hop{out: strings.Trim(rest[2], ","), metric: -1}), 3
		case word == "instead" && more == "of" && len(hops) > 0:
			instead = true
		case word == "discard":
			hops, used = append(hops, hop{discard: true, metric: -1}), 1
		case word == "then":
			used = 1
			hops = append(hops, hop{after: true}) // made whole by the next word
		case (word == "distance" || word == "metric") && more != "" && len(hops) > 0:
			n, err := strconv.ParseUint(more, 10, 31)
			if err != nil || word == "distance" && (n < 1 || n > 254) {
				return nil, "", false, fmt.Errorf("%s is no %s", more, word)
			}
			if h := &hops[len(hops)-1]; word == "distance" {
				h.distance = int(n)
			} else {
				h.metric = int(n)
			}
			only = len(hops) == 1
		default:
			return nil, "", false, changeForm(text)
		}
		if n := len(hops); n > 0 && word != "instead" {
			hops[n-1].instead = instead
		}
		if n := len(hops); word != "then" && n > 1 && hops[n-2] == (hop{after: true}) {
			hops[n-1].after = true
			hops = slices.Delete(hops, n-2, n-1)
		}
		rest = rest[used:]
	}
	for _, h := range hops {
		if h.via == "" && h.out == "" && !h.discard { // a 'then' with nothing behind it
			return nil, "", false, changeForm(text)
		}
	}
	return hops, table, only, nil
}

// routeChange reads what a step says of a route: DESTINATION [in TABLE] HOP[, then HOP…]
// [distance: N] [metric: N], where a HOP is via NEXT-HOP, out of INTERFACE, or discard.
// Remove takes those that are named, or all to the destination where none is.
func (w reviser) routeChange(d model.DeviceID, mode how, words []string, text string) (model.Change, error) {
	to, err := w.destination(words[0])
	if err != nil {
		return nil, err
	}
	hops, table, only, err := hopsOf(words[1:], text)
	if err != nil {
		return nil, err
	}
	if len(hops) == 0 && mode != removes {
		return nil, changeForm(text)
	}
	first, last := w.Spec.StaticsOf(d)
	have := w.Spec.Statics[first:last]
	var fresh, gone []model.Static
	for _, p := range to {
		at := 1
		for n, h := range hops {
			s := model.Static{Device: d, To: p, Out: model.None, Table: table, Key: words[0], Discard: h.discard}
			if h.out != "" {
				id, ok := w.Spec.InterfaceNamed(d, h.out)
				if !ok {
					return nil, fmt.Errorf("%s has no interface %s", w.Spec.Devices[d].Name, h.out)
				}
				s.Out = id
			}
			if h.via != "" {
				via, ok, err := w.nextHop(d, h.via, prefix.FamilyOf(p.Addr()))
				if err != nil {
					return nil, err
				}
				if !ok {
					continue
				}
				s.Via = via
			}
			if h.instead {
				s.Distance = uint8(h.distance) // 0: the most preferred of those that are alike
				gone = append(gone, s)
				continue
			}
			if h.after && n > 0 {
				at = min(254, at+10)
			}
			s.Distance = uint8(at)
			for _, x := range have { // what it has there already stays as preferred as it is
				if x.To == p && x.Table == table && sameHop(x, s) {
					s.Distance, s.Metric, s.Watch, s.WatchFrom, at = x.Distance, x.Metric, x.Watch, x.WatchFrom, int(x.Distance)
				}
			}
			if h.distance > 0 {
				s.Distance, at = uint8(h.distance), h.distance
			}
			if h.metric >= 0 {
				s.Metric = uint32(h.metric)
			}
			fresh = append(fresh, s)
		}
	}
	if len(hops) > 0 && len(fresh) == 0 {
		return nil, fmt.Errorf("%s is no next hop of %s in the family of %s", hops[0].via, w.Spec.Devices[d].Name, words[0])
	}
	names := func(x model.Static) bool { return slices.Contains(to, x.To) && x.Table == table }
	there := slices.ContainsFunc(have, names)
	if mode == removes && !there {
		return nil, fmt.Errorf("%s has no route to %s that could be removed", w.Spec.Devices[d].Name, words[0])
	}
	for _, f := range fresh {
		if mode == removes && !slices.ContainsFunc(have, func(x model.Static) bool { return names(x) && sameHop(x, f) }) {
			return nil, fmt.Errorf("%s has no route to %s by that next hop", w.Spec.Devices[d].Name, words[0])
		}
	}
	for _, g := range gone {
		if !slices.ContainsFunc(have, func(x model.Static) bool { return names(x) && sameHop(x, g) }) {
			return nil, fmt.Errorf("%s has no route to %s by what goes instead", w.Spec.Devices[d].Name, words[0])
		}
	}
	only = only && slices.ContainsFunc(have,
		func(x model.Static) bool { return names(x) && sameHop(x, fresh[0]) }) // how preferred one is that is there
	return w.Spec.AlterRoutes(d, w.said(d, mode, "route "+strings.Join(words, " ")), func(all []model.Static) []model.Static {
		for _, g := range gone { // one for each that is named
			at := -1
			for i, x := range all {
				if names(x) && sameHop(x, g) && (g.Distance == 0 || g.Distance == x.Distance) && (at < 0 || x.Distance < all[at].Distance) {
					at = i
				}
			}
			if at >= 0 {
				all = slices.Delete(all, at, at+1)
			}
		}
		all = slices.DeleteFunc(all, func(x model.Static) bool {
			if !names(x) {
				return false
			}
			named := slices.ContainsFunc(fresh, func(f model.Static) bool {
				return sameHop(x, f) && (mode == replaces && len(gone) == 0 || f.Distance == x.Distance)
			})
			if len(gone) > 0 {
				return named
			}
			switch mode {
			case removes:
				return len(fresh) == 0 || slices.ContainsFunc(fresh, func(f model.Static) bool { return sameHop(x, f) })
			case adds:
				return named
			}
			return named || !only
		})
		if mode == removes {
			return all
		}
		return append(all, fresh...)
	}), nil
}

// sameHop tells whether two routes lead the same way.
func sameHop(a, b model.Static) bool {
	if a.Discard || b.Discard {
		return a.Discard == b.Discard
	}
	if a.Via.IsValid() || b.Via.IsValid() {
		return a.Via == b.Via
	}
	return a.Out == b.Out
}

// gatewayChange reads the gateway of a host or switch: its default route.
func (w reviser) gatewayChange(d model.DeviceID, mode how, words []string, text string) (model.Change, error) {
	a, err := prefix.ParseAddress(words[0])
	if err != nil || len(words) != 1 {
		return nil, changeForm(text)
	}
	return w.routeChange(d, mode, []string{prefix.FamilyOf(a).Everything().String(), "via", a.String()}, text)
}

// said is a change in words, as a step says it.
func (w reviser) said(d model.DeviceID, mode how, what string) string {
	return w.Spec.Devices[d].Name + ": " + [...]string{"", "also ", "remove "}[mode] + what
}

// nearest is the interface of a device that a name is most like; "" where none is.
func (w reviser) nearest(d model.DeviceID, name string) string {
	var names []string
	for _, i := range w.Spec.InterfacesOf(d) {
		names = append(names, w.Spec.Interfaces[i].Name)
	}
	near, _ := finding.Nearest(name, names)
	return near
}

// nextHop is the address a next hop stands for in a family: itself, or that of a
// device on a subnet that the two share.
func (w reviser) nextHop(d model.DeviceID, text string, family prefix.Family) (netip.Addr, bool, error) {
	if a, err := prefix.ParseAddress(text); err == nil {
		return a, prefix.FamilyOf(a) == family, nil
	}
	far, err := w.Device(text)
	if err != nil {
		return netip.Addr{}, false, err
	}
	for _, i := range w.Spec.InterfacesOf(far) {
		for _, a := range w.Spec.Interfaces[i].Addresses {
			if prefix.FamilyOf(a.Addr()) != family || a.Addr().IsLinkLocalUnicast() {
				continue
			}
			if slices.ContainsFunc(w.Spec.InterfacesOf(d), func(near model.InterfaceID) bool {
				return slices.ContainsFunc(w.Spec.Interfaces[near].Addresses,
					func(b model.Address) bool { return b.Contains(a.Addr()) && b.Addr() != a.Addr() })
			}) {
				return a.Addr(), true, nil
			}
		}
	}
	return netip.Addr{}, false, nil
}

// destination is what a route may lead to: a prefix, default, a segment or a
// block.
func (w reviser) destination(text string) ([]netip.Prefix, error) {
	var to []netip.Prefix
	names := append(w.BlockNames(), "default")
	for _, s := range w.Spec.Segments {
		names = append(names, s.Name)
		if s.Name == text {
			for _, p := range s.Prefixes {
				to = append(to, p.Prefix)
			}
			return to, nil
		}
	}
	for _, b := range w.Spec.Blocks {
		if b.Name == text {
			for _, p := range b.Prefixes {
				to = append(to, p.Prefix)
			}
			return to, nil
		}
	}
	if text == "default" {
		return []netip.Prefix{prefix.IPv4.Everything(), prefix.IPv6.Everything()}, nil
	}
	if !strings.ContainsAny(text, ".:/") {
		return nil, ask.Unknown(text+" is neither a prefix, a segment nor a block", text, names)
	}
	p, _, err := prefix.Parse(text)
	return []netip.Prefix{p.Masked()}, err
}
