package symbol

import "slices"

// ITF-14: interleaved 2 of 5 after ISO/IEC 16390 with fourteen digits, as the GS1 General
// Specifications (5.3) use it on cases.

// itfDigits are the digits, a bit for each element, 1 for wide, the first the highest.
var itfDigits = map[int]byte{0b00110: 0, 0b10001: 1, 0b01001: 2, 0b11000: 3, 0b00101: 4, 0b10100: 5, 0b01100: 6, 0b00011: 7, 0b10010: 8, 0b01010: 9}

// itf14 tries a code whose first bar is w[i]: four narrow elements, seven pairs of digits of
// which one is in the bars and one in the spaces, a wide bar and two narrow elements.
func (r *lineReader) itf14(w []int32, i int, pos int32) {
	const n = 4 + 70 + 3
	if i+n >= len(w) {
		return
	}
	start := w[i : i+4]
	narrow := float64(widthOf(start)) / 4
	for _, v := range start {
		if m := float64(v) / narrow; m > 1.7 || m < 0.4 {
			return
		}
	}
	stop := w[i+74 : i+77]
	if !quiet(w, i, i+n, float64(4*narrow)) || stop[0] <= stop[2]*3/2 || float64(stop[0]) < 1.6*narrow || float64(stop[1]) > 1.8*narrow || float64(stop[2]) > 1.8*narrow {
		return
	}
	r.digits = r.digits[:0]
	for pair := range 7 {
		e := w[i+4+10*pair : i+14+10*pair]
		for side := range 2 { // bars, then spaces
			bits, clear := twoWide([5]int32{e[side], e[side+2], e[side+4], e[side+6], e[side+8]})
			d, known := itfDigits[bits]
			if !known || clear < 0.2 {
				return
			}
			r.digits = append(r.digits, '0'+d)
		}
	}
	if !checked(r.digits) {
		return
	}
	r.hits = append(r.hits, hit{symbology: ITF14, text: string(r.digits), from: pos, to: pos + widthOf(w[i:i+n])})
}

// twoWide tells which two of five elements are wide. clear is how much the narrower of them
// is wider than the widest of the others, as a part of it.
func twoWide(e [5]int32) (bits int, clear float64) {
	sorted := e
	slices.Sort(sorted[:])
	if sorted[2] == sorted[3] || sorted[3] <= 0 {
		return 0, 0
	}
	for _, v := range e {
		bits <<= 1
		if v >= sorted[3] {
			bits |= 1
		}
	}
	return bits, float64(sorted[3]-sorted[2]) / float64(sorted[3])
}
