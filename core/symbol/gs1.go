package symbol

import "strings"

// Part is an element string of a GS1 code: what it is and its value.
type Part struct {
	AI    string // application identifier, as in 01
	Name  string // as in gtin; "" for those without a name of their own here
	Value string
}

// gs1Known are the application identifiers (GS1 General Specifications, figure 3.2-1) whose
// values have a fixed length, with that, and those that have a name here. Others end with a
// separator.
var gs1Known = map[string]struct {
	name   string
	length int // 0 for one that ends with a separator
}{
	"00": {"sscc", 18}, "01": {"gtin", 14}, "02": {"content", 14}, "03": {"", 14}, "04": {"", 16}, "10": {"lot", 0},
	"11": {"production", 6}, "12": {"due", 6}, "13": {"packed", 6}, "15": {"best_before", 6}, "16": {"sell_by", 6}, "17": {"expiry", 6},
	"18": {"", 6}, "19": {"", 6}, "20": {"variant", 2}, "21": {"serial", 0}, "30": {"amount", 0}, "37": {"amount", 0},
	"240": {"", 0}, "241": {"", 0}, "242": {"", 0}, "243": {"", 0}, "250": {"", 0}, "251": {"", 0}, "253": {"", 0}, "254": {"", 0}, "255": {"", 0},
	"400": {"order", 0}, "401": {"", 0}, "402": {"", 0}, "403": {"", 0}, "410": {"", 13}, "411": {"", 13}, "412": {"", 13}, "413": {"", 13}, "414": {"", 13},
	"415": {"", 13}, "416": {"", 13}, "417": {"", 13}, "420": {"", 0}, "421": {"", 0}, "422": {"", 0}, "423": {"", 0}, "424": {"", 0}, "425": {"", 0}, "426": {"", 0},
	"90": {"", 0}, "91": {"", 0}, "92": {"", 0}, "93": {"", 0}, "94": {"", 0}, "95": {"", 0}, "96": {"", 0}, "97": {"", 0}, "98": {"", 0}, "99": {"", 0},
}

// PartNames lists the names that parts can have, in a fixed order.
var PartNames = []string{"gtin", "lot", "expiry", "best_before", "production", "packed", "due", "sell_by", "serial", "variant", "amount", "content", "sscc", "order", "price", "net_weight"}

// gs1Rule says how the value after an identifier ends; n is how long the identifier is.
func gs1Rule(s string) (name string, n, length int, ok bool) {
	for _, n := range [2]int{2, 3} {
		if len(s) >= n {
			if k, known := gs1Known[s[:n]]; known {
				return k.name, n, k.length, true
			}
		}
	}
	if len(s) < 4 {
		return "", 0, 0, false
	}
	switch c := s[:2]; {
	case c >= "31" && c <= "36": // measures: four digits of identifier, the last the decimals, six of value
		if s[:3] == "310" {
			return "net_weight", 4, 6, true
		}
		return "", 4, 6, true
	case c == "39": // amounts payable and prices
		if s[:3] == "392" {
			return "price", 4, 0, true
		}
		return "", 4, 0, true
	case c >= "70" && c <= "89":
		return "", 4, 0, true
	}
	return "", 0, 0, false
}

// Parts takes the message of a GS1 code apart (GS1 General Specifications 7.8). ok is false
// where it is not made of element strings; what was understood up to there is returned.
// Dates become as in 2027-12-31, decimals get their point.
func Parts(message string) (parts []Part, ok bool) {
	s := message
	for s != "" {
		if s[0] == GS {
			s = s[1:]
			continue
		}
		name, n, length, known := gs1Rule(s)
		if !known {
			return parts, false
		}
		ai := s[:n]
		s = s[n:]
		end := strings.IndexByte(s, GS)
		if end < 0 {
			end = len(s)
		}
		if length > 0 {
			if end < length {
				return parts, false
			}
			end = length
		}
		if end == 0 {
			return parts, false
		}
		v := s[:end]
		s = s[end:]
		if length > 0 && strings.Trim(v, "0123456789") != "" || (ai == "01" || ai == "02") && !checked([]byte(v)) {
			return parts, false
		}
		switch {
		case length == 6 && n == 2 && ai[0] == '1':
			if v, ok = gs1Date(v); !ok {
				return parts, false
			}
		case n == 4 && (length == 6 || ai[:2] == "39"):
			v = decimal(v, int(ai[3]-'0'))
		}
		parts = append(parts, Part{ai, name, v})
	}
	return parts, len(parts) > 0
}

// gs1Date writes YYMMDD in full. Day 00 is the last of the month. The century is this one up
// to 75: what a line packs is neither older nor to be kept longer than that.
func gs1Date(v string) (string, bool) {
	year, month, day := int(v[0]-'0')*10+int(v[1]-'0'), int(v[2]-'0')*10+int(v[3]-'0'), int(v[4]-'0')*10+int(v[5]-'0')
	if month < 1 || month > 12 {
		return v, false
	}
	year += 2000
	if year > 2075 {
		year -= 100
	}
	days := [...]int{31, 28, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31}[month-1]
	if month == 2 && year%4 == 0 && (year%100 != 0 || year%400 == 0) {
		days = 29
	}
	if day > days {
		return v, false
	}
	if day == 0 {
		day = days
	}
	two := func(n int) string { return string([]byte{'0' + byte(n/10), '0' + byte(n%10)}) }
	return two(year/100) + two(year%100) + "-" + two(month) + "-" + two(day), true
}

// decimal puts the point of a value with so many decimals.
func decimal(v string, decimals int) string {
	v = strings.TrimLeft(v, "0")
	for len(v) <= decimals {
		v = "0" + v
	}
	if decimals == 0 || decimals > 6 {
		return v
	}
	return v[:len(v)-decimals] + "." + v[len(v)-decimals:]
}
