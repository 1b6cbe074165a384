package station

import (
	"errors"
	"fmt"
	"math"

	"ricetta/core/raster"
)

// Config says where a station stands on its line.
type Config struct {
	ID   string `json:"id" yaml:"id"`
	Name string `json:"name" yaml:"name"`
	Line string `json:"line" yaml:"line"`
	Role string `json:"role" yaml:"role"`
	// Offset is how far behind the line's trigger a package lies under the camera.
	Offset int64 `json:"offset" yaml:"offset,omitempty"`
	// Watch says how far pictures may drift from the reference; what is not given goes by the
	// usual.
	Watch Watch `json:"watch" yaml:"watch,omitempty"`
	// Calibration says how large a pixel is and how the lens bends; absent where
	// nobody has looked. Recipes run with that of their station.
	Calibration *raster.Calibration `json:"calibration,omitempty" yaml:"calibration,omitempty" nullable:"false"`
}

// Validate reports what no station can be.
func (c Config) Validate() error {
	if c.ID == "" {
		return errors.New("a station has no id; give it one")
	}
	if c.Offset < 0 {
		return fmt.Errorf("station %s: its offset is %d; give 0 or more counts, for the camera cannot see a package before the trigger does", c.ID, c.Offset)
	}
	if err := c.Watch.validate(); err != nil {
		return fmt.Errorf("station %s: %w", c.ID, err)
	}
	if k := c.Calibration; k != nil {
		if err := CheckCalibration(*k); err != nil {
			return fmt.Errorf("station %s: %w", c.ID, err)
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
