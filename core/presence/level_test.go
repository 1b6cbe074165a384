package presence

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"

	"ricetta/core/check"
	"ricetta/core/check/checktest"
	"ricetta/core/raster"
)

// judged runs a kind on a picture, riding on a datum found at on.
func judged(t *testing.T, k check.Kind, settings any, pic raster.Picture, on raster.Transform) *check.Finding {
	t.Helper()
	return checktest.Judge(t, k, settings, raster.Picture{}, pic, on)
}

func value(t *testing.T, f *check.Finding, name string) float64 {
	t.Helper()
	return checktest.Value(t, f, name)
}

func TestLevelMeanAndSpread(t *testing.T) {
	for name, tc := range map[string]struct {
		region       raster.Region
		on           raster.Transform
		mean, spread float64
	}{
		"plain":                      {raster.Rect(0, 0, 80, 80), raster.Identity(), 50, 0},
		"half dark":                  {raster.Rect(50, 10, 100, 40), raster.Identity(), 125, 75},
		"a quarter dark":             {raster.Rect(75, 0, 100, 50), raster.Identity(), 162.5, 75 * math.Sqrt(3) / 2},
		"moved with its datum":       {raster.Rect(50, 10, 100, 40), raster.Transform{A: 1, X: 60}, 200, 0},
		"turned and resized with it": {raster.Rect(-5, -100, 20, 100), raster.Transform{B: 2, X: 0, Y: 50}, 125, 75},
	} {
		f := judged(t, Level, &LevelSettings{Region: tc.region}, board(), tc.on)
		assert.InDelta(t, tc.mean, value(t, f, "mean"), 1e-9, name)
		assert.InDelta(t, tc.spread, value(t, f, "spread"), 1e-9, name)
	}
	f := judged(t, Level, &LevelSettings{Region: raster.Rect(50, 10, 100, 40)}, board(), raster.Identity())
	assert.Equal(t, "mean 125, spread 75", string(f.Sentence))
}

// ruled is a picture with a sharp vertical step of the given height every 20 pixels.
func ruled(step uint8) raster.Picture {
	g := raster.NewGray(200, 100)
	for i := range g.Pix {
		g.Pix[i] = 100
		if i%200/20%2 == 1 {
			g.Pix[i] += step
		}
	}
	return raster.Picture{Gray: g}
}

func TestDetailFindsEdges(t *testing.T) {
	at := raster.Rect(10, 10, 160, 80)
	f := judged(t, Detail, &DetailSettings{Region: at, Step: 10}, ruled(0), raster.Identity())
	assert.Equal(t, 0.0, value(t, f, "share"), "a plain surface")
	assert.Equal(t, 0.0, value(t, f, "strength"))
	// A sharp step shows on the two columns beside it, each seeing half of it a pixel.
	f = judged(t, Detail, &DetailSettings{Region: at, Step: 10}, ruled(60), raster.Identity())
	assert.InDelta(t, 0.1, value(t, f, "share"), 1e-9)
	assert.InDelta(t, 30, value(t, f, "strength"), 1e-9)
	f = judged(t, Detail, &DetailSettings{Region: at, Step: 31}, ruled(60), raster.Identity())
	assert.Equal(t, 0.0, value(t, f, "share"), "too weak for the step that is asked for")
	turned := raster.Moving(raster.Point{X: 90, Y: 50}, raster.Pose{X: 90, Y: 50, Angle: 90, Size: 0.5})
	f = judged(t, Detail, &DetailSettings{Region: at, Step: 10}, ruled(60), turned)
	assert.InDelta(t, 0.1, value(t, f, "share"), 1e-9, "the region follows its datum")
}

// What cannot be judged is a fault, never a number.
func TestDegeneratePresence(t *testing.T) {
	outside, tiny := raster.Rect(180, 80, 200, 100), raster.Rect(10.6, 10.6, 0.3, 0.3)
	for name, run := range map[string]func(r raster.Region, p raster.Picture) *check.Finding{
		"tone": func(r raster.Region, p raster.Picture) *check.Finding {
			return judged(t, Tone, &ToneSettings{Region: r, Tone: raster.ToneBand{Least: ptr(1)}}, p, raster.Identity())
		},
		"level": func(r raster.Region, p raster.Picture) *check.Finding {
			return judged(t, Level, &LevelSettings{Region: r}, p, raster.Identity())
		},
		"detail": func(r raster.Region, p raster.Picture) *check.Finding {
			return judged(t, Detail, &DetailSettings{Region: r, Step: 10}, p, raster.Identity())
		},
	} {
		f := run(outside, ruled(60))
		assert.Equal(t, check.Fault, f.Outcome, name)
		assert.Contains(t, string(f.Sentence), "outside the picture", name)
		f = run(tiny, ruled(60))
		assert.Equal(t, check.Fault, f.Outcome, name)
		assert.Contains(t, string(f.Sentence), "holds no pixel", name)
		f = run(raster.Rect(0, 0, 5, 5), raster.Picture{Gray: raster.NewGray(1, 1)})
		assert.Equal(t, check.Fault, f.Outcome, name+" on one pixel")
		assert.Empty(t, f.Readings, name)
	}
	assert.ErrorContains(t, (&LevelSettings{}).Validate(), "region: ")
	assert.ErrorContains(t, (&DetailSettings{}).Validate(), "region: ")
}
