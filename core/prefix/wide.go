package prefix

import (
	"encoding/binary"
	"math/big"
	"math/bits"
	"net/netip"
)

// Wide is an unsigned number of 128 bits: an address, or a distance between
// two addresses of one family.
type Wide struct{ hi, lo uint64 }

// WideOf is n as a Wide.
func WideOf(n uint64) Wide { return Wide{lo: n} }

func (a Wide) plus(b Wide) Wide {
	lo, carry := bits.Add64(a.lo, b.lo, 0)
	hi, _ := bits.Add64(a.hi, b.hi, carry)
	return Wide{hi, lo}
}

func (a Wide) minus(b Wide) Wide {
	lo, borrow := bits.Sub64(a.lo, b.lo, 0)
	hi, _ := bits.Sub64(a.hi, b.hi, borrow)
	return Wide{hi, lo}
}

// Compare is -1, 0 or +1 as a is less than, equal to or greater than b.
func (a Wide) Compare(b Wide) int {
	switch {
	case a == b:
		return 0
	case a.hi < b.hi || a.hi == b.hi && a.lo < b.lo:
		return -1
	}
	return 1
}

// ones is the number whose n lowest bits are set, n from 0 to 128.
func ones(n int) Wide {
	switch {
	case n >= 128:
		return Wide{^uint64(0), ^uint64(0)}
	case n >= 64:
		return Wide{1<<(n-64) - 1, ^uint64(0)}
	}
	return Wide{0, 1<<n - 1}
}

// Int is the number as an integer of any size.
func (a Wide) Int() *big.Int {
	n := new(big.Int).SetUint64(a.hi)
	return n.Or(n.Lsh(n, 64), new(big.Int).SetUint64(a.lo))
}

func (a Wide) String() string { return a.Int().String() }

// Number is the address as a number; an IPv4 address fills the low 32 bits.
func Number(a netip.Addr) Wide {
	if a.Is4() {
		b := a.As4()
		return Wide{0, uint64(binary.BigEndian.Uint32(b[:]))}
	}
	b := a.As16()
	return Wide{binary.BigEndian.Uint64(b[:8]), binary.BigEndian.Uint64(b[8:])}
}

// addr turns a number back into an address of like's family.
func (a Wide) addr(like netip.Addr) netip.Addr {
	if like.Is4() {
		var b [4]byte
		binary.BigEndian.PutUint32(b[:], uint32(a.lo))
		return netip.AddrFrom4(b)
	}
	var b [16]byte
	binary.BigEndian.PutUint64(b[:8], a.hi)
	binary.BigEndian.PutUint64(b[8:], a.lo)
	return netip.AddrFrom16(b)
}

// Moved is the address that has the place in one prefix that another has in a
// prefix of the same length.
func Moved(a netip.Addr, from, to netip.Prefix) netip.Addr {
	return Number(to.Masked().Addr()).plus(Number(a).minus(Number(from.Masked().Addr()))).addr(a)
}
