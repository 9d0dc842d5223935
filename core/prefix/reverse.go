package prefix

import (
	"net/netip"
	"strconv"
	"strings"
)

// ReverseZones lists the reverse-DNS zones of a subnet: one where its length is
// on an octet (IPv6: nibble) border, else every zone of the next longer border
// (RFC 1035 §3.5, RFC 3596 §2.5), at most 128. An IPv4 subnet longer than 24 is
// one zone within that of its last octet, named by RFC 2317 §4.
func ReverseZones(p netip.Prefix) []string {
	p = p.Masked()
	if p.Addr().Is4() && p.Bits() > 24 {
		octets := p.Addr().As4()
		parent := zone4(netip.PrefixFrom(p.Addr(), 24))
		first := strconv.Itoa(int(octets[3]))
		if p.Bits() < 32 {
			first += "/" + strconv.Itoa(p.Bits())
		}
		return []string{first + "." + parent}
	}
	step, zone := 8, zone4
	if p.Addr().Is6() {
		step, zone = 4, zone6
	}
	length := (p.Bits() + step - 1) / step * step
	var all []string
	for part := range Split(p, length) {
		all = append(all, zone(part))
	}
	return all
}

func zone4(p netip.Prefix) string {
	octets := p.Addr().As4()
	var b strings.Builder
	for i := p.Bits()/8 - 1; i >= 0; i-- {
		b.WriteString(strconv.Itoa(int(octets[i])) + ".")
	}
	return b.String() + "in-addr.arpa"
}

func zone6(p netip.Prefix) string {
	digits := strings.ReplaceAll(p.Addr().StringExpanded(), ":", "")
	var b strings.Builder
	for i := p.Bits()/4 - 1; i >= 0; i-- {
		b.WriteString(digits[i:i+1] + ".")
	}
	return b.String() + "ip6.arpa"
}
