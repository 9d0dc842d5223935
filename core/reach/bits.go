package reach

import "math/bits"

// row is what becomes of packets from one node, or one class of senders, to each
// class: a bit for each.
type row struct{ arrives, fails, circles, changed, meets []uint64 }

func newRow(words int) row {
	all := make([]uint64, 5*words)
	part := func(i int) []uint64 { return all[i*words : (i+1)*words : (i+1)*words] }
	return row{part(0), part(1), part(2), part(3), part(4)}
}

// widened is a copy for more classes; what is new is like what was before it.
func (r row) widened(words int) row {
	next := newRow(words)
	copy(next.arrives, r.arrives)
	copy(next.fails, r.fails)
	copy(next.circles, r.circles)
	copy(next.meets, r.meets)
	return next
}

// put notes what becomes of packets to a class.
func (r row) put(c int32, flags uint8) {
	word, bit := c/64, uint64(1)<<(c%64)
	put(r.arrives, word, bit, flags&arrive != 0)
	put(r.fails, word, bit, flags&fail != 0)
	put(r.circles, word, bit, flags&circle != 0)
	put(r.changed, word, bit, flags&change != 0)
	put(r.meets, word, bit, flags&meet != 0)
}

// flags is what becomes of packets to a class.
func (r row) flags(c int32) uint8 {
	var all uint8
	if get(r.arrives, c) {
		all |= arrive
	}
	if get(r.fails, c) {
		all |= fail
	}
	if get(r.circles, c) {
		all |= circle
	}
	return all
}

// add takes what becomes of packets to a class when they are handed to a node.
func (r row) add(to int32, rows []row, c int32) {
	word, bit := c/64, uint64(1)<<(c%64)
	switch {
	case step(to) == delivers:
		r.arrives[word] |= bit
	case to < 0:
		r.fails[word] |= bit
	default:
		r.arrives[word] |= rows[to].arrives[word] & bit
		r.fails[word] |= rows[to].fails[word] & bit
		r.circles[word] |= rows[to].circles[word] & bit
		r.changed[word] |= rows[to].changed[word] & bit
		r.meets[word] |= rows[to].meets[word] & bit
	}
}

// put sets a bit, or clears it.
func put(words []uint64, word int32, bit uint64, on bool) {
	if on {
		words[word] |= bit
	} else {
		words[word] &^= bit
	}
}

// get tells whether the bit of a place is set.
func get(words []uint64, p int32) bool { return words[p/64]&(1<<(p%64)) != 0 }

// unset clears the bits from first to last.
func unset(words []uint64, first, last int) {
	for p := first; p < last; p++ {
		if p%64 == 0 && p+64 <= last {
			words[p/64] = 0
			p += 63
			continue
		}
		words[p/64] &^= 1 << (p % 64)
	}
}

// mirror keeps in a square of bits those that are set on both sides of its
// diagonal.
func mirror(x [][]uint64) {
	var a, b [64]uint64
	load := func(into *[64]uint64, row, word int) {
		for i := range into {
			into[i] = 0
			if row+i < len(x) {
				into[i] = x[row+i][word]
			}
		}
	}
	for r := 0; r < len(x); r += 64 {
		for w := r / 64; w*64 < len(x); w++ {
			load(&a, r, w)
			load(&b, w*64, r/64)
			transpose(&b)
			for i := range a {
				a[i] &= b[i]
				if r+i < len(x) {
					x[r+i][w] = a[i]
				}
			}
			transpose(&a)
			for i := range a {
				if w*64+i < len(x) {
					x[w*64+i][r/64] = a[i]
				}
			}
		}
	}
}

// transpose turns a square of 64 by 64 bits about its diagonal.
func transpose(x *[64]uint64) {
	mask := uint64(0x00000000ffffffff)
	for j := 32; j != 0; j, mask = j>>1, mask^(mask<<(j>>1)) {
		for k := 0; k < 64; k = (k + j + 1) &^ j {
			t := (x[k]>>j ^ x[k+j]) & mask
			x[k] ^= t << j
			x[k+j] ^= t
		}
	}
}

// eachBit visits the bits that are set.
func eachBit(row []uint64, visit func(int32)) {
	for w, word := range row {
		for ; word != 0; word &= word - 1 {
			visit(int32(w*64 + bits.TrailingZeros64(word)))
		}
	}
}
