package form

import (
	"fmt"
	"maps"
	"net/netip"
	"slices"
	"strconv"
	"strings"

	"ropeswing/core/observed"
	"ropeswing/core/prefix"
)

// Thing is something of a device with what is known of it, by the names of facts. Lists are joined by a unit separator.
type Thing struct {
	Kind   Kind
	V      map[string]string
	Parent *Thing
	Kids   []*Thing
	Line   int // where it was read, from 1; 0 where it was not
	keyed  map[string][]*Thing
	seen   []*Line // what was read of it
}

// separator stands between the elements of a list.
const separator = "\x1f"

func listOf(v string) []string {
	if v == "" {
		return nil
	}
	return strings.Split(v, separator)
}

func listed[T any](all []T) string {
	words := make([]string, len(all))
	for i, x := range all {
		words[i] = fmt.Sprint(x)
	}
	return strings.Join(words, separator)
}

// add adds a thing below.
func (t *Thing) add(kind Kind) *Thing {
	x := &Thing{Kind: kind, V: map[string]string{}, Parent: t}
	t.Kids = append(t.Kids, x)
	return x
}

// set sets a fact; nothing stays unset.
func (t *Thing) set(name, value string) *Thing {
	if value != "" {
		t.V[name] = value
	}
	return t
}

// up is the thing of a kind that this one is or lies in; nil where there is none.
func (t *Thing) up(kind Kind) *Thing {
	for t != nil && t.Kind != kind {
		t = t.Parent
	}
	return t
}

// all are the things of a kind below, or the thing itself.
func (t *Thing) all(kind Kind, yield func(*Thing) bool) bool {
	if t.Kind == kind {
		return yield(t)
	}
	if !kind.under(t.Kind) {
		return true
	}
	for _, k := range t.Kids {
		if kind.under(k.Kind) && !k.all(kind, yield) {
			return false
		}
	}
	return true
}

// everything is the thing and all below.
func (t *Thing) everything() []*Thing {
	all := []*Thing{t}
	for _, k := range t.Kids {
		all = append(all, k.everything()...)
	}
	return all
}

func number(n int) string {
	if n == 0 {
		return ""
	}
	return strconv.Itoa(n)
}

func yesNo(b bool) string {
	if b {
		return "yes"
	}
	return "no"
}

// kindOf is what kind of interface one is, by its type (RFC 7224); "" where it does not say.
var kindOf = map[string]string{
	"ethernetCsmacd": "port", "softwareLoopback": "loopback", "l3ipvlan": "vlan", "l2vlan": "subinterface",
	"ieee8023adLag": "group", "propPointToPointSerial": "serial",
}

// Of is what a device says of itself, as things. The names are those of its VLANs, by number; nil where they are not known.
func Of(d *observed.Device, vlanNames map[int]string) *Thing {
	top := &Thing{Kind: Device, V: map[string]string{"device": d.Name}}
	untagged, tagged, vlans, members := map[int][]string{}, map[int][]string{}, map[int]bool{}, map[string][]string{}
	for n := range vlanNames {
		vlans[n] = true
	}
	for i := range d.Interfaces {
		x := &d.Interfaces[i]
		if x.Untagged != nil && *x.Untagged != 0 {
			untagged[*x.Untagged], vlans[*x.Untagged] = append(untagged[*x.Untagged], x.Name), true
		}
		for _, v := range x.Tagged {
			tagged[v], vlans[v] = append(tagged[v], x.Name), true
		}
		if kindOf[x.Type] == "vlan" && x.VLAN != 0 {
			vlans[x.VLAN] = true
		}
		if x.Group != nil && *x.Group != "" {
			members[*x.Group] = append(members[*x.Group], x.Name)
		}
	}
	for _, v := range slices.Sorted(maps.Keys(vlans)) {
		t := top.add(VLAN).set("vlan", number(v)).set("vlan-name", vlanNames[v]).
			set("untagged-ports", listed(untagged[v])).set("tagged-ports", listed(tagged[v]))
		for _, p := range untagged[v] {
			t.add(UntaggedPort).set("untagged-port", p)
		}
		for _, p := range tagged[v] {
			t.add(TaggedPort).set("tagged-port", p)
		}
	}
	for i := range d.Interfaces {
		top.ofInterface(&d.Interfaces[i], members)
	}
	for i := range d.Routes {
		r := &d.Routes[i]
		t := top.add(Route).set("destination", r.To.Addr().String()).
			set("length", strconv.Itoa(r.To.Bits())).set("family", familyOf(r.To.Addr())).
			set("out", r.Interface).set("table", r.Table).set("source", r.Source).set("discard", yesNo(r.Discard))
		if r.NextHop.IsValid() {
			t.set("next-hop", r.NextHop.String())
		}
		if r.Distance != nil {
			t.set("distance", strconv.Itoa(*r.Distance))
		}
		if r.Metric != nil && *r.Metric != 0 {
			t.set("metric", strconv.Itoa(*r.Metric))
		}
		if r.Active != nil {
			t.set("active", yesNo(*r.Active))
		}
	}
	for _, n := range d.Neighbours {
		top.add(Neighbour).set("neighbour", n.Address.String()).set("mac", n.MAC).set("out", n.Interface)
	}
	for _, m := range d.MACs {
		top.add(Learned).set("learned-mac", m.MAC).set("out", m.Interface).set("in-vlan", number(m.VLAN))
	}
	for _, l := range d.Links {
		top.add(Link).set("link-port", l.Interface).set("far-device", l.Device).set("far-port", l.Port)
	}
	return top
}

func (t *Thing) ofInterface(x *observed.Interface, members map[string][]string) {
	i := t.add(Interface).set("interface", x.Name).set("kind", kindOf[x.Type]).set("note", x.Description).
		set("admin", string(x.Admin)).set("oper", string(x.Oper)).set("mtu", number(x.MTU)).set("mac", x.MAC).
		set("tag", number(x.VLAN)).set("parent", x.Parent).set("tagged", listed(x.Tagged)).set("members", listed(members[x.Name]))
	if x.Speed != 0 {
		i.set("speed", strconv.FormatInt(x.Speed, 10))
	}
	i.set("duplex", x.Duplex)
	if x.Group != nil {
		i.set("group", *x.Group)
	}
	if x.Untagged != nil {
		i.set("untagged", number(*x.Untagged))
	}
	second := map[prefix.Family]bool{}
	for _, a := range x.Addresses {
		if a.Addr().IsLinkLocalUnicast() && a.Addr().Is6() {
			continue // a device gives it to itself
		}
		family := prefix.FamilyOf(a.Addr())
		i.add(Address).set("address", a.Addr().String()).set("length", strconv.Itoa(a.Bits())).
			set("family", familyOf(a.Addr())).set("secondary", yesNo(second[family]))
		second[family] = true
	}
	for _, v := range x.Tagged {
		i.add(TaggedVLAN).set("tagged-vlan", strconv.Itoa(v))
	}
}

func familyOf(a netip.Addr) string {
	if a.Is4() {
		return "ipv4"
	}
	return "ipv6"
}

// typeOf is an interface's type by what kind it is.
var typeOf = func() map[string]string {
	all := map[string]string{}
	for t, k := range kindOf {
		all[k] = t
	}
	return all
}()

// device makes a device of what was read, and tells what of it cannot be.
func (t *Thing) device() (d *observed.Device, not []Unread) {
	d = &observed.Device{Name: t.V["device"]}
	ports := map[string]bool{}
	for _, x := range t.Kids {
		if x.Kind == Interface {
			ports[x.label()] = true
		}
	}
	for _, x := range t.Kids {
		switch x.Kind {
		case VLAN:
			if p := x.intoPorts(d, ports); p != "" {
				not = append(not, Unread{Line: x.Line, Text: p, Why: "no port is called so", about: x})
				d.Doubt(observed.VLANs)
			}
		case Interface:
			x.intoInterface(d)
		case Route:
			if why := x.intoRoute(d); why != "" {
				not = append(not, Unread{Line: x.Line, Text: x.V["destination"], Why: why, about: x})
				d.Doubt(observed.Routes4, observed.Routes6)
			}
		case Neighbour:
			a, _ := netip.ParseAddr(x.V["neighbour"])
			d.Neighbours = append(d.Neighbours, observed.Neighbour{Address: a, MAC: x.V["mac"], Interface: x.V["out"]})
		case Learned:
			d.MACs = append(d.MACs, observed.MACEntry{MAC: x.V["learned-mac"], Interface: x.V["out"], VLAN: x.number("in-vlan")})
		case Link:
			d.Links = append(d.Links, observed.Link{Interface: x.V["link-port"], Device: x.V["far-device"], Port: x.V["far-port"]})
		}
	}
	for i := range d.Interfaces {
		slices.Sort(d.Interfaces[i].Tagged)
		d.Interfaces[i].Tagged = slices.Compact(d.Interfaces[i].Tagged)
	}
	return d, not
}

// number is a fact that is one; 0 where it is not known.
func (t *Thing) number(name string) int {
	n, _ := strconv.Atoi(t.V[name]) // it was read as a number
	return n
}

// intoPorts puts a VLAN into the ports that carry it. Where it is known which ports there are, it returns one that is none of them.
func (t *Thing) intoPorts(d *observed.Device, known map[string]bool) (none string) {
	v := t.number("vlan")
	ports := func(list, one string, kind Kind) []string {
		all := listOf(t.V[list])
		for _, k := range t.Kids {
			if k.Kind == kind {
				all = append(all, k.V[one])
			}
		}
		return all
	}
	is := func(p string) bool {
		if len(known) > 0 && !known[p] {
			none = p
		}
		return len(known) == 0 || known[p]
	}
	for _, p := range ports("untagged-ports", "untagged-port", UntaggedPort) {
		if is(p) {
			d.Interface(p).Untagged = &v
		}
	}
	for _, p := range ports("tagged-ports", "tagged-port", TaggedPort) {
		if is(p) {
			i := d.Interface(p)
			i.Tagged = append(i.Tagged, v)
		}
	}
	return none
}

func (t *Thing) intoInterface(d *observed.Device) {
	i := d.Interface(t.V["interface"])
	i.Admin, i.Oper = observed.Status(t.V["admin"]), observed.Status(t.V["oper"])
	i.MAC, i.Description, i.Parent = t.V["mac"], t.V["note"], t.V["parent"]
	i.Type, i.MTU, i.VLAN = typeOf[t.V["kind"]], t.number("mtu"), t.number("tag")
	i.Speed, _ = strconv.ParseInt(t.V["speed"], 10, 64)
	i.Duplex = t.V["duplex"]
	if g, ok := t.V["group"]; ok {
		i.Group = &g
	}
	for _, m := range listOf(t.V["members"]) {
		name := i.Name
		d.Interface(m).Group = &name
		i = d.Interface(name)
	}
	if _, ok := t.V["untagged"]; ok {
		v := t.number("untagged")
		i.Untagged = &v
	}
	for _, v := range listOf(t.V["tagged"]) {
		n, _ := strconv.Atoi(v)
		i.Tagged = append(i.Tagged, n)
	}
	for _, k := range t.Kids {
		switch k.Kind {
		case TaggedVLAN:
			i.Tagged = append(i.Tagged, k.number("tagged-vlan"))
		case Address:
			if p, ok := k.prefix("address"); ok {
				i.Add(observed.Address{Prefix: p, Secondary: k.V["secondary"] == "yes"})
			}
		}
	}
}

// prefix is an address with the length beside it.
func (t *Thing) prefix(name string) (netip.Prefix, bool) {
	a, err := netip.ParseAddr(t.V[name])
	length, none := strconv.Atoi(t.V["length"])
	if err != nil || none != nil || length > a.BitLen() {
		return netip.Prefix{}, false
	}
	return netip.PrefixFrom(a, length), true
}

// intoRoute gives a device the route; why is said where it can be none.
func (t *Thing) intoRoute(d *observed.Device) (why string) {
	to, ok := t.prefix("destination")
	switch {
	case t.V["length"] == "":
		return "the length of the destination was not read"
	case !ok || to != to.Masked():
		return fmt.Sprintf("%s/%s is the destination of no route", t.V["destination"], t.V["length"])
	case t.V["next-hop"] == "" && t.V["out"] == "" && t.V["discard"] != "yes":
		return "where the route leads was not read"
	}
	r := observed.Route{To: to, Interface: t.V["out"], Table: t.V["table"], Source: t.V["source"], Discard: t.V["discard"] == "yes"}
	r.NextHop, _ = netip.ParseAddr(t.V["next-hop"])
	whole := func(name string) *int {
		if _, ok := t.V[name]; !ok {
			return nil
		}
		n := t.number(name)
		return &n
	}
	r.Distance, r.Metric = whole("distance"), whole("metric")
	if v, ok := t.V["active"]; ok {
		yes := v == "yes"
		r.Active = &yes
	}
	d.Routes = append(d.Routes, r)
	return ""
}
