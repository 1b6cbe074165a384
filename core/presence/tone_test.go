package presence

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ricetta/core/check"
	"ricetta/core/check/checktest"
	"ricetta/core/raster"
)

func ptr(v int) *int { return &v }

// board is a picture whose left third is dark (50), the rest light (200).
func board() raster.Picture {
	g := raster.NewGray(300, 100)
	for y := range 100 {
		for x := range 300 {
			g.Row(y)[x] = 200
			if x < 100 {
				g.Row(y)[x] = 50
			}
		}
	}
	return raster.Picture{Gray: g}
}

func judge(t *testing.T, s ToneSettings, on raster.Transform) *check.Finding {
	return checktest.Judge(t, Tone, &s, raster.Picture{}, board(), on)
}

func TestToneShare(t *testing.T) {
	for name, tc := range map[string]struct {
		region raster.Region
		band   raster.ToneBand
		on     raster.Transform
		want   float64
	}{
		"half dark":                {raster.Rect(50, 10, 100, 40), raster.ToneBand{Most: ptr(50)}, raster.Identity(), 0.5},
		"band ends are included":   {raster.Rect(0, 0, 300, 100), raster.ToneBand{Least: ptr(200), Most: ptr(200)}, raster.Identity(), 2.0 / 3},
		"nothing in the band":      {raster.Rect(0, 0, 300, 100), raster.ToneBand{Least: ptr(51), Most: ptr(199)}, raster.Identity(), 0},
		"rides on its datum":       {raster.Rect(50, 10, 100, 40), raster.ToneBand{Most: ptr(50)}, raster.Transform{A: 1, X: 50}, 0},
		"turned a quarter with it": {raster.Rect(-10, -200, 40, 200), raster.ToneBand{Most: ptr(60)}, raster.Transform{B: 1, X: 0, Y: 50}, 0.5},
	} {
		f := judge(t, ToneSettings{Region: tc.region, Tone: tc.band}, tc.on)
		share, ok := f.Value("share")
		require.True(t, ok, name)
		assert.InDelta(t, tc.want, share, 1e-12, name)
	}
}

func TestToneOutsideThePictureIsAFault(t *testing.T) {
	f := judge(t, ToneSettings{Region: raster.Rect(250, 10, 100, 40), Tone: raster.ToneBand{Least: ptr(1)}}, raster.Identity())
	assert.Equal(t, check.Fault, f.Outcome)
	assert.Equal(t, "its region lies 50 % outside the picture", string(f.Sentence))
	assert.Empty(t, f.Readings)
}

func TestToneSettingsAreValidated(t *testing.T) {
	ok := raster.Rect(0, 0, 5, 5)
	assert.ErrorContains(t, (&ToneSettings{Region: ok}).Validate(), "tone: no band is given")
	assert.ErrorContains(t, (&ToneSettings{Region: ok, Tone: raster.ToneBand{Least: ptr(9), Most: ptr(2)}}).Validate(), "exchange them")
	assert.ErrorContains(t, (&ToneSettings{Tone: raster.ToneBand{Least: ptr(9)}}).Validate(), "region: 0 forms are given")
}

func TestToneAgainstTheReference(t *testing.T) {
	s := ToneSettings{Region: raster.Rect(50, 10, 100, 40), Tone: raster.ToneBand{Most: ptr(60)}}
	f := checktest.Judge(t, Tone, &s, board(), board(), raster.Transform{A: 1, X: -25})
	assert.Equal(t, 3000.0, checktest.Value(t, f, "pixels"))
	assert.Equal(t, 1.5, checktest.Value(t, f, "relative"))
	f = judge(t, s, raster.Identity())
	_, taken := f.Value("relative")
	assert.False(t, taken, "without a reference picture there is nothing to relate to")
}
