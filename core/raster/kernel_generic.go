//go:build !amd64 || purego

package raster

func lumaRow(dst, r, g, b []uint8)                     { lumaRowRef(dst, r, g, b) }
func halfRow(dst, a, b []uint8)                        { halfRowRef(dst, a, b) }
func bandBits(dst []uint32, row []uint8, lo, hi uint8) { bandBitsRef(dst, row, lo, hi) }
func bandCount(row []uint8, lo, hi uint8) int          { return bandCountRef(row, lo, hi) }
func sumShifted(dst, base []uint8, offs []int32, least uint8) bool {
	return sumShiftedRef(dst, base, offs, least)
}

// SIMD names the instruction set that the kernels use here.
func SIMD() string { return "none" }

func slideSums(sums []uint32, in, out []uint8)   { slideSumsRef(sums, in, out, 0) }
func dotRow(a, b []uint8) int                    { return dotRowRef(a, b) }
func sobelAcross(dst []uint8, sum, diff []int16) { sobelAcrossRef(dst, sum, diff) }
func sobelDown(sum, diff []int16, up, mid, down []uint8) {
	sobelDownRef(sum, diff, up, mid, down)
}
func gaussDown(dst []uint16, a, b, c, d, e []uint8) { gaussDownRef(dst, a, b, c, d, e) }
func gaussAcross(dst []uint8, src []uint16)         { gaussAcrossRef(dst, src) }
func dotShifted(dst []int32, base []int16, offs []int32, weights []int16) {
	dotShiftedRef(dst, base, offs, weights)
}

func colorCount(r, g, b []uint8, t *colorTest) int { return colorCountRef(r, g, b, t) }
