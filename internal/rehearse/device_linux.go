package rehearse

import (
	"cmp"
	"errors"
	"fmt"
	"math"
	"net"
	"net/netip"
	"slices"
	"strings"
	"sync"

	"github.com/vishvananda/netlink"
	"golang.org/x/sys/unix"

	"ropeswing/core/model"
	"ropeswing/core/prefix"
	"ropeswing/core/routing"
)

// device is one device: its namespace, and what was set in it.
type device struct {
	lab    *Lab
	id     model.DeviceID
	space  *space
	links  map[model.InterfaceID]int // the index of each interface made
	tables map[string]int            // the kernel's number of each table

	mutex    sync.Mutex
	has      map[model.InterfaceID]map[netip.Prefix]bool // addresses set
	routes   map[routeKey]netlink.Route                  // routes set
	silent   map[routing.Monitor]bool                    // watches that hear nothing
	resolves bool                                        // some next hop is found by another route
	watches  []*watch
	judged   bool // permits were put in force
	closers  []func()
}

// routeKey is what the kernel tells routes apart by.
type routeKey struct {
	table    int
	to       netip.Prefix
	priority int
}

// asRouter is what makes Linux behave as the rules say. What the kernel keeps for the whole
// system it does not let a namespace set.
var asRouter = [][2]string{
	{"ipv4/conf/all/ignore_routes_with_linkdown", "1"}, {"ipv4/conf/default/ignore_routes_with_linkdown", "1"},
	{"ipv6/conf/all/ignore_routes_with_linkdown", "1"}, {"ipv6/conf/default/ignore_routes_with_linkdown", "1"},
	{"ipv4/conf/all/rp_filter", "0"}, {"ipv4/conf/default/rp_filter", "0"},
	{"ipv4/conf/all/send_redirects", "0"}, {"ipv4/conf/default/send_redirects", "0"},
	{"ipv4/conf/all/accept_redirects", "0"}, {"ipv4/conf/default/accept_redirects", "0"},
	{"ipv4/conf/all/promote_secondaries", "1"}, {"ipv4/conf/default/promote_secondaries", "1"}, // one address goes, the others stay
	{"ipv4/conf/all/arp_ignore", "1"}, {"ipv4/conf/all/arp_announce", "2"},
	{"ipv6/conf/default/accept_dad", "0"}, {"ipv6/conf/all/accept_dad", "0"},
	{"ipv6/conf/default/accept_ra", "0"}, {"ipv6/conf/default/accept_redirects", "0"}, {"ipv6/conf/default/router_solicitations", "0"},
	{"ipv4/neigh/default/retrans_time_ms", "100"}, {"ipv6/neigh/default/retrans_time_ms",
		"100"}, // a second otherwise, of which much of a run would be
	{"ipv4/icmp_ratelimit", "0"}, {"ipv6/icmp/ratelimit", "0"},
	{"ipv4/ip_local_port_range", "49152 65535"},                    // RFC 6335 §6
	{"ipv4/ip_nonlocal_bind", "1"}, {"ipv6/ip_nonlocal_bind", "1"}, // addresses of other tables than the main one
	{"ipv4/ping_group_range", "0 2147483647"},
	{"ipv4/icmp_msgs_per_sec", "1000000"}, {"ipv4/icmp_msgs_burst", "1000000"},
}

var forwarding = [][2]string{{"ipv4/ip_forward", "1"}, {"ipv6/conf/all/forwarding", "1"}, {"ipv6/conf/default/forwarding", "1"}}

// made tells whether an interface is one of its own here: switch ports are within the wires,
// and loopback addresses are on the namespace's one loopback.
func (l *Lab) made(id model.InterfaceID) bool {
	i := &l.now.Load().Spec.Interfaces[id]
	return i.Routed() && i.Kind != model.Loopback && i.Group == model.None
}

// newDevice makes a device with its interfaces, which are without addresses yet.
func (l *Lab) newDevice(id model.DeviceID) (*device, error) {
	s, err := newSpace()
	if err != nil {
		return nil, err
	}
	d := &device{
		lab: l, id: id, space: s, links: map[model.InterfaceID]int{}, tables: map[string]int{"": unix.RT_TABLE_MAIN},
		has: map[model.InterfaceID]map[netip.Prefix]bool{}, routes: map[routeKey]netlink.Route{}, silent: map[routing.Monitor]bool{},
	}
	if err := d.make(); err != nil {
		s.close()
		return nil, err
	}
	return d, nil
}

func (d *device) make() error {
	spec := d.lab.now.Load().Spec
	err := d.space.inside(func() error {
		if spec.Devices[d.id].Forwards { // first, for it puts others back
			if err := set(forwarding, true); err != nil {
				return err
			}
		}
		_ = set(asRouter, false)
		inbound := "1"
		if spec.Settings.ErrorsTowardsSender[prefix.IPv4] {
			inbound = "0"
		}
		return set([][2]string{{"ipv4/icmp_errors_use_inbound_ifaddr", inbound}}, true)
	})
	if err != nil {
		return err
	}
	h := d.space.handle
	lo, err := h.LinkByName("lo")
	if err != nil {
		return err
	}
	if err := h.LinkSetUp(lo); err != nil {
		return err
	}
	for _, id := range spec.InterfacesOf(d.id) {
		switch i := &spec.Interfaces[id]; {
		case i.Kind == model.Loopback:
			d.links[id] = lo.Attrs().Index
		case d.lab.made(id):
			if err := d.port(id); err != nil {
				return fmt.Errorf("interface %s: %w", i.Name, err)
			}
		}
	}
	if err := d.beyond(lo); err != nil {
		return err
	}
	return d.rules()
}

// port makes an interface, whose far end is among the wires.
func (d *device) port(id model.InterfaceID) error {
	i := &d.lab.now.Load().Spec.Interfaces[id]
	h := d.space.handle
	link := &netlink.Veth{
		LinkAttrs: netlink.LinkAttrs{Name: LinkName(d.lab.now.Load().Spec, id), MTU: cmp.Or(i.MTU, 1500),
			HardwareAddr: MACOf(d.lab.now.Load().Spec, id), TxQLen: 1000},
		PeerName: endName(id), PeerNamespace: netlink.NsFd(d.lab.wires.space.fd), PeerMTU: most,
	}
	if err := h.LinkAdd(link); err != nil {
		return err
	}
	made, err := h.LinkByName(link.Name)
	if err != nil {
		return err
	}
	d.links[id] = made.Attrs().Index
	if link.Name != i.Name {
		_ = h.LinkSetAlias(made, i.Name) // of use to who looks, and nothing hangs on it
	}
	if i.Serial {
		if err := h.LinkSetARPOff(made); err != nil {
			return err
		}
	}
	if i.AdminDown {
		return nil
	}
	return h.LinkSetUp(made)
}

// beyond makes what lies beyond the plan answer, where the device stands for it.
func (d *device) beyond(lo netlink.Link) error {
	for _, p := range d.lab.now.Load().Spec.Devices[d.id].Beyond {
		r := &netlink.Route{Dst: ipNet(p.Prefix), LinkIndex: lo.Attrs().Index, Table: unix.RT_TABLE_LOCAL, Type: unix.RTN_LOCAL,
			Scope: netlink.SCOPE_HOST}
		if err := d.space.handle.RouteReplace(r); err != nil {
			return fmt.Errorf("what lies beyond, %s: %w", p, err)
		}
	}
	return nil
}

// rules sends what comes in by the interfaces of another table to that table, and to no
// other.
func (d *device) rules() error {
	spec := d.lab.now.Load().Spec
	for _, id := range spec.InterfacesOf(d.id) {
		name := spec.Interfaces[id].Table
		if name == "" {
			continue
		}
		for _, family := range []int{unix.AF_INET, unix.AF_INET6} {
			look, end := netlink.NewRule(), netlink.NewRule()
			look.Family, look.Priority, look.Table, look.IifName = family, 100, d.table(name), LinkName(spec, id)
			end.Family, end.Priority, end.IifName, end.Type = family, 101, look.IifName, unix.FR_ACT_UNREACHABLE
			if err := errors.Join(d.space.handle.RuleAdd(look), d.space.handle.RuleAdd(end)); err != nil {
				return fmt.Errorf("table %s: %w", name, err)
			}
		}
	}
	return nil
}

// table is the kernel's number of a table.
func (d *device) table(name string) int {
	if n, ok := d.tables[name]; ok {
		return n
	}
	d.tables[name] = 100 + len(d.tables)
	return d.tables[name]
}

// settle gives the device the addresses and routes that the present state has for it.
func (d *device) settle() error {
	d.mutex.Lock()
	defer d.mutex.Unlock()
	spec := d.lab.now.Load().Spec
	changed := false
	for _, id := range spec.InterfacesOf(d.id) {
		if _, ok := d.links[id]; !ok {
			continue
		}
		c, err := d.addresses(id)
		if err != nil {
			return fmt.Errorf("interface %s: %w", spec.Interfaces[id].Name, err)
		}
		changed = changed || c
	}
	return d.setRoutes(changed)
}

// addresses sets those of one interface; it tells whether any changed.
func (d *device) addresses(id model.InterfaceID) (changed bool, err error) {
	spec, state := d.lab.now.Load().Spec, d.lab.now.Load().State
	i := &spec.Interfaces[id]
	there := state.IsUp(id) || spec.Settings.AnswersWithoutLink && !i.AdminDown
	want := map[netip.Prefix]bool{}
	var order []model.Address
	if there {
		for _, a := range i.Addresses {
			if a.Virtual && !state.Holds(id, a) {
				continue
			}
			want[a.Prefix] = true
			order = append(order, a)
		}
		for _, a := range spec.Borrowed(id) {
			a.Prefix = netip.PrefixFrom(a.Addr(), a.Addr().BitLen()) // whose subnet is its lender's
			want[a.Prefix] = true
			order = append(order, a)
		}
	}
	link := &netlink.GenericLink{LinkAttrs: netlink.LinkAttrs{Index: d.links[id]}}
	h := d.space.handle
	for p := range d.has[id] {
		if !want[p] {
			changed = true
			if err := h.AddrDel(link, &netlink.Addr{IPNet: ipNet(p)}); err != nil && !errors.Is(err, unix.EADDRNOTAVAIL) {
				return changed, err
			}
			if i.Table != "" {
				_ = h.RouteDel(d.connected(id, p)) // gone with the address on most kernels
				_ = h.RouteDel(d.own(id, p.Addr(), d.table(i.Table)))
			}
			d.delFrom(p.Addr(), i.Table)
		}
	}
	for _, a := range order {
		if d.has[id][a.Prefix] {
			continue
		}
		changed = true
		address := &netlink.Addr{IPNet: ipNet(a.Prefix)}
		if a.Addr().Is6() {
			address.Flags |= unix.IFA_F_NODAD
			if a.OnTop() { // nothing is sent from it: it is deprecated (RFC 4862 §2)
				address.ValidLft, address.PreferedLft = math.MaxInt32, 0
			}
		}
		if i.Table != "" {
			address.Flags |= unix.IFA_F_NOPREFIXROUTE
		}
		if err := h.AddrReplace(link, address); err != nil {
			return changed, fmt.Errorf("address %s: %w", a.Prefix, err)
		}
		if i.Table != "" {
			_ = h.RouteDel(d.own(id, a.Addr(), unix.RT_TABLE_LOCAL)) // by other tables it is no address of the device's
			if err := errors.Join(h.RouteReplace(d.own(id, a.Addr(), d.table(i.Table))), h.RouteReplace(d.connected(id, a.Prefix)),
				d.addFrom(a.Addr(), i.Table)); err != nil {
				return changed, fmt.Errorf("address %s in table %s: %w", a.Prefix, i.Table, err)
			}
		}
	}
	d.has[id] = want
	return changed, nil
}

// connected is the route to a subnet on an interface of another table.
func (d *device) connected(id model.InterfaceID, p netip.Prefix) *netlink.Route {
	r := &netlink.Route{Dst: ipNet(p.Masked()), LinkIndex: d.links[id], Table: d.table(d.lab.now.Load().Spec.Interfaces[id].Table),
		Scope: netlink.SCOPE_LINK}
	if p.Addr().Is6() {
		r.Scope = netlink.SCOPE_UNIVERSE
	} else {
		r.Src = p.Addr().AsSlice()
	}
	return r
}

// own is the route to an address of the device itself.
func (d *device) own(id model.InterfaceID, a netip.Addr, table int) *netlink.Route {
	r := &netlink.Route{Dst: ipNet(netip.PrefixFrom(a, a.BitLen())), LinkIndex: d.links[id], Table: table, Type: unix.RTN_LOCAL,
		Scope: netlink.SCOPE_HOST}
	if a.Is6() {
		r.Scope = netlink.SCOPE_UNIVERSE
	}
	return r
}

// addFrom sends what the device itself sends from an address to the table of its interface.
func (d *device) addFrom(a netip.Addr, table string) error {
	return d.space.handle.RuleAdd(d.from(a, table))
}

func (d *device) delFrom(a netip.Addr, table string) {
	if table != "" {
		_ = d.space.handle.RuleDel(d.from(a, table))
	}
}

func (d *device) from(a netip.Addr, table string) *netlink.Rule {
	r := netlink.NewRule()
	r.Priority, r.Table, r.Src, r.Family = 90, d.table(table), ipNet(netip.PrefixFrom(a, a.BitLen())), unix.AF_INET
	if a.Is6() {
		r.Family = unix.AF_INET6
	}
	return r
}

// setRoutes sets the routes that the present state and the watches have for the device.
// Again is that those that are the same may be gone.
func (d *device) setRoutes(again bool) error {
	want, resolves := d.wanted()
	d.resolves = resolves
	h := d.space.handle
	for key, r := range d.routes {
		if _, ok := want[key]; !ok {
			if err := h.RouteDel(&r); err != nil && !errors.Is(err, unix.ESRCH) {
				return fmt.Errorf("taking away the route to %s: %w", key.to, err)
			}
			delete(d.routes, key)
		}
	}
	for key, r := range want {
		if old, ok := d.routes[key]; ok && !again && old.Equal(r) {
			continue
		}
		if err := d.setRoute(r); err != nil {
			return fmt.Errorf("the route to %s: %w", key.to, err)
		}
		d.routes[key] = r
	}
	return nil
}

// setRoute sets one route. That its next hop is on the link is said to the kernel where it
// does not see that itself; in IPv6 it looks into the main table for that, where another route
// may lead elsewhere.
func (d *device) setRoute(r netlink.Route) error {
	err := d.space.handle.RouteReplace(&r)
	if err == nil || r.Gw == nil && len(r.MultiPath) == 0 {
		return err
	}
	if r.Gw != nil {
		r.Flags |= int(netlink.FLAG_ONLINK)
	}
	for _, n := range r.MultiPath {
		n.Flags |= int(netlink.FLAG_ONLINK)
	}
	return d.space.handle.RouteReplace(&r)
}

// wanted is the static routes of the device that lead somewhere, as the kernel knows
// routes: a distance and metric as one priority, and next hops that are on a link. It tells
// whether some next hop is found by another route.
func (d *device) wanted() (all map[routeKey]netlink.Route, resolves bool) {
	net, spec := d.lab.now.Load(), d.lab.now.Load().Spec
	all = map[routeKey]netlink.Route{}
	type hops struct {
		discard bool
		all     []routing.Hop
	}
	ways := map[routeKey]*hops{}
	for _, view := range net.Of(d.id) {
		for _, e := range view.Entries() {
			if e.Static() == model.None {
				continue
			}
			s := &spec.Statics[e.Static()]
			if s.Watch.IsValid() && d.silent[routing.MonitorOf(s)] {
				continue
			}
			resolves = resolves || s.Out == model.None && s.Via.IsValid()
			key := routeKey{d.table(view.Name()), e.Prefix, priority(s)}
			switch {
			case e.Usable != routing.IsUsable && e.Usable != routing.WatchSilent:
				continue
			case e.Usable == routing.WatchSilent: // here it answers: the kernel decides
				if hop, ok := d.near(s); ok {
					w := at(ways, key)
					w.all = append(w.all, hop)
				}
			case len(e.Hops) == 0:
				at(ways, key).discard = true
			default:
				w := at(ways, key)
				w.all = append(w.all, e.Hops...)
			}
		}
	}
	for key, w := range ways {
		r := netlink.Route{Dst: ipNet(key.to), Table: key.table, Priority: key.priority, Protocol: unix.RTPROT_STATIC}
		slices.SortFunc(w.all, func(a, b routing.Hop) int { return cmp.Or(cmp.Compare(a.Out, b.Out), a.Via.Compare(b.Via)) })
		w.all = slices.Compact(w.all)
		switch {
		case len(w.all) == 0 && w.discard:
			r.Type = unix.RTN_BLACKHOLE
		case len(w.all) == 1:
			r.LinkIndex, r.Gw, r.Scope = d.links[w.all[0].Out], gateway(w.all[0].Via), scope(w.all[0].Via)
			r.Src = d.source(w.all[0].Out, key.to)
		default:
			for _, hop := range w.all {
				r.MultiPath = append(r.MultiPath, &netlink.NexthopInfo{LinkIndex: d.links[hop.Out], Gw: gateway(hop.Via)})
			}
		}
		all[key] = r
	}
	return all, resolves
}

// at is what a map has at a key, which is made where there is nothing.
func at[K comparable, V any](m map[K]*V, k K) *V {
	if m[k] == nil {
		m[k] = new(V)
	}
	return m[k]
}

// near is the next hop of a route where it is on a link of the device.
func (d *device) near(s *model.Static) (routing.Hop, bool) {
	if s.Out != model.None {
		return routing.Hop{Out: s.Out, Via: s.Via}, d.lab.now.Load().State.IsUp(s.Out)
	}
	for _, id := range d.lab.now.Load().Spec.InterfacesOf(d.id) {
		for _, a := range d.lab.now.Load().Spec.Interfaces[id].Addresses {
			if a.Contains(s.Via) && d.lab.now.Load().State.IsUp(id) {
				return routing.Hop{Out: id, Via: s.Via}, true
			}
		}
	}
	return routing.Hop{}, false
}

// source is the preferred address of an interface, where it has one of the family.
func (d *device) source(out model.InterfaceID, to netip.Prefix) net.IP {
	for _, a := range d.lab.now.Load().Spec.Interfaces[out].Addresses {
		if a.Preferred && a.Addr().Is4() == to.Addr().Is4() {
			return a.Addr().AsSlice()
		}
	}
	return nil
}

// behind is what is added to a distance in IPv6, where the kernel gives direct routes a
// priority of 256.
const behind = 1000

// priority is a distance and a metric as the kernel's one number.
func priority(s *model.Static) int {
	n := int(s.Distance)
	if s.To.Addr().Is6() {
		n += behind
	}
	if s.Metric > 0 {
		n = n<<16 + int(min(s.Metric, 1<<16-1))
	}
	return n
}

func gateway(a netip.Addr) net.IP {
	if !a.IsValid() {
		return nil
	}
	return a.AsSlice()
}

func scope(via netip.Addr) netlink.Scope {
	if via.IsValid() {
		return netlink.SCOPE_UNIVERSE
	}
	return netlink.SCOPE_LINK
}

// wipe takes away every address and route, also those that somebody else set.
func (d *device) wipe() error {
	d.mutex.Lock()
	defer d.mutex.Unlock()
	h := d.space.handle
	for _, family := range []int{unix.AF_INET, unix.AF_INET6} {
		routes, err := h.RouteListFiltered(family, &netlink.Route{Table: unix.RT_TABLE_UNSPEC}, netlink.RT_FILTER_TABLE)
		if err != nil {
			return err
		}
		for _, r := range routes {
			if r.Protocol == unix.RTPROT_STATIC || r.Protocol == unix.RTPROT_BOOT {
				if r.Table != unix.RT_TABLE_LOCAL {
					_ = h.RouteDel(&r) // it may go with another
				}
			}
		}
	}
	for _, index := range d.links {
		link := &netlink.GenericLink{LinkAttrs: netlink.LinkAttrs{Index: index}}
		addresses, err := h.AddrList(link, netlink.FAMILY_ALL)
		if err != nil {
			return err
		}
		for _, a := range addresses {
			if !a.IP.IsLoopback() && !a.IP.IsLinkLocalUnicast() {
				_ = h.AddrDel(link, &a)
			}
		}
	}
	for _, id := range d.lab.now.Load().Spec.InterfacesOf(d.id) {
		if !d.lab.made(id) {
			continue
		}
		link := &netlink.GenericLink{LinkAttrs: netlink.LinkAttrs{Index: d.links[id]}}
		change := h.LinkSetUp
		if d.lab.now.Load().Spec.Interfaces[id].AdminDown {
			change = h.LinkSetDown
		}
		if err := change(link); err != nil {
			return err
		}
	}
	clear(d.has)
	clear(d.routes)
	return nil
}

// stop ends what runs in the device.
func (d *device) stop() {
	for _, f := range d.closers {
		f()
	}
	d.closers = nil
}

// LinkName is what an interface is called in its device's namespace: as in the plan, where the
// kernel takes that for a name.
func LinkName(spec *model.Spec, id model.InterfaceID) string {
	i := &spec.Interfaces[id]
	if i.Kind == model.Loopback {
		return "lo"
	}
	if len(i.Name) < unix.IFNAMSIZ && !strings.ContainsAny(i.Name, "/: \t%") && i.Name != "lo" && i.Name != "all" && i.Name != "default" &&
		i.Name != "." && i.Name != ".." {
		return i.Name
	}
	return fmt.Sprintf("i%d", id)
}

// MACOf is the MAC of an interface: as in the plan, else one that nobody else has. The two
// ends of a serial line, on which there is none, have the same.
func MACOf(spec *model.Spec, id model.InterfaceID) net.HardwareAddr {
	i := &spec.Interfaces[id]
	if i.Serial {
		return net.HardwareAddr{2, 0, 0x5e, 0xff, 0, 1}
	}
	if mac, err := net.ParseMAC(i.MAC); err == nil {
		return mac
	}
	return net.HardwareAddr{2, 0, 0x5e, byte(id >> 16), byte(id >> 8), byte(id)}
}

func ipNet(p netip.Prefix) *net.IPNet {
	return &net.IPNet{IP: p.Addr().AsSlice(), Mask: net.CIDRMask(p.Bits(), p.Addr().BitLen())}
}
