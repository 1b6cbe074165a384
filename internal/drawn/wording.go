package drawn

import (
	"fmt"
	"math/rand/v2"
	"strings"
)

// Wording makes up what is printed on packages: dates, times, lots, prices, amounts, words
// and mixtures of them, mostly of 3 to 18 characters.
func Wording(rng *rand.Rand, words []string, any string) string {
	pick := func(from ...string) string { return from[rng.IntN(len(from))] }
	num := func(n int) string {
		var b strings.Builder
		for range n {
			b.WriteByte('0' + byte(rng.IntN(10)))
		}
		return b.String()
	}
	letters := func(n int) string {
		var b strings.Builder
		for range n {
			b.WriteByte("ABCDEFGHJKLMNPRSTUVWXYZ"[rng.IntN(23)])
		}
		return b.String()
	}
	word := func() string {
		w := words[rng.IntN(len(words))]
		switch rng.IntN(4) {
		case 0:
			return strings.ToUpper(w)
		case 1:
			return w
		}
		return strings.ToUpper(w[:1]) + w[1:]
	}
	day, month, year := 1+rng.IntN(28), 1+rng.IntN(12), 20+rng.IntN(20)
	date := func() string {
		sep := pick(".", ".", "/", "-", " ")
		switch rng.IntN(7) {
		case 0:
			return fmt.Sprintf("%02d%s%02d%s20%02d", day, sep, month, sep, year)
		case 1:
			return fmt.Sprintf("%02d%s%02d%s%02d", day, sep, month, sep, year)
		case 2:
			return fmt.Sprintf("20%02d-%02d-%02d", year, month, day)
		case 3:
			return fmt.Sprintf("%02d%s20%02d", month, pick(".", "/", "-", " "), year)
		case 4:
			return fmt.Sprintf("%02d%s%02d", month, pick("/", "-", "."), year)
		case 5:
			m := pick("JAN", "FEB", "MAR", "APR", "MAY", "JUN", "JUL", "AUG", "SEP", "OCT", "NOV", "DEC")
			if rng.IntN(3) == 0 {
				m = m[:1] + strings.ToLower(m[1:])
			}
			return fmt.Sprintf("%02d%s%s%s%02d", day, sep, m, sep, year)
		}
		return fmt.Sprintf("%02d%02d%02d", year, month, day)
	}
	lot := func() string {
		switch rng.IntN(7) {
		case 0:
			return "L" + num(3+rng.IntN(5))
		case 1:
			return letters(1+rng.IntN(3)) + num(3+rng.IntN(4))
		case 2:
			return num(2) + letters(1) + num(3+rng.IntN(2))
		case 3:
			return letters(1+rng.IntN(2)) + pick("-", "/", " ") + num(3+rng.IntN(3))
		case 4:
			return num(3+rng.IntN(6)) + pick("", "-", "/") + num(1+rng.IntN(3))
		case 5:
			return letters(2) + num(2) + letters(1) + num(2)
		}
		return "#" + num(4+rng.IntN(3))
	}
	price := func() string {
		v := fmt.Sprintf("%d%s%02d", rng.IntN(200), pick(".", ","), rng.IntN(100))
		switch rng.IntN(4) {
		case 0:
			return pick("€", "$", "£") + v
		case 1:
			return pick("€", "$", "£") + " " + v
		case 2:
			return v + " " + pick("€", "EUR", "USD", "$")
		}
		return v
	}
	clock := func() string {
		s := fmt.Sprintf("%02d:%02d", rng.IntN(24), rng.IntN(60))
		if rng.IntN(3) == 0 {
			s += fmt.Sprintf(":%02d", rng.IntN(60))
		}
		return s
	}
	amount := func() string {
		return fmt.Sprint(1+rng.IntN(999)) + pick(" ", "") + pick("g", "kg", "ml", "l", "mm", "cm", "%", "°C", "pcs")
	}
	switch rng.IntN(14) {
	case 0, 1, 2:
		return date()
	case 3, 4:
		return lot()
	case 5:
		return pick("EXP", "Exp.", "USE BY", "Best before", "BB", "Use by:", "EXP:", "MFG", "PROD", "BEST BEFORE") + " " + date()
	case 6:
		return pick("LOT", "Lot", "L:", "Batch", "LOT:", "Lot No.", "B/N", "No.", "SN") + " " + lot()
	case 7:
		return price()
	case 8:
		return pick(clock(), date()+" "+clock(), clock()+" "+lot())
	case 9:
		return pick(amount(), num(6+rng.IntN(8)), fmt.Sprintf("(%02d)%s", rng.IntN(100), num(6)))
	case 10, 11:
		return word() + pick("", "", " "+word(), " "+num(1+rng.IntN(3)), "-"+word(), "!", "?", " & "+word())
	case 12:
		return pick(word()+" "+date(), lot()+" "+date(), word()+" "+price())
	}
	// Anything at all.
	r := []rune(any)
	var b strings.Builder
	for i := range 2 + rng.IntN(9) {
		c := r[rng.IntN(len(r))]
		if c == ' ' && i == 0 {
			c = 'x'
		}
		b.WriteRune(c)
	}
	return strings.Join(strings.Fields(b.String()), " ")
}
