package measure

import (
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ricetta/core/check"
	"ricetta/core/check/checktest"
	"ricetta/core/edge"
	"ricetta/core/raster"
	"ricetta/internal/drawn"
)

// board draws outlines, light on dark.
func board(noise float64, seed uint64, outlines ...[]raster.Point) *raster.Gray {
	return drawn.Outlines(400, 320, 60, 170, noise, rand.New(rand.NewPCG(seed, 7)), outlines...)
}

func judgeOn(t testing.TB, k check.Kind, settings any, ref, pic *raster.Gray, on raster.Transform) *check.Finding {
	t.Helper()
	return checktest.Judge(t, k, settings, raster.Picture{Gray: ref}, raster.Picture{Gray: pic}, on)
}

func value(t testing.TB, f *check.Finding, name string) float64 {
	t.Helper()
	return checktest.Value(t, f, name)
}

func TestSizeIsExactHoweverItLies(t *testing.T) {
	s := Size.New().(*SizeSettings)
	s.Region = raster.Region{Shape: raster.Shape{Rect: []float64{90, 80, 220, 160}, Turn: 5}}
	item := raster.Region{Shape: raster.Shape{Rect: []float64{110.3, 98.2, 180.5, 120.8}, Turn: 5}}
	for _, fit := range []string{"sides", "farthest"} {
		s.Fit = fit
		for _, pose := range []raster.Pose{{X: 200, Y: 160, Size: 1}, {X: 205, Y: 155, Angle: 33, Size: 1}, {X: 200, Y: 160, Angle: -100, Size: 0.8}} {
			on := raster.Moving(raster.Point{X: 200, Y: 160}, pose)
			f := judgeOn(t, Size, s, nil, board(3, 1, item.Outline(on, nil)), on)
			require.Equal(t, check.OK, f.Outcome, "%s", f.Sentence)
			slack := 0.06
			if fit == "farthest" {
				slack = 0.6 // the farthest of many is where noise is greatest
			}
			assert.InDelta(t, 180.5*pose.Size, value(t, f, "width"), slack, "%s %+v", fit, pose)
			assert.InDelta(t, 120.8*pose.Size, value(t, f, "height"), slack, "%s %+v", fit, pose)
		}
	}
	s.Fit, s.From = "sides", "inside"
	f := judgeOn(t, Size, s, nil, board(3, 1, item.Outline(raster.Identity(), nil)), raster.Identity())
	assert.InDelta(t, 180.5, value(t, f, "width"), 0.06)
	s.Fit = "farthest"
	disc := judgeOn(t, Size, s, nil, board(0, 1, drawn.Round(200, 160, 62)), raster.Identity())
	assert.InDelta(t, 124, value(t, disc, "width"), 0.3, "the farthest points of a disc")
	f = judgeOn(t, Size, s, nil, board(3, 1), raster.Identity())
	assert.Equal(t, "the upper side is not there", string(f.Sentence))
	s.Region = raster.Circle(50, 50, 20)
	assert.ErrorContains(t, s.Validate(), "give a rect")
}

func TestAngle(t *testing.T) {
	for _, want := range []float64{60, 90, 117.3} {
		// A corner at (150, 200), its sides along 0° and -want.
		sin, cos := math.Sincos(-want * math.Pi / 180)
		far := raster.Point{X: 150 + 220*cos, Y: 200 + 220*sin}
		corner := []raster.Point{{X: 150, Y: 200}, {X: 370, Y: 200}, {X: 370 + 220*cos, Y: 200 + 220*sin}, far}
		mid := raster.Point{X: 150 + 70*cos, Y: 200 + 70*sin}
		s := AngleSettings{
			First:  edge.Settings{Arrow: []float64{220, 225, 220, 175}, Width: 80},
			Second: &edge.Settings{Arrow: []float64{mid.X + 20*sin, mid.Y - 20*cos, mid.X - 20*sin, mid.Y + 20*cos}, Width: 80},
		}
		f := judgeOn(t, Angle, &s, nil, board(3, 1, corner), raster.Identity())
		assert.InDelta(t, 180-want, value(t, f, "angle"), 0.1, "%s", f.Sentence)
		s.Second = nil
		f = judgeOn(t, Angle, &s, nil, board(3, 1, corner), raster.Moving(raster.Point{X: 220, Y: 200}, raster.Pose{X: 220, Y: 200, Angle: -3, Size: 1}))
		assert.InDelta(t, 3, value(t, f, "angle"), 0.05, "one edge, against the datum")
		assert.GreaterOrEqual(t, value(t, f, "used"), 0.9)
	}
}

func TestGapToALine(t *testing.T) {
	line := raster.Region{Shape: raster.Shape{Rect: []float64{-100, 200, 600, 300}, Turn: 0}}
	on := raster.Moving(raster.Point{X: 200, Y: 200}, raster.Pose{X: 200, Y: 200, Angle: 8, Size: 1})
	pic := board(2, 1, line.Outline(on, nil), raster.Rect(0, 0, 180, 80).Outline(raster.Identity(), nil))
	s := GapSettings{
		From: edge.Settings{Arrow: []float64{200, 40, 160, 40}, Width: 10},
		To:   edge.Settings{Arrow: []float64{200, 160, 200, 240}, Width: 160}, Way: "to_line",
	}
	f := judgeOn(t, Gap, &s, nil, pic, raster.Identity())
	// The point (180, 40) against the line through (200, 200) turned by 8°.
	sin, cos := math.Sincos(8 * math.Pi / 180)
	assert.InDelta(t, math.Abs(cos*(40-200)-sin*(180-200)), value(t, f, "distance"), 0.06)
}

// Center and diameter at noise of 5 gray values, a quarter of the disc covered.
func TestCircleIsExactAndNotPulled(t *testing.T) {
	s := Circle.New().(*CircleSettings)
	s.Region = raster.Ring(200, 160, 60, 110)
	rng := rand.New(rand.NewPCG(8, 1))
	var errs []float64
	for i := range uint64(40) {
		x, y, r := 200+rng.Float64()*8-4, 160+rng.Float64()*8-4, 85+rng.Float64()
		shapes := [][]raster.Point{drawn.Round(x, y, r)}
		if i%2 == 1 {
			shapes = append(shapes, raster.Rect(x+45, y-60, 100, 90).Outline(raster.Identity(), nil))
		}
		f := judgeOn(t, Circle, s, nil, board(5, i, shapes...), raster.Identity())
		require.Equal(t, check.OK, f.Outcome, "%s", f.Sentence)
		errs = append(errs, math.Hypot(value(t, f, "x")-x, value(t, f, "y")-y))
		assert.InDelta(t, 2*r, value(t, f, "diameter"), 0.15)
		assert.Less(t, value(t, f, "roundness"), 3.0)
		if i%2 == 1 {
			assert.Less(t, value(t, f, "seen"), 0.9)
		}
	}
	slices.Sort(errs)
	t.Logf("center: median error %.4f px, worst %.4f", errs[20], errs[39])
	assert.Less(t, errs[20], 0.03)
	f := judgeOn(t, Circle, s, nil, board(4, 1), raster.Identity())
	assert.Equal(t, "there is no circle", string(f.Sentence))
	f = judgeOn(t, Circle, s, nil, board(4, 1), raster.Transform{A: 1, X: 150})
	assert.Equal(t, check.Fault, f.Outcome)
	assert.Contains(t, string(f.Sentence), "outside the picture")
	s.Region = raster.Rect(0, 0, 50, 50)
	assert.ErrorContains(t, s.Validate(), "it is no ring")
}

func TestRimFindsBumpsAndNotches(t *testing.T) {
	s := Rim.New().(*RimSettings)
	s.Region = raster.Ring(200, 160, 65, 120)
	bumpy := func(turn float64) func(float64) float64 {
		return func(deg float64) float64 {
			switch d := math.Abs(raster.WrapAngle(deg - turn - 40)); {
			case d < 4:
				return 96
			}
			if d := math.Abs(raster.WrapAngle(deg - turn - 180)); d < 3 { // on the seam of a wrap
				return 82
			}
			return 90
		}
	}
	for _, turn := range []float64{0, 75, 140} {
		on := raster.Moving(raster.Point{X: 200, Y: 160}, raster.Pose{X: 203, Y: 158, Angle: turn, Size: 1})
		f := judgeOn(t, Rim, s, nil, board(3, 2, drawn.Wheel(203.4, 158.2, bumpy(turn))), on)
		require.Equal(t, 1.0, value(t, f, "bumps"), "%s", f.Sentence)
		require.Equal(t, 1.0, value(t, f, "notches"))
		assert.InDelta(t, 8, value(t, f, "highest"), 0.8)
		assert.Equal(t, "notch", f.Rows[0][0].Text)
		assert.InDelta(t, 0, raster.WrapAngle(f.Rows[0][3].Number-180), 3)
		assert.InDelta(t, 40, f.Rows[1][3].Number, 4)
		assert.InDelta(t, 6, f.Rows[1][4].Number, 0.8)
		assert.InDelta(t, 2*math.Pi*90*8/360, f.Rows[1][5].Number, 4)
		assert.GreaterOrEqual(t, value(t, f, "seen"), 0.99)
	}
	sound := judgeOn(t, Rim, s, nil, board(3, 2, drawn.Round(199, 161, 90)), raster.Identity())
	assert.Equal(t, 0.0, value(t, sound, "bumps")+value(t, sound, "notches"))
	assert.Less(t, value(t, sound, "highest"), 1.0)
}

// An outline that is no circle is sound against its taught shape, however it lies, and
// its faults are told from its form.
func TestRimAgainstItsTaughtShape(t *testing.T) {
	flower := func(turn, dent float64) func(float64) float64 {
		return func(deg float64) float64 {
			r := 90 + 6*math.Cos(3*(deg-turn)*math.Pi/180)
			if math.Abs(raster.WrapAngle(deg-turn-100)) < 4 {
				r -= dent
			}
			return r
		}
	}
	s := Rim.New().(*RimSettings)
	s.Region, s.Against = raster.Ring(200, 160, 60, 125), "taught"
	ref := board(1, 1, drawn.Wheel(200, 160, flower(0, 0)))
	for _, turn := range []float64{0, 50} {
		on := raster.Moving(raster.Point{X: 200, Y: 160}, raster.Pose{X: 197.3, Y: 161.8, Angle: turn, Size: 1})
		f := judgeOn(t, Rim, s, ref, board(2, 3, drawn.Wheel(197.3, 161.8, flower(turn, 0))), on)
		assert.Less(t, value(t, f, "highest"), 1.5, "turned by %v", turn)
		f = judgeOn(t, Rim, s, ref, board(2, 3, drawn.Wheel(197.3, 161.8, flower(turn, 7))), on)
		assert.InDelta(t, 7, value(t, f, "highest"), 1)
		assert.Equal(t, "notch", f.Rows[0][0].Text)
	}
	s.Against = "circle"
	f := judgeOn(t, Rim, s, nil, ref, raster.Identity())
	assert.Equal(t, 3.0, value(t, f, "bumps"), "against a circle its petals are bumps")
	s.Against = "taught"
	_, err := Rim.Teach(&check.Teaching{}, s)
	assert.ErrorContains(t, err, "there is no reference picture")
	_, err = Rim.Teach(&check.Teaching{Picture: raster.Picture{Gray: board(1, 1)}, Reference: board(1, 1)}, s)
	assert.ErrorContains(t, err, "draw the ring round the outline")
}

// A piece that is gone, so that there is no edge, is missing and not sound.
func TestRimWithAPieceMissing(t *testing.T) {
	s := Rim.New().(*RimSettings)
	s.Region = raster.Ring(200, 160, 65, 120)
	pic := board(2, 1, drawn.Wheel(200, 160, func(deg float64) float64 {
		if math.Abs(deg-270) < 30 {
			return 40
		}
		return 90
	}))
	f := judgeOn(t, Rim, s, nil, pic, raster.Identity())
	assert.InDelta(t, 1-60.0/360, value(t, f, "seen"), 0.03)
	assert.False(t, f.Readings[3].Within(), "less than the 0.9 that it wants by itself")
	found := slices.ContainsFunc(f.Rows, func(r []check.Cell) bool { return r[0].Text == "missing" && math.Abs(r[5].Number-90*math.Pi/3) < 10 })
	assert.True(t, found, "%v", f.Rows)
}
