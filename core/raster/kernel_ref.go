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

// slideSumsRef: sums[i] += sum + Σ in[0…i] - Σ out[0…i], modulo 2^32.
func slideSumsRef(sums []uint32, in, out []uint8, sum uint32) {
	in, out = in[:len(sums)], out[:len(sums)]
	for i := range sums {
		sum += uint32(in[i]) - uint32(out[i])
		sums[i] += sum
	}
}

// dotRowRef returns Σ a[i]·b[i].
func dotRowRef(a, b []uint8) int {
	sum := 0
	b = b[:len(a)]
	for i, v := range a {
		sum += int(v) * int(b[i])
	}
	return sum
}

// dotShiftedRef: dst[x] = Σ weights[i]·base[offs[i]+x].
func dotShiftedRef(dst []int32, base []int16, offs []int32, weights []int16) {
	clear(dst)
	for i, o := range offs {
		w := int32(weights[i])
		for x, v := range base[o : int(o)+len(dst)] {
			dst[x] += w * int32(v)
		}
	}
}

// sobelDownRef: sum[i] = up[i] + 2 mid[i] + down[i], diff[i] = down[i] - up[i].
func sobelDownRef(sum, diff []int16, up, mid, down []uint8) {
	for i := range sum {
		sum[i] = int16(up[i]) + 2*int16(mid[i]) + int16(down[i])
		diff[i] = int16(down[i]) - int16(up[i])
	}
}

// sobelAcrossRef: dst[i] = |s[i+2] - s[i]| + |d[i] + 2d[i+1] + d[i+2]|, at most 255.
func sobelAcrossRef(dst []uint8, s, d []int16) {
	for i := range dst {
		gx, gy := int(s[i+2])-int(s[i]), int(d[i])+2*int(d[i+1])+int(d[i+2])
		dst[i] = uint8(min(max(gx, -gx)+max(gy, -gy), 255))
	}
}

// colorCountRef returns how many colors are in the set that t describes.
func colorCountRef(r, g, b []uint8, t *colorTest) int {
	n := 0
	g, b = g[:len(r)], b[:len(r)]
	for i := range r {
		if t.has(int(r[i]), int(g[i]), int(b[i])) {
			n++
		}
	}
	return n
}

// gaussDownRef: dst[i] = a + 4b + 6c + 4d + e.
func gaussDownRef(dst []uint16, a, b, c, d, e []uint8) {
	for i := range dst {
		dst[i] = uint16(a[i]) + 4*uint16(b[i]) + 6*uint16(c[i]) + 4*uint16(d[i]) + uint16(e[i])
	}
}

// gaussAcrossRef: dst[i] = (s[i] + 4s[i+1] + 6s[i+2] + 4s[i+3] + s[i+4] + 128) / 256.
func gaussAcrossRef(dst []uint8, s []uint16) {
	for i := range dst {
		dst[i] = uint8((uint(s[i]) + 4*uint(s[i+1]) + 6*uint(s[i+2]) + 4*uint(s[i+3]) + uint(s[i+4]) + 128) >> 8)
	}
}
