package check

import (
	"errors"
	"math"
	"strconv"
)

// Limits bound one reading, both ends included: least and most, or a nominal value
// with a tolerance to both sides. An absent end does not bound.
type Limits struct {
	Least     *float64 `json:"least,omitempty" yaml:"least,omitempty" jsonschema_description:"The reading must be at least this"`
	Most      *float64 `json:"most,omitempty" yaml:"most,omitempty" jsonschema_description:"The reading must be at most this"`
	Nominal   *float64 `json:"nominal,omitempty" yaml:"nominal,omitempty" jsonschema_description:"The value wanted, together with tolerance"`
	Tolerance *float64 `json:"tolerance,omitempty" yaml:"tolerance,omitempty" jsonschema:"minimum=0" jsonschema_description:"How far from nominal the reading may lie to either side"`
}

// Validate reports limits that contradict each other.
func (l Limits) Validate() error {
	switch {
	case (l.Nominal == nil) != (l.Tolerance == nil):
		return errors.New("nominal and tolerance go together; give both or neither")
	case l.Nominal != nil && (l.Least != nil || l.Most != nil):
		return errors.New("both least/most and nominal are given; keep one of the two forms")
	case l.Nominal == nil && l.Least == nil && l.Most == nil:
		return errors.New("nothing is bounded; give least, most, or nominal with tolerance")
	case l.Least != nil && l.Most != nil && *l.Least > *l.Most:
		return errors.New("least is above most, so nothing could pass; exchange them")
	}
	return nil
}

// Bounds returns the limits as a band; an absent end is infinite.
func (l Limits) Bounds() Band {
	b := Band{math.Inf(-1), math.Inf(1)}
	if l.Nominal != nil && l.Tolerance != nil {
		return Band{*l.Nominal - *l.Tolerance, *l.Nominal + *l.Tolerance}
	}
	if l.Least != nil {
		b.Least = *l.Least
	}
	if l.Most != nil {
		b.Most = *l.Most
	}
	return b
}

// Band is an interval, both ends included; an infinite end does not bound.
type Band struct{ Least, Most float64 }

// Open is the band that contains every number.
var Open = Band{math.Inf(-1), math.Inf(1)}

// Contains reports whether v lies in the band. NaN lies in none.
func (b Band) Contains(v float64) bool { return v >= b.Least && v <= b.Most }

// Bounded reports whether any end bounds.
func (b Band) Bounded() bool { return !math.IsInf(b.Least, -1) || !math.IsInf(b.Most, 1) }

// String says the band as a person would: "12", "at least 0.6", "3 to 5".
func (b Band) String() string { return string(b.Append(nil)) }

// Append appends what String returns.
func (b Band) Append(dst []byte) []byte {
	low, high := !math.IsInf(b.Least, -1), !math.IsInf(b.Most, 1)
	switch {
	case low && high && b.Least == b.Most:
		return AppendNumber(dst, b.Least)
	case low && high:
		dst = append(AppendNumber(dst, b.Least), " to "...)
		return AppendNumber(dst, b.Most)
	case low:
		return AppendNumber(append(dst, "at least "...), b.Least)
	case high:
		return AppendNumber(append(dst, "at most "...), b.Most)
	}
	return append(dst, "anything"...)
}

// AppendNumber appends v with as many decimals as help a reader: at most three,
// without trailing zeros, and a plain 0 for a negative zero.
func AppendNumber(dst []byte, v float64) []byte {
	decimals := 3
	switch a := math.Abs(v); {
	case a >= 1000:
		decimals = 0
	case a >= 100:
		decimals = 1
	case a >= 10:
		decimals = 2
	}
	n := len(dst)
	dst = strconv.AppendFloat(dst, v, 'f', decimals, 64)
	if decimals > 0 {
		for dst[len(dst)-1] == '0' {
			dst = dst[:len(dst)-1]
		}
		if dst[len(dst)-1] == '.' {
			dst = dst[:len(dst)-1]
		}
	}
	if string(dst[n:]) == "-0" {
		dst = append(dst[:n], '0')
	}
	return dst
}
