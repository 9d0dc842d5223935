package mib

import (
	"net/netip"
	"slices"
	"strconv"
	"strings"
	"time"

	"ropeswing/core/observed"
	"ropeswing/core/prefix"
)

// Type is how a value is written (RFC 2578 §7.1).
type Type uint8

const (
	Integer Type = iota
	Octets
	Object // identifier
	IPAddress
	Counter
	Gauge
	Ticks
)

// Value is what an object has: by its type an int64, bytes or an OID.
type Value struct {
	Type   Type
	Number int64
	Bytes  []byte
	OID    OID
}

// Row is an object and its value.
type Row struct {
	OID   OID
	Value Value
}

// About is what a device says of itself beside its tables.
type About struct {
	Description string
	Forwards    bool
	Ticks       uint32 // hundredths of a second since it started
	Clock       time.Time
}

// enterprise is the number that the IANA keeps for documentation (RFC 5612).
var enterprise = OID{1, 3, 6, 1, 4, 1, 32473, 1}

// types are the numbers of interfaces' types (RFC 7224).
var types = map[string]int64{"other": 1, "ethernetCsmacd": 6, "softwareLoopback": 24, "propPointToPointSerial": 22, "l2vlan": 135,
	"l3ipvlan": 136, "ieee8023adLag": 161, "bridge": 209}

// sayer collects rows.
type sayer struct {
	d     *observed.Device
	about About
	rows  []Row
	index map[string]uint32
}

// Say is all that a device tells by SNMP, in the order of a walk.
func Say(d *observed.Device, about About) []Row {
	s := &sayer{d: d, about: about, index: map[string]uint32{}}
	for n := range d.Interfaces {
		s.index[d.Interfaces[n].Name] = uint32(n + 1)
	}
	s.system()
	s.interfaces()
	s.addresses()
	s.neighbours()
	s.routes()
	if ports := s.ports(); len(ports) > 0 {
		s.bridge(ports)
	}
	s.lldp()
	slices.SortFunc(s.rows, func(a, b Row) int { return a.OID.Compare(b.OID) })
	return slices.CompactFunc(s.rows, func(a, b Row) bool { return a.OID.Compare(b.OID) == 0 })
}

func (s *sayer) number(o OID, t Type, n int64) {
	s.rows = append(s.rows, Row{o, Value{Type: t, Number: n}})
}

func (s *sayer) octets(o OID, b []byte) {
	s.rows = append(s.rows, Row{o, Value{Type: Octets, Bytes: b}})
}

func (s *sayer) text(o OID, text string) { s.octets(o, []byte(text)) }

func (s *sayer) system() {
	s.text(system.at(1, 0), s.about.Description)
	s.rows = append(s.rows, Row{system.at(2, 0), Value{Type: Object, OID: enterprise}})
	s.number(system.at(3, 0), Ticks, int64(s.about.Ticks))
	s.text(system.at(4, 0), "")
	s.text(system.at(5, 0), s.d.Name)
	s.text(system.at(6, 0), "")
	services := int64(72) // a host
	if s.about.Forwards {
		services = 76
	}
	s.number(system.at(7, 0), Integer, services)
	if t := s.about.Clock.UTC(); !s.about.Clock.IsZero() {
		s.number(hrSystem.at(1, 0), Ticks, int64(s.about.Ticks))
		s.octets(hrSystem.at(2, 0), []byte{byte(t.Year() >> 8), byte(t.Year()), byte(t.Month()), byte(t.Day()), byte(t.Hour()),
			byte(t.Minute()), byte(t.Second()), byte(t.Nanosecond() / 1e8), '+', 0, 0})
	}
}

func status(x observed.Status) int64 {
	switch x {
	case observed.Up:
		return 1
	case observed.Down:
		return 2
	}
	return 4 // unknown
}

func (s *sayer) interfaces() {
	s.number(ifNumber, Integer, int64(len(s.d.Interfaces)))
	for n := range s.d.Interfaces {
		i, at := &s.d.Interfaces[n], uint32(n+1)
		kind, ok := types[i.Type]
		if !ok {
			kind = types["other"]
		}
		mac := macBytes(i.MAC)
		speed := i.Speed
		if speed == 0 && kind == types["ethernetCsmacd"] {
			speed = 1_000_000_000
		}
		mtu := i.MTU
		if mtu == 0 {
			mtu = 1500
		}
		s.number(ifEntry.at(1, at), Integer, int64(at))
		s.text(ifEntry.at(2, at), i.Name)
		s.number(ifEntry.at(3, at), Integer, kind)
		s.number(ifEntry.at(4, at), Integer, int64(mtu))
		s.number(ifEntry.at(5, at), Gauge, min(speed, 1<<32-1))
		s.octets(ifEntry.at(6, at), mac)
		s.number(ifEntry.at(7, at), Integer, status(i.Admin))
		s.number(ifEntry.at(8, at), Integer, status(i.Oper))
		s.number(ifEntry.at(9, at), Ticks, 0)
		s.text(ifXEntry.at(1, at), i.Name)
		s.number(ifXEntry.at(15, at), Gauge, (speed+500_000)/1_000_000)
		connector := int64(2)
		if kind == types["ethernetCsmacd"] {
			connector = 1
		}
		s.number(ifXEntry.at(17, at), Integer, connector)
		s.text(ifXEntry.at(18, at), i.Description)
		if n := map[string]int64{"half": 2, "full": 3}[i.Duplex]; n > 0 {
			s.number(duplexStatus.at(at), Integer, n)
		}
		if i.Group != nil && *i.Group != "" {
			s.number(ifStackStatus.at(s.index[*i.Group], at), Integer, 1)
		}
		if parent, _, ok := strings.Cut(i.Name, "."); ok && s.index[parent] > 0 {
			s.number(ifStackStatus.at(at, s.index[parent]), Integer, 1)
		}
	}
}

// origins are the numbers of where an address is from (RFC 4293).
var origins = map[string]int64{"other": 1, "static": 2, "dhcp": 4, "link-layer": 5, "random": 6}

func (s *sayer) addresses() {
	forwards := int64(2)
	if s.about.Forwards {
		forwards = 1
	}
	s.number(ipGroup.at(1, 0), Integer, forwards)
	s.number(ipGroup.at(25, 0), Integer, forwards)
	for n := range s.d.Interfaces {
		at := uint32(n + 1)
		for _, a := range s.d.Interfaces[n].Addresses {
			s.address(at, a)
		}
	}
}

func (s *sayer) address(at uint32, a observed.Address) {
	origin, ok := origins[a.Origin]
	if !ok {
		origin = origins["static"]
	}
	net := a.Masked()
	key := append(OID{at}, append(address(net.Addr()), uint32(a.Bits()))...)
	s.number(prefixEntry.at(append(OID{5}, key...)...), Integer, 2) // manual
	s.number(prefixEntry.at(append(OID{6}, key...)...), Integer, 1)
	s.number(prefixEntry.at(append(OID{7}, key...)...), Integer, 1)
	s.number(prefixEntry.at(append(OID{8}, key...)...), Gauge, 1<<32-1)
	s.number(prefixEntry.at(append(OID{9}, key...)...), Gauge, 1<<32-1)
	own := address(a.Addr())
	column := func(n uint32) OID { return addressEntry.at(append(OID{n}, own...)...) }
	s.number(column(3), Integer, int64(at))
	s.number(column(4), Integer, 1) // unicast
	s.rows = append(s.rows, Row{column(5), Value{Type: Object, OID: prefixEntry.at(append(OID{5}, key...)...)}})
	s.number(column(6), Integer, origin)
	s.number(column(7), Integer, 1) // preferred
	s.number(column(8), Ticks, 0)
	s.number(column(9), Ticks, 0)
	s.number(column(10), Integer, 1)
	s.number(column(11), Integer, 2)
	if a.Addr().Is4() {
		four := OID(own[2:])
		s.rows = append(s.rows, Row{ipAddrEntry.at(append(OID{1}, four...)...), Value{Type: IPAddress, Bytes: a.Addr().AsSlice()}})
		s.number(ipAddrEntry.at(append(OID{2}, four...)...), Integer, int64(at))
		mask := prefix.Mask(a.Prefix)
		s.rows = append(s.rows, Row{ipAddrEntry.at(append(OID{3}, four...)...), Value{Type: IPAddress, Bytes: mask.AsSlice()}})
		s.number(ipAddrEntry.at(append(OID{4}, four...)...), Integer, 1)
		s.number(ipAddrEntry.at(append(OID{5}, four...)...), Integer, 65535)
	}
}

func (s *sayer) neighbours() {
	for _, n := range s.d.Neighbours {
		at := s.index[n.Interface]
		mac := macBytes(n.MAC)
		if at == 0 || len(mac) == 0 {
			continue
		}
		key := append(OID{at}, address(n.Address)...)
		column := func(c uint32) OID { return physicalEntry.at(append(OID{c}, key...)...) }
		s.octets(column(4), mac)
		s.number(column(5), Ticks, 0)
		s.number(column(6), Integer, 3) // dynamic
		s.number(column(7), Integer, 1) // reachable
		s.number(column(8), Integer, 1)
	}
}

// routes are those in use: the table has no others.
func (s *sayer) routes() {
	count := int64(0)
	for n, r := range s.d.Routes {
		if r.Table != "" || r.Active != nil && !*r.Active {
			continue
		}
		count++
		hop := address(unspecified(r.To.Addr()))
		if r.NextHop.IsValid() {
			hop = address(r.NextHop)
		}
		key := slices.Concat(address(r.To.Addr()), OID{uint32(r.To.Bits()), 2, 0, uint32(n + 1)}, hop)
		column := func(c uint32) OID { return routeEntry.at(append(OID{c}, key...)...) }
		kind, proto := int64(4), int64(3) // remote, by management
		switch {
		case r.Discard:
			kind = 5
		case !r.NextHop.IsValid():
			kind = 3
		}
		switch r.Source {
		case "direct", "local":
			proto = 2
		case "learned":
			proto = 1
		}
		metric := int64(-1)
		if r.Metric != nil {
			metric = int64(*r.Metric)
		}
		out := int64(s.index[r.Interface])
		if out == 0 && r.NextHop.IsValid() {
			out = int64(s.outOf(r.NextHop))
		}
		s.number(column(7), Integer, out)
		s.number(column(8), Integer, kind)
		s.number(column(9), Integer, proto)
		s.number(column(10), Gauge, 0)
		s.number(column(11), Gauge, 0)
		s.number(column(12), Integer, metric)
		for c := uint32(13); c <= 16; c++ {
			s.number(column(c), Integer, -1)
		}
		s.number(column(17), Integer, 1)
	}
	s.number(routeNumber, Gauge, count)
}

func unspecified(a netip.Addr) netip.Addr {
	if a.Is4() {
		return netip.IPv4Unspecified()
	}
	return netip.IPv6Unspecified()
}

// outOf is the interface on whose link an address is; 0 where on none.
func (s *sayer) outOf(a netip.Addr) uint32 {
	for n := range s.d.Interfaces {
		for _, own := range s.d.Interfaces[n].Addresses {
			if own.Contains(a) {
				return uint32(n + 1)
			}
		}
	}
	return 0
}

// ports are the switch ports, by their number within the bridge: that of the interface.
func (s *sayer) ports() []uint32 {
	var all []uint32
	for n := range s.d.Interfaces {
		if i := &s.d.Interfaces[n]; i.Untagged != nil || len(i.Tagged) > 0 {
			all = append(all, uint32(n+1))
		}
	}
	return all
}

func (s *sayer) bridge(ports []uint32) {
	s.octets(bridgeBase.at(1, 0), macBytes(s.d.Interfaces[0].MAC))
	s.number(bridgeBase.at(2, 0), Integer, int64(len(ports)))
	s.number(bridgeBase.at(3, 0), Integer, 2) // transparent only
	vlans := map[int]bool{}
	for _, p := range ports {
		s.number(basePortEntry.at(1, p), Integer, int64(p))
		s.number(basePortEntry.at(2, p), Integer, int64(p))
		s.rows = append(s.rows, Row{basePortEntry.at(3, p), Value{Type: Object, OID: OID{0, 0}}})
		s.number(basePortEntry.at(4, p), Counter, 0)
		s.number(basePortEntry.at(5, p), Counter, 0)
		i := &s.d.Interfaces[p-1]
		pvid, accepts := int64(1), int64(2) // only tagged
		if i.Untagged != nil && *i.Untagged > 0 {
			pvid, accepts = int64(*i.Untagged), 1
			vlans[*i.Untagged] = true
		}
		for _, v := range i.Tagged {
			vlans[v] = true
		}
		s.number(portVLAN.at(1, p), Gauge, pvid)
		s.number(portVLAN.at(2, p), Integer, accepts)
		s.number(portVLAN.at(3, p), Integer, 1)
		s.number(portVLAN.at(4, p), Integer, 2)
	}
	s.number(dot1qBase.at(1, 0), Integer, 1)
	s.number(dot1qBase.at(2, 0), Integer, 4094)
	s.number(dot1qBase.at(3, 0), Gauge, 4094)
	s.number(dot1qBase.at(4, 0), Gauge, int64(len(vlans)))
	for v := range vlans {
		egress, untagged := s.members(ports, v)
		id := uint32(v)
		s.number(vlanCurrent.at(3, 0, id), Gauge, int64(v))
		s.octets(vlanCurrent.at(4, 0, id), egress)
		s.octets(vlanCurrent.at(5, 0, id), untagged)
		s.number(vlanCurrent.at(6, 0, id), Integer, 2) // permanent
		s.number(vlanCurrent.at(7, 0, id), Ticks, 0)
		s.text(vlanStatic.at(1, id), strconv.Itoa(v))
		s.octets(vlanStatic.at(2, id), egress)
		s.octets(vlanStatic.at(3, id), make([]byte, len(egress)))
		s.octets(vlanStatic.at(4, id), untagged)
		s.number(vlanStatic.at(5, id), Integer, 1)
	}
	for _, m := range s.d.MACs {
		mac, port := macBytes(m.MAC), s.index[m.Interface]
		if len(mac) != 6 || port == 0 {
			continue
		}
		key := OID{uint32(m.VLAN)}
		for _, b := range mac {
			key = append(key, uint32(b))
		}
		s.number(dot1qFdbEntry.at(append(OID{2}, key...)...), Integer, int64(port))
		s.number(dot1qFdbEntry.at(append(OID{3}, key...)...), Integer, 3) // learned
	}
}

// members are the ports of a VLAN, one bit each, the first port the highest bit (RFC 4363).
func (s *sayer) members(ports []uint32, vlan int) (egress, untagged []byte) {
	size := (len(s.d.Interfaces) + 7) / 8
	egress, untagged = make([]byte, size), make([]byte, size)
	for _, p := range ports {
		i := &s.d.Interfaces[p-1]
		bit := byte(0x80 >> ((p - 1) % 8))
		without := i.Untagged != nil && *i.Untagged == vlan
		if without {
			untagged[(p-1)/8] |= bit
		}
		if without || slices.Contains(i.Tagged, vlan) {
			egress[(p-1)/8] |= bit
		}
	}
	return egress, untagged
}

func (s *sayer) lldp() {
	s.number(lldpLocal.at(1, 0), Integer, 7) // locally assigned
	s.text(lldpLocal.at(2, 0), s.d.Name)
	s.text(lldpLocal.at(3, 0), s.d.Name)
	s.text(lldpLocal.at(4, 0), s.about.Description)
	for n := range s.d.Interfaces {
		if s.d.Interfaces[n].Type != "ethernetCsmacd" {
			continue
		}
		at := uint32(n + 1)
		s.number(lldpLocal.at(7, 1, 2, at), Integer, 5) // an interface's name
		s.text(lldpLocal.at(7, 1, 3, at), s.d.Interfaces[n].Name)
		s.text(lldpLocal.at(7, 1, 4, at), s.d.Interfaces[n].Name)
	}
	for n, l := range s.d.Links {
		at := s.index[l.Interface]
		if at == 0 {
			continue
		}
		column := func(c uint32) OID { return lldpRemote.at(c, 0, at, uint32(n+1)) }
		s.number(column(4), Integer, 7)
		s.text(column(5), l.Device)
		s.number(column(6), Integer, 5)
		s.text(column(7), l.Port)
		s.text(column(8), l.Port)
		s.text(column(9), l.Device)
		s.text(column(10), "")
	}
}

func macBytes(text string) []byte {
	var all []byte
	if text == "" {
		return nil
	}
	for part := range strings.SplitSeq(text, ":") {
		n, err := strconv.ParseUint(part, 16, 8)
		if err != nil {
			return nil
		}
		all = append(all, byte(n))
	}
	return all
}
