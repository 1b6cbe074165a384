package color

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"ricetta/core/check"
	"ricetta/core/check/checktest"
	"ricetta/core/raster"
)

// The 34 pairs of Sharma, Wu and Dalal (2005), table 1: two colors and their ΔE00 to
// four decimals. They go through every branch of the formula.
var sharma = [][7]float64{
	{50, 2.6772, -79.7751, 50, 0, -82.7485, 2.0425},
	{50, 3.1571, -77.2803, 50, 0, -82.7485, 2.8615},
	{50, 2.8361, -74.0200, 50, 0, -82.7485, 3.4412},
	{50, -1.3802, -84.2814, 50, 0, -82.7485, 1.0000},
	{50, -1.1848, -84.8006, 50, 0, -82.7485, 1.0000},
	{50, -0.9009, -85.5211, 50, 0, -82.7485, 1.0000},
	{50, 0, 0, 50, -1, 2, 2.3669},
	{50, -1, 2, 50, 0, 0, 2.3669},
	{50, 2.4900, -0.0010, 50, -2.4900, 0.0009, 7.1792},
	{50, 2.4900, -0.0010, 50, -2.4900, 0.0010, 7.1792},
	{50, 2.4900, -0.0010, 50, -2.4900, 0.0011, 7.2195},
	{50, 2.4900, -0.0010, 50, -2.4900, 0.0012, 7.2195},
	{50, -0.0010, 2.4900, 50, 0.0009, -2.4900, 4.8045},
	{50, -0.0010, 2.4900, 50, 0.0010, -2.4900, 4.8045},
	{50, -0.0010, 2.4900, 50, 0.0011, -2.4900, 4.7461},
	{50, 2.5000, 0, 50, 0, -2.5000, 4.3065},
	{50, 2.5000, 0, 73, 25, -18, 27.1492},
	{50, 2.5000, 0, 61, -5, 29, 22.8977},
	{50, 2.5000, 0, 56, -27, -3, 31.9030},
	{50, 2.5000, 0, 58, 24, 15, 19.4535},
	{50, 2.5000, 0, 50, 3.1736, 0.5854, 1.0000},
	{50, 2.5000, 0, 50, 3.2972, 0, 1.0000},
	{50, 2.5000, 0, 50, 1.8634, 0.5757, 1.0000},
	{50, 2.5000, 0, 50, 3.2592, 0.3350, 1.0000},
	{60.2574, -34.0099, 36.2677, 60.4626, -34.1751, 39.4387, 1.2644},
	{63.0109, -31.0961, -5.8663, 62.8187, -29.7946, -4.0864, 1.2630},
	{61.2901, 3.7196, -5.3901, 61.4292, 2.2480, -4.9620, 1.8731},
	{35.0831, -44.1164, 3.7933, 35.0232, -40.0716, 1.5901, 1.8645},
	{22.7233, 20.0904, -46.6940, 23.0331, 14.9730, -42.5619, 2.0373},
	{36.4612, 47.8580, 18.3852, 36.2715, 50.5065, 21.2231, 1.4146},
	{90.8027, -2.0831, 1.4410, 91.1528, -1.6435, 0.0447, 1.4441},
	{90.9257, -0.5406, -0.9208, 88.6381, -0.8985, -0.7239, 1.5381},
	{6.7747, -0.2908, -2.4247, 5.8714, -0.0985, -2.2286, 0.6377},
	{2.0776, 0.0795, -1.1350, 0.9033, -0.0636, -0.5514, 0.9082},
}

func TestDeltaEOnThePublishedPairs(t *testing.T) {
	for i, p := range sharma {
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
