package presence

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"

	"ricetta/core/check"
	"ricetta/core/check/checktest"
	"ricetta/core/raster"
)

// emblem draws a small emblem moved by t, with the light l(v) and noise; other is
// another one of the same size.
func emblem(t raster.Transform, other bool, light func(float64) float64, noise float64, seed uint64) raster.Picture {
	g := raster.NewGray(300, 240)
	for i := range g.Pix {
		g.Pix[i] = 130
	}
	var p raster.Painter
	shapes := []raster.Region{raster.Rect(110, 80, 80, 12), raster.Circle(130, 130, 16), raster.Rect(160, 110, 24, 44)}
	if other {
		shapes = []raster.Region{raster.Rect(110, 80, 12, 70), raster.Circle(165, 110, 20), raster.Rect(140, 140, 50, 12)}
	}
	for i, s := range shapes {
		p.Fill(g, s.Outline(t, nil), []uint8{40, 210, 70}[i])
	}
	g.Blur(2)
	rng := rand.New(rand.NewPCG(seed, 1))
	for i, v := range g.Pix {
		g.Pix[i] = uint8(min(max(light(float64(v))+rng.NormFloat64()*noise+0.5, 0), 255))
	}
	return raster.Picture{Gray: g}
}

func plain(v float64) float64 { return v }

func TestLikeness(t *testing.T) {
	ref := emblem(raster.Identity(), false, plain, 0, 1)
	score := func(s LikenessSettings, pic raster.Picture, on raster.Transform) (float64, *check.Finding) {
		f := checktest.Judge(t, Likeness, &s, ref, pic, on)
		return checktest.Value(t, f, "score"), f
	}
	s := LikenessSettings{Region: raster.Rect(100, 70, 100, 100), Shift: 3}
	v, _ := score(s, ref, raster.Identity())
	assert.InDelta(t, 1, v, 1e-9, "itself")
	v, f := score(s, emblem(raster.Transform{A: 1, X: 2.3, Y: -1.6}, false, plain, 0, 1), raster.Identity())
	assert.Greater(t, v, 0.995, "shifted by parts of a pixel")
	assert.InDelta(t, 2.3, checktest.Value(t, f, "dx"), 0.1)
	assert.InDelta(t, -1.6, checktest.Value(t, f, "dy"), 0.1)
	v, _ = score(s, emblem(raster.Identity(), false, func(v float64) float64 { return 0.4*v + 60 }, 2, 1), raster.Identity())
	assert.Greater(t, v, 0.98, "dim light")
	v, _ = score(s, emblem(raster.Transform{A: 1, X: 9}, false, plain, 2, 1), raster.Identity())
	assert.Less(t, v, 0.9, "shifted too far")
	s.Shift = 12
	v, f = score(s, emblem(raster.Transform{A: 1, X: 9, Y: -11}, false, plain, 2, 1), raster.Identity())
	assert.Greater(t, v, 0.97, "within a wide shift")
	assert.InDelta(t, 9, checktest.Value(t, f, "dx"), 0.1)
	s.Shift = 3
	v, _ = score(s, emblem(raster.Identity(), true, plain, 2, 1), raster.Identity())
	assert.Less(t, v, 0.5, "another emblem")
	v, _ = score(s, raster.Picture{Gray: raster.NewGray(300, 240)}, raster.Identity())
	assert.Equal(t, 0.0, v, "a plain surface")
	on := raster.Moving(raster.Point{X: 150, Y: 120}, raster.Pose{X: 160, Y: 110, Angle: 40, Size: 1})
	for _, r := range []raster.Region{s.Region, raster.Circle(150, 120, 52)} {
		s.Region = r
		v, _ = score(s, emblem(on, false, plain, 2, 3), on)
		assert.Greater(t, v, 0.98, "turned with its datum")
	}
}

func TestLikenessOfNothing(t *testing.T) {
	flat := emblem(raster.Identity(), false, func(float64) float64 { return 90 }, 1, 1)
	_, err := Likeness.Teach(&check.Teaching{Picture: flat, Reference: flat.Gray}, &LikenessSettings{Region: raster.Rect(100, 70, 100, 100)})
	assert.ErrorContains(t, err, "use presence.level for a plain surface")
	ref := emblem(raster.Identity(), false, plain, 0, 1)
	f := checktest.Judge(t, Likeness, &LikenessSettings{Region: raster.Rect(100, 70, 100, 100), Shift: 3}, ref, raster.Picture{Gray: raster.NewGray(1, 1)}, raster.Identity())
	assert.Equal(t, check.Fault, f.Outcome)
}
