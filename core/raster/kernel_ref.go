package raster

// The reference kernels: what every other implementation must equal to the bit.
// Each works on one row, so that borders, regions and threads stay in plain Go.

// lumaRowRef: dst[i] = (38 r[i] + 75 g[i] + 15 b[i] + 64) >> 7.
func lumaRowRef(dst, r, g, b []uint8) {
	for i := range dst {
		dst[i] = uint8((38*uint(r[i]) + 75*uint(g[i]) + 15*uint(b[i]) + 64) >> 7)
	}
}

// halfRowRef: dst[i] = (a[2i] + a[2i+1] + b[2i] + b[2i+1] + 2) >> 2.
func halfRowRef(dst, a, b []uint8) {
	for i := range dst {
		dst[i] = uint8((uint(a[2*i]) + uint(a[2*i+1]) + uint(b[2*i]) + uint(b[2*i+1]) + 2) >> 2)
	}
}

// bandBitsRef: bit i of dst (word i/32, bit i%32) is set where
// lo ≤ row[i] ≤ hi; the bits behind the row's end are clear.
func bandBitsRef(dst []uint32, row []uint8, lo, hi uint8) {
	span := hi - lo
	for w := range dst {
		var bits uint32
		part := row[32*w : min(32*w+32, len(row))]
		for i, v := range part {
			if v-lo <= span {
				bits |= 1 << i
			}
		}
		dst[w] = bits
	}
}

// bandCountRef returns how many bytes of row lie in lo…hi.
func bandCountRef(row []uint8, lo, hi uint8) int {
	span, n := hi-lo, 0
	for _, v := range row {
		if v-lo <= span {
			n++
		}
	}
	return n
}

// sumShiftedRef: dst[x] = Σ base[offs[i]+x], which must not exceed 255. It
// reports whether any sum is at least least.
func sumShiftedRef(dst, base []uint8, offs []int32, least uint8) bool {
	clear(dst)
	for _, o := range offs {
		src := base[o : int(o)+len(dst)]
		for x, v := range src {
			dst[x] += v
		}
	}
	hit := false
	for _, v := range dst {
		hit = hit || v >= least
	}
	return hit
}

// integralRowRef: dst[i] = above[i] + Σ row[0…i], modulo 2^32.
func integralRowRef(dst, above []uint32, row []uint8) {
	sum := uint32(0)
	above = above[:len(row)]
	dst = dst[:len(row)]
	for i, v := range row {
		sum += uint32(v)
		dst[i] = above[i] + sum
	}
}
