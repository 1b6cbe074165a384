package symbol

// Code 39 after ISO/IEC 16388.

// code39Chars are the characters by their nine elements, a bit for each, bar first, 1 for
// wide.
var code39Chars = map[int]byte{
	0b000110100: '0', 0b100100001: '1', 0b001100001: '2', 0b101100000: '3', 0b000110001: '4', 0b100110000: '5', 0b001110000: '6', 0b000100101: '7', 0b100100100: '8', 0b001100100: '9',
	0b100001001: 'A', 0b001001001: 'B', 0b101001000: 'C', 0b000011001: 'D', 0b100011000: 'E', 0b001011000: 'F', 0b000001101: 'G', 0b100001100: 'H', 0b001001100: 'I', 0b000011100: 'J',
	0b100000011: 'K', 0b001000011: 'L', 0b101000010: 'M', 0b000010011: 'N', 0b100010010: 'O', 0b001010010: 'P', 0b000000111: 'Q', 0b100000110: 'R', 0b001000110: 'S', 0b000010110: 'T',
	0b110000001: 'U', 0b011000001: 'V', 0b111000000: 'W', 0b010010001: 'X', 0b110010000: 'Y', 0b011010000: 'Z',
	0b010000101: '-', 0b110000100: '.', 0b011000100: ' ', 0b010010100: '*', 0b010101000: '$', 0b010100010: '/', 0b010001010: '+', 0b000101010: '%',
}

const mostCode39 = 60

// code39 tries a code whose first bar is w[i]: characters of nine elements, three of them
// wide, with a gap between, from star to star.
func (r *lineReader) code39(w []int32, i int, pos int32) {
	if i+29 >= len(w) {
		return
	}
	c, size, clear := code39Char(w[i : i+9])
	if c != '*' || clear < 0.2 || float64(w[i-1]) < 0.3*size {
		return
	}
	r.digits = r.digits[:0]
	at := i
	for {
		gap := float64(w[at+9])
		at += 10
		if at+9 >= len(w) || gap > 0.45*size || len(r.digits) > mostCode39 {
			return
		}
		c, now, clear := code39Char(w[at : at+9])
		if c == 0 || clear < 0.2 || now < 0.75*size || now > 1.33*size {
			return
		}
		size = now
		if c == '*' {
			break
		}
		r.digits = append(r.digits, c)
	}
	// Without a check digit, one character could be chance.
	if len(r.digits) < 2 || float64(w[at+9]) < 0.3*size {
		return
	}
	r.hits = append(r.hits, hit{symbology: Code39, text: string(r.digits), from: pos, to: pos + widthOf(w[i:at+9])})
}

// code39Char reads one character, 0 for none. Bars and spaces are told apart by themselves,
// since ink makes the ones wider and the others narrower: two bars and one space are wide,
// or three spaces. clear is the least distance of an element from the threshold, as a part
// of a wide one.
func code39Char(w []int32) (c byte, size, clear float64) {
	var bars [5]int32
	var spaces [4]int32
	for k := range 5 {
		bars[k] = w[2*k]
	}
	for k := range 4 {
		spaces[k] = w[2*k+1]
	}
	size = float64(widthOf(w))
	barBits, barClear := twoWide(bars)
	one, oneClear := wideOf(spaces, 1)
	three, threeClear := wideOf(spaces, 3)
	// With three wide spaces all bars are narrow, and none is half as wide again as another.
	if barClear < 0.25 && threeClear > oneClear {
		c = code39Chars[merge(0, three)]
		return c, size, threeClear
	}
	c = code39Chars[merge(barBits, one)]
	return c, size, min(barClear, oneClear)
}

// wideOf tells which n of four elements are the widest.
func wideOf(e [4]int32, n int) (bits int, clear float64) {
	sorted := e
	for i := range sorted { // four of them: insertion
		for j := i; j > 0 && sorted[j] > sorted[j-1]; j-- {
			sorted[j], sorted[j-1] = sorted[j-1], sorted[j]
		}
	}
	if sorted[n-1] <= 0 {
		return 0, 0
	}
	for _, v := range e {
		bits <<= 1
		if v >= sorted[n-1] {
			bits |= 1
		}
	}
	return bits, float64(sorted[n-1]-sorted[n]) / float64(sorted[n-1])
}

// merge interleaves five bars and four spaces.
func merge(bars, spaces int) (out int) {
	for k := 4; k >= 0; k-- {
		out = out<<1 | bars>>k&1
		if k > 0 {
			out = out<<1 | spaces>>(k-1)&1
		}
	}
	return out
}
