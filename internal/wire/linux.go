package wire

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"net/netip"
	"slices"

	"ropeswing/core/observed"
	"ropeswing/core/prefix"
)

// The lists that Linux's ip prints with -j, as far as they are read.
type (
	linuxLink struct {
		Name      string         `json:"ifname"`
		Parent    string         `json:"link"`
		Master    string         `json:"master"`
		Flags     []string       `json:"flags"`
		MTU       int            `json:"mtu"`
		Oper      string         `json:"operstate"`
		Type      string         `json:"link_type"`
		MAC       string         `json:"address"`
		Alias     string         `json:"ifalias"`
		Addresses []linuxAddress `json:"addr_info"`
	}
	linuxAddress struct {
		Local     string `json:"local"`
		Length    int    `json:"prefixlen"`
		Scope     string `json:"scope"`
		Protocol  string `json:"protocol"`
		Dynamic   bool   `json:"dynamic"`
		Secondary bool   `json:"secondary"`
	}
	linuxRoute struct {
		Type     string     `json:"type"`
		To       string     `json:"dst"`
		NextHop  string     `json:"gateway"`
		Via      *linuxVia  `json:"via"`
		Dev      string     `json:"dev"`
		Table    any        `json:"table"`
		Protocol string     `json:"protocol"`
		Metric   *int       `json:"metric"`
		Flags    []string   `json:"flags"`
		Hops     []linuxHop `json:"nexthops"`
		MAC      string     `json:"lladdr"`
		Pref     string     `json:"pref"` // of IPv6 alone (RFC 4191)
		State    []string   `json:"state"`

		six bool // from a list of IPv6
	}
	linuxVia struct {
		Host string `json:"host"`
	}
	linuxHop struct {
		NextHop string    `json:"gateway"`
		Via     *linuxVia `json:"via"`
		Dev     string    `json:"dev"`
		Flags   []string  `json:"flags"`
	}
)

// readLinux reads a list of addresses, links, routes or neighbours, as JSON or plain; six tells that it is one of IPv6 alone.
func (r *Reading) readLinux(text []byte, device string, six bool) error {
	d, err := r.of(device)
	if err != nil {
		return err
	}
	if head := bytes.TrimSpace(text); len(head) > 0 && head[0] != '[' {
		r.linuxText(d, string(text), six)
		r.standby(d)
		return nil
	}
	var all []json.RawMessage
	if err := json.Unmarshal(text, &all); err != nil {
		return jsonError(text, err)
	}
	for i, raw := range all {
		var keys map[string]json.RawMessage
		if err := json.Unmarshal(raw, &keys); err != nil {
			d.Doubt(observed.Parts...)
			r.unread(0, string(raw), "entry %d is no object", i+1)
			continue
		}
		if len(keys) == 0 {
			continue // how an entry left out by a filter is printed
		}
		var link linuxLink
		var route linuxRoute
		switch {
		case keys["ifname"] != nil:
			if err = json.Unmarshal(raw, &link); err == nil {
				r.linuxLink(d, &link, keys["addr_info"] != nil)
			}
		case keys["lladdr"] != nil || keys["state"] != nil:
			if err = json.Unmarshal(raw, &route); err == nil {
				err = linuxNeighbour(d, &route)
			}
		case keys["dst"] != nil:
			if err = json.Unmarshal(raw, &route); err == nil {
				route.six = six || route.Pref != ""
				err = linuxRoutes(d, &route)
			}
		default:
			d.Doubt(observed.Parts...)
			r.unread(0, string(raw), "entry %d is neither an interface, a route nor a neighbour", i+1)
		}
		if err != nil {
			switch {
			case keys["ifname"] != nil:
				d.Doubt(observed.Interfaces, observed.Addresses4, observed.Addresses6)
			case keys["lladdr"] != nil || keys["state"] != nil:
				d.Doubt(observed.Neighbours)
			default:
				d.Doubt(observed.Routes4, observed.Routes6, observed.Standby)
			}
			r.unread(0, string(raw), "%s", err)
		}
	}
	if len(all) == 0 {
		return ErrEmpty
	}
	r.standby(d)
	return nil
}

// ErrEmpty is the error of a list that is there, and does not say of what it is.
var ErrEmpty = errors.New("the list is empty, and does not say of what")

// Empty is what is known of a device from a list with nothing in it, by the word for
// what it lists: addr, link, route or neigh; false where that is none of them.
func Empty(device, of string) (*Reading, bool) {
	parts, ok := map[string][]observed.Part{
		"addr": {observed.Interfaces, observed.Addresses4, observed.Addresses6}, "link": {observed.Interfaces},
		"route": {observed.Routes4, observed.Routes6}, "route4": {observed.Routes4}, "route6": {observed.Routes6},
		"neigh": {observed.Neighbours},
	}[of]
	r := &Reading{Format: "linux"}
	d, err := r.of(device)
	if !ok || err != nil {
		return nil, false
	}
	d.Learn(parts...)
	return r, true
}

// standby learns that routes which stand by are listed, where there are two to one
// destination with different metrics.
func (r *Reading) standby(d *observed.Device) {
	type key struct {
		table string
		to    netip.Prefix
	}
	metrics := map[key]int{}
	for _, x := range d.Routes {
		k, metric := key{x.Table, x.To}, 0
		if x.Source == "direct" {
			continue
		}
		if x.Metric != nil {
			metric = *x.Metric
		}
		if m, there := metrics[k]; there && m != metric {
			d.Learn(observed.Standby)
		}
		metrics[k] = metric
	}
}

func (r *Reading) linuxLink(d *observed.Device, x *linuxLink, addresses bool) {
	if x.Name == "" {
		d.Doubt(observed.Interfaces, observed.Addresses4, observed.Addresses6)
		r.unread(0, x.MAC, "an interface has no name")
		return
	}
	d.Learn(observed.Interfaces)
	if addresses {
		d.Learn(observed.Addresses4, observed.Addresses6)
	}
	i := d.Interface(x.Name)
	i.MTU, i.MAC, i.Description, i.Type = x.MTU, x.MAC, x.Alias, x.Type
	if x.Type == "loopback" {
		i.MAC, i.MTU = "", 0
	}
	i.Admin = observed.Down
	if slices.Contains(x.Flags, "UP") {
		i.Admin = observed.Up
	}
	group := "" // of a bridge a port is master, too, but only that of a group makes it a slave
	if slices.Contains(x.Flags, "SLAVE") {
		group = x.Master
	}
	i.Group = &group
	switch x.Oper {
	case "UP":
		i.Oper = observed.Up
	case "DOWN", "LOWERLAYERDOWN", "DORMANT", "NOTPRESENT":
		i.Oper = observed.Down
	}
	if x.Type == "loopback" && i.Admin == observed.Up {
		i.Oper = observed.Up
	}
	for _, a := range x.Addresses {
		addr, err := netip.ParseAddr(a.Local)
		if err != nil || a.Length < 0 || a.Length > addr.BitLen() {
			d.Doubt(observed.Addresses4, observed.Addresses6)
			r.unread(0, a.Local, "no address: %s/%d on %s", a.Local, a.Length, x.Name)
			continue
		}
		if addr.IsLoopback() {
			continue // every host has it, and it leads nowhere
		}
		origin := "static"
		switch {
		case a.Dynamic:
			origin = "dhcp"
		case a.Protocol == "kernel_ll" || addr.IsLinkLocalUnicast():
			origin = "link-layer"
		}
		i.Add(observed.Address{Prefix: netip.PrefixFrom(addr, a.Length), Origin: origin, Secondary: a.Secondary})
	}
}

func linuxNeighbour(d *observed.Device, x *linuxRoute) error {
	a, err := netip.ParseAddr(x.To)
	if err != nil {
		return err
	}
	d.Learn(observed.Neighbours)
	if x.MAC != "" && !slices.Contains(x.State, "FAILED") {
		d.Neighbours = append(d.Neighbours, observed.Neighbour{Address: a, MAC: x.MAC, Interface: x.Dev})
	}
	return nil
}

func linuxRoutes(d *observed.Device, x *linuxRoute) error {
	hops := x.Hops
	if len(hops) == 0 {
		hops = []linuxHop{{x.NextHop, x.Via, x.Dev, x.Flags}}
	}
	if x.Type == "local" || x.Type == "broadcast" || x.Type == "multicast" || x.Type == "anycast" {
		return nil // of the table of the machine's own addresses
	}
	for _, h := range hops {
		route := observed.Route{Interface: h.Dev, Metric: x.Metric, Source: linuxSource(x.Protocol)}
		hop := h.NextHop
		if h.Via != nil {
			hop = h.Via.Host
		}
		if hop != "" {
			a, err := netip.ParseAddr(hop)
			if err != nil {
				return err
			}
			route.NextHop = a.WithZone("")
		}
		to, err := linuxDestination(x.To, x.six || route.NextHop.Is6())
		if err != nil {
			return err
		}
		route.To = to
		switch x.Type {
		case "blackhole", "unreachable", "prohibit":
			route.Discard, route.Interface = true, ""
		}
		if table, ok := x.Table.(string); ok && table != "main" && table != "local" {
			route.Table = table
		}
		active := !slices.Contains(h.Flags, "dead") && !slices.Contains(h.Flags, "linkdown")
		route.Active = &active
		d.Learn(familyPart(prefix.FamilyOf(to.Addr()), observed.Routes4, observed.Routes6))
		if a := to.Addr(); !a.IsMulticast() && !a.IsLoopback() && !(a.Is6() && a.IsLinkLocalUnicast()) {
			d.Routes = append(d.Routes, route)
		}
	}
	return nil
}

// linuxDestination reads a route's destination; 'default' is of the family of its list or of its
// next hop, of IPv4 where neither tells.
func linuxDestination(text string, six bool) (netip.Prefix, error) {
	if text == "default" {
		if six {
			return netip.PrefixFrom(netip.IPv6Unspecified(), 0), nil
		}
		return prefix.IPv4.Everything(), nil
	}
	if a, err := netip.ParseAddr(text); err == nil {
		return netip.PrefixFrom(a, a.BitLen()), nil
	}
	p, err := netip.ParsePrefix(text)
	return p.Masked(), err
}

// linuxSource is where a route is from: rtnetlink(7) tells by its protocol.
func linuxSource(protocol string) string {
	switch protocol {
	case "kernel":
		return "direct"
	case "static", "boot", "":
		return "static"
	}
	return "learned"
}

// jsonError says where JSON breaks off.
func jsonError(text []byte, err error) error {
	if s, ok := err.(*json.SyntaxError); ok {
		line := 1
		for _, c := range text[:min(int(s.Offset), len(text))] {
			if c == '\n' {
				line++
			}
		}
		return fmt.Errorf("line %d: it is no whole JSON: %w", line, err)
	}
	return err
}
