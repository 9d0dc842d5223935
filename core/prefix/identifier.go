package prefix

import (
	"encoding/hex"
	"fmt"
	"net/netip"
	"strings"
)

// SolicitedNode is the multicast group in which an IPv6 address is looked for
// by neighbour discovery (RFC 4291 §2.7.1).
func SolicitedNode(a netip.Addr) netip.Addr {
	b := a.As16()
	return netip.AddrFrom16([16]byte{0: 0xff, 1: 0x02, 11: 0x01, 12: 0xff, 13: b[13], 14: b[14], 15: b[15]})
}

// ReservedRange is the first and the last reserved anycast address of an IPv6
// subnet (RFC 2526 §2); false where there are none.
func ReservedRange(p netip.Prefix) (first, last netip.Addr, ok bool) {
	if p.Addr().Is4() || hostBits(p) <= 7 {
		return netip.Addr{}, netip.Addr{}, false
	}
	base := Number(p.Masked().Addr())
	low := Wide{lo: 0xfdffffffffffff80}
	if p.Bits() != 64 {
		low = ones(hostBits(p)).minus(ones(7))
	}
	return base.plus(low).addr(p.Addr()), base.plus(low).plus(ones(7)).addr(p.Addr()), true
}

// FromMAC is the address that an interface with a 48-bit MAC makes for itself
// in a subnet of length 64: the modified EUI-64 identifier (RFC 4291, appendix
// A).
func FromMAC(p netip.Prefix, mac string) (netip.Addr, error) {
	hardware, err := macBytes(mac)
	if err != nil {
		return netip.Addr{}, err
	}
	if p.Addr().Is4() || p.Bits() != 64 {
		return netip.Addr{}, fmt.Errorf("an address from a MAC wants an IPv6 subnet of length 64, not %s", p)
	}
	b := p.Masked().Addr().As16()
	copy(b[8:], []byte{hardware[0] ^ 2, hardware[1], hardware[2], 0xff, 0xfe, hardware[3], hardware[4], hardware[5]})
	return netip.AddrFrom16(b), nil
}

// macBytes reads a 48-bit MAC address in any of its usual forms.
func macBytes(mac string) ([]byte, error) {
	hardware, err := hex.DecodeString(strings.NewReplacer(":", "", "-", "", ".", "").Replace(mac))
	if err != nil || len(hardware) != 6 {
		return nil, fmt.Errorf("%q is not a MAC address; write six bytes such as 02:00:5e:10:00:01", mac)
	}
	return hardware, nil
}

// ParseMAC reads a 48-bit MAC address in any of its usual forms, and writes it
// as six bytes with colons between.
func ParseMAC(text string) (string, error) {
	b, err := macBytes(text)
	if err != nil {
		return "", err
	}
	return fmt.Sprintf("%02x:%02x:%02x:%02x:%02x:%02x", b[0], b[1], b[2], b[3], b[4], b[5]), nil
}

// IsIdentifier tells whether an address is an IPv6 interface identifier
// standing alone: its first 64 bits are zero, as in ::a.
func IsIdentifier(a netip.Addr) bool {
	return a.Is6() && !a.Is4In6() && Number(a).hi == 0 && !a.IsUnspecified()
}

// WithIdentifier is the subnet's address with the interface identifier; false
// where the subnet is none of IPv6, or leaves no room for the identifier.
func WithIdentifier(p netip.Prefix, identifier netip.Addr) (netip.Addr, bool) {
	host := Number(identifier)
	if !p.Addr().Is6() || host.Compare(ones(hostBits(p))) > 0 {
		return netip.Addr{}, false
	}
	return Number(p.Masked().Addr()).plus(host).addr(p.Addr()), true
}

// Matching is the IPv6 address in subnet p that goes with an interface's IPv4
// address by a rule: "matched" has the IPv4 host number as its identifier;
// "digits" the digits of the last octet as they are read, or of as many octets
// as the subnet is larger; "vlan" the place of the IPv4 address in its subnet,
// behind the digits of the VLAN number. It is false for any other rule, and
// where the subnet leaves no room.
func Matching(p netip.Prefix, of4 netip.Prefix, rule string, vlan int) (netip.Addr, bool) {
	var text string
	switch rule {
	case "matched":
		host := Number(of4.Addr()).minus(Number(of4.Masked().Addr()))
		text = fmt.Sprintf("::%x:%x", host.lo>>16, host.lo&0xffff)
	case "digits":
		octets := of4.Addr().As4()
		for i := min(3, of4.Bits()/8); i < 4; i++ {
			text += fmt.Sprintf(":%d", octets[i])
		}
		text = "::" + text[1:]
	case "vlan":
		place, ok := Position(of4, of4.Addr())
		if vlan == 0 || !ok {
			return netip.Addr{}, false
		}
		text = fmt.Sprintf("::%d:0:%x:%x", vlan, place.lo>>16, place.lo&0xffff)
	default:
		return netip.Addr{}, false
	}
	identifier, err := netip.ParseAddr(text)
	if err != nil {
		return netip.Addr{}, false
	}
	a, ok := WithIdentifier(p, identifier)
	if !ok || RoleOf(p, a) != UsableAddress {
		return netip.Addr{}, false
	}
	return a, true
}

// LinkLocal is the subnet of all link-local addresses in use (RFC 4291 §2.5.6).
var LinkLocal = netip.PrefixFrom(netip.AddrFrom16([16]byte{0: 0xfe, 1: 0x80}), 64)
