package print

import (
	"fmt"
	"strconv"
	"strings"

	"ricetta/core/check"
)

// civil is a day of the Gregorian calendar.
type civil struct{ year, month, day int }

func parseCivil(s string) (civil, error) {
	y, m, d, err := check.ParseDay(s)
	return civil{y, m, d}, err
}

// number counts days, 1 for January 1st of the year 1, a Monday.
func (c civil) number() int {
	y := c.year - 1
	return 365*y + y/4 - y/100 + y/400 + c.ofYear()
}

// ofYear counts days from January 1st, which is 1.
func (c civil) ofYear() int {
	n := c.day
	for m := 1; m < c.month; m++ {
		n += check.DaysIn(c.year, m)
	}
	return n
}

// weekday is 1 for Monday to 7.
func (c civil) weekday() int { return (c.number()-1)%7 + 1 }

// week is the week of ISO 8601-1, 4.2.2, and the year that it belongs to: that of its Thursday.
func (c civil) week() (year, week int) {
	thursday := civilOf(c.number() - c.weekday() + 4)
	return thursday.year, (thursday.ofYear()-1)/7 + 1
}

func civilOf(n int) civil {
	c := civil{year: n/366 + 1, month: 1, day: 1}
	for (civil{c.year + 1, 1, 1}).number() <= n {
		c.year++
	}
	left := n - c.number()
	for left >= check.DaysIn(c.year, c.month) {
		left -= check.DaysIn(c.year, c.month)
		c.month++
	}
	c.day += left
	return c
}

// shift is so many of a unit: d days, w weeks, m months, y years.
type shift struct {
	n    int
	unit byte
}

// after is the day so much later. Where the month has no such day it is its last: a month
// after January 31st is the end of February.
func (c civil) after(s shift) civil {
	switch s.unit {
	case 'd':
		return civilOf(max(c.number()+s.n, 1))
	case 'w':
		return civilOf(max(c.number()+7*s.n, 1))
	}
	n := s.n
	if s.unit == 'y' {
		n *= 12
	}
	m := max(c.year*12+c.month-1+n, 12)
	out := civil{year: m / 12, month: m%12 + 1}
	out.day = min(c.day, check.DaysIn(out.year, out.month))
	return out
}

// dateField is a part of a format: so many of a letter of Unicode Technical Standard 35, Date
// Field Symbol Table, or text as it stands.
type dateField struct {
	letter byte // 0 for text
	n      int
	text   string
}

// dateFields are the letters with how many of them there may be.
var dateFields = map[byte]int{'y': 4, 'Y': 4, 'M': 4, 'd': 2, 'D': 3, 'w': 2, 'e': 1}

var monthNames = [...]string{"January", "February", "March", "April", "May", "June", "July", "August", "September", "October", "November", "December"}

// parseDate reads a format as in dd.MM.yyyy. Letters that mean nothing must stand between
// single quotes; two quotes are one.
func parseDate(s string) ([]dateField, error) {
	var out []dateField
	text := func(t string) {
		if n := len(out); n > 0 && out[n-1].letter == 0 {
			out[n-1].text += t
		} else {
			out = append(out, dateField{text: t})
		}
	}
	for i := 0; i < len(s); {
		c := s[i]
		switch {
		case c == '\'':
			end := strings.IndexByte(s[i+1:], '\'')
			if end < 0 {
				return nil, fmt.Errorf("a quote in %q is not closed", s)
			}
			if end == 0 {
				text("'")
			} else {
				text(s[i+1 : i+1+end])
			}
			i += end + 2
		case c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z':
			n := 1
			for i+n < len(s) && s[i+n] == c {
				n++
			}
			if most := dateFields[c]; n > most {
				return nil, fmt.Errorf("%q is nothing of a date; write d dd (day), M MM MMM MMMM (month), yy yyyy (year), D DDD (day of the year), w ww (week), YYYY (year of the week), e (day of the week), and put other letters between single quotes", s[i:i+n])
			}
			if (c == 'y' || c == 'Y') && n != 2 && n != 4 || c == 'D' && n == 2 {
				return nil, fmt.Errorf("%q is nothing of a date; write yy or yyyy, YY or YYYY, D or DDD", s[i:i+n])
			}
			out = append(out, dateField{letter: c, n: n})
			i += n
		default:
			text(string(c))
			i++
		}
	}
	if len(out) == 0 {
		return nil, fmt.Errorf("the format is empty; write it as in dd.MM.yyyy")
	}
	return out, nil
}

// format writes a day, names of months in English.
func (c civil) format(fields []dateField) string {
	var b strings.Builder
	digits := func(v, n int) { fmt.Fprintf(&b, "%0*d", n, v) }
	for _, f := range fields {
		week, year := 0, c.year
		if f.letter == 'w' || f.letter == 'Y' {
			year, week = c.week()
		}
		switch f.letter {
		case 0:
			b.WriteString(f.text)
		case 'y', 'Y':
			if f.n == 2 {
				digits(year%100, 2)
			} else {
				digits(year, 4)
			}
		case 'M':
			switch f.n {
			case 3:
				b.WriteString(monthNames[c.month-1][:3])
			case 4:
				b.WriteString(monthNames[c.month-1])
			default:
				digits(c.month, f.n)
			}
		case 'd':
			digits(c.day, f.n)
		case 'D':
			digits(c.ofYear(), f.n)
		case 'w':
			digits(week, f.n)
		case 'e':
			digits(c.weekday(), 1)
		}
	}
	return b.String()
}

// read reads a day written in a form, and writes it as ISO 8601: as in 2027-03-31, or 2027-03
// where the form has no day. Two digits of a year are of this century up to 75.
func readDate(fields []dateField, s string) (string, error) {
	wrong := func() (string, error) { return "", fmt.Errorf("%q is no day in that form", s) }
	rest := s
	var year, month, day, ofYear int
	for _, f := range fields {
		if f.letter == 0 {
			var ok bool
			if rest, ok = strings.CutPrefix(rest, f.text); !ok {
				return wrong()
			}
			continue
		}
		if f.letter == 'M' && f.n > 2 {
			for m, name := range monthNames {
				if f.n == 3 {
					name = name[:3]
				}
				if len(rest) >= len(name) && strings.EqualFold(rest[:len(name)], name) {
					month, rest = m+1, rest[len(name):]
					break
				}
			}
			if month == 0 {
				return wrong()
			}
			continue
		}
		n := f.n
		if n == 1 { // as many as there are
			most := 2
			if f.letter == 'D' {
				most = 3
			}
			for n = 0; n < most && n < len(rest) && rest[n] >= '0' && rest[n] <= '9'; {
				n++
			}
		}
		if n == 0 || n > len(rest) {
			return wrong()
		}
		v, err := strconv.Atoi(rest[:n])
		if err != nil || rest[0] < '0' {
			return wrong()
		}
		rest = rest[n:]
		switch f.letter {
		case 'y':
			if year = v; n == 2 {
				if year += 2000; year > 2075 {
					year -= 100
				}
			}
		case 'M':
			month = v
		case 'd':
			day = v
		case 'D':
			ofYear = v
		}
	}
	switch {
	case rest != "" || year == 0:
		return wrong()
	case ofYear > 0 && ofYear <= 366:
		c := civilOf(civil{year, 1, 1}.number() + ofYear - 1)
		return c.format([]dateField{{'y', 4, ""}, {text: "-"}, {'M', 2, ""}, {text: "-"}, {'d', 2, ""}}), nil
	case month < 1 || month > 12 || day > check.DaysIn(year, month):
		return wrong()
	case day == 0:
		return fmt.Sprintf("%04d-%02d", year, month), nil
	}
	return fmt.Sprintf("%04d-%02d-%02d", year, month, day), nil
}
