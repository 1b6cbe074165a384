package symbol

// EAN and UPC after ISO/IEC 15420.

// eanDigits are the widths of the digits of set A, which begin with a space; those of set C
// are the same and begin with a bar, those of set B the same backwards.
var eanDigits = [10][]int8{{3, 2, 1, 1}, {2, 2, 2, 1}, {2, 1, 2, 2}, {1, 4, 1, 1}, {1, 1, 3, 2}, {1, 2, 3, 1}, {1, 1, 1, 4}, {1, 3, 1, 2}, {1, 2, 1, 3}, {3, 1, 1, 2}}

var eanSetB = func() (out [10][]int8) {
	for d, p := range eanDigits {
		out[d] = []int8{p[3], p[2], p[1], p[0]}
	}
	return out
}()

// eanFirst tells the first digit by the sets of the next six: bit 5 is the first of them, 1
// for set B.
var eanFirst = map[int]byte{0b000000: 0, 0b001011: 1, 0b001101: 2, 0b001110: 3, 0b010011: 4, 0b011001: 5, 0b011100: 6, 0b010101: 7, 0b010110: 8, 0b011010: 9}

// upceCheck tells the check digit of a UPC-E of number system 0 in the same way; of number
// system 1 the sets are exchanged.
var upceCheck = map[int]byte{0b111000: 0, 0b110100: 1, 0b110010: 2, 0b110001: 3, 0b101100: 4, 0b100110: 5, 0b100011: 6, 0b101010: 7, 0b101001: 8, 0b100101: 9}

const (
	eanCost  = 0.5  // departure of one digit at most: half of what lies between two of them
	eanMean  = 0.22 // and in the mean
	eanQuiet = 4    // modules of quiet zone asked for: half of what the standard prescribes and a little less
)

// ean tries all codes of the family whose first bar is w[i].
func (r *lineReader) ean(w []int32, i int, pos int32, o *Options) {
	if o.wants(EAN13, UPCA) {
		r.eanLong(w, i, pos, o)
	}
	if o.wants(EAN8) {
		r.eanShort(w, i, pos)
	}
	if o.wants(UPCE) {
		r.upce(w, i, pos)
	}
}

// guards checks that narrow elements are about one module wide, and returns by how many
// modules dark ones are too wide.
func guards(w []int32, module float64, at ...int) (growth float64, ok bool) {
	dark, light, nd, nl := 0.0, 0.0, 0.0, 0.0
	for _, i := range at {
		m := float64(w[i]) / module
		if m > 2.1 || m < 0.25 {
			return 0, false
		}
		if i%2 == 1 {
			dark += m
			nd++
		} else {
			light += m
			nl++
		}
	}
	growth = (dark/nd - light/nl) / 2
	return growth, growth < 0.6 && growth > -0.6
}

// quiet reports whether a code from w[i] to before w[j] has room on both sides.
func quiet(w []int32, i, j int, least float64) bool {
	return float64(w[i-1]) >= least && j < len(w) && float64(w[j]) >= least
}

// digits reads n digits, four elements each, from w[i] on, with set B where both is given.
// sets has a bit for each, the first the highest, 1 for set B.
func (r *lineReader) eanDigits(w []int32, i, n int, growth float64, dark, both bool) (sets int, cost float64, ok bool) {
	for range n {
		best, second, digit, set := 9.0, 9.0, 0, 0
		try := func(p []int8, d, s int) {
			c := departure(w[i:i+4], p, 7, growth, dark)
			switch {
			case c < best:
				best, second, digit, set = c, best, d, s
			case c < second:
				second = c
			}
		}
		for d := range 10 {
			try(eanDigits[d], d, 0)
			if both {
				try(eanSetB[d], d, 1)
			}
		}
		if best > eanCost || second-best < 0.1 {
			return 0, 0, false
		}
		r.digits = append(r.digits, '0'+byte(digit))
		sets = sets<<1 | set
		cost += best
		i += 4
	}
	return sets, cost, true
}

func (r *lineReader) eanLong(w []int32, i int, pos int32, o *Options) {
	const n = 59
	if i+n >= len(w) {
		return
	}
	total := widthOf(w[i : i+n])
	module := float64(total) / 95
	growth, ok := guards(w, module, i, i+1, i+2, i+27, i+28, i+29, i+30, i+31, i+56, i+57, i+58)
	if !ok || !quiet(w, i, i+n, float64(eanQuiet*module)) {
		return
	}
	r.digits = append(r.digits[:0], 0)
	sets, left, ok := r.eanDigits(w, i+3, 6, growth, false, true)
	if !ok {
		return
	}
	first, known := eanFirst[sets]
	if !known {
		return
	}
	_, right, ok := r.eanDigits(w, i+32, 6, growth, true, false)
	cost := (left + right) / 12
	r.digits[0] = '0' + first
	if !ok || cost > eanMean || !checked(r.digits) {
		return
	}
	s, text := EAN13, string(r.digits)
	if first == 0 && o.wants(UPCA) {
		s, text = UPCA, text[1:]
	} else if !o.wants(EAN13) {
		return
	}
	r.hits = append(r.hits, hit{symbology: s, text: text, from: pos, to: pos + total})
}

func (r *lineReader) eanShort(w []int32, i int, pos int32) {
	const n = 43
	if i+n >= len(w) {
		return
	}
	total := widthOf(w[i : i+n])
	module := float64(total) / 67
	growth, ok := guards(w, module, i, i+1, i+2, i+19, i+20, i+21, i+22, i+23, i+40, i+41, i+42)
	if !ok || !quiet(w, i, i+n, float64(5*module)) {
		return
	}
	r.digits = r.digits[:0]
	_, left, ok := r.eanDigits(w, i+3, 4, growth, false, false)
	if !ok {
		return
	}
	_, right, ok := r.eanDigits(w, i+24, 4, growth, true, false)
	cost := (left + right) / 8
	if !ok || cost > eanMean/2 || !checked(r.digits) {
		return
	}
	r.hits = append(r.hits, hit{symbology: EAN8, text: string(r.digits), from: pos, to: pos + total})
}

func (r *lineReader) upce(w []int32, i int, pos int32) {
	const n = 33
	if i+n >= len(w) {
		return
	}
	total := widthOf(w[i : i+n])
	module := float64(total) / 51
	growth, ok := guards(w, module, i, i+1, i+2, i+27, i+28, i+29, i+30, i+31, i+32)
	// A part of an EAN-13 can look like a UPC-E, so that its quiet zones count in full.
	if !ok || !quiet(w, i, i+n, float64(6.5*module)) {
		return
	}
	r.digits = append(r.digits[:0], '0')
	sets, cost, ok := r.eanDigits(w, i+3, 6, growth, false, true)
	cost /= 6
	if !ok || cost > eanMean/2 {
		return
	}
	check, known := upceCheck[sets]
	if !known {
		if check, known = upceCheck[^sets&0b111111]; !known {
			return
		}
		r.digits[0] = '1'
	}
	r.digits = append(r.digits, '0'+check)
	if !checked([]byte(Expanded(string(r.digits)))) {
		return
	}
	r.hits = append(r.hits, hit{symbology: UPCE, text: string(r.digits), from: pos, to: pos + total})
}

// Expanded returns the UPC-A that the eight digits of a UPC-E stand for (ISO/IEC 15420,
// 5.1.3).
func Expanded(upce string) string {
	if len(upce) != 8 {
		return upce
	}
	x, c := upce[1:7], upce[7:]
	body := ""
	switch x[5] {
	case '0', '1', '2':
		body = x[:2] + x[5:] + "0000" + x[2:5]
	case '3':
		body = x[:3] + "00000" + x[3:5]
	case '4':
		body = x[:4] + "00000" + x[4:5]
	default:
		body = x[:5] + "0000" + x[5:]
	}
	return upce[:1] + body + c
}

// checked reports whether digits end in their check digit (GS1 General Specifications
// 7.9.1).
func checked(digits []byte) bool {
	sum := 0
	for i, d := range digits {
		n := int(d - '0')
		if (len(digits)-i)%2 == 0 {
			n *= 3
		}
		sum += n
	}
	return sum%10 == 0
}

// GTIN returns the fourteen digits under which the article of an EAN, UPC or ITF-14 code is
// known, "" for other symbologies.
func (s *Symbol) GTIN() string {
	text := s.Text
	switch s.Symbology {
	case UPCE:
		text = Expanded(text)
	case EAN13, EAN8, UPCA, ITF14:
	default:
		return ""
	}
	return "00000000000000"[len(text):] + text
}
