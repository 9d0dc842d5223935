package plan

import (
	"fmt"
	"net/netip"
	"slices"
	"strconv"
	"strings"
)

// StartDevice is one device of a new plan, as an inventory tells of it; what is empty is not said.
type StartDevice struct {
	Name    string
	Kind    string     // router, firewall, switch or host
	Address netip.Addr // where it is managed, or reached
	Segment string     // in which that address is
	Site    string
	Serial  string
	Note    string
	Doubts  []string // what is doubtful of it: remarks beside it in the plan
}

// StartCable joins two ports, each a device and a port.
type StartCable struct {
	Name string // "" where it has none
	A, B [2]string
}

// Taken tells whether a segment or site has a name already.
func (s *Start) Taken(name string) bool {
	return name == "home" && len(s.Blocks) > 0 ||
		slices.ContainsFunc(s.Segments, func(x StartSegment) bool { return x.Name == name || x.Site == name })
}

// startPort is a port of a device that is made of an inventory.
type startPort struct {
	name   string
	keys   []string
	doubts []string
}

// startUnit is a device that is made of an inventory.
type startUnit struct {
	*StartDevice
	ports  []*startPort
	far    map[string][2]string // by port: what is at the other end of its cable
	at     [2]string            // of a host: the port of a switch or router that it is plugged into
	serves []string             // of a router: the segments it is in
}

func (u *startUnit) forwards() bool { return u.Kind == "router" || u.Kind == "firewall" }

// port finds a port, and adds it where there is none.
func (u *startUnit) port(name string) *startPort {
	for _, p := range u.ports {
		if p.name == name {
			return p
		}
	}
	p := &startPort{name: name}
	u.ports = append(u.ports, p)
	return p
}

// inventory works out the network that an inventory and its cables tell of. What follows from no cell is guessed, and said so.
type inventory struct {
	start *Start
	units []*startUnit
	by    map[string]*startUnit
	links []string     // segments between routers
	wires []StartCable // all but those of hosts, which their 'at' says
}

func (s *Start) inventory() *inventory {
	v := &inventory{start: s, by: map[string]*startUnit{}}
	for i := range s.Devices {
		u := &startUnit{StartDevice: &s.Devices[i], far: map[string][2]string{}}
		v.units = append(v.units, u)
		v.by[u.Name] = u
	}
	for _, c := range s.Cables {
		v.by[c.A[0]].far[c.A[1]], v.by[c.B[0]].far[c.B[1]] = c.B, c.A
	}
	for _, u := range v.units {
		if u.forwards() {
			v.serve(u)
		}
	}
	for _, c := range s.Cables {
		v.plug(c)
	}
	for _, u := range v.units {
		v.address(u)
	}
	return v
}

func (v *inventory) segment(name string) *StartSegment {
	for i := range v.start.Segments {
		if v.start.Segments[i].Name == name {
			return &v.start.Segments[i]
		}
	}
	return nil
}

// serve finds the segments that a router is in: of its site, or of none, those whose gateway it is, or that no other router is.
func (v *inventory) serve(u *startUnit) {
	for i := range v.start.Segments {
		x := &v.start.Segments[i]
		gateway := v.holder(x.Gateway)
		mine := gateway == u
		if gateway == nil || !gateway.forwards() {
			first := slices.IndexFunc(v.units, func(o *startUnit) bool { return o.forwards() && o.Site == x.Site })
			if first < 0 && x.Site == "" {
				first = slices.IndexFunc(v.units, func(o *startUnit) bool { return o.forwards() })
			}
			mine = first >= 0 && v.units[first] == u
		}
		if mine || u.Segment == x.Name {
			u.serves = append(u.serves, x.Name)
		}
	}
}

// holder is the device that has an address; nil where none does.
func (v *inventory) holder(a netip.Addr) *startUnit {
	for _, u := range v.units {
		if a.IsValid() && u.Address == a {
			return u
		}
	}
	return nil
}

// plug makes the ports of a cable.
func (v *inventory) plug(c StartCable) {
	a, b := v.by[c.A[0]], v.by[c.B[0]]
	pa, pb := c.A[1], c.B[1]
	if a.Kind == "host" && b.Kind != "host" {
		a, b, pa, pb = b, a, pb, pa
	}
	switch {
	case b.Kind == "host" && a.Kind != "host" && b.at[0] == "":
		b.at = [2]string{a.Name, pa}
		p := a.port(pa)
		switch {
		case b.Segment == "":
			p.doubts = append(p.doubts, "in which segment "+b.Name+" is, no table tells")
		case a.Kind == "switch":
			p.keys = append(p.keys, "access: "+scalar(b.Segment))
			v.tagged(b.Segment)
		default:
			v.interfaceIn(a, p, b.Segment)
		}
		if b.Segment != "" {
			return // the host's 'at' is the cable
		}
		b.at = [2]string{}
		b.port(pb)
	case a.forwards() && b.forwards():
		name := fmt.Sprintf("link-%d", len(v.links)+1)
		for v.start.Taken(name) || v.by[name] != nil {
			name += "-x"
		}
		v.links = append(v.links, name)
		a.port(pa).keys = append(a.port(pa).keys, "segment: "+name)
		b.port(pb).keys = append(b.port(pb).keys, "segment: "+name)
	default:
		for _, end := range [][2]string{{a.Name, pa}, {b.Name, pb}} {
			u := v.by[end[0]]
			p := u.port(end[1])
			switch {
			case u.Kind == "switch":
				v.trunk(u, p)
			case u.forwards() && !slices.ContainsFunc(u.ports, func(o *startPort) bool { return strings.Contains(o.name, ".") }):
				v.onTrunk(u, p)
			}
		}
	}
	v.wires = append(v.wires, c)
}

// tagged has a segment have a VLAN number, since a switch carries it.
func (v *inventory) tagged(name string) {
	if x := v.segment(name); x.VLAN == "" {
		x.VLAN = "auto"
	}
}

// trunk has a port of a switch carry all VLANs of its site.
func (v *inventory) trunk(u *startUnit, p *startPort) {
	var names []string
	for i := range v.start.Segments {
		if x := &v.start.Segments[i]; x.Site == u.Site || x.Site == "" {
			v.tagged(x.Name)
			names = append(names, scalar(x.Name))
		}
	}
	if len(names) > 0 {
		p.keys = append(p.keys, "tagged: ["+strings.Join(names, ", ")+"]")
		p.doubts = append(p.doubts, "guessed: it carries all VLANs of the site")
	}
}

// onTrunk has a router be in its segments by subinterfaces of a port that leads to a switch.
func (v *inventory) onTrunk(u *startUnit, p *startPort) {
	for _, name := range u.serves {
		v.tagged(name)
		x := v.segment(name)
		sub := u.port(p.name + "." + strings.Replace(x.VLAN, "auto", name, 1))
		sub.keys = append(sub.keys, "parent: "+scalar(p.name))
		v.interfaceIn(u, sub, name)
		if v.holder(x.Gateway) != u {
			sub.doubts = append(sub.doubts, "guessed: the router of the site")
		}
	}
}

// interfaceIn has an interface of a router be in a segment, by its gateway's address, or its own.
func (v *inventory) interfaceIn(u *startUnit, p *startPort, name string) {
	x := v.segment(name)
	p.keys = append(p.keys, "segment: "+scalar(name))
	other := v.holder(x.Gateway)
	switch {
	case u.Segment == name && (!x.Gateway.IsValid() || x.Gateway == u.Address || other != nil):
		p.keys = append(p.keys, "address: "+address(u.Address))
	case x.Gateway.IsValid() && (other == nil || other == u):
		p.keys = append(p.keys, "address: "+address(x.Gateway))
		if u.Segment == name {
			p.keys = append(p.keys, "secondary: "+address(u.Address))
		}
	default:
		p.keys = append(p.keys, "address: first")
	}
	u.serves = slices.DeleteFunc(slices.Clone(u.serves), func(s string) bool { return s == name })
}

func address(a netip.Addr) string {
	if a.Is6() {
		return strconv.Quote(a.String())
	}
	return a.String()
}

// address gives a device the interfaces that no cable led to: where it is managed, and the segments of a router.
func (v *inventory) address(u *startUnit) {
	switch {
	case u.Kind == "switch" && u.Segment != "":
		v.tagged(u.Segment)
		p := u.port("mgmt")
		p.keys = append(p.keys, "vlan: "+scalar(u.Segment), "address: "+address(u.Address))
	case u.forwards():
		for n, name := range slices.Clone(u.serves) {
			p := u.port(fmt.Sprintf("lan%d", n))
			v.interfaceIn(u, p, name)
			p.doubts = append(p.doubts, "guessed: no table tells which port it is")
		}
	case u.Kind == "host" && u.Segment != "" && u.at[0] == "":
		p := u.port("port")
		p.keys = append(p.keys, "segment: "+scalar(u.Segment), "address: "+address(u.Address))
	}
}

// operator is the host one likely sits at: by its name, else the first that is somewhere.
func (v *inventory) operator() string {
	first := ""
	for _, u := range v.units {
		if u.Kind != "host" || u.Segment == "" {
			continue
		}
		if slices.ContainsFunc([]string{"laptop", "ops", "admin", "noc", "desk"}, func(w string) bool { return strings.Contains(u.Name, w) }) {
			return u.Name
		}
		if first == "" {
			first = u.Name
		}
	}
	return first
}

// compose writes the devices and cables, site by site.
func (v *inventory) compose(b *strings.Builder) {
	b.WriteString("\ndevices:\n")
	var sites []string
	for _, u := range v.units {
		if !slices.Contains(sites, u.Site) {
			sites = append(sites, u.Site)
		}
	}
	for _, site := range sites {
		if site != "" {
			fmt.Fprintf(b, "  # %s\n", site)
		}
		for _, u := range v.units {
			if u.Site == site {
				v.unit(b, u)
			}
		}
	}
	if len(v.wires) == 0 {
		return
	}
	b.WriteString("\ncables:\n")
	for _, c := range v.wires {
		text := fmt.Sprintf("%s:%s to %s:%s", c.A[0], c.A[1], c.B[0], c.B[1])
		if c.Name != "" {
			text = scalar(c.Name) + ": " + text
		}
		fmt.Fprintf(b, "  - %s\n", text)
	}
}

func (v *inventory) unit(b *strings.Builder, u *startUnit) {
	note := u.Note
	if u.Serial != "" {
		note = strings.TrimPrefix(note+", serial "+u.Serial, ", ")
	}
	if u.Kind == "host" && len(u.ports) == 0 {
		keys := []string{"is: host"}
		if u.at[0] != "" {
			keys = append(keys, fmt.Sprintf("at: %s", scalar(u.at[0]+":"+u.at[1])), "address: "+address(u.Address))
		}
		if note != "" {
			keys = append(keys, "note: "+scalar(note))
		}
		fmt.Fprintf(b, "  %s: {%s}%s\n", scalar(u.Name), strings.Join(keys, ", "), remark(u.Doubts))
		return
	}
	fmt.Fprintf(b, "  %s:%s\n    is: %s\n", scalar(u.Name), remark(u.Doubts), u.Kind)
	if u.forwards() && len(v.start.Blocks) > 0 {
		b.WriteString("    loopback: true\n")
		if len(v.start.sites()) > 0 {
			from := "home"
			if u.Site != "" && v.start.hasBlock(u.Site) {
				from = u.Site
			}
			fmt.Fprintf(b, "    from: %s\n", scalar(from))
		}
	}
	if note != "" {
		fmt.Fprintf(b, "    note: %s\n", scalar(note))
	}
	if len(u.ports) == 0 {
		return
	}
	b.WriteString("    interfaces:\n")
	for _, p := range u.ports {
		fmt.Fprintf(b, "      %s: {%s}%s\n", scalar(p.name), strings.Join(p.keys, ", "), remark(p.doubts))
	}
}

// remark is what is doubtful, as a remark behind a line.
func remark(doubts []string) string {
	if len(doubts) == 0 {
		return ""
	}
	return "   # " + strings.Map(func(r rune) rune {
		if r < ' ' {
			return ' '
		}
		return r
	}, strings.Join(doubts, "; "))
}
