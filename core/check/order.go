package check

import (
	"fmt"
	"regexp"
	"slices"
	"strconv"
)

// Order is what came with the order that is being packed: its lot, expiry, price, … by name.
type Order map[string]string

// days are the values of an order that are days, as in 2027-03-31.
var days = []string{"date", "expiry", "best_before", "production", "packed", "due", "sell_by"}

var orderName = regexp.MustCompile(`^[a-z][a-z0-9_]{0,39}$`)

// Bounds of an order.
const (
	mostOrderValues = 40
	mostOrderValue  = 200 // characters of one
)

// Check reports what cannot be meant: names that rules could not ask for, days that are none, a
// quantity that is no number.
func (o Order) Check() error {
	if len(o) > mostOrderValues {
		return fmt.Errorf("the order has %d values; give %d at most", len(o), mostOrderValues)
	}
	names := make([]string, 0, len(o))
	for n := range o {
		names = append(names, n)
	}
	slices.Sort(names)
	for _, n := range names {
		v := o[n]
		switch {
		case !orderName.MatchString(n):
			return fmt.Errorf("%q is no name for a value of the order; take small letters, digits and _, as in lot", n)
		case len([]rune(v)) > mostOrderValue:
			return fmt.Errorf("%s is %d characters long; give %d at most", n, len([]rune(v)), mostOrderValue)
		case slices.Contains(days, n):
			if _, _, _, err := ParseDay(v); err != nil {
				return fmt.Errorf("%s: %w", n, err)
			}
		case n == "quantity":
			if q, err := strconv.ParseInt(v, 10, 64); err != nil || q <= 0 {
				return fmt.Errorf("quantity is %q; give a whole number above 0", v)
			}
		}
	}
	return nil
}

// ParseDay reads a day of the Gregorian calendar as in ISO 8601-1, 5.2.2.1 (extended format).
func ParseDay(s string) (year, month, day int, err error) {
	if len(s) == 10 && s[4] == '-' && s[7] == '-' {
		y, err1 := strconv.Atoi(s[:4])
		m, err2 := strconv.Atoi(s[5:7])
		d, err3 := strconv.Atoi(s[8:])
		if err1 == nil && err2 == nil && err3 == nil && y > 0 && m >= 1 && m <= 12 && d >= 1 && d <= DaysIn(y, m) {
			return y, m, d, nil
		}
	}
	return 0, 0, 0, fmt.Errorf("%q is no day as in 2027-03-31", s)
}

// Leap reports whether a year has a February 29th.
func Leap(year int) bool { return year%4 == 0 && (year%100 != 0 || year%400 == 0) }

// DaysIn is how many days a month has, 1 for January.
func DaysIn(year, month int) int {
	if month == 2 && Leap(year) {
		return 29
	}
	return [...]int{31, 28, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31}[month-1]
}
