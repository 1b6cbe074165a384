package symbol

import (
	"math/bits"
	"unicode/utf8"
)

// QR codes after ISO/IEC 18004.

// Check codewords of a block and number of blocks by level (L, M, Q, H) and version (table 9).
var (
	qrChecks = [4][40]int{
		{7, 10, 15, 20, 26, 18, 20, 24, 30, 18, 20, 24, 26, 30, 22, 24, 28, 30, 28, 28, 28, 28, 30, 30, 26, 28, 30, 30, 30, 30, 30, 30, 30, 30, 30, 30, 30, 30, 30, 30},
		{10, 16, 26, 18, 24, 16, 18, 22, 22, 26, 30, 22, 22, 24, 24, 28, 28, 26, 26, 26, 26, 28, 28, 28, 28, 28, 28, 28, 28, 28, 28, 28, 28, 28, 28, 28, 28, 28, 28, 28},
		{13, 22, 18, 26, 18, 24, 18, 22, 20, 24, 28, 26, 24, 20, 30, 24, 28, 28, 26, 30, 28, 30, 30, 30, 30, 28, 30, 30, 30, 30, 30, 30, 30, 30, 30, 30, 30, 30, 30, 30},
		{17, 28, 22, 16, 22, 28, 26, 26, 24, 28, 24, 28, 22, 24, 24, 30, 28, 28, 26, 28, 30, 24, 30, 30, 30, 30, 30, 30, 30, 30, 30, 30, 30, 30, 30, 30, 30, 30, 30, 30},
	}
	qrBlocks = [4][40]int{
		{1, 1, 1, 1, 1, 2, 2, 2, 2, 4, 4, 4, 4, 4, 6, 6, 6, 6, 7, 8, 8, 9, 9, 10, 12, 12, 12, 13, 14, 15, 16, 17, 18, 19, 19, 20, 21, 22, 24, 25},
		{1, 1, 1, 2, 2, 4, 4, 4, 5, 5, 5, 8, 9, 9, 10, 10, 11, 13, 14, 16, 17, 17, 18, 20, 21, 23, 25, 26, 28, 29, 31, 33, 35, 37, 38, 40, 43, 45, 47, 49},
		{1, 1, 2, 2, 4, 4, 6, 6, 8, 8, 8, 10, 12, 16, 12, 17, 16, 18, 21, 20, 23, 23, 25, 27, 29, 34, 34, 35, 38, 40, 43, 45, 48, 51, 53, 56, 59, 62, 65, 68},
		{1, 1, 2, 4, 4, 4, 5, 6, 8, 8, 11, 11, 16, 16, 18, 16, 19, 21, 25, 25, 25, 34, 30, 32, 35, 37, 40, 42, 45, 48, 51, 54, 57, 60, 63, 66, 70, 74, 77, 81},
	}
)

// qrModules is how many modules of a version hold codewords.
func qrModules(version int) int {
	n := (16*version+128)*version + 64
	if version >= 2 {
		k := version/7 + 2
		n -= (25*k-10)*k - 55
		if version >= 7 {
			n -= 36
		}
	}
	return n
}

// qrAligned lists where the alignment patterns of a version have their middles, in both
// directions (annex E).
func qrAligned(version int) []int {
	if version < 2 {
		return nil
	}
	k := version/7 + 2
	step := (version*4 + k*2 + 1) / (k*2 - 2) * 2
	if version == 32 {
		step = 26
	}
	out := make([]int, k)
	for i := range out {
		out[k-1-i] = 4*version + 10 - i*step
	}
	out[0] = 6
	return out
}

// bch appends the check bits of a code of the given generator to a value.
func bch(value, generator, checks int) int {
	rest := value << checks
	for i := bits.Len(uint(rest)) - 1; i >= checks; i-- {
		if rest>>i&1 == 1 {
			rest ^= generator << (i - checks)
		}
	}
	return value<<checks | rest
}

// nearest returns which of n values, written by a code, differs least from what was read,
// if by most bits at most.
func nearest(read, n, most int, write func(v int) int) (v int, ok bool) {
	best := most + 1
	for k := range n {
		if d := bits.OnesCount(uint(write(k) ^ read)); d < best {
			best, v = d, k
		}
	}
	return v, best <= most
}

// qrFormat reads level (0 to 3 for L, M, Q, H) and mask from either of the two places
// (7.9).
func qrFormat(g *grid) (level, mask int, ok bool) {
	n := g.w
	bit := func(x, y int) int {
		if g.at(x, y) {
			return 1
		}
		return 0
	}
	first, second := 0, 0
	for i := range 15 { // from the highest bit
		var x, y int
		switch {
		case i < 6:
			x, y = i, 8
		case i == 6:
			x, y = 7, 8
		case i == 7:
			x, y = 8, 8
		case i == 8:
			x, y = 8, 7
		default:
			x, y = 8, 14-i
		}
		first = first<<1 | bit(x, y)
		if i < 7 {
			x, y = 8, n-1-i
		} else {
			x, y = n-15+i, 8
		}
		second = second<<1 | bit(x, y)
	}
	write := func(v int) int { return bch(v, 0b10100110111, 10) ^ 0b101010000010010 }
	v, ok := nearest(first, 32, 3, write)
	if !ok {
		if v, ok = nearest(second, 32, 3, write); !ok {
			return 0, 0, false
		}
	}
	return [4]int{1, 0, 3, 2}[v>>3], v & 7, true
}

// qrVersionBits reads the version of a large code from one of its two places (7.10).
func qrVersionBits(g *grid) (version int, ok bool) {
	n := g.w
	for turn := range 2 {
		read := 0
		for i := 17; i >= 0; i-- {
			x, y := n-11+i%3, i/3
			if turn == 1 {
				x, y = y, x
			}
			read <<= 1
			if g.at(x, y) {
				read |= 1
			}
		}
		v, ok := nearest(read, 34, 3, func(v int) int { return bch(v+7, 0b1111100100101, 12) })
		if ok {
			return v + 7, true
		}
	}
	return 0, false
}

// qrReserved marks the modules that hold no codewords.
func qrReserved(version int) *grid {
	n := 17 + 4*version
	out := newGrid(n, n)
	fill := func(x0, y0, w, h int) {
		for y := y0; y < y0+h; y++ {
			for x := x0; x < x0+w; x++ {
				out.set(x, y, true)
			}
		}
	}
	fill(0, 0, 9, 9)
	fill(n-8, 0, 8, 9)
	fill(0, n-8, 9, 8)
	fill(6, 0, 1, n)
	fill(0, 6, n, 1)
	at := qrAligned(version)
	for i, x := range at {
		for j, y := range at {
			last := len(at) - 1
			if i == 0 && j == 0 || i == 0 && j == last || i == last && j == 0 {
				continue
			}
			fill(x-2, y-2, 5, 5)
		}
	}
	if version >= 7 {
		fill(n-11, 0, 3, 6)
		fill(0, n-11, 6, 3)
	}
	return out
}

func qrMask(mask, x, y int) bool {
	switch mask {
	case 0:
		return (x+y)%2 == 0
	case 1:
		return y%2 == 0
	case 2:
		return x%3 == 0
	case 3:
		return (x+y)%3 == 0
	case 4:
		return (y/2+x/3)%2 == 0
	case 5:
		return x*y%2+x*y%3 == 0
	case 6:
		return (x*y%2+x*y%3)%2 == 0
	}
	return ((x+y)%2+x*y%3)%2 == 0
}

// decodeQR reads the modules of a symbol as they are, and mirrored.
func decodeQR(g *grid) (m message, ok bool) {
	if m, ok = decodeQRAs(g); ok {
		return m, true
	}
	m, ok = decodeQRAs(g.transposed())
	m.mirrored = true
	return m, ok
}

// qrPlaces are the modules of the codewords in the order of their bits, eight a codeword:
// they run up and down in columns two modules wide, from the lower right.
func qrPlaces(version int) [][2]int {
	size := 17 + 4*version
	reserved := qrReserved(version)
	var out [][2]int
	for right := size - 1; right > 0; right -= 2 {
		if right == 6 {
			right--
		}
		up := (right+1)&2 == 0
		for i := range size {
			y := i
			if up {
				y = size - 1 - i
			}
			for _, x := range [2]int{right, right - 1} {
				if !reserved.at(x, y) {
					out = append(out, [2]int{x, y})
				}
			}
		}
	}
	return out[:len(out)&^7]
}

func decodeQRAs(g *grid) (m message, ok bool) {
	version := (g.w - 17) / 4
	if g.w != g.h || (g.w-17)%4 != 0 || version < 1 || version > 40 {
		return m, false
	}
	level, mask, ok := qrFormat(g)
	if !ok {
		return m, false
	}
	total := qrModules(version) / 8
	words := make([]byte, 0, total)
	v := byte(0)
	for i, at := range qrPlaces(version) {
		v <<= 1
		if g.at(at[0], at[1]) != qrMask(mask, at[0], at[1]) {
			v |= 1
		}
		if i%8 == 7 {
			words = append(words, v)
		}
	}
	if len(words) != total {
		return m, false
	}
	checks, count := qrChecks[level][version-1], qrBlocks[level][version-1]
	short := total/count - checks
	long := total % count // so many blocks, the last ones, have a codeword more
	blocks := make([]bundle, count)
	at := 0
	put := func(b int) {
		blocks[b].words, blocks[b].right = append(blocks[b].words, at), append(blocks[b].right, words[at])
		at++
	}
	for i := range short + 1 {
		for b := range blocks {
			if i < short || b >= count-long {
				put(b)
			}
		}
	}
	for range checks {
		for b := range blocks {
			put(b)
		}
	}
	var data []byte
	for i := range blocks {
		b := &blocks[i]
		b.checks, b.guard = checks, qrGuard(version, level)
		n, ok := qrField.correct(b.right, checks, nil)
		if !ok {
			return m, false
		}
		b.wrong = n
		m.corrected += n
		data = append(data, b.right[:len(b.right)-checks]...)
	}
	m.blocks = blocks
	m.text, m.gs1, ok = qrText(data, version)
	return m, ok
}

// qrGuard is how many check codewords of the smallest symbols only find errors (table 9).
func qrGuard(version, level int) int {
	switch {
	case version == 1 && level == 0:
		return 3
	case version == 1 && level == 1, version == 2 && level == 0:
		return 2
	case version == 1, version == 3 && level == 0:
		return 1
	}
	return 0
}

const qrAlphanumeric = "0123456789ABCDEFGHIJKLMNOPQRSTUVWXYZ $%*+-./:"

// qrText says what the data bits mean (7.4). Kanji, for which a table of characters would
// be needed, are read as U+FFFD.
func qrText(data []byte, version int) (text string, gs1, ok bool) {
	pos := 0
	take := func(n int) int {
		v := 0
		for range n {
			v <<= 1
			if pos < 8*len(data) && data[pos/8]>>(7-pos%8)&1 == 1 {
				v |= 1
			}
			pos++
		}
		return v
	}
	size := 0
	if version > 26 {
		size = 2
	} else if version > 9 {
		size = 1
	}
	var out []byte
	for pos+4 <= 8*len(data) {
		mode := take(4)
		switch mode {
		case 0:
			return string(out), gs1, true
		case 1:
			for n := take([3]int{10, 12, 14}[size]); n > 0; n -= 3 {
				k := min(n, 3)
				v := take([4]int{0, 4, 7, 10}[k])
				if v >= [4]int{0, 10, 100, 1000}[k] {
					return "", false, false
				}
				out = append(out, []byte{'0' + byte(v/100), '0' + byte(v/10%10), '0' + byte(v%10)}[3-k:]...)
			}
		case 2:
			begin := len(out)
			for n := take([3]int{9, 11, 13}[size]); n > 0; n -= 2 {
				if n == 1 {
					v := take(6)
					if v >= 45 {
						return "", false, false
					}
					out = append(out, qrAlphanumeric[v])
					break
				}
				v := take(11)
				if v >= 45*45 {
					return "", false, false
				}
				out = append(out, qrAlphanumeric[v/45], qrAlphanumeric[v%45])
			}
			if gs1 {
				out = append(out[:begin], percent(out[begin:])...)
			}
		case 4:
			n := take([3]int{8, 16, 16}[size])
			if pos+8*n > 8*len(data) {
				return "", false, false
			}
			raw := make([]byte, n)
			for i := range raw {
				raw[i] = byte(take(8))
			}
			out = append(out, asText(raw)...)
		case 8:
			for n := take([3]int{8, 10, 12}[size]); n > 0; n-- {
				take(13)
				out = append(out, "\uFFFD"...)
			}
		case 3: // structured append: order and parity
			take(16)
		case 5:
			gs1 = true
		case 9: // FNC1 in second place, with an application indicator
			take(8)
		case 7: // another character set
			switch {
			case take(1) == 0:
				take(7)
			case take(1) == 0:
				take(14)
			default:
				take(22)
			}
		default:
			return "", false, false
		}
		if pos > 8*len(data) {
			return "", false, false
		}
	}
	return string(out), gs1, true
}

// percent reads % as the separator of element strings and %% as itself (7.4.8.1).
func percent(in []byte) (out []byte) {
	for i := 0; i < len(in); i++ {
		c := in[i]
		if c == '%' {
			if i+1 < len(in) && in[i+1] == '%' {
				i++
			} else {
				c = GS
			}
		}
		out = append(out, c)
	}
	return out
}

// asText returns bytes as text: UTF-8 where they are, else ISO/IEC 8859-1.
func asText(raw []byte) []byte {
	if utf8.Valid(raw) {
		return raw
	}
	var out []byte
	for _, c := range raw {
		out = utf8.AppendRune(out, rune(c))
	}
	return out
}
