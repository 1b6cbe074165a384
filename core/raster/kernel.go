package raster

import "fmt"

// Half writes the picture halved on both axes into dst and returns it: each pixel
// is the rounded mean of a 2×2 block. An odd last column or row is left out.
func (g *Gray) Half(dst *Gray) *Gray {
	dst.Resize(g.W/2, g.H/2)
	for y := range dst.H {
		halfRow(dst.Row(y), g.Row(2 * y)[:2*dst.W], g.Row(2*y + 1)[:2*dst.W])
	}
	return dst
}

// BandBits marks the pixels of a row whose value lies in lo…hi, both included:
// bit i%32 of word i/32 belongs to pixel i. It returns dst, grown to
// ⌈len(row)/32⌉ words; bits behind the row's end are clear. With lo > hi no
// pixel is marked.
func BandBits(dst []uint32, row []uint8, lo, hi uint8) []uint32 {
	n := (len(row) + 31) / 32
	if cap(dst) < n {
		dst = make([]uint32, n, n+8)
	}
	dst = dst[:n]
	if lo > hi {
		clear(dst)
		return dst
	}
	bandBits(dst, row, lo, hi)
	return dst
}

// BandCount returns how many pixels of a row have a value in lo…hi, both included;
// none with lo > hi.
func BandCount(row []uint8, lo, hi uint8) int {
	if lo > hi {
		return 0
	}
	return bandCount(row, lo, hi)
}

// SumShifted sets dst[x] to the sum of base[offs[i]+x] over all i and reports
// whether any of the sums reaches least. len(dst) must be a multiple of 32, and no
// sum may exceed 255. It panics if an offset leads out of base.
func SumShifted(dst, base []uint8, offs []int32, least uint8) bool {
	if len(dst)%32 != 0 {
		panic(fmt.Sprintf("raster: SumShifted on %d bytes, want a multiple of 32", len(dst)))
	}
	for _, o := range offs {
		if o < 0 || int(o)+len(dst) > len(base) {
			panic(fmt.Sprintf("raster: SumShifted: offset %d + %d leads out of %d bytes", o, len(dst), len(base)))
		}
	}
	if len(dst) == 0 || len(offs) == 0 {
		clear(dst)
		return len(dst) > 0 && least == 0
	}
	return sumShifted(dst, base, offs, least)
}
