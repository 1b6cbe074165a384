package raster

import "errors"

// ToneBand is a band of gray values, both ends included; an absent end is open.
type ToneBand struct {
	Least *int `json:"least,omitempty" jsonschema:"minimum=0,maximum=255" jsonschema_description:"The darkest gray value that counts (0 to 255)"`
	Most  *int `json:"most,omitempty" jsonschema:"minimum=0,maximum=255" jsonschema_description:"The lightest gray value that counts (0 to 255)"`
}

// Validate reports a band that is open at both ends or empty.
func (b ToneBand) Validate() error {
	if b.Least == nil && b.Most == nil {
		return errors.New("no band is given; give least, most or both")
	}
	if lo, hi := b.Range(); lo > hi {
		return errors.New("least is above most, so no pixel could count; exchange them")
	}
	return nil
}

// Range returns the ends of the band as gray values.
func (b ToneBand) Range() (lo, hi uint8) {
	hi = 255
	if b.Least != nil {
		lo = uint8(min(max(*b.Least, 0), 255))
	}
	if b.Most != nil {
		hi = uint8(min(max(*b.Most, 0), 255))
	}
	return lo, hi
}
