package mib

import (
	"encoding/hex"
	"fmt"
	"net/netip"
	"slices"
	"strings"
	"time"

	"ropeswing/core/observed"
)

// Unread is a row that was not understood.
type Unread struct {
	OID OID
	Why string
}

// System is what a device says of itself as a whole.
type System struct {
	Name, Description string
	Ticks             uint32    // hundredths of a second since it started
	Clock             time.Time // what its clock says; zero where it does not tell
}

// reader puts rows into a device.
type reader struct {
	d      *observed.Device
	system System
	names  map[uint32]string // of interfaces, by index
	ports  map[uint32]uint32 // of bridge ports: the interface's index
	unread []Unread
	table  map[string]map[uint32][]entry // of rows, by table and column
}

// entry is a row of a table: its index and its value.
type entry struct {
	index OID
	value Value
}

// Read makes a device of the rows of a walk. Whole tells of each tree of Trees whether it was
// walked to its end: what was not is not known.
func Read(name string, rows []Row, whole func(OID) bool) (*observed.Device, System, []Unread) {
	r := &reader{d: &observed.Device{Name: name}, names: map[uint32]string{}, ports: map[uint32]uint32{},
		table: map[string]map[uint32][]entry{}}
	for _, row := range rows {
		r.sort(row)
	}
	r.system.Name = r.text(system, 5)
	r.system.Description = r.text(system, 1)
	for _, e := range r.column(system, 3) {
		r.system.Ticks = uint32(e.value.Number)
	}
	for _, e := range r.column(hrSystem, 1) { // the device itself, not only who answers for it
		r.system.Ticks = uint32(e.value.Number)
	}
	for _, e := range r.column(hrSystem, 2) {
		r.system.Clock = dateAndTime(e.value.Bytes)
	}
	r.interfaces()
	if !whole(ifEntry) || !whole(ifXEntry) || !whole(ifStackStatus) {
		r.d.Doubt(observed.Interfaces)
	}
	if whole(ipGroup) {
		r.addresses()
		r.neighbours()
		r.routes()
	}
	if whole(Trees[6]) && whole(bridgeBase) {
		r.vlans()
	}
	if whole(Trees[7]) {
		r.links()
	}
	return r.d, r.system, r.unread
}

var tables = []OID{system, hrSystem, ifEntry, ifXEntry, ifStackStatus, ipAddrEntry, addressEntry, physicalEntry, routeEntry, basePortEntry,
	dot1qFdbEntry, vlanCurrent, vlanStatic, portVLAN, lldpLocal, lldpRemote}

// dateAndTime is a time as DateAndTime has it (RFC 2579); zero for one that is none.
func dateAndTime(b []byte) time.Time {
	if len(b) != 8 && len(b) != 11 {
		return time.Time{}
	}
	zone := time.UTC
	if len(b) == 11 {
		east := (int(b[9])*60 + int(b[10])) * 60
		if b[8] == '-' {
			east = -east
		}
		zone = time.FixedZone("", east)
	}
	return time.Date(int(b[0])<<8|int(b[1]), time.Month(b[2]), int(b[3]), int(b[4]), int(b[5]), int(b[6]), int(b[7])*1e8, zone)
}

// sort puts a row into its table's column.
func (r *reader) sort(row Row) {
	for _, t := range tables {
		rest, ok := t.Has(row.OID)
		if !ok || len(rest) < 2 {
			continue
		}
		key := t.String()
		if slices.Equal(t, ifStackStatus) {
			rest = append(OID{1}, rest...)
		}
		if r.table[key] == nil {
			r.table[key] = map[uint32][]entry{}
		}
		r.table[key][rest[0]] = append(r.table[key][rest[0]], entry{rest[1:], row.Value})
		return
	}
}

func (r *reader) column(t OID, n uint32) []entry { return r.table[t.String()][n] }

func (r *reader) text(t OID, n uint32) string {
	for _, e := range r.column(t, n) {
		return clean(e.value.Bytes)
	}
	return ""
}

// clean is text that a device sent, without what has no place in one.
func clean(b []byte) string {
	text := strings.ToValidUTF8(strings.TrimRight(string(b), "\x00"), "?")
	return strings.Map(func(c rune) rune {
		if c < ' ' || c == 0x7f {
			return -1
		}
		return c
	}, text)
}

func (r *reader) doubt(o OID, why string, parts ...observed.Part) {
	r.d.Doubt(parts...)
	if len(r.unread) < 1000 {
		r.unread = append(r.unread, Unread{o, why})
	}
}

func statusOf(n int64) observed.Status {
	switch n {
	case 1:
		return observed.Up
	case 2, 3, 5, 6, 7: // down, testing, dormant, not present, a layer below is down
		return observed.Down
	}
	return ""
}

func (r *reader) interfaces() {
	d := r.d
	d.Learn(observed.Interfaces)
	descriptions := map[uint32]string{}
	for _, e := range r.column(ifEntry, 2) {
		descriptions[last(e.index)] = clean(e.value.Bytes)
	}
	for _, e := range r.column(ifXEntry, 1) {
		if name := clean(e.value.Bytes); name != "" {
			r.names[last(e.index)] = name
		}
	}
	typed, whose := map[uint32]bool{}, map[string]bool{}
	for _, e := range r.column(ifEntry, 3) { // every interface has a type
		at := last(e.index)
		typed[at] = true
		if r.names[at] == "" {
			r.names[at] = descriptions[at]
		}
		if r.names[at] == "" {
			r.doubt(ifEntry.at(3, at), fmt.Sprintf("interface %d has no name", at), observed.Interfaces)
			delete(r.names, at)
			continue
		}
		if whose[r.names[at]] {
			r.doubt(ifEntry.at(3, at), "two interfaces are called "+r.names[at], observed.Interfaces, observed.Addresses4, observed.Addresses6)
		}
		whose[r.names[at]] = true
		i := d.Interface(r.names[at])
		for word, n := range types {
			if n == e.value.Number {
				i.Type = word
			}
		}
	}
	for _, n := range []uint32{2, 7, 8} { // of numbers that changed while it was asked one column has other rows than the next
		for _, e := range r.column(ifEntry, n) {
			if at := last(e.index); !typed[at] {
				r.doubt(ifEntry.at(n, at), fmt.Sprintf("interface %d has no type", at), observed.Parts...)
			}
		}
	}
	each := func(t OID, n uint32, set func(*observed.Interface, Value)) {
		for _, e := range r.column(t, n) {
			if name := r.names[last(e.index)]; name != "" {
				set(d.Interface(name), e.value)
			}
		}
	}
	each(ifEntry, 4, func(i *observed.Interface, v Value) { i.MTU = int(max(0, min(v.Number, 1<<31-1))) })
	each(ifEntry, 5, func(i *observed.Interface, v Value) { i.Speed = v.Number })
	each(ifXEntry, 15, func(i *observed.Interface, v Value) {
		if i.Speed >= 1<<32-1 || i.Speed == 0 { // the older number stops there (RFC 2863)
			i.Speed = v.Number * 1_000_000
		}
	})
	each(ifEntry, 6, func(i *observed.Interface, v Value) { i.MAC = macText(v.Bytes) })
	each(ifEntry, 7, func(i *observed.Interface, v Value) { i.Admin = statusOf(v.Number) })
	each(ifEntry, 8, func(i *observed.Interface, v Value) { i.Oper = statusOf(v.Number) })
	each(ifXEntry, 18, func(i *observed.Interface, v Value) { i.Description = clean(v.Bytes) })
	for _, e := range r.column(duplexStatus[:len(duplexStatus)-1], duplexStatus[len(duplexStatus)-1]) {
		if name := r.names[last(e.index)]; name != "" {
			d.Interface(name).Duplex = map[int64]string{2: "half", 3: "full"}[e.value.Number]
		}
	}
	r.groups()
}

// groups are told by who is stacked on whom.
func (r *reader) groups() {
	for _, e := range r.column(ifStackStatus, 1) {
		if len(e.index) != 2 || e.value.Number != 1 {
			continue
		}
		higher, lower := r.names[e.index[0]], r.names[e.index[1]]
		if higher == "" || lower == "" || r.d.Interface(higher).Type != "ieee8023adLag" {
			continue
		}
		r.d.Interface(lower).Group = &higher
	}
	none := ""
	for n := range r.d.Interfaces {
		if i := &r.d.Interfaces[n]; i.Group == nil && len(r.column(ifStackStatus, 1)) > 0 {
			i.Group = &none
		}
	}
}

func last(o OID) uint32 {
	if len(o) == 0 {
		return 0
	}
	return o[len(o)-1]
}

func (r *reader) addresses() {
	d := r.d
	known := map[netip.Addr]netip.Prefix{}
	kinds := map[string]int64{}
	for _, e := range r.column(addressEntry, 4) {
		kinds[e.index.String()] = e.value.Number
	}
	from := map[string]string{}
	for _, e := range r.column(addressEntry, 6) {
		for word, n := range origins {
			if n == e.value.Number {
				from[e.index.String()] = word
			}
		}
	}
	prefixes := map[string]OID{}
	for _, e := range r.column(addressEntry, 5) {
		prefixes[e.index.String()] = e.value.OID
	}
	masks := map[netip.Addr]int{}
	for _, e := range r.column(ipAddrEntry, 3) {
		if a, ok := plain4(e.index); ok {
			masks[a] = ones(e.value.Bytes)
		}
	}
	for _, e := range r.column(addressEntry, 3) {
		a, _, ok := takeAddress(e.index)
		part := partOf(a, observed.Addresses4, observed.Addresses6)
		name := r.names[uint32(e.value.Number)]
		if !ok || name == "" {
			r.doubt(addressEntry.at(3), "an address is on no interface", part)
			continue
		}
		if k := kinds[e.index.String()]; k != 0 && k != 1 {
			continue // anycast and broadcast are nobody's own
		}
		bits, ok := lengthOf(prefixes[e.index.String()])
		if !ok {
			if bits, ok = masks[a]; !ok {
				r.doubt(addressEntry.at(5), a.String()+" has no length", part)
				continue
			}
		}
		p := netip.PrefixFrom(a, bits)
		if !p.IsValid() {
			r.doubt(addressEntry.at(5), fmt.Sprintf("%s cannot have the length %d", a, bits), part)
			continue
		}
		known[a] = p
		if !a.IsLoopback() { // every device has those, and nobody plans them
			d.Interface(name).Add(observed.Address{Prefix: p, Origin: from[e.index.String()]})
		}
	}
	for _, e := range r.column(ipAddrEntry, 2) { // the older table, where there is no other
		a, ok := plain4(e.index)
		name := r.names[uint32(e.value.Number)]
		if _, told := known[a]; told || !ok || name == "" {
			continue
		}
		p := netip.PrefixFrom(a, masks[a])
		if known[a] = p; !a.IsLoopback() {
			d.Interface(name).Add(observed.Address{Prefix: p})
		}
	}
	if len(r.column(ipAddrEntry, 2))+len(r.column(addressEntry, 3)) > 0 {
		d.Learn(observed.Addresses4)
	}
	if slices.ContainsFunc(r.column(addressEntry, 3), func(e entry) bool { return e.index[0] == 2 || e.index[0] == 4 }) {
		d.Learn(observed.Addresses6)
	} else if len(r.column(addressEntry, 3)) > 0 {
		d.Learn(observed.Addresses6) // it has the table of both families, and nothing of IPv6 in it
	}
}

func partOf(a netip.Addr, four, six observed.Part) observed.Part {
	if a.Is4() {
		return four
	}
	return six
}

func plain4(o OID) (netip.Addr, bool) {
	if len(o) != 4 || slices.ContainsFunc(o, func(n uint32) bool { return n > 255 }) {
		return netip.Addr{}, false
	}
	return netip.AddrFrom4([4]byte{byte(o[0]), byte(o[1]), byte(o[2]), byte(o[3])}), true
}

func ones(mask []byte) int {
	n := 0
	for _, b := range mask {
		for ; b&0x80 != 0; b <<= 1 {
			n++
		}
	}
	return n
}

// lengthOf is the length that the pointer to a prefix has as its last number.
func lengthOf(pointer OID) (int, bool) {
	if _, ok := prefixEntry.Has(pointer); !ok || len(pointer) < len(prefixEntry)+3 {
		return 0, false
	}
	n := last(pointer)
	return int(n), n <= 128
}

func (r *reader) neighbours() {
	all := r.column(physicalEntry, 4)
	states := map[string]int64{}
	for _, e := range r.column(physicalEntry, 7) {
		states[e.index.String()] = e.value.Number
	}
	kinds := map[string]int64{}
	for _, e := range r.column(physicalEntry, 6) {
		kinds[e.index.String()] = e.value.Number
	}
	for _, e := range all {
		if len(e.index) < 3 {
			continue
		}
		a, _, ok := takeAddress(e.index[1:])
		key := e.index.String()
		if !ok || states[key] == 5 || states[key] == 7 || kinds[key] == 2 || kinds[key] == 5 || len(e.value.Bytes) != 6 {
			continue // invalid, not resolved, or its own
		}
		r.d.Neighbours = append(r.d.Neighbours, observed.Neighbour{Address: a, MAC: macText(e.value.Bytes), Interface: r.names[e.index[0]]})
	}
	if len(all) > 0 {
		r.d.Learn(observed.Neighbours)
	}
}

// routes are of the main table, and in use: the others are not told.
func (r *reader) routes() {
	kinds, protocols, metrics := map[string]int64{}, map[string]int64{}, map[string]int64{}
	for n, into := range map[uint32]map[string]int64{8: kinds, 9: protocols, 12: metrics} {
		for _, e := range r.column(routeEntry, n) {
			into[e.index.String()] = e.value.Number
		}
	}
	families := map[bool]bool{}
	r.d.MainTableOnly = true // others have a context of their own
	for _, e := range r.column(routeEntry, 7) {
		to, hop, ok := routeIndex(e.index)
		if !ok {
			r.doubt(routeEntry.at(append(OID{7}, e.index...)...), "it is no index of a route", observed.Routes4, observed.Routes6,
				observed.Standby)
			continue
		}
		key := e.index.String()
		families[to.Addr().Is4()] = true
		x := observed.Route{To: to.Masked(), Interface: r.names[uint32(e.value.Number)]}
		if hop.IsValid() && !hop.IsUnspecified() {
			x.NextHop = hop.WithZone("")
		}
		switch kinds[key] {
		case 2, 5:
			x.Discard, x.Interface, x.NextHop = true, "", netip.Addr{}
		case 3:
			x.NextHop = netip.Addr{}
			if e.value.Number == 0 && !r.own(to.Addr()) { // local, and out of no interface: some agents tell so of what is dropped
				x.Discard = true
			}
		}
		switch protocols[key] {
		case 2:
			switch {
			case x.Discard, x.NextHop.IsValid(): // some agents call all that nobody sent them so
				x.Source = "static"
			case to.IsSingleIP() && r.own(to.Addr()):
				x.Source = "local"
			default:
				x.Source = "direct"
			}
		case 3:
			x.Source = "static"
		default:
			x.Source = "learned"
		}
		if x.Source == "local" || to.Addr().IsMulticast() || to.Addr().IsLinkLocalUnicast() || to.Addr().IsLoopback() {
			continue
		}
		if m, ok := metrics[key]; ok && m >= 0 {
			n := int(m)
			x.Metric = &n
		}
		yes := true
		x.Active = &yes
		r.d.Routes = append(r.d.Routes, x)
	}
	for four := range families {
		r.d.Learn(familyPart(four))
	}
}

func familyPart(four bool) observed.Part {
	if four {
		return observed.Routes4
	}
	return observed.Routes6
}

func (r *reader) own(a netip.Addr) bool {
	return slices.ContainsFunc(r.d.Interfaces, func(i observed.Interface) bool {
		return slices.ContainsFunc(i.Addresses, func(x observed.Address) bool { return x.Addr() == a })
	})
}

// routeIndex is where a route leads, and by which next hop, by its index.
func routeIndex(o OID) (to netip.Prefix, hop netip.Addr, ok bool) {
	a, rest, ok := takeAddress(o)
	if !ok || !a.IsValid() || len(rest) < 2 {
		return to, hop, false
	}
	to, rest = netip.PrefixFrom(a, int(rest[0])), rest[1:]
	policy := int(rest[0]) // an object identifier with its length in front
	if !to.IsValid() || len(rest) < 1+policy {
		return to, hop, false
	}
	hop, rest, ok = takeAddress(rest[1+policy:])
	return to, hop, ok && len(rest) == 0
}

func (r *reader) vlans() {
	for _, e := range r.column(basePortEntry, 2) {
		r.ports[last(e.index)] = uint32(e.value.Number)
	}
	if len(r.ports) == 0 {
		return
	}
	egress, untagged := r.column(vlanCurrent, 4), r.column(vlanCurrent, 5)
	if len(egress) == 0 {
		egress, untagged = r.column(vlanStatic, 2), r.column(vlanStatic, 4)
	}
	if len(egress) == 0 {
		return
	}
	r.d.Learn(observed.VLANs)
	without := map[uint32][]byte{}
	for _, e := range untagged {
		without[last(e.index)] = e.value.Bytes
	}
	none := 0
	for _, at := range r.ports {
		if name := r.names[at]; name != "" {
			r.d.Interface(name).Untagged = &none
		}
	}
	for _, e := range egress {
		vlan := last(e.index)
		for port, at := range r.ports {
			name := r.names[at]
			if name == "" || !bit(e.value.Bytes, port) {
				continue
			}
			i := r.d.Interface(name)
			if bit(without[vlan], port) {
				n := int(vlan)
				i.Untagged = &n
			} else if !slices.Contains(i.Tagged, int(vlan)) {
				i.Tagged = append(i.Tagged, int(vlan))
			}
		}
	}
	for n := range r.d.Interfaces {
		slices.Sort(r.d.Interfaces[n].Tagged)
	}
	for _, e := range r.column(dot1qFdbEntry, 2) {
		if len(e.index) != 7 || e.value.Number == 0 {
			continue
		}
		mac := make([]byte, 6)
		for n, x := range e.index[1:] {
			mac[n] = byte(x)
		}
		r.d.MACs = append(r.d.MACs, observed.MACEntry{MAC: macText(mac), Interface: r.names[r.ports[uint32(e.value.Number)]],
			VLAN: int(e.index[0])})
	}
	if len(r.column(dot1qFdbEntry, 2)) > 0 {
		r.d.Learn(observed.MACs)
	}
}

func bit(of []byte, port uint32) bool {
	return port > 0 && int(port-1)/8 < len(of) && of[(port-1)/8]&(0x80>>((port-1)%8)) != 0
}

// links are told where the device covers itself that way at all.
func (r *reader) links() {
	if len(r.table[lldpLocal.String()]) == 0 {
		return
	}
	ports := map[string]string{}
	for _, e := range r.column(lldpRemote, 7) {
		ports[e.index.String()] = clean(e.value.Bytes)
	}
	for _, e := range r.column(lldpRemote, 9) {
		if len(e.index) != 3 {
			continue
		}
		name := r.names[e.index[1]]
		device := clean(e.value.Bytes)
		if name == "" || !observed.IsName(device) {
			continue
		}
		r.d.Links = append(r.d.Links, observed.Link{Interface: name, Device: device, Port: ports[e.index.String()]})
	}
	r.d.Learn(observed.Links)
}

func macText(b []byte) string {
	if len(b) != 6 {
		return ""
	}
	text := hex.EncodeToString(b)
	parts := make([]string, 6)
	for i := range parts {
		parts[i] = text[2*i : 2*i+2]
	}
	return strings.Join(parts, ":")
}
