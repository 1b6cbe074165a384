package symbol

// field is GF(256) made by a primitive polynomial, with 2 as the generator.
type field struct {
	exp  [512]byte
	log  [256]int
	base int // the first power that a codeword's polynomial vanishes at
}

func newField(polynomial, base int) *field {
	f := &field{base: base}
	x := 1
	for i := range 255 {
		f.exp[i], f.exp[i+255] = byte(x), byte(x)
		f.log[x] = i
		if x <<= 1; x > 255 {
			x ^= polynomial
		}
	}
	return f
}

// The fields of ISO/IEC 16022 (5.7.3) and ISO/IEC 18004 (7.5.2).
var (
	matrixField = newField(0x12d, 1)
	qrField     = newField(0x11d, 0)
)

func (f *field) mul(a, b byte) byte {
	if a == 0 || b == 0 {
		return 0
	}
	return f.exp[f.log[a]+f.log[b]]
}

func (f *field) div(a, b byte) byte {
	if a == 0 {
		return 0
	}
	return f.exp[f.log[a]+255-f.log[b]]
}

// correct mends a block, the check codewords last, and returns how many codewords it
// changed. erased lists places whose codewords are known to be bad; two of them take as much
// of the check codewords as one error at a place that is not known. It reports false, and
// leaves the block as it is, where there is more wrong than can be mended.
//
// Berlekamp and Massey find the locator of the errors, begun with that of the erasures, and
// Forney's formula the values (Blahut, Theory and Practice of Error Control Codes, 1983,
// chapters 7 and 9).
func (f *field) correct(block []byte, checks int, erased []int) (changed int, ok bool) {
	n := len(block)
	if len(erased) > checks {
		return 0, false
	}
	syndromes := make([]byte, checks)
	clean := true
	for i := range syndromes {
		x := f.exp[(i+f.base)%255]
		v := byte(0)
		for _, c := range block {
			v = f.mul(v, x) ^ c
		}
		syndromes[i] = v
		clean = clean && v == 0
	}
	if clean {
		return 0, true
	}
	// Locator polynomials, the constant first.
	locator := make([]byte, checks+1)
	locator[0] = 1
	for k, place := range erased {
		x := f.exp[n-1-place]
		for i := k + 1; i > 0; i-- {
			locator[i] ^= f.mul(locator[i-1], x)
		}
	}
	before := append([]byte(nil), locator...)
	length := len(erased)
	for r := length; r < checks; r++ {
		d := byte(0)
		for i := 0; i <= length; i++ {
			d ^= f.mul(locator[i], syndromes[r-i])
		}
		copy(before[1:], before[:checks])
		before[0] = 0
		if d == 0 {
			continue
		}
		next := append([]byte(nil), locator...)
		for i := range next {
			next[i] ^= f.mul(d, before[i])
		}
		if 2*length <= r+len(erased) {
			for i := range before {
				before[i] = f.div(locator[i], d)
			}
			length = r + 1 + len(erased) - length
		}
		locator = next
	}
	if 2*length-len(erased) > checks {
		return 0, false
	}
	// The evaluator: syndromes times locator.
	evaluator := make([]byte, checks)
	for i := range evaluator {
		for j := 0; j <= min(i, length); j++ {
			evaluator[i] ^= f.mul(locator[j], syndromes[i-j])
		}
	}
	fixed := append([]byte(nil), block...)
	roots := 0
	for place := range n {
		power := n - 1 - place
		inverse := f.exp[255-power%255]
		v, slope := byte(0), byte(0)
		for i := length; i >= 0; i-- {
			v = f.mul(v, inverse) ^ locator[i]
		}
		if v != 0 {
			continue
		}
		roots++
		// The derivative has the odd terms only.
		x := byte(1)
		for i := 1; i <= length; i += 2 {
			slope ^= f.mul(locator[i], x)
			x = f.mul(x, f.mul(inverse, inverse))
		}
		if slope == 0 {
			return 0, false
		}
		top := byte(0)
		for i := checks - 1; i >= 0; i-- {
			top = f.mul(top, inverse) ^ evaluator[i]
		}
		value := f.div(top, slope)
		// X^(1-base)
		value = f.mul(value, f.exp[(power%255*((1-f.base+255)%255))%255])
		if value != 0 {
			changed++
		}
		fixed[place] ^= value
	}
	if roots != length {
		return 0, false
	}
	copy(block, fixed)
	return changed, true
}
