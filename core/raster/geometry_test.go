package raster

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestSinCosAndAtan2(t *testing.T) {
	for deg := -720.0; deg <= 720; deg += 0.37 {
		s, c := SinCos(deg)
		assert.InDelta(t, math.Sin(deg*math.Pi/180), s, 4e-15, "sin %v", deg)
		assert.InDelta(t, math.Cos(deg*math.Pi/180), c, 4e-15, "cos %v", deg)
		assert.InDelta(t, 0, WrapAngle(Atan2(s, c)-deg), 1e-12, "atan2 at %v", deg)
	}
	s, c := SinCos(90)
	assert.True(t, s == 1 && c == 0, "right angles are exact")
	assert.Equal(t, 180.0, Atan2(0, -1))
	assert.Equal(t, 0.0, Atan2(0, 0))
	s, _ = SinCos(math.Inf(1))
	assert.True(t, math.IsNaN(s))
	assert.Equal(t, 180.0, WrapAngle(-180))
}

func TestRootsAndExp(t *testing.T) {
	for x := 1e-9; x < 1e6; x *= 1.37 {
		assert.InEpsilon(t, math.Cbrt(x), Cbrt(x), 1e-14, "cbrt %v", x)
		assert.InEpsilon(t, math.Pow(x, 2.4), Pow12Fifths(x), 1e-13, "%v^2.4", x)
	}
	for x := -700.0; x <= 700; x += 3.3 {
		assert.InEpsilon(t, math.Exp(x), Exp(x), 1e-14, "exp %v", x)
	}
	assert.Equal(t, 0.0, Cbrt(0))
	for _, x := range []float64{1e-300, 1e-9, 0.3, 0.999, 1, 1.001, 2, 77, 1e18} {
		assert.InDelta(t, math.Log(x), Log(x), 1e-14*max(1, math.Abs(math.Log(x))), "log %v", x)
	}
	assert.Equal(t, 1.0, Exp(0))
}

func TestTransformComposesAndInverts(t *testing.T) {
	rng := rand.New(rand.NewPCG(5, 6))
	for range 200 {
		a := Moving(Point{rng.Float64() * 900, 3}, Pose{rng.Float64() * 900, 7, rng.Float64()*360 - 180, 0.5 + rng.Float64()})
		b := Moving(Point{5, rng.Float64() * 900}, Pose{1, rng.Float64() * 900, rng.Float64()*360 - 180, 0.5 + rng.Float64()})
		p := Point{rng.Float64() * 1000, rng.Float64() * 1000}
		q := a.Then(b).Apply(p)
		r := b.Apply(a.Apply(p))
		assert.InDelta(t, r.X, q.X, 1e-9)
		assert.InDelta(t, r.Y, q.Y, 1e-9)
		back := a.Inverse().Apply(a.Apply(p))
		assert.InDelta(t, p.X, back.X, 1e-9)
		assert.InDelta(t, p.Y, back.Y, 1e-9)
		assert.InDelta(t, a.Size()*b.Size(), a.Then(b).Size(), 1e-12)
	}
	assert.Panics(t, func() { Transform{}.Inverse() })
}

func TestMovingIsClockwise(t *testing.T) {
	// Seen on a screen with y down, a quarter turn clockwise brings right to down.
	m := Moving(Point{10, 10}, Pose{10, 10, 90, 1})
	p := m.Apply(Point{15, 10})
	assert.InDelta(t, 10, p.X, 1e-12)
	assert.InDelta(t, 15, p.Y, 1e-12)
	assert.InDelta(t, 90, m.Angle(), 1e-12)
}

var forms = map[string]Region{
	"rect":    Rect(20.3, 30.7, 40, 25),
	"turned":  {Shape: Shape{Rect: []float64{20, 30, 40, 25}, Turn: 33}},
	"circle":  Circle(50.2, 40.9, 22),
	"ring":    Ring(50, 40, 11.5, 23),
	"polygon": Polygon([2]float64{10, 10}, [2]float64{80, 25}, [2]float64{40, 35}, [2]float64{60, 70}, [2]float64{15, 60}),
	"mask":    {Shape: brush()},
	"holed": {Shape: Rect(10, 15, 70, 50).Shape, Without: []Shape{
		Circle(10, 15, 20).Shape, Ring(50, 40, 5, 12).Shape, brush(), Rect(30, 60, 8, 30).Shape,
	}},
}

// brush is a mask of two strokes that cross, as a person would paint it.
func brush() Shape {
	g := NewGray(100, 80)
	var p Painter
	p.Fill(g, Polygon([2]float64{20, 20}, [2]float64{28, 18}, [2]float64{70, 60}, [2]float64{64, 66}).Outline(Identity(), nil), 255)
	p.Fill(g, Polygon([2]float64{66, 20}, [2]float64{72, 27}, [2]float64{25, 70}, [2]float64{20, 62}).Outline(Identity(), nil), 255)
	s := Shape{Mask: "brush.png"}
	if err := s.SetMask(g); err != nil {
		panic(err)
	}
	return s
}

// Every span pixel has its center inside, every other outside, also when the
// region is turned, resized and hangs over the border.
func TestSpansAreThePixelsWhoseCentersAreInside(t *testing.T) {
	for name, r := range forms {
		require.NoError(t, r.Validate(), name)
		for _, pose := range []Pose{{0, 0, 0, 1}, {7.3, -4.1, 17, 1.3}, {60, 50, -140, 0.7}, {-20, 10, 90, 1}} {
			m := Moving(Point{0, 0}, pose)
			const w, h = 100, 80
			in := [h][w]bool{}
			last := Span{Y: -1}
			for _, s := range r.SpansInto(nil, m, w, h) {
				require.True(t, s.Y > last.Y || s.Y == last.Y && s.X0 > last.X1, "%s: spans are ordered and apart", name)
				require.Less(t, s.X0, s.X1)
				last = s
				for x := s.X0; x < s.X1; x++ {
					in[s.Y][x] = true
				}
			}
			for y := range h {
				for x := range w {
					p := Point{float64(x) + 0.5, float64(y) + 0.5}
					if in[y][x] != r.Contains(m, p) {
						t.Fatalf("%s at %+v: pixel %d,%d in spans: %v", name, pose, x, y, in[y][x])
					}
				}
			}
		}
	}
}

func TestSpansOfNothing(t *testing.T) {
	far := Rect(500, 500, 10, 10)
	assert.Empty(t, far.SpansInto(nil, Identity(), 100, 80))
	assert.Empty(t, far.SpansInto(nil, Transform{A: math.NaN()}, 100, 80))
	assert.Equal(t, 1.0, far.AreaOutside(Identity(), 100, 80))
	assert.Equal(t, 0.5, Rect(90, 0, 20, 10).AreaOutside(Identity(), 100, 80))
	// The corner of a turned rectangle's box may hang out: it is the rectangle that counts.
	diamond := Region{Shape: Shape{Rect: []float64{-2, 0, 30, 30}, Turn: 45}}
	assert.Zero(t, diamond.AreaOutside(Transform{A: 1, X: 9, Y: 7}, 100, 80))
	assert.InDelta(t, 0.5, diamond.AreaOutside(Transform{A: 1, X: -13, Y: 30}, 100, 80), 1e-9)
	assert.ErrorContains(t, new(Shape).SetMask(NewGray(5, 5)), "has no light pixel")
}

func TestRegionValidateSaysTheRemedy(t *testing.T) {
	for want, r := range map[string]Region{
		"give exactly one of rect, circle, ring, polygon": {},
		"give x, y, width, height":                        {Shape: Shape{Rect: []float64{1, 2, 3}}},
		"give a width and a height above 0":               Rect(1, 2, 0, 5),
		"give a radius above 0":                           Circle(1, 1, -2),
		"an outer one above it":                           Ring(1, 1, 5, 5),
		"turn belongs to a rectangle":                     {Shape: Shape{Circle: []float64{1, 1, 2}, Turn: 3}},
		"give at least three":                             Polygon([2]float64{1, 1}, [2]float64{2, 2}),
		"hole 1: circle has no extent; give a radius":     {Shape: Rect(0, 0, 5, 5).Shape, Without: []Shape{Circle(1, 1, 0).Shape}},
		"keep numbers within":                             Rect(math.NaN(), 0, 1, 1),
	} {
		err := r.Validate()
		require.Error(t, err, want)
		assert.Contains(t, err.Error(), want)
	}
}
