package station

import (
	"errors"
	"fmt"
	"math"

	"ricetta/core/check"
	"ricetta/core/raster"
	"ricetta/core/recipe"
)

// Config says how a station is built into its line. Distances are encoder counts
// along the belt.
type Config struct {
	ID   string `json:"id" yaml:"id"`
	Name string `json:"name" yaml:"name"`
	Line string `json:"line" yaml:"line"`
	Role string `json:"role" yaml:"role"`
	// Product whose released recipe the station runs when it starts.
	Product string `json:"product" yaml:"product"`
	// Order is what is packed when the station starts: lot, expiry, … for the recipes that
	// compare with them.
	Order check.Order `json:"order,omitempty" yaml:"-" nullable:"false"`
	// Every is the distance from one item to the next: a picture is taken each
	// time the belt has moved so far.
	Every int64 `json:"every" yaml:"every"`
	// Calibration says how large a pixel is and how the lens bends; absent where
	// nobody has looked. Recipes run with that of their station.
	Calibration *raster.Calibration `json:"calibration,omitempty" yaml:"calibration,omitempty" nullable:"false"`
	// Ejectors by route. The one for reject is required; a route without one of
	// its own goes there.
	Ejectors map[string]Ejector `json:"ejectors" yaml:"ejectors"`
}

// Ejector says where and how long an output acts on an item.
type Ejector struct {
	// Offset is the distance from the camera to the middle of the ejector.
	Offset int64 `json:"offset" yaml:"offset"`
	// Pulse is how long the output stays on, centered on Offset.
	Pulse int64 `json:"pulse" yaml:"pulse"`
	// Confirm is how far after Offset the confirm sensor must have seen the item
	// at the latest; 0 where there is no sensor.
	Confirm int64 `json:"confirm" yaml:"confirm"`
}

// Validate reports a configuration that could let an item slip through or act on
// the wrong one.
func (c Config) Validate() error {
	if c.ID == "" {
		return errors.New("a station has no id; give it one")
	}
	fail := func(what string, args ...any) error {
		return fmt.Errorf("station %s: "+what, append([]any{c.ID}, args...)...)
	}
	if c.Every <= 0 {
		return fail("every is %d; give the distance between items in encoder counts", c.Every)
	}
	if k := c.Calibration; k != nil {
		if err := CheckCalibration(*k); err != nil {
			return fail("%w", err)
		}
	}
	if _, ok := c.Ejectors[recipe.Reject]; !ok {
		return fail("there is no ejector for %s; every station needs one", recipe.Reject)
	}
	for route, e := range c.Ejectors {
		switch {
		case route == recipe.Pass:
			return fail("an ejector for %s would throw out good items; take it out", recipe.Pass)
		case e.Pulse <= 0 || e.Pulse > c.Every:
			return fail("the pulse of %s is %d; give 1 to %d counts, or it reaches the neighbors", route, e.Pulse, c.Every)
		case e.Offset < e.Pulse:
			return fail("the offset of %s is %d; the ejector must sit behind the camera by more than its pulse", route, e.Offset)
		case e.Confirm < 0:
			return fail("confirm of %s is %d; give 0 or more counts", route, e.Confirm)
		}
	}
	return nil
}

// CheckCalibration reports numbers that no camera has.
func CheckCalibration(k raster.Calibration) error {
	if k.MMPerPx > 0 && k.MMPerPx < 100 && (k.Lens == nil || k.Lens.Reach > 0 && math.Abs(k.Lens.Bend) < 0.5) {
		return nil
	}
	return errors.New("its calibration is not one; take what ricetta calibrate prints")
}

// ejectorFor returns the route whose ejector takes items of the given route, "" for pass.
func (c Config) ejectorFor(route string) string {
	if route == recipe.Pass {
		return ""
	}
	if _, ok := c.Ejectors[route]; ok {
		return route
	}
	return recipe.Reject
}
