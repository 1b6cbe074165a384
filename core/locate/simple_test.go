package locate

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ricetta/core/check"
	"ricetta/core/check/checktest"
	"ricetta/core/edge"
	"ricetta/core/raster"
	"ricetta/internal/drawn"
)

// shapes paints outlines, light on dark.
func shapes(noise float64, seed uint64, outlines ...[]raster.Point) raster.Picture {
	return raster.Picture{Gray: drawn.Outlines(480, 360, 70, 170, noise, rand.New(rand.NewPCG(seed, 3)), outlines...)}
}

func place(t testing.TB, f *check.Finding) (x, y, angle, size float64) {
	t.Helper()
	require.Equal(t, check.OK, f.Outcome, "%s", f.Sentence)
	return checktest.Value(t, f, "x"), checktest.Value(t, f, "y"), checktest.Value(t, f, "angle"), checktest.Value(t, f, "size")
}

func TestEdgesFollowACorner(t *testing.T) {
	corner := raster.Rect(150, 120, 600, 600)
	ref := shapes(1, 1, corner.Outline(raster.Identity(), nil))
	s := Edges.New().(*EdgesSettings)
	s.Edges = []edge.Settings{{Arrow: []float64{300, 80, 300, 160}, Width: 200}, {Arrow: []float64{110, 240, 190, 240}, Width: 160}}
	for _, at := range []raster.Pose{{X: 150, Y: 120, Size: 1}, {X: 157.3, Y: 111.6, Angle: 2.5, Size: 1}, {X: 140.2, Y: 125.1, Angle: -4, Size: 1}} {
		m := raster.Moving(raster.Point{X: 150, Y: 120}, at)
		f := checktest.Judge(t, Edges, s, ref, shapes(3, 5, corner.Outline(m, nil)), raster.Identity())
		x, y, angle, _ := place(t, f)
		assert.InDelta(t, at.X, x, 0.1)
		assert.InDelta(t, at.Y, y, 0.1)
		assert.InDelta(t, at.Angle, angle, 0.05)
	}
	f := checktest.Judge(t, Edges, s, ref, shapes(3, 5), raster.Identity())
	assert.Equal(t, check.Failed, f.Outcome)
	assert.Contains(t, string(f.Sentence), "not found (nothing comes near it; a score of at least 0.6 wanted)")

	s.Edges = s.Edges[:1]
	f = checktest.Judge(t, Edges, s, ref, shapes(3, 5, corner.Outline(raster.Transform{A: 1, X: 30, Y: 7.4}, nil)), raster.Identity())
	x, y, angle, _ := place(t, f)
	assert.InDelta(t, 300, x, 0.05, "one edge says nothing about the way along it")
	assert.InDelta(t, 127.4, y, 0.05)
	assert.Equal(t, 0.0, angle)
	_, err := Edges.Teach(&check.Teaching{Picture: shapes(1, 1), Reference: shapes(1, 1).Gray}, s)
	assert.ErrorContains(t, err, "there is no straight edge")
}

func TestEdgesRideOnADatum(t *testing.T) {
	corner := raster.Rect(150, 120, 600, 600)
	ref := shapes(1, 1, corner.Outline(raster.Identity(), nil))
	s := Edges.New().(*EdgesSettings)
	s.Edges = []edge.Settings{{Arrow: []float64{300, 80, 300, 160}, Width: 200}, {Arrow: []float64{110, 240, 190, 240}, Width: 160}}
	// The datum below says roughly where the corner lies.
	rough := raster.Moving(raster.Point{X: 240, Y: 180}, raster.Pose{X: 240, Y: 180, Angle: 30, Size: 1})
	really := raster.Moving(raster.Point{X: 240, Y: 180}, raster.Pose{X: 246, Y: 176, Angle: 32, Size: 1})
	f := checktest.Judge(t, Edges, s, ref, shapes(2, 1, corner.Outline(really, nil)), rough)
	x, y, angle, _ := place(t, f)
	want := really.Apply(raster.Point{X: 150, Y: 120})
	assert.InDelta(t, want.X, x, 0.1)
	assert.InDelta(t, want.Y, y, 0.1)
	assert.InDelta(t, 2, angle, 0.05, "against the datum it rides on")
}

func TestDiscIsFoundAmongOthers(t *testing.T) {
	ref := shapes(1, 1, drawn.Round(200, 150, 40))
	s := Disc.New().(*DiscSettings)
	s.Region = raster.Circle(203, 148, 38)
	rng := rand.New(rand.NewPCG(4, 9))
	for i := range uint64(20) {
		x, y, r := 130+rng.Float64()*250, 80+rng.Float64()*200, 37+rng.Float64()*6
		others := [][]raster.Point{drawn.Round(x, y, r), drawn.Round(x+80, y-55, 20), raster.Rect(20, 20, 50, 300).Outline(raster.Identity(), nil)}
		if i%2 == 0 { // a fifth of the border is covered
			others = append(others, raster.Rect(x+r*0.75, y-30, 40, 60).Outline(raster.Identity(), nil))
		}
		f := checktest.Judge(t, Disc, s, ref, shapes(4, i, others...), raster.Identity())
		gx, gy, angle, size := place(t, f)
		assert.InDelta(t, x, gx, 0.12)
		assert.InDelta(t, y, gy, 0.12)
		assert.InDelta(t, r/40, size, 0.004)
		assert.Equal(t, 0.0, angle)
	}
	f := checktest.Judge(t, Disc, s, ref, shapes(4, 1, drawn.Round(200, 150, 20), raster.Rect(250, 80, 80, 80).Outline(raster.Identity(), nil)), raster.Identity())
	assert.Equal(t, check.Failed, f.Outcome, "neither a small disc nor a square: %s", f.Sentence)
	f = checktest.Judge(t, Disc, s, ref, raster.Picture{Gray: raster.NewGray(1, 1)}, raster.Identity())
	assert.Equal(t, check.Failed, f.Outcome)
	s.Search = &raster.Region{Shape: raster.Rect(0, 0, 150, 360).Shape}
	f = checktest.Judge(t, Disc, s, ref, shapes(4, 1, drawn.Round(200, 150, 40)), raster.Identity())
	assert.Equal(t, check.Failed, f.Outcome, "outside its search area")
	_, err := Disc.Teach(&check.Teaching{Picture: shapes(1, 1), Reference: shapes(1, 1).Gray}, s)
	assert.ErrorContains(t, err, "there is no circle on the reference")
}

func TestSpotTellsItsTurn(t *testing.T) {
	drop := raster.Polygon([2]float64{120, 150}, [2]float64{300, 162}, [2]float64{300, 178}, [2]float64{120, 190}, [2]float64{100, 170})
	ref := shapes(1, 1, drop.Outline(raster.Identity(), nil))
	s := Spot.New().(*SpotSettings)
	least := 120
	s.Region, s.Tone = raster.Rect(80, 130, 240, 80), raster.ToneBand{Least: &least}
	center := raster.Point{X: 240, Y: 170}
	for _, at := range []raster.Pose{{X: 240, Y: 170, Size: 1}, {X: 200, Y: 200, Angle: 71, Size: 1}, {X: 250, Y: 180, Angle: -160, Size: 1.1}, {X: 230, Y: 170, Angle: 95, Size: 0.9}} {
		m := raster.Moving(center, at)
		f := checktest.Judge(t, Spot, s, ref, shapes(3, 7, drop.Outline(m, nil), drawn.Round(440, 40, 20)), raster.Identity())
		_, _, angle, size := place(t, f)
		assert.InDelta(t, 0, raster.WrapAngle(angle-at.Angle), 0.3)
		assert.InDelta(t, at.Size, size, 0.01)
	}
	f := checktest.Judge(t, Spot, s, ref, shapes(3, 7, drawn.Round(240, 170, 63)), raster.Identity())
	assert.Equal(t, check.Failed, f.Outcome, "a disc of that size is no drop: %s", f.Sentence)
	f = checktest.Judge(t, Spot, s, ref, shapes(0, 7), raster.Identity())
	assert.Equal(t, "not found (nothing comes near it; a score of at least 0.6 wanted)", string(f.Sentence))
	s.Turn = 30
	f = checktest.Judge(t, Spot, s, ref, shapes(3, 7, drop.Outline(raster.Moving(center, raster.Pose{X: 240, Y: 170, Angle: 60, Size: 1}), nil)), raster.Identity())
	assert.Equal(t, "not found (the largest spot is turned too far)", string(f.Sentence))

	teaching := check.Teaching{Picture: shapes(0, 1, drawn.Round(200, 170, 40))}
	teaching.Reference = teaching.Picture.Gray
	s.Turn = 180
	_, err := Spot.Teach(&teaching, s)
	require.NoError(t, err)
	require.Len(t, teaching.Warnings, 2, "a disc has no turn and no ends")
}
