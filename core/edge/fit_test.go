package edge

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ricetta/core/raster"
)

// A third of the points of a line or a circle may be anywhere: they do not pull it.
func TestFitsIgnoreOutliers(t *testing.T) {
	rng := rand.New(rand.NewPCG(4, 2))
	for range 50 {
		turn := rng.Float64() * 360
		s, c := raster.SinCos(turn)
		var line, round []raster.Point
		for i := range 36 {
			noise := rng.NormFloat64() * 0.05
			at := float64(i)*5 - 90
			p := raster.Point{X: 200 + at*c - noise*s, Y: 150 + at*s + noise*c}
			a := float64(i) * 10
			sa, ca := raster.SinCos(a)
			q := raster.Point{X: 310.4 + (80.3+noise)*ca, Y: 200.7 + (80.3+noise)*sa}
			if i%3 == 0 {
				p.X, p.Y = p.X+rng.Float64()*40-10, p.Y+rng.Float64()*40-10
				q = raster.Point{X: 310.4 + (60+rng.Float64()*15)*ca, Y: 200.7 + (60+rng.Float64()*15)*sa}
			}
			line, round = append(line, p), append(round, q)
		}
		l, near, ok := FitLine(line)
		require.True(t, ok)
		assert.GreaterOrEqual(t, near, 24)
		assert.InDelta(t, 0, l.Distance(raster.Point{X: 200, Y: 150}), 0.06)
		assert.InDelta(t, 0, math.Sin((l.Angle()-turn)*math.Pi/180), 0.002)
		fit, near, ok := FitCircle(round, make([]float64, len(round)))
		require.True(t, ok)
		assert.InDelta(t, 24, near, 1)
		assert.InDelta(t, 310.4, fit.Center.X, 0.06)
		assert.InDelta(t, 200.7, fit.Center.Y, 0.06)
		assert.InDelta(t, 80.3, fit.Radius, 0.06)
	}
}

func TestFitsOfNothing(t *testing.T) {
	same := make([]raster.Point, 9)
	_, _, ok := FitLine(same)
	assert.False(t, ok)
	_, _, ok = FitCircle(same, make([]float64, 9))
	assert.False(t, ok)
	_, _, ok = FitLine(nil)
	assert.False(t, ok)
	for i := range same {
		same[i] = raster.Point{X: float64(i) * 3, Y: float64(i)}
	}
	_, _, ok = FitCircle(same, make([]float64, 9))
	assert.False(t, ok, "points on a line")
}

func TestLinesMeet(t *testing.T) {
	a := Line{raster.Point{X: 0, Y: 10}, raster.Point{X: 1}}
	p, ok := a.Meet(Line{raster.Point{X: 7, Y: -5}, raster.Point{Y: 1}})
	assert.True(t, ok)
	assert.Equal(t, raster.Point{X: 7, Y: 10}, p)
	_, ok = a.Meet(Line{raster.Point{X: 3, Y: 3}, raster.Point{X: 1, Y: 1e-4}})
	assert.False(t, ok)
	assert.Equal(t, 5.0, a.Distance(raster.Point{X: 3, Y: 15}), "below is to the right of a line to the right")
}

func TestLensUndoesItself(t *testing.T) {
	l := raster.Lens{Center: raster.Point{X: 640, Y: 480}, Reach: 800, Bend: -0.08}
	for _, p := range []raster.Point{{X: 0, Y: 0}, {X: 640, Y: 480}, {X: 1200, Y: 30}} {
		q := l.Straight(l.Bent(p))
		assert.InDelta(t, p.X, q.X, 1e-6)
		assert.InDelta(t, p.Y, q.Y, 1e-6)
	}
}
