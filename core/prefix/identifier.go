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
	hardware, err := hex.DecodeString(strings.NewReplacer(":", "", "-", "", ".", "").Replace(mac))
	if err != nil || len(hardware) != 6 {
		return netip.Addr{}, fmt.Errorf("%q is not a MAC address; write six bytes such as 02:00:5e:10:00:01", mac)
	}
	if p.Addr().Is4() || p.Bits() != 64 {
		return netip.Addr{}, fmt.Errorf("an address from a MAC wants an IPv6 subnet of length 64, not %s", p)
	}
	b := p.Masked().Addr().As16()
	copy(b[8:], []byte{hardware[0] ^ 2, hardware[1], hardware[2], 0xff, 0xfe, hardware[3], hardware[4], hardware[5]})
	return netip.AddrFrom16(b), nil
}

// LinkLocal is the subnet of all link-local addresses in use (RFC 4291 §2.5.6).
var LinkLocal = netip.PrefixFrom(netip.AddrFrom16([16]byte{0: 0xfe, 1: 0x80}), 64)
