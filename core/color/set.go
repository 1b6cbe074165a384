package color

import (
	"errors"
	"fmt"
	"math"

	"ricetta/core/check"
	"ricetta/core/raster"
)

// SetSettings describe a set of colors as people think of them.
type SetSettings struct {
	// Hue is from … to, degrees clockwise on the color wheel: 0 red, 60 yellow, 120
	// green, 180 cyan, 240 blue, 300 magenta. From 340 to 20 passes through red.
	Hue        []float64     `json:"hue,omitempty" jsonschema:"minItems=2,maxItems=2" jsonschema_description:"From which hue to which, 0 to 360 degrees: 0 red, 60 yellow, 120 green, 180 cyan, 240 blue, 300 magenta; 340 to 20 passes through red"`
	Saturation *check.Limits `json:"saturation,omitempty" jsonschema_description:"Saturation, 0 for gray to 100 for a pure color"`
	Brightness *check.Limits `json:"brightness,omitempty" jsonschema_description:"Brightness, 0 for black to 100"`
}

// Validate reports bands that hold no color.
func (s *SetSettings) Validate() error {
	if s.Hue == nil && s.Saturation == nil && s.Brightness == nil {
		return errors.New("no band is given; give hue, saturation or brightness")
	}
	if s.Hue != nil && (len(s.Hue) != 2 || !(s.Hue[0] >= 0 && s.Hue[0] <= 360 && s.Hue[1] >= 0 && s.Hue[1] <= 360)) {
		return errors.New("hue: give two numbers between 0 and 360")
	}
	for i, l := range [2]*check.Limits{s.Saturation, s.Brightness} {
		if l == nil {
			continue
		}
		if err := l.Validate(); err != nil {
			return fmt.Errorf("%s: %w", [2]string{"saturation", "brightness"}[i], err)
		}
	}
	return nil
}

const hueTurn = raster.HueTurn

// Set is a set of colors.
type Set struct {
	raster.ColorBand
	counter      raster.ColorCounter
	tone         bool // a band of gray values on gray pictures
	tone0, tone1 uint8
}

// NewSet returns the set that the settings describe.
func NewSet(s SetSettings) *Set {
	out := &Set{ColorBand: raster.ColorBand{Hue1: hueTurn - 1, Sat1: 255, Val1: 255}}
	if s.Hue != nil {
		out.Hue0 = int(math.Round(float64(s.Hue[0]*hueTurn)/360)) % hueTurn
		out.Hue1 = int(math.Round(float64(s.Hue[1]*hueTurn) / 360))
		if out.Hue1 == hueTurn {
			out.Hue1 = hueTurn - 1
		}
	}
	band := func(l *check.Limits) (lo, hi int) {
		if l == nil {
			return 0, 255
		}
		b := l.Bounds()
		return int(math.Ceil(float64(max(b.Least, 0)*2.55) - 1e-9)), int(math.Floor(float64(min(b.Most, 100)*2.55) + 1e-9))
	}
	out.Sat0, out.Sat1 = band(s.Saturation)
	out.Val0, out.Val1 = band(s.Brightness)
	out.counter = out.Counter()
	return out
}

// Settings returns the bands as people write them, hue in whole degrees, the others in
// percent.
func (s *Set) Settings() SetSettings {
	pct := func(v int) *float64 { f := check.Rounded(float64(v)/2.55, 1); return &f }
	out := SetSettings{
		Saturation: &check.Limits{Least: pct(s.Sat0), Most: pct(s.Sat1)},
		Brightness: &check.Limits{Least: pct(s.Val0), Most: pct(s.Val1)},
	}
	if s.Hue0 != 0 || s.Hue1 != hueTurn-1 {
		out.Hue = []float64{check.Rounded(float64(s.Hue0)*360/hueTurn, 1), check.Rounded(float64(s.Hue1)*360/hueTurn, 1)}
	}
	return out
}

// Count returns how many pixels of the spans are in the set.
func (s *Set) Count(p raster.Picture, spans raster.Spans) int {
	if p.RGB == nil {
		return p.Gray.CountIn(spans, s.tone0, s.tone1)
	}
	n, c := 0, p.RGB
	for _, sp := range spans {
		from, to := int(sp.Y)*c.Stride+int(sp.X0), int(sp.Y)*c.Stride+int(sp.X1)
		n += s.counter.Count(c.R[from:to], c.G[from:to], c.B[from:to])
	}
	return n
}
