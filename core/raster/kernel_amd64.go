//go:build amd64 && !purego

package raster

import (
	"os"

	"golang.org/x/sys/cpu"
)

// useAVX2 is decided once, before any kernel runs. RICETTA_SIMD=off turns the
// vector kernels off, to find out whether a processor is at fault.
var useAVX2 = cpu.X86.HasAVX2 && os.Getenv("RICETTA_SIMD") != "off"

// SIMD names the instruction set that the kernels use here.
func SIMD() string {
	if useAVX2 {
		return "AVX2"
	}
	return "none"
}

// for i := range n { dst[i] = (38*r[i] + 75*g[i] + 15*b[i] + 64) >> 7 }, n a multiple of 32.
//
//go:noescape
func lumaRowAVX2(dst, red, green, blue *uint8, n int)

// for i := range n { dst[i] = (a[2i]+a[2i+1]+b[2i]+b[2i+1]+2) >> 2 }, n a multiple of 32.
//
//go:noescape
func halfRowAVX2(dst, a, b *uint8, n int)

// for w := range n { bit i of dst[w] = lo <= row[32w+i] && row[32w+i]-lo <= span }.
//
//go:noescape
func bandBitsAVX2(dst *uint32, row *uint8, n int, lo, span uint8)

// count of row[i], i < n, with lo <= row[i] && row[i]-lo <= span; n a multiple of 32,
// at most 8160: the counters are bytes.
//
//go:noescape
func bandCountAVX2(row *uint8, n int, lo, span uint8) int

// for x := range n { dst[x] = Σ base[offs[i]+x] }, n a multiple of 32; the result
// is the greatest of all sums.
//
//go:noescape
func sumShiftedAVX2(dst, base *uint8, offs *int32, count, n int) uint8

func lumaRow(dst, r, g, b []uint8) {
	n := 0
	if useAVX2 && len(dst) >= 32 {
		n = len(dst) &^ 31
		_, _, _ = r[n-1], g[n-1], b[n-1]
		lumaRowAVX2(&dst[0], &r[0], &g[0], &b[0], n)
	}
	lumaRowRef(dst[n:], r[n:], g[n:], b[n:])
}

func halfRow(dst, a, b []uint8) {
	n := 0
	if useAVX2 && len(dst) >= 32 {
		n = len(dst) &^ 31
		_, _ = a[2*n-1], b[2*n-1]
		halfRowAVX2(&dst[0], &a[0], &b[0], n)
	}
	halfRowRef(dst[n:], a[2*n:], b[2*n:])
}

func bandBits(dst []uint32, row []uint8, lo, hi uint8) {
	n := 0
	if useAVX2 && len(row) >= 32 {
		n = len(row) / 32
		_ = dst[n-1]
		bandBitsAVX2(&dst[0], &row[0], n, lo, hi-lo)
	}
	bandBitsRef(dst[n:], row[32*n:], lo, hi)
}

func bandCount(row []uint8, lo, hi uint8) int {
	const most = 255 * 32
	total := 0
	if useAVX2 {
		for len(row) >= 32 {
			n := min(len(row)&^31, most)
			total += bandCountAVX2(&row[0], n, lo, hi-lo)
			row = row[n:]
		}
	}
	return total + bandCountRef(row, lo, hi)
}

// sumShifted relies on SumShifted having checked every offset.
func sumShifted(dst, base []uint8, offs []int32, least uint8) bool {
	if useAVX2 {
		return sumShiftedAVX2(&dst[0], &base[0], &offs[0], len(offs), len(dst)) >= least
	}
	return sumShiftedRef(dst, base, offs, least)
}

// for x := range n { dst[x] = Σ weights[i]·base[offs[i]+x] }, i < 2·pairs, n a multiple of 16.
//
//go:noescape
func dotShiftedAVX2(dst *int32, base *int16, offs *int32, weights *int16, pairs, n int)

// Σ a[i]·b[i], i < n, n a multiple of 16 and at most 16384.
//
//go:noescape
func dotRowAVX2(a, b *uint8, n int) int

// for i := range n { sum[i] = up[i]+2mid[i]+down[i]; diff[i] = down[i]-up[i] }, n a multiple of 16.
//
//go:noescape
func sobelDownAVX2(sum, diff *int16, up, mid, down *uint8, n int)

// for i := range n { dst[i] = min(|s[i+2]-s[i]| + |d[i]+2d[i+1]+d[i+2]|, 255) }, n a multiple of 16.
//
//go:noescape
func sobelAcrossAVX2(dst *uint8, sum, diff *int16, n int)

// count of colors i < n that are in the set, see colorTest; n a multiple of 16.
//
//go:noescape
func colorCountAVX2(red, green, blue *uint8, n int, t *colorTest) int

// for i := range n { dst[i] = a[i]+4b[i]+6c[i]+4d[i]+e[i] }, n a multiple of 16.
//
//go:noescape
func gaussDownAVX2(dst *uint16, a, b, c, d, e *uint8, n int)

// for i := range n { dst[i] = (s[i]+4s[i+1]+6s[i+2]+4s[i+3]+s[i+4]+128)>>8 }, n a multiple of 16.
//
//go:noescape
func gaussAcrossAVX2(dst *uint8, src *uint16, n int)

// for i := range n { sums[i] += Σ in[0…i] - Σ out[0…i] }, n a multiple of 32; the result
// is Σ in - Σ out.
//
//go:noescape
func slideSumsAVX2(sums *uint32, in, out *uint8, n int) uint32

func slideSums(sums []uint32, in, out []uint8) {
	n, sum := 0, uint32(0)
	if useAVX2 && len(sums) >= 32 {
		n = len(sums) &^ 31
		_, _ = in[n-1], out[n-1]
		sum = slideSumsAVX2(&sums[0], &in[0], &out[0], n)
	}
	slideSumsRef(sums[n:], in[n:], out[n:], sum)
}

func dotRow(a, b []uint8) int {
	const most = 16384
	sum := 0
	if useAVX2 {
		for len(a) >= 16 {
			n := min(len(a)&^15, most)
			_ = b[n-1]
			sum += dotRowAVX2(&a[0], &b[0], n)
			a, b = a[n:], b[n:]
		}
	}
	return sum + dotRowRef(a, b)
}

func sobelDown(sum, diff []int16, up, mid, down []uint8) {
	n := 0
	if useAVX2 && len(sum) >= 16 {
		n = len(sum) &^ 15
		_, _, _, _ = diff[n-1], up[n-1], mid[n-1], down[n-1]
		sobelDownAVX2(&sum[0], &diff[0], &up[0], &mid[0], &down[0], n)
	}
	sobelDownRef(sum[n:], diff[n:], up[n:], mid[n:], down[n:])
}

func sobelAcross(dst []uint8, sum, diff []int16) {
	n := 0
	if useAVX2 && len(dst) >= 16 {
		n = len(dst) &^ 15
		_, _ = sum[n+1], diff[n+1]
		sobelAcrossAVX2(&dst[0], &sum[0], &diff[0], n)
	}
	sobelAcrossRef(dst[n:], sum[n:], diff[n:])
}

func colorCount(r, g, b []uint8, t *colorTest) int {
	n, count := 0, 0
	if useAVX2 && len(r) >= 16 {
		n = len(r) &^ 15
		_, _ = g[n-1], b[n-1]
		count = colorCountAVX2(&r[0], &g[0], &b[0], n, t)
	}
	return count + colorCountRef(r[n:], g[n:], b[n:], t)
}

func gaussDown(dst []uint16, a, b, c, d, e []uint8) {
	n := 0
	if useAVX2 && len(dst) >= 16 {
		n = len(dst) &^ 15
		_, _, _, _, _ = a[n-1], b[n-1], c[n-1], d[n-1], e[n-1]
		gaussDownAVX2(&dst[0], &a[0], &b[0], &c[0], &d[0], &e[0], n)
	}
	gaussDownRef(dst[n:], a[n:], b[n:], c[n:], d[n:], e[n:])
}

func gaussAcross(dst []uint8, src []uint16) {
	n := 0
	if useAVX2 && len(dst) >= 16 {
		n = len(dst) &^ 15
		_ = src[n+3]
		gaussAcrossAVX2(&dst[0], &src[0], n)
	}
	gaussAcrossRef(dst[n:], src[n:])
}

// dotShifted relies on DotShifted having checked every offset.
func dotShifted(dst []int32, base []int16, offs []int32, weights []int16) {
	if useAVX2 {
		dotShiftedAVX2(&dst[0], &base[0], &offs[0], &weights[0], len(offs)/2, len(dst))
		return
	}
	dotShiftedRef(dst, base, offs, weights)
}
