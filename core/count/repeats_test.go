package count

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"

	"ricetta/core/check"
	"ricetta/core/check/checktest"
	"ricetta/core/raster"
)

// clips draws n of 12 clips, each a little turned, and some litter of other form.
func clips(n int, seed uint64) raster.Picture {
	g := raster.NewGray(480, 360)
	for i := range g.Pix {
		g.Pix[i] = 60
	}
	rng := rand.New(rand.NewPCG(seed, 1))
	for i := range 12 {
		at := raster.Pose{X: 60 + 110*float64(i%4), Y: 70 + 100*float64(i/4), Angle: rng.Float64()*20 - 10, Size: 1}
		if i == 0 {
			at.Angle = 0
		}
		m := raster.Moving(raster.Point{X: 0, Y: 0}, at)
		if i >= n {
			paint(g, raster.Circle(0, 0, 14), m)
			continue
		}
		paint(g, raster.Rect(-30, -16, 60, 10), m)
		paint(g, raster.Rect(-30, -16, 10, 32), m)
		paint(g, raster.Rect(-30, 6, 40, 10), m)
	}
	g.Blur(2)
	return raster.Picture{Gray: g}
}

func TestRepeatsCountsWhatIsThere(t *testing.T) {
	for _, by := range []string{"outline", "patch"} {
		s := Repeats.New().(*RepeatsSettings)
		s.Region, s.By = raster.Rect(20, 45, 80, 50), by
		for _, n := range []int{12, 11, 4, 0} {
			f := checktest.Judge(t, Repeats, s, clips(12, 1), clips(n, 7), raster.Identity())
			if n == 0 { // the twelfth is drawn straight, where the taught one lies
				assert.LessOrEqual(t, checktest.Value(t, f, "count"), 0.0, by)
				continue
			}
			assert.Equal(t, float64(n), checktest.Value(t, f, "count"), "%s: %s", by, f.Sentence)
			assert.Len(t, f.Rows, n)
			assert.GreaterOrEqual(t, checktest.Value(t, f, "score_least"), 0.6)
		}
		s.Search = &raster.Region{Shape: raster.Rect(0, 0, 480, 120).Shape}
		f := checktest.Judge(t, Repeats, s, clips(12, 1), clips(12, 9), raster.Identity())
		assert.Equal(t, 4.0, checktest.Value(t, f, "count"), "the first row")
		s.Distance = 200
		f = checktest.Judge(t, Repeats, s, clips(12, 1), clips(12, 9), raster.Identity())
		assert.Equal(t, 2.0, checktest.Value(t, f, "count"), "no nearer than 200 to a better one")
	}
	_, err := Repeats.Teach(&check.Teaching{Picture: clips(12, 1), Reference: clips(12, 1).Gray}, &RepeatsSettings{Region: raster.Rect(110, 40, 20, 20), By: "outline"})
	assert.ErrorContains(t, err, "choose a region with a clearer outline")
}
