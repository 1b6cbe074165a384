package station

import (
	"context"
	"fmt"
	"math"

	"ricetta/core/raster"
)

// CameraSettings are what a person can set on a camera and its light.
type CameraSettings struct {
	ExposureMS float64 `json:"exposure_ms" yaml:"exposure_ms" required:"true" description:"How long light is gathered: longer is brighter, and smears what moves"`
	GainDB     float64 `json:"gain_db" yaml:"gain_db" required:"true" description:"Amplification: brighter, and noisier"`
	Light      float64 `json:"light" yaml:"light" required:"true" description:"Level of the light, percent"`
	Focus      float64 `json:"focus" yaml:"focus" required:"true" description:"Place of the lens, 0 to 100"`
}

// Viewer is a source that can be looked at.
type Viewer interface {
	// Snap takes a picture now, for somebody to look at. It triggers no item.
	Snap(ctx context.Context) (raster.Picture, error)
}

// Camera is a source whose pictures can be set up.
type Camera interface {
	Viewer
	// Settings returns the present settings, Range the least and the most of each.
	Settings() CameraSettings
	Range() (least, most CameraSettings)
	// Set changes the settings for pictures taken from now on.
	Set(CameraSettings) error
}

// Check reports a setting out of its range.
func (s CameraSettings) Check(least, most CameraSettings) error {
	for _, v := range []struct {
		name         string
		v, low, high float64
	}{
		{"exposure_ms", s.ExposureMS, least.ExposureMS, most.ExposureMS},
		{"gain_db", s.GainDB, least.GainDB, most.GainDB},
		{"light", s.Light, least.Light, most.Light},
		{"focus", s.Focus, least.Focus, most.Focus},
	} {
		if !(v.v >= v.low && v.v <= v.high) {
			return fmt.Errorf("%s: %g is out of the camera's range; give %g to %g", v.name, v.v, v.low, v.high)
		}
	}
	return nil
}

// Where the brightest hundredth of the pixels shall lie: bright, and with room for a
// reflection.
const (
	wantedTop = 225
	topSlack  = 6
)

// FindExposure sets the exposure so that the brightest hundredth of the picture is bright
// and not burnt. It changes nothing else; what exposure alone cannot do is said.
func FindExposure(ctx context.Context, c Camera) (CameraSettings, error) {
	s := c.Settings()
	least, most := c.Range()
	for range 12 {
		if err := c.Set(s); err != nil {
			return s, err
		}
		pic, err := c.Snap(ctx)
		if err != nil {
			return s, err
		}
		q := raster.QualityOf(pic)
		if math.Abs(float64(q.Top-wantedTop)) <= topSlack {
			return s, nil
		}
		next := s
		// Values are not light: a picture's values rise with its 0.45th power, so that a
		// step by the quotient falls short rather than beyond. Where it is burnt, nobody
		// knows by how much.
		next.ExposureMS *= wantedTop / math.Max(float64(q.Top), 8)
		if q.Top >= 250 {
			next.ExposureMS = s.ExposureMS * 0.6
		}
		next.ExposureMS = math.Round(min(max(next.ExposureMS, least.ExposureMS), most.ExposureMS)*1000) / 1000
		if next == s {
			word, remedy := "dark", "more light, or gain"
			if q.Top > wantedTop {
				word, remedy = "bright", "less light"
			}
			return s, fmt.Errorf("the picture is still too %s at an exposure of %g ms, the camera's end; give it %s", word, s.ExposureMS, remedy)
		}
		s = next
	}
	return s, nil
}

// FindFocus moves the lens to where the picture is sharpest: over the whole range first,
// then closer and closer about the best place.
func FindFocus(ctx context.Context, c Camera) (CameraSettings, error) {
	s := c.Settings()
	before := s
	least, most := c.Range()
	look := func(focus float64) (float64, error) {
		s.Focus = focus
		if err := c.Set(s); err != nil {
			return 0, err
		}
		pic, err := c.Snap(ctx)
		if err != nil {
			return 0, err
		}
		return raster.QualityOf(pic).Sharpness, nil
	}
	best, at := -1.0, s.Focus
	for step, from, to := (most.Focus-least.Focus)/10, least.Focus, most.Focus; step > (most.Focus-least.Focus)/200; step /= 3 {
		for f := from; f <= to+1e-9; f += step {
			v, err := look(f)
			if err != nil {
				return before, errOrPut(c, before, err)
			}
			if v > best {
				best, at = v, f
			}
		}
		from, to = max(least.Focus, at-step*2/3), min(most.Focus, at+step*2/3)
	}
	s.Focus = math.Round(at*10) / 10
	return s, c.Set(s)
}

// errOrPut puts the camera back as it was after an error.
func errOrPut(c Camera, s CameraSettings, err error) error {
	if e := c.Set(s); e != nil {
		return fmt.Errorf("%w; and it could not be put back: %w", err, e)
	}
	return err
}
