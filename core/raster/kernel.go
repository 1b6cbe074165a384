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

// DotShifted sets dst[x] to the sum of weights[i]·base[offs[i]+x] over all i. len(dst)
// must be a multiple of 16 and the number of offsets even; no sum may leave int32. It
// panics if an offset leads out of base.
func DotShifted(dst []int32, base []int16, offs []int32, weights []int16) {
	if len(dst)%16 != 0 || len(offs)%2 != 0 || len(offs) != len(weights) {
		panic(fmt.Sprintf("raster: DotShifted on %d places, %d offsets, %d weights", len(dst), len(offs), len(weights)))
	}
	for _, o := range offs {
		if o < 0 || int(o)+len(dst) > len(base) {
			panic(fmt.Sprintf("raster: DotShifted: offset %d + %d leads out of %d", o, len(dst), len(base)))
		}
	}
	if len(dst) == 0 || len(offs) == 0 {
		clear(dst)
		return
	}
	dotShifted(dst, base, offs, weights)
}

// Dot returns the sum of a[i]·b[i]. It panics if b is shorter than a.
func Dot(a, b []uint8) int { return dotRow(a, b[:len(a)]) }

// Slopes computes the Sobel operator row by row. It keeps its memory.
type Slopes struct{ sum, diff []int16 }

// Row sets dst[i] to |gx| + |gy| of the Sobel operator at pixel i+1 of the row mid, at
// most 255. The rows must have len(dst)+2 pixels.
func (s *Slopes) Row(dst, up, mid, down []uint8) {
	n := len(dst) + 2
	if cap(s.sum) < n {
		s.sum, s.diff = make([]int16, n), make([]int16, n)
	}
	s.sum, s.diff = s.sum[:n], s.diff[:n]
	sobelDown(s.sum, s.diff, up, mid, down)
	sobelAcross(dst, s.sum, s.diff)
}

// Smoother smooths pictures with a 5×5 Gaussian (1 4 6 4 1). It keeps its memory.
type Smoother struct{ sums []uint16 }

// Smooth writes the smoothed picture into dst, which must not be g. Beyond its border
// the picture goes on as it ends. Each pixel is rounded once.
func (s *Smoother) Smooth(dst, g *Gray) {
	dst.Resize(g.W, g.H)
	if g.W == 0 || g.H == 0 {
		return
	}
	if cap(s.sums) < g.W+4 {
		s.sums = make([]uint16, g.W+4)
	}
	sums := s.sums[:g.W+4]
	row := func(y int) []uint8 { return g.Row(min(max(y, 0), g.H-1)) }
	for y := range g.H {
		gaussDown(sums[2:2+g.W], row(y-2), row(y-1), row(y), row(y+1), row(y+2))
		sums[0], sums[1] = sums[2], sums[2]
		sums[g.W+2], sums[g.W+3] = sums[g.W+1], sums[g.W+1]
		gaussAcross(dst.Row(y), sums)
	}
}
