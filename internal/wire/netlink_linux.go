package wire

import (
	"errors"
	"fmt"
	"net"
	"strconv"
	"strings"

	"github.com/vishvananda/netlink"
	"golang.org/x/sys/unix"

	"ropeswing/core/observed"
	"ropeswing/core/prefix"
)

// ReadHere reads what this machine itself is, by rtnetlink(7): its interfaces,
// addresses, routes and neighbours, as the lists of them are read from files. The
// device is what it is called. No rights are needed.
func ReadHere(device string) (*Reading, error) {
	r := &Reading{Format: "netlink"}
	d, err := r.of(device)
	if err != nil {
		return nil, err
	}
	links, err := dumped(netlink.LinkList)
	if err != nil {
		return nil, fmt.Errorf("this machine does not tell its interfaces: %w", err)
	}
	h := &hereReader{Reading: r, device: d, names: map[int]string{0: ""}, vrfs: map[int]string{}}
	d.Learn(observed.Interfaces, observed.Addresses4, observed.Addresses6, observed.Routes4, observed.Routes6, observed.Neighbours)
	addresses, err := dumped(func() ([]netlink.Addr, error) { return netlink.AddrList(nil, netlink.FAMILY_ALL) })
	if err != nil {
		return nil, fmt.Errorf("this machine does not tell its addresses: %w", err)
	}
	for _, l := range links {
		h.names[l.Attrs().Index] = l.Attrs().Name
		if v, ok := l.(*netlink.Vrf); ok {
			h.vrfs[int(v.Table)] = v.Name
		}
		h.link(l.Attrs(), addresses)
	}
	for _, family := range []int{netlink.FAMILY_V4, netlink.FAMILY_V6} {
		routes, err := dumped(func() ([]netlink.Route, error) {
			return netlink.RouteListFiltered(family, &netlink.Route{Table: unix.RT_TABLE_UNSPEC}, netlink.RT_FILTER_TABLE)
		})
		if err != nil {
			return nil, fmt.Errorf("this machine does not tell its routes: %w", err)
		}
		for i := range routes {
			if err := h.route(&routes[i], family); err != nil {
				d.Doubt(observed.Routes4, observed.Routes6, observed.Standby)
				r.unread(0, routes[i].String(), "%s", err)
			}
		}
		neighbours, err := dumped(func() ([]netlink.Neigh, error) { return netlink.NeighList(0, family) })
		if err != nil {
			return nil, fmt.Errorf("this machine does not tell its neighbours: %w", err)
		}
		for i := range neighbours {
			if err := h.neighbour(&neighbours[i]); err != nil {
				d.Doubt(observed.Neighbours)
				r.unread(0, neighbours[i].String(), "%s", err)
			}
		}
	}
	return r, nil
}

// dumped asks for a list, again where it changed while it was told.
func dumped[T any](list func() ([]T, error)) (all []T, err error) {
	for range 5 {
		if all, err = list(); !errors.Is(err, netlink.ErrDumpInterrupted) {
			return all, err
		}
	}
	return all, err
}

// hereReader puts what the system tells into the form of its lists.
type hereReader struct {
	*Reading
	device *observed.Device
	names  map[int]string // of interfaces, by index
	vrfs   map[int]string // of routing tables that are a VRF's, by number
}

func (h *hereReader) link(l *netlink.LinkAttrs, addresses []netlink.Addr) {
	x := linuxLink{Name: l.Name, MTU: l.MTU, Oper: strings.ToUpper(strings.ReplaceAll(l.OperState.String(), "-", "")), Type: l.EncapType,
		MAC: l.HardwareAddr.String(), Alias: l.Alias}
	if l.Flags&net.FlagUp != 0 {
		x.Flags = []string{"UP"}
	}
	for _, a := range addresses {
		if a.LinkIndex != l.Index || a.IPNet == nil {
			continue
		}
		length, _ := a.Mask.Size()
		family := prefix.FamilyIf(a.IP.To4() != nil)
		x.Addresses = append(x.Addresses, linuxAddress{
			Local: a.IP.String(), Length: length, Dynamic: a.Flags&unix.IFA_F_PERMANENT == 0,
			Secondary: family == prefix.IPv4 && a.Flags&unix.IFA_F_SECONDARY != 0, // in IPv6 the same bit says temporary
		})
	}
	h.linuxLink(h.device, &x, true)
}

// routeTypes are the types of routes that are not to a next hop.
var routeTypes = map[int]string{
	unix.RTN_LOCAL: "local", unix.RTN_BROADCAST: "broadcast", unix.RTN_ANYCAST: "anycast", unix.RTN_MULTICAST: "multicast",
	unix.RTN_BLACKHOLE: "blackhole", unix.RTN_UNREACHABLE: "unreachable", unix.RTN_PROHIBIT: "prohibit", unix.RTN_THROW: "throw",
}

func (h *hereReader) route(n *netlink.Route, family int) error {
	if n.Table == unix.RT_TABLE_LOCAL {
		return nil // its own addresses
	}
	x := linuxRoute{Type: routeTypes[n.Type], To: "0.0.0.0/0", Dev: h.names[n.LinkIndex], Protocol: routeProtocol(int(n.Protocol))}
	if family == netlink.FAMILY_V6 {
		x.To = "::/0"
	}
	if n.Dst != nil {
		x.To = n.Dst.String()
	}
	if n.Gw != nil {
		x.NextHop = n.Gw.String()
	}
	x.Via = viaOf(n.Via)
	if n.Priority != 0 {
		x.Metric = &n.Priority
	}
	switch name := h.vrfs[n.Table]; {
	case name != "":
		x.Table = name
	case n.Table != unix.RT_TABLE_MAIN:
		x.Table = strconv.Itoa(n.Table)
	}
	x.Flags = hopFlags(n.Flags)
	for _, m := range n.MultiPath {
		hop := linuxHop{Dev: h.names[m.LinkIndex], Via: viaOf(m.Via), Flags: hopFlags(m.Flags)}
		if m.Gw != nil {
			hop.NextHop = m.Gw.String()
		}
		x.Hops = append(x.Hops, hop)
	}
	return linuxRoutes(h.device, &x)
}

// viaOf is a next hop of another family than the route's (RFC 5549).
func viaOf(d netlink.Destination) *linuxVia {
	if v, ok := d.(*netlink.Via); ok {
		return &linuxVia{Host: v.Addr.String()}
	}
	return nil
}

func routeProtocol(p int) string {
	switch p {
	case unix.RTPROT_KERNEL:
		return "kernel"
	case unix.RTPROT_BOOT, unix.RTPROT_STATIC:
		return "static"
	}
	return strconv.Itoa(p)
}

func hopFlags(flags int) []string {
	var all []string
	if flags&unix.RTNH_F_DEAD != 0 {
		all = append(all, "dead")
	}
	if flags&unix.RTNH_F_LINKDOWN != 0 {
		all = append(all, "linkdown")
	}
	return all
}

func (h *hereReader) neighbour(n *netlink.Neigh) error {
	if n.State&(unix.NUD_NOARP|unix.NUD_FAILED) != 0 || n.HardwareAddr == nil {
		return nil
	}
	return linuxNeighbour(h.device, &linuxRoute{To: n.IP.String(), Dev: h.names[n.LinkIndex], MAC: n.HardwareAddr.String()})
}
