package color

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"ricetta/core/check"
	"ricetta/core/check/checktest"
	"ricetta/core/color/colortest"
	"ricetta/core/raster"
)

func TestDeltaEOnThePublishedPairs(t *testing.T) {
	for i, p := range colortest.Sharma {
		x, y := Lab{p[0], p[1], p[2]}, Lab{p[3], p[4], p[5]}
		assert.InDelta(t, p[6], DeltaE(x, y), 0.00005, "pair %d", i+1)
		assert.InDelta(t, p[6], DeltaE(y, x), 0.00005, "pair %d the other way", i+1)
		assert.Equal(t, 0.0, DeltaE(x, x))
	}
}

// CIELAB of the primaries, from the matrix and white of IEC 61966-2-1.
func TestSRGBToLab(t *testing.T) {
	for _, tc := range []struct {
		r, g, b uint8
		want    Lab
	}{
		{255, 255, 255, Lab{100, 0, 0}},
		{0, 0, 0, Lab{0, 0, 0}},
		{255, 0, 0, Lab{53.24, 80.09, 67.20}},
		{0, 255, 0, Lab{87.74, -86.18, 83.19}},
		{0, 0, 255, Lab{32.30, 79.19, -107.86}},
		{119, 119, 119, Lab{50.03, 0, 0}},
	} {
		got := FromSRGB(tc.r, tc.g, tc.b)
		assert.InDelta(t, tc.want.L, got.L, 0.02)
		assert.InDelta(t, tc.want.A, got.A, 0.05)
		assert.InDelta(t, tc.want.B, got.B, 0.05)
	}
}

// halves is red on the left and the given color on the right.
func halves(r, g, b uint8) raster.Picture {
	c := raster.NewRGB(100, 60)
	for i := range c.R {
		c.R[i], c.G[i], c.B[i] = 200, 30, 40
		if i%100 >= 50 {
			c.R[i], c.G[i], c.B[i] = r, g, b
		}
	}
	return raster.Picture{RGB: c}
}

func shadeOf(t *testing.T, s ShadeSettings, ref, pic raster.Picture, on raster.Transform) *check.Finding {
	t.Helper()
	return checktest.Judge(t, Shade, &s, ref, pic, on)
}

func deltaE(t *testing.T, f *check.Finding) float64 {
	t.Helper()
	return checktest.Value(t, f, "delta_e")
}

func TestShadeAgainstAColorAndTheReference(t *testing.T) {
	left := raster.Rect(5, 5, 40, 50)
	none := raster.Picture{}
	assert.InDelta(t, 0, deltaE(t, shadeOf(t, ShadeSettings{Region: left, Color: "#c81e28"}, none, halves(0, 0, 0), raster.Identity())), 1e-9)
	want := DeltaE(FromSRGB(0, 0, 255), FromSRGB(200, 30, 40))
	assert.InDelta(t, want, deltaE(t, shadeOf(t, ShadeSettings{Region: left, Color: "#0000ff"}, none, halves(0, 0, 0), raster.Identity())), 1e-9)
	ref := halves(10, 200, 30)
	assert.InDelta(t, 0, deltaE(t, shadeOf(t, ShadeSettings{Region: left}, ref, halves(1, 2, 3), raster.Identity())), 1e-9)
	moved := raster.Transform{A: 1, X: 50}
	f := shadeOf(t, ShadeSettings{Region: left}, ref, halves(201, 31, 41), moved)
	assert.Less(t, deltaE(t, f), 1.0, "a difference that no eye sees, where the datum leads")
	assert.Contains(t, string(f.Sentence), "color difference 0.")
	f = shadeOf(t, ShadeSettings{Region: left}, ref, halves(10, 200, 30), moved)
	assert.Greater(t, deltaE(t, f), 40.0)
}

// The mean is that of the light: half black and half white is lighter than sRGB's half.
func TestShadeMixesLight(t *testing.T) {
	g := raster.NewGray(100, 10)
	for i := range g.Pix {
		g.Pix[i] = uint8(255 * (i % 2))
	}
	f := shadeOf(t, ShadeSettings{Region: raster.Rect(0, 0, 100, 10), Color: "#bcbcbc"}, raster.Picture{}, raster.Picture{Gray: g}, raster.Identity())
	assert.Less(t, deltaE(t, f), 0.2)
	a, _ := f.Value("a")
	assert.InDelta(t, 0, a, 1e-9, "a gray picture has no color")
}

func TestShadeRefusesWhatCannotBeTaughtOrSeen(t *testing.T) {
	_, err := Shade.Teach(&check.Teaching{}, &ShadeSettings{Region: raster.Rect(0, 0, 5, 5)})
	assert.ErrorContains(t, err, "give a color, or the recipe a reference picture")
	_, err = Shade.Teach(&check.Teaching{Picture: halves(0, 0, 0)}, &ShadeSettings{Region: raster.Rect(90, 0, 20, 5)})
	assert.ErrorContains(t, err, "50 % of it lies outside the reference picture")
	f := shadeOf(t, ShadeSettings{Region: raster.Rect(90, 0, 20, 5), Color: "#123456"}, raster.Picture{}, halves(0, 0, 0), raster.Identity())
	assert.Equal(t, check.Fault, f.Outcome)
}
