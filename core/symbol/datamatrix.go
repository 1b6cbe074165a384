package symbol

import "slices"

// Data Matrix ECC 200 after ISO/IEC 16022.

// matrixSize is a size of symbol (ISO/IEC 16022, table 7).
type matrixSize struct {
	rows, cols             int // of the symbol with its borders
	regionRows, regionCols int // of a data region
	data, checks, blocks   int // codewords
}

var matrixSizes = []matrixSize{
	{10, 10, 8, 8, 3, 5, 1},
	{12, 12, 10, 10, 5, 7, 1},
	{14, 14, 12, 12, 8, 10, 1},
	{16, 16, 14, 14, 12, 12, 1},
	{18, 18, 16, 16, 18, 14, 1},
	{20, 20, 18, 18, 22, 18, 1},
	{22, 22, 20, 20, 30, 20, 1},
	{24, 24, 22, 22, 36, 24, 1},
	{26, 26, 24, 24, 44, 28, 1},
	{32, 32, 14, 14, 62, 36, 1},
	{36, 36, 16, 16, 86, 42, 1},
	{40, 40, 18, 18, 114, 48, 1},
	{44, 44, 20, 20, 144, 56, 1},
	{48, 48, 22, 22, 174, 68, 1},
	{52, 52, 24, 24, 204, 84, 2},
	{64, 64, 14, 14, 280, 112, 2},
	{72, 72, 16, 16, 368, 144, 4},
	{80, 80, 18, 18, 456, 192, 4},
	{88, 88, 20, 20, 576, 224, 4},
	{96, 96, 22, 22, 696, 272, 4},
	{104, 104, 24, 24, 816, 336, 6},
	{120, 120, 18, 18, 1050, 408, 6},
	{132, 132, 20, 20, 1304, 496, 8},
	{144, 144, 22, 22, 1558, 620, 10},
	{8, 18, 6, 16, 5, 7, 1},
	{8, 32, 6, 14, 10, 11, 1},
	{12, 26, 10, 24, 16, 14, 1},
	{12, 36, 10, 16, 22, 18, 1},
	{16, 36, 14, 16, 32, 24, 1},
	{16, 48, 14, 22, 49, 28, 1},
}

// matrixSizeOf returns the size of that many rows and columns.
func matrixSizeOf(rows, cols int) (matrixSize, bool) {
	i := slices.IndexFunc(matrixSizes, func(s matrixSize) bool { return s.rows == rows && s.cols == cols })
	if i < 0 {
		return matrixSize{}, false
	}
	return matrixSizes[i], true
}

// decodeMatrix reads the modules of a symbol whose solid borders are at the left and below.
func decodeMatrix(g *grid) (m message, ok bool) {
	s, ok := matrixSizeOf(g.h, g.w)
	if !ok {
		return m, false
	}
	// The data regions without their borders, side by side.
	down, across := s.rows/(s.regionRows+2), s.cols/(s.regionCols+2)
	inner := newGrid(across*s.regionCols, down*s.regionRows)
	for y := range inner.h {
		for x := range inner.w {
			inner.set(x, y, g.at(x/s.regionCols*(s.regionCols+2)+1+x%s.regionCols, y/s.regionRows*(s.regionRows+2)+1+y%s.regionRows))
		}
	}
	words := placedMatrix(inner, s.data+s.checks)
	each := s.checks / s.blocks
	var data []byte
	blocks := make([]bundle, s.blocks)
	put := func(b, word int) {
		blocks[b].words, blocks[b].right = append(blocks[b].words, word), append(blocks[b].right, words[word])
	}
	// Codewords go round the blocks; in the largest symbol the last two are a data codeword
	// shorter.
	for i := range s.data {
		put(i%s.blocks, i)
	}
	for i := range s.checks {
		b := i % s.blocks
		if s.rows == 144 {
			b = (i + 8) % s.blocks
		}
		put(b, s.data+i)
	}
	for i := range blocks {
		b := &blocks[i]
		b.checks = each
		n, ok := matrixField.correct(b.right, each, nil)
		if !ok {
			return m, false
		}
		b.wrong = n
		m.corrected += n
	}
	m.blocks = blocks
	for i := range s.data {
		data = append(data, blocks[i%s.blocks].right[i/s.blocks])
	}
	m.text, m.gs1, ok = matrixText(data)
	return m, ok
}

// placedMatrix reads the codewords from where they are placed (ISO/IEC 16022, annex F).
func placedMatrix(g *grid, n int) []byte {
	rows, cols := g.h, g.w
	taken := make([]bool, rows*cols)
	out := make([]byte, 0, n)
	module := func(r, c int) byte {
		if r < 0 {
			r, c = r+rows, c+4-(rows+4)%8
		}
		if c < 0 {
			r, c = r+4-(cols+4)%8, c+cols
		}
		if r >= rows { // in rectangular symbols
			r -= rows
		}
		taken[r*cols+c] = true
		if g.at(c, r) {
			return 1
		}
		return 0
	}
	word := func(places ...int) {
		v := byte(0)
		for i := 0; i < len(places); i += 2 {
			v = v<<1 | module(places[i], places[i+1])
		}
		if len(out) < n {
			out = append(out, v)
		}
	}
	utah := func(r, c int) {
		word(r-2, c-2, r-2, c-1, r-1, c-2, r-1, c-1, r-1, c, r, c-2, r, c-1, r, c)
	}
	r, c := 4, 0
	for {
		switch {
		case r == rows && c == 0:
			word(rows-1, 0, rows-1, 1, rows-1, 2, 0, cols-2, 0, cols-1, 1, cols-1, 2, cols-1, 3, cols-1)
		case r == rows-2 && c == 0 && cols%4 != 0:
			word(rows-3, 0, rows-2, 0, rows-1, 0, 0, cols-4, 0, cols-3, 0, cols-2, 0, cols-1, 1, cols-1)
		case r == rows-2 && c == 0 && cols%8 == 4:
			word(rows-3, 0, rows-2, 0, rows-1, 0, 0, cols-2, 0, cols-1, 1, cols-1, 2, cols-1, 3, cols-1)
		case r == rows+4 && c == 2 && cols%8 == 0:
			word(rows-1, 0, rows-1, cols-1, 0, cols-3, 0, cols-2, 0, cols-1, 1, cols-3, 1, cols-2, 1, cols-1)
		}
		for {
			if r < rows && c >= 0 && !taken[r*cols+c] {
				utah(r, c)
			}
			r, c = r-2, c+2
			if r < 0 || c >= cols {
				break
			}
		}
		r, c = r+1, c+3
		for {
			if r >= 0 && c < cols && !taken[r*cols+c] {
				utah(r, c)
			}
			r, c = r+2, c-2
			if r >= rows || c < 0 {
				break
			}
		}
		r, c = r+3, c+1
		if r >= rows && c >= cols {
			break
		}
	}
	for len(out) < n {
		out = append(out, 0)
	}
	return out
}

// matrixText says what the data codewords mean (ISO/IEC 16022, 5.2).
func matrixText(data []byte) (text string, gs1, ok bool) {
	var out []byte
	upper := byte(0) // added to the next character
	put := func(c byte) {
		out = append(out, []byte(string(rune(c)+rune(upper)))...)
		upper = 0
	}
	tail := ""
	i := 0
	for i < len(data) {
		c := data[i]
		i++
		switch {
		case c >= 1 && c <= 128:
			put(c - 1)
		case c == 129: // padding
			return string(out) + tail, gs1, true
		case c >= 130 && c <= 229:
			out = append(out, '0'+(c-130)/10, '0'+(c-130)%10)
		case c == 230, c == 239, c == 238:
			n, good := matrixTriples(data[i:], c, put, &upper, func() { out = append(out, GS) })
			if !good {
				return "", false, false
			}
			i += n
		case c == 231:
			n, good := matrixBytes(data, i, &out)
			if !good {
				return "", false, false
			}
			i = n
		case c == 232:
			if len(out) == 0 {
				gs1 = true
			} else {
				out = append(out, GS)
			}
		case c == 233: // structured append: three codewords of order and file
			i += 3
		case c == 234: // reader programming: nothing to read
			return "", false, false
		case c == 235:
			upper = 128
		case c == 236, c == 237:
			out = append(out, "[)>\x1e0"+string(rune('5'+c-236))+"\x1d"...)
			tail = "\x1e\x04"
		case c == 240:
			i += matrixEdifact(data[i:], &out)
		case c == 241: // another character set: one to three codewords name it
			switch {
			case i < len(data) && data[i] <= 127:
				i++
			case i < len(data) && data[i] <= 191:
				i += 2
			default:
				i += 3
			}
		default:
			return "", false, false
		}
	}
	return string(out) + tail, gs1, true
}

// The shifted characters of C40 and Text (ISO/IEC 16022, tables C.1 and C.2).
const (
	matrixShift2 = "!\"#$%&'()*+,-./:;<=>?@[\\]^_"
	c40Basic     = " 0123456789ABCDEFGHIJKLMNOPQRSTUVWXYZ"
	textBasic    = " 0123456789abcdefghijklmnopqrstuvwxyz"
	c40Shift3    = "`abcdefghijklmnopqrstuvwxyz{|}~\x7f"
	textShift3   = "`ABCDEFGHIJKLMNOPQRSTUVWXYZ{|}~\x7f"
	x12Basic     = "\r*> 0123456789ABCDEFGHIJKLMNOPQRSTUVWXYZ"
)

// matrixTriples reads C40 (230), Text (239) and X12 (238), three characters in two codewords,
// and returns how many codewords it took.
func matrixTriples(data []byte, mode byte, put func(byte), upper *byte, fnc1 func()) (n int, ok bool) {
	basic, third := c40Basic, c40Shift3
	if mode == 239 {
		basic, third = textBasic, textShift3
	}
	shift := 0
	for n+1 < len(data) {
		if data[n] == 254 {
			return n + 1, true
		}
		v := int(data[n])<<8 + int(data[n+1]) - 1
		n += 2
		for _, c := range [3]int{v / 1600, v / 40 % 40, v % 40} {
			if mode == 238 {
				if c >= len(x12Basic) {
					return n, false
				}
				put(x12Basic[c])
				continue
			}
			switch {
			case shift == 0 && c < 3:
				shift = c + 1
				continue
			case shift == 0 && c-3 < len(basic):
				put(basic[c-3])
			case shift == 1 && c < 32:
				put(byte(c))
			case shift == 2 && c < len(matrixShift2):
				put(matrixShift2[c])
			case shift == 2 && c == 27:
				fnc1()
			case shift == 2 && c == 30:
				*upper = 128
			case shift == 3 && c < len(third):
				put(third[c])
			default:
				return n, false
			}
			shift = 0
		}
	}
	if n < len(data) && data[n] == 254 {
		n++
	}
	return n, true
}

// matrixBytes reads base 256 from place i on and returns where it ends.
func matrixBytes(data []byte, i int, out *[]byte) (end int, ok bool) {
	// Each codeword is hidden by a number that depends on its place (annex B.2).
	plain := func(k int) int { return ((int(data[k])-(149*(k+1)%255+1))%256 + 256) % 256 }
	if i >= len(data) {
		return i, false
	}
	n := plain(i)
	i++
	switch {
	case n == 0:
		n = len(data) - i
	case n >= 250:
		if i >= len(data) {
			return i, false
		}
		n = (n-249)*250 + plain(i)
		i++
	}
	if i+n > len(data) {
		return i, false
	}
	var raw []byte
	for k := i; k < i+n; k++ {
		raw = append(raw, byte(plain(k)))
	}
	*out = append(*out, asText(raw)...)
	return i + n, true
}

// matrixEdifact reads four characters in three codewords and returns how many it took.
func matrixEdifact(data []byte, out *[]byte) (n int) {
	for n < len(data) {
		left := len(data) - n
		if left <= 2 { // what is left is ASCII
			return n
		}
		v := int(data[n])<<16 | int(data[n+1])<<8 | int(data[n+2])
		for k := range 4 {
			c := byte(v>>(18-6*k)) & 63
			if c == 31 { // unlatch: the rest of this codeword is not used
				return n + min(k+1, 3)
			}
			*out = append(*out, c^((c&32)^32)<<1)
		}
		n += 3
	}
	return n
}
