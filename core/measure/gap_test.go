package measure

import (
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"

	"ricetta/core/check"
	"ricetta/core/check/checktest"
	"ricetta/core/edge"
	"ricetta/core/raster"
)

// bar draws a light bar from x0 to x1 (at any sub-pixel place) on a darker ground,
// moved by t, blurred and with noise.
func bar(x0, x1 float64, t raster.Transform, noise float64, seed uint64) raster.Picture {
	g := raster.NewGray(320, 240)
	for i := range g.Pix {
		g.Pix[i] = 60
	}
	var p raster.Painter
	p.Fill(g, raster.Rect(x0, 60, x1-x0, 120).Outline(t, nil), 160)
	g.Blur(2)
	rng := rand.New(rand.NewPCG(seed, 5))
	for i, v := range g.Pix {
		g.Pix[i] = uint8(min(max(float64(v)+rng.NormFloat64()*noise+0.5, 0), 255))
	}
	return raster.Picture{Gray: g}
}

var across = GapSettings{
	From: edge.Settings{Arrow: []float64{70, 120, 130, 120}, Width: 30, Look: edge.Look{Polarity: "to_light"}},
	To:   edge.Settings{Arrow: []float64{170, 120, 230, 120}, Width: 30, Look: edge.Look{Polarity: "to_dark"}},
}

func judged(t testing.TB, s GapSettings, pic raster.Picture, on raster.Transform) *check.Finding {
	t.Helper()
	return checktest.Judge(t, Gap, &s, raster.Picture{}, pic, on)
}

func distance(t testing.TB, f *check.Finding) float64 {
	t.Helper()
	return checktest.Value(t, f, "distance")
}

// Sub-pixel, at noise of 5 gray values: the median error of both edges together stays
// below 0.03 px.
func TestGapIsExact(t *testing.T) {
	rng := rand.New(rand.NewPCG(1, 9))
	var errs []float64
	for i := range uint64(60) {
		x0, x1 := 95+rng.Float64()*10, 195+rng.Float64()*10
		errs = append(errs, math.Abs(distance(t, judged(t, across, bar(x0, x1, raster.Identity(), 5, i), raster.Identity()))-(x1-x0)))
	}
	slices.Sort(errs)
	t.Logf("distance: median error %.4f px, worst %.4f px", errs[30], errs[59])
	assert.Less(t, errs[30], 0.03)
	assert.Less(t, errs[59], 0.12)
}

func TestGapFollowsItsDatum(t *testing.T) {
	for _, pose := range []raster.Pose{{X: 160, Y: 120, Angle: 30, Size: 1}, {X: 150, Y: 118, Angle: -145, Size: 1}, {X: 160, Y: 120, Angle: 90, Size: 0.7}} {
		on := raster.Moving(raster.Point{X: 160, Y: 120}, pose)
		f := judged(t, across, bar(101.3, 204.6, on, 0, 1), on)
		assert.InDelta(t, 103.3*pose.Size, distance(t, f), 0.04, "%+v", pose)
		s, _ := f.Value("from_strength")
		assert.Greater(t, s, 60.0, "towards light along the arrow, however it lies")
		s, _ = f.Value("to_strength")
		assert.Less(t, s, -60.0)
	}
}

// Three bars on one arrow: the first, the last and the strongest edge.
func TestGapChoosesAmongEdges(t *testing.T) {
	g := raster.NewGray(300, 100)
	var p raster.Painter
	for i, tone := range []uint8{60, 200, 90} {
		p.Fill(g, raster.Rect(40+80*float64(i), 0, 20, 100).Outline(raster.Identity(), nil), tone)
	}
	g.Blur(2)
	at := func(take, polarity string) float64 {
		s := GapSettings{
			From: edge.Settings{Arrow: []float64{10, 50, 290, 50}, Look: edge.Look{Polarity: "to_light", Take: "first"}},
			To:   edge.Settings{Arrow: []float64{10, 50, 290, 50}, Look: edge.Look{Polarity: polarity, Take: take}},
		}
		return 40 + distance(t, judged(t, s, raster.Picture{Gray: g}, raster.Identity()))
	}
	assert.InDelta(t, 40, at("first", "either"), 0.03)
	assert.InDelta(t, 60, at("first", "to_dark"), 0.03)
	assert.InDelta(t, 220, at("last", "either"), 0.03)
	assert.InDelta(t, 200, at("last", "to_light"), 0.03)
	assert.InDelta(t, 120, at("strongest", "to_light"), 0.03)
	assert.InDelta(t, 140, at("strongest", "to_dark"), 0.03)
}

// Arrows beside each other measure along the first one, not across.
func TestGapBetweenArrowsSideBySide(t *testing.T) {
	s := across
	s.To.Arrow = []float64{170, 150, 230, 150}
	assert.InDelta(t, 100, distance(t, judged(t, s, bar(100, 200, raster.Identity(), 0, 1), raster.Identity())), 0.02)
	s.To, s.From = across.From, across.To
	assert.InDelta(t, -100, distance(t, judged(t, s, bar(100, 200, raster.Identity(), 0, 1), raster.Identity())), 0.02, "behind the first")
}

func TestGapWithoutItsEdges(t *testing.T) {
	f := judged(t, across, bar(100, 300, raster.Identity(), 3, 1), raster.Identity())
	assert.Equal(t, check.Failed, f.Outcome)
	assert.Equal(t, "the second edge is not there", string(f.Sentence))
	f = judged(t, across, raster.Picture{Gray: raster.NewGray(320, 240)}, raster.Identity())
	assert.Equal(t, "the first edge is not there", string(f.Sentence), "a flat picture")
	f = judged(t, across, bar(100, 200, raster.Identity(), 0, 1), raster.Transform{A: 1, X: 250})
	assert.Equal(t, check.Fault, f.Outcome)
	assert.Contains(t, string(f.Sentence), "reaches outside the picture")
	f = judged(t, across, raster.Picture{Gray: raster.NewGray(1, 1)}, raster.Identity())
	assert.Equal(t, check.Fault, f.Outcome)
	for want, arrow := range map[string][]float64{"from/arrow: it is 5.0 pixels long": {0, 0, 3, 4}, "from/arrow: give four": {1}, "within": {0, 0, math.NaN(), 1}} {
		s := across
		s.From.Arrow = arrow
		assert.ErrorContains(t, s.Validate(), want)
	}
}
