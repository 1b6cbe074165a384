package color

import (
	"errors"
	"fmt"
	"math"
	"math/bits"

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

// Hues are counted in steps of which a full turn has hueTurn, so that sixths are exact.
const (
	hueSixth = 256
	hueTurn  = 6 * hueSixth
)

// HSV returns hue (0…hueTurn-1, 0 for grays), saturation and brightness (0…255) of an
// sRGB color, in integers, so that every machine sees the same: after Smith, "Color
// gamut transform pairs", SIGGRAPH 1978.
func HSV(r, g, b uint8) (h, s, v int) {
	hi, lo := int(max(r, g, b)), int(min(r, g, b))
	d := hi - lo
	if d == 0 {
		return 0, 0, hi
	}
	s = over(255*d+hi/2, hi)
	switch hi {
	case int(r):
		if g < b {
			return hueTurn - over((int(b)-int(g))*hueSixth, d), s, hi
		}
		return over((int(g)-int(b))*hueSixth, d), s, hi
	case int(g):
		h = (int(b) - int(r)) * hueSixth
		if h < 0 {
			return 2*hueSixth - over(-h, d), s, hi
		}
		return 2*hueSixth + over(h, d), s, hi
	}
	h = (int(r) - int(g)) * hueSixth
	if h < 0 {
		return 4*hueSixth - over(-h, d), s, hi
	}
	return 4*hueSixth + over(h, d), s, hi
}

// over returns a/d for 0 ≤ a < 2²⁴ and 0 < d < 256 without a division: a·⌈2³²/d⌉ is too
// large by less than 2³²/d.
func over(a, d int) int { return int(uint64(a) * inverse[d&255] >> 32) }

var inverse = func() (t [256]uint64) {
	for d := 1; d < 256; d++ {
		t[d] = (1<<32)/uint64(d) + 1
	}
	return t
}()

// bands are bands of hue (which may pass through red), saturation and brightness, ends
// included; hue 0 … hueTurn-1 is all.
type bands struct {
	hue0, hue1 int
	sat0, sat1 int
	val0, val1 int
}

// Set is a set of colors.
type Set struct {
	bands
	cells        [1 << 15]uint8
	tone         bool // a band of gray values on gray pictures
	tone0, tone1 uint8
}

// What is known of a cell of colors.
const (
	outside = 0
	inside  = 1
	mixed   = 2
)

// NewSet returns the set that the settings describe.
func NewSet(s SetSettings) *Set {
	out := &Set{bands: bands{hue1: hueTurn - 1, sat1: 255, val1: 255}}
	if s.Hue != nil {
		out.hue0 = int(math.Round(float64(s.Hue[0]*hueTurn)/360)) % hueTurn
		out.hue1 = int(math.Round(float64(s.Hue[1]*hueTurn) / 360))
		if out.hue1 == hueTurn {
			out.hue1 = hueTurn - 1
		}
	}
	band := func(l *check.Limits) (lo, hi int) {
		if l == nil {
			return 0, 255
		}
		b := l.Bounds()
		return int(math.Ceil(float64(max(b.Least, 0)*2.55) - 1e-9)), int(math.Floor(float64(min(b.Most, 100)*2.55) + 1e-9))
	}
	out.sat0, out.sat1 = band(s.Saturation)
	out.val0, out.val1 = band(s.Brightness)
	out.learn()
	return out
}

// Settings returns the bands as people write them, hue in whole degrees, the others in
// percent.
func (s *Set) Settings() SetSettings {
	pct := func(v int) *float64 { f := check.Rounded(float64(v)/2.55, 1); return &f }
	out := SetSettings{
		Saturation: &check.Limits{Least: pct(s.sat0), Most: pct(s.sat1)},
		Brightness: &check.Limits{Least: pct(s.val0), Most: pct(s.val1)},
	}
	if s.hue0 != 0 || s.hue1 != hueTurn-1 {
		out.Hue = []float64{check.Rounded(float64(s.hue0)*360/hueTurn, 1), check.Rounded(float64(s.hue1)*360/hueTurn, 1)}
	}
	return out
}

// Has reports whether the color is in the set.
func (s *Set) Has(r, g, b uint8) bool {
	switch s.cells[cellOf(r, g, b)] {
	case inside:
		return true
	case outside:
		return false
	}
	return s.exact(r, g, b)
}

func (s *Set) exact(r, g, b uint8) bool {
	h, sat, v := HSV(r, g, b)
	return s.holds(hsv{h, sat, v})
}

func (s *bands) hasHue(h int) bool {
	if s.hue0 <= s.hue1 {
		return h >= s.hue0 && h <= s.hue1
	}
	return h >= s.hue0 || h <= s.hue1
}

// cellOf returns the index of a color among the cells, of 8 values a channel.
func cellOf(r, g, b uint8) int { return int(r>>3)<<10 | int(g>>3)<<5 | int(b>>3) }

// learn fills the cells: for each what is certain of all its colors, so that most
// pixels need no division. Where nothing is certain it is mixed.
func (s *Set) learn() {
	const step = 8
	for r := 0; r < 256; r += step {
		for g := 0; g < 256; g += step {
			for b := 0; b < 256; b += step {
				s.cells[cellOf(uint8(r), uint8(g), uint8(b))] = s.cell(r, g, b, r+step-1, g+step-1, b+step-1)
			}
		}
	}
}

func (s *Set) cell(r0, g0, b0, r1, g1, b1 int) uint8 {
	v0, v1 := max(r0, g0, b0), max(r1, g1, b1)
	if v1 < s.val0 || v0 > s.val1 {
		return outside
	}
	m0, m1 := min(r0, g0, b0), min(r1, g1, b1)
	// Saturation is 1 - least/greatest, rounded: bounds a step wider than need be.
	sat0, sat1 := 0, 256
	if v0 > 0 {
		sat0 = 255*max(v0-m1, 0)/v0 - 1
	}
	if v1 > 0 {
		sat1 = 255*(v1-m0)/v1 + 1
	}
	if sat1 < s.sat0 || sat0 > s.sat1 {
		return outside
	}
	sure := v0 >= s.val0 && v1 <= s.val1 && sat0 >= s.sat0 && sat1 <= s.sat1
	if s.hue0 == 0 && s.hue1 == hueTurn-1 {
		if sure {
			return inside
		}
		return mixed
	}
	// Within one sixth of the wheel hue rises or falls with each channel, so that its
	// ends lie at corners of the cell; elsewhere nothing is certain.
	order := func(a0, b1, b0, c1 int) bool { return a0 > b1 && b0 > c1 }
	if !order(r0, g1, g0, b1) && !order(r0, b1, b0, g1) && !order(g0, r1, r0, b1) && !order(g0, b1, b0, r1) && !order(b0, r1, r0, g1) && !order(b0, g1, g0, r1) {
		return mixed
	}
	in := 0
	least, most := hueTurn, -1
	for k := range 8 {
		c := [3]int{r0, g0, b0}
		for n, v := range [3]int{r1, g1, b1} {
			if k>>n&1 != 0 {
				c[n] = v
			}
		}
		h, _, _ := HSV(uint8(c[0]), uint8(c[1]), uint8(c[2]))
		least, most = min(least, h), max(most, h)
		if s.hasHue(h) {
			in++
		}
	}
	// All corners in or out is certain of all between only where no end of the band
	// lies between them.
	between := func(h int) bool { return h >= least && h <= most }
	switch {
	case in == 8 && sure && (!between(s.hue0) || s.hue0 == least) && (!between(s.hue1) || s.hue1 == most):
		return inside
	case in == 0 && !between(s.hue0) && !between(s.hue1):
		return outside
	}
	return mixed
}

// Count returns how many pixels of the spans are in the set.
func (s *Set) Count(p raster.Picture, spans raster.Spans) int {
	n := 0
	if p.RGB == nil {
		return p.Gray.CountIn(spans, s.tone0, s.tone1)
	}
	c, may := p.RGB, raster.ColorBand{Sat0: s.sat0, Sat1: s.sat1, Val0: s.val0, Val1: s.val1}
	for _, sp := range spans {
		o := int(sp.Y) * c.Stride
		r, g, b := c.R[o+int(sp.X0):o+int(sp.X1)], c.G[o+int(sp.X0):o+int(sp.X1)], c.B[o+int(sp.X0):o+int(sp.X1)]
		var words [16]uint16
		for len(r) > 0 {
			k := min(len(r), 16*len(words))
			for w, set := range may.Bits(words[:0], r[:k], g[:k], b[:k]) {
				for ; set != 0; set &= set - 1 {
					i := 16*w + bits.TrailingZeros16(set)
					if s.Has(r[i], g[i], b[i]) {
						n++
					}
				}
			}
			r, g, b = r[k:], g[k:], b[k:]
		}
	}
	return n
}
