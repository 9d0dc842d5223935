package prefix

import (
	"encoding/binary"
	"math/big"
	"net/netip"
)

// span is a run of offsets from the subnet's first address, both ends in it.
type span struct{ low, high Wide }

func (s span) count() Wide { return s.high.minus(s.low).plus(Wide{lo: 1}) }

// usableSpans lists the offsets that may be given to interfaces, in order.
//
// IPv4 keeps the first and the last address back, but nothing in a length of
// 31 (RFC 3021 §2.1) or 32. IPv6 keeps the subnet-router anycast address back
// (RFC 4291 §2.6.1) and the 128 reserved anycast addresses (RFC 2526 §2): in a
// length of 64 those whose interface identifier is fdff:ffff:ffff:ff80 and up,
// in other lengths the highest; nothing in a length of 127 (RFC 6164 §4) or
// 128, and no anycast range where the host part has 7 bits or fewer.
func usableSpans(p netip.Prefix) []span {
	host := hostBits(p)
	one := Wide{lo: 1}
	if host <= 1 {
		return []span{{high: ones(host)}}
	}
	if p.Addr().Is4() {
		return []span{{one, ones(host).minus(one)}}
	}
	switch {
	case p.Bits() == 64:
		const reserved = 0xfdffffffffffff80
		return []span{{one, Wide{lo: reserved - 1}}, {Wide{lo: reserved + 128}, ones(64)}}
	case host > 7:
		return []span{{one, ones(host).minus(Wide{lo: 128})}}
	}
	return []span{{one, ones(host)}}
}

// Usable is how many addresses of the subnet may be given to interfaces.
func Usable(p netip.Prefix) *big.Int {
	n := new(big.Int)
	for _, s := range usableSpans(p) {
		n.Add(n, s.count().Int())
	}
	return n
}

// First is the first usable address.
func First(p netip.Prefix) netip.Addr {
	a, _ := Nth(p, 1)
	return a
}

// Last is the last usable address.
func Last(p netip.Prefix) netip.Addr {
	a, _ := Nth(p, -1)
	return a
}

// Nth is the nth usable address, counted from 1, or from the end where n is
// negative: -1 is the last. It is false for 0 and where there are not so many.
func Nth(p netip.Prefix, n int64) (netip.Addr, bool) {
	base := Number(p.Masked().Addr())
	spans := usableSpans(p)
	switch {
	case n > 0:
		left := Wide{lo: uint64(n - 1)}
		for _, s := range spans {
			if c := s.count(); left.Compare(c) >= 0 {
				left = left.minus(c)
				continue
			}
			return base.plus(s.low).plus(left).addr(p.Addr()), true
		}
	case n < 0:
		left := Wide{lo: uint64(-(n + 1))}
		for i := len(spans) - 1; i >= 0; i-- {
			if c := spans[i].count(); left.Compare(c) >= 0 {
				left = left.minus(c)
				continue
			}
			return base.plus(spans[i].high).minus(left).addr(p.Addr()), true
		}
	}
	return netip.Addr{}, false
}

// Position tells which usable address of the subnet a is, counted from 1. It
// is false where a is outside the subnet or not for interfaces.
func Position(p netip.Prefix, a netip.Addr) (Wide, bool) {
	if !p.Contains(a) {
		return Wide{}, false
	}
	offset := Number(a).minus(Number(p.Masked().Addr()))
	before := Wide{lo: 1}
	for _, s := range usableSpans(p) {
		if offset.Compare(s.low) < 0 {
			break
		}
		if offset.Compare(s.high) <= 0 {
			return before.plus(offset.minus(s.low)), true
		}
		before = before.plus(s.count())
	}
	return Wide{}, false
}

// Role is what an address is within its subnet.
type Role uint8

const (
	Outside         Role = iota // not in the subnet
	UsableAddress               // may be given to an interface
	SubnetAddress               // IPv4: the subnet's own address
	BroadcastRole               // IPv4: the directed broadcast address
	RouterAnycast               // IPv6: subnet-router anycast, RFC 4291 §2.6.1
	ReservedAnycast             // IPv6: reserved anycast, RFC 2526
)

// RoleOf tells what the address is within the subnet.
func RoleOf(p netip.Prefix, a netip.Addr) Role {
	if !p.Contains(a) {
		return Outside
	}
	if a.Is4() { // by its bits alone: every step of every path asks this
		b := a.As4()
		host := uint32(uint64(1)<<(32-p.Bits()) - 1)
		switch own := binary.BigEndian.Uint32(b[:]) & host; {
		case host <= 1:
			return UsableAddress
		case own == 0:
			return SubnetAddress
		case own == host:
			return BroadcastRole
		}
		return UsableAddress
	}
	if _, ok := Position(p, a); ok {
		return UsableAddress
	}
	if p.Masked().Addr() == a {
		return RouterAnycast
	}
	return ReservedAnycast
}
