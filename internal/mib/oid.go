// Package mib puts what a device says of itself into the standard tables of SNMP, and reads it
// from them: the system group, IF-MIB, EtherLike-MIB, IP-MIB, IP-FORWARD-MIB, BRIDGE-MIB, Q-BRIDGE-MIB and
// LLDP-MIB.
package mib

import (
	"fmt"
	"net/netip"
	"slices"
	"strconv"
	"strings"

	"ropeswing/core/observed"
)

// OID is the name of an object.
type OID []uint32

// ParseOID reads numbers with dots between them, with or without one in front.
func ParseOID(text string) (OID, error) {
	var all OID
	for part := range strings.SplitSeq(strings.TrimPrefix(text, "."), ".") {
		n, err := strconv.ParseUint(part, 10, 32)
		if err != nil {
			return nil, fmt.Errorf("%q is no object identifier", text)
		}
		all = append(all, uint32(n))
	}
	return all, nil
}

// String is the OID with a dot in front.
func (o OID) String() string {
	var b strings.Builder
	for _, n := range o {
		b.WriteByte('.')
		b.WriteString(strconv.FormatUint(uint64(n), 10))
	}
	return b.String()
}

// Compare orders OIDs as a walk meets them.
func (o OID) Compare(p OID) int { return slices.Compare(o, p) }

// Has tells whether another OID lies below, and what of it is behind this one.
func (o OID) Has(p OID) (rest OID, ok bool) {
	if len(p) < len(o) || !slices.Equal(o, p[:len(o)]) {
		return nil, false
	}
	return p[len(o):], true
}

// at is the OID with more behind it.
func (o OID) at(more ...uint32) OID { return append(slices.Clip(o), more...) }

// address is an address as an index: its type, its length and its bytes (RFC 4001).
func address(a netip.Addr) OID {
	kind := uint32(2)
	if a.Is4() {
		kind = 1
	}
	bytes := a.AsSlice()
	all := OID{kind, uint32(len(bytes))}
	for _, b := range bytes {
		all = append(all, uint32(b))
	}
	return all
}

// takeAddress reads an address from an index; the rest is what is behind it. One of type 0 is
// none at all.
func takeAddress(o OID) (a netip.Addr, rest OID, ok bool) {
	if len(o) < 2 || int(o[1]) > len(o)-2 {
		return a, nil, false
	}
	bytes := make([]byte, o[1])
	for i := range bytes {
		if o[2+i] > 255 {
			return a, nil, false
		}
		bytes[i] = byte(o[2+i])
	}
	rest = o[2+len(bytes):]
	switch kind := o[0]; {
	case kind == 0 && len(bytes) == 0:
		return a, rest, true
	case kind == 3 || kind == 4: // with a zone of four bytes
		if len(bytes) < 8 {
			return a, nil, false
		}
		bytes = bytes[:len(bytes)-4]
	case kind != 1 && kind != 2:
		return a, nil, false
	}
	a, ok = netip.AddrFromSlice(bytes)
	return a, rest, ok
}

// The objects that are told and read.
var (
	system        = OID{1, 3, 6, 1, 2, 1, 1}
	hrSystem      = OID{1, 3, 6, 1, 2, 1, 25, 1} // HOST-RESOURCES-MIB, RFC 2790
	ifNumber      = OID{1, 3, 6, 1, 2, 1, 2, 1, 0}
	ifEntry       = OID{1, 3, 6, 1, 2, 1, 2, 2, 1}           // IF-MIB, RFC 2863
	ifXEntry      = OID{1, 3, 6, 1, 2, 1, 31, 1, 1, 1}       // IF-MIB
	ifStackStatus = OID{1, 3, 6, 1, 2, 1, 31, 1, 2, 1, 3}    // IF-MIB
	duplexStatus  = OID{1, 3, 6, 1, 2, 1, 10, 7, 2, 1, 19}   // EtherLike-MIB, RFC 3635
	ipGroup       = OID{1, 3, 6, 1, 2, 1, 4}                 // IP-MIB, RFC 4293
	ipAddrEntry   = OID{1, 3, 6, 1, 2, 1, 4, 20, 1}          // IP-MIB, its older table of IPv4
	prefixEntry   = OID{1, 3, 6, 1, 2, 1, 4, 32, 1}          // IP-MIB
	addressEntry  = OID{1, 3, 6, 1, 2, 1, 4, 34, 1}          // IP-MIB
	physicalEntry = OID{1, 3, 6, 1, 2, 1, 4, 35, 1}          // IP-MIB
	routeNumber   = OID{1, 3, 6, 1, 2, 1, 4, 24, 6, 0}       // IP-FORWARD-MIB, RFC 4292
	routeEntry    = OID{1, 3, 6, 1, 2, 1, 4, 24, 7, 1}       // IP-FORWARD-MIB
	bridgeBase    = OID{1, 3, 6, 1, 2, 1, 17, 1}             // BRIDGE-MIB, RFC 4188
	basePortEntry = OID{1, 3, 6, 1, 2, 1, 17, 1, 4, 1}       // BRIDGE-MIB
	dot1qBase     = OID{1, 3, 6, 1, 2, 1, 17, 7, 1, 1}       // Q-BRIDGE-MIB, RFC 4363
	dot1qFdbEntry = OID{1, 3, 6, 1, 2, 1, 17, 7, 1, 2, 2, 1} // Q-BRIDGE-MIB
	vlanCurrent   = OID{1, 3, 6, 1, 2, 1, 17, 7, 1, 4, 2, 1} // Q-BRIDGE-MIB
	vlanStatic    = OID{1, 3, 6, 1, 2, 1, 17, 7, 1, 4, 3, 1} // Q-BRIDGE-MIB
	portVLAN      = OID{1, 3, 6, 1, 2, 1, 17, 7, 1, 4, 5, 1} // Q-BRIDGE-MIB
	lldpLocal     = OID{1, 0, 8802, 1, 1, 2, 1, 3}           // LLDP-MIB, IEEE 802.1AB
	lldpRemote    = OID{1, 0, 8802, 1, 1, 2, 1, 4, 1, 1}     // LLDP-MIB
)

// Trees are what is walked to learn all that is read here, each of them with the parts it tells
// of.
var Trees = []OID{system, ifEntry, ifXEntry, ifStackStatus, ipGroup, bridgeBase, {1, 3, 6, 1, 2, 1, 17, 7, 1}, {1, 0, 8802, 1, 1, 2, 1},
	hrSystem, duplexStatus}

// Parts are the parts of a device that a tree tells of.
func Parts(tree OID) []observed.Part {
	switch {
	case slices.Equal(tree, ifEntry), slices.Equal(tree, ifXEntry), slices.Equal(tree, ifStackStatus):
		return []observed.Part{observed.Interfaces}
	case slices.Equal(tree, ipGroup):
		return []observed.Part{observed.Addresses4, observed.Addresses6, observed.Routes4, observed.Routes6, observed.Neighbours}
	case slices.Equal(tree, bridgeBase), slices.Equal(tree, Trees[6]):
		return []observed.Part{observed.VLANs, observed.MACs}
	case slices.Equal(tree, Trees[7]):
		return []observed.Part{observed.Links}
	}
	return nil
}
