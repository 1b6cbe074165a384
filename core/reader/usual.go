package reader

import "unicode"

// What is printed on packages is words in capitals, in small letters, or with a capital before
// small ones, and numbers; seldom a capital or a digit amid small letters. Where a character
// could be either (0 and O, l and 1, 9 and g, p and P, whose heights alone tell them apart), what
// is usual is read. These are logarithms of how much less usual a neighborhood is, chosen
// mild: print that is read clearly is told as it stands, however odd it is.
const (
	capitalAfterSmall = -4 // RewOrk
	digitAfterSmall   = -3 // Oran9e
	smallAfterDigit   = -1 // 9e, but 500g as well
	smallAfterShout   = -4 // OPen: small after two capitals
)

// kinds of characters, by class.
var kinds = func() []byte {
	out := make([]byte, len(characters)+1)
	for i, r := range characters {
		switch {
		case unicode.IsUpper(r):
			out[i+1] = 'A'
		case unicode.IsLower(r):
			out[i+1] = 'a'
		case unicode.IsDigit(r):
			out[i+1] = '0'
		}
	}
	return out
}()

// unusual is how much less usual a character is after two others; 0 stands for none.
func unusual(before, last, this int16) float64 {
	switch kinds[last] {
	case 'a':
		switch kinds[this] {
		case 'A':
			return capitalAfterSmall
		case '0':
			return digitAfterSmall
		}
	case '0':
		if kinds[this] == 'a' {
			return smallAfterDigit
		}
	case 'A':
		if kinds[this] == 'a' && kinds[before] == 'A' {
			return smallAfterShout
		}
	}
	return 0
}

// strangeness is the sum of what is unusual about a text.
func strangeness(text []int16) float64 {
	sum := 0.0
	before, last := int16(0), int16(0)
	for _, k := range text {
		sum += unusual(before, last, k)
		before, last = last, k
	}
	return sum
}
