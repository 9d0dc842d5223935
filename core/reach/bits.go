package reach

import "math/bits"

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
