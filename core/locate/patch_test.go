package locate

import (
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ricetta/core/check"
	"ricetta/core/raster"
	"ricetta/internal/drawn"
)

// woven draws a piece of cloth, 180 by 130 with its center at the pose, on other cloth.
type woven struct {
	at           raster.Pose
	absent       bool
	cover        float64 // share of the piece's width hidden from its left
	gain, offset float64
	noise        float64
}

func (w woven) draw(seed uint64) *raster.Gray {
	rng := rand.New(rand.NewPCG(seed, 5))
	piece, ground := drawn.Cloth(1, 9, 8), drawn.Cloth(seed+1000, 9, 8)
	g := raster.NewGray(640, 480)
	back := raster.Moving(raster.Point{}, w.at).Inverse()
	for y := range g.H {
		for x := range g.W {
			p := back.Apply(raster.Point{X: float64(x) + 0.5, Y: float64(y) + 0.5})
			v := ground(float64(x), float64(y))
			if !w.absent && math.Abs(p.X) < 90 && math.Abs(p.Y) < 65 {
				v = piece(p.X, p.Y)
				if p.X < -90+180*w.cover {
					v = 20
				}
			}
			v = (v+128)*w.gain + w.offset + rng.NormFloat64()*w.noise
			g.Row(y)[x] = uint8(min(max(v+0.5, 0), 255))
		}
	}
	return g
}

func taughtPatch(t testing.TB, turn float64) *patchJudge {
	ref := woven{at: raster.Pose{X: 320, Y: 240, Size: 1}, gain: 1}.draw(1)
	s := Patch.New().(*PatchSettings)
	s.Region, s.Turn = raster.Rect(245, 185, 150, 110), turn
	require.NoError(t, s.Validate())
	teaching := check.Teaching{Picture: raster.Picture{Gray: ref}, Reference: ref}
	taught, err := Patch.Teach(&teaching, s)
	require.NoError(t, err)
	assert.Empty(t, teaching.Warnings)
	return taught.NewJudge().(*patchJudge)
}

func judgePatch(j check.Judge, g *raster.Gray) *check.Finding {
	var in check.Input
	in.Reset(raster.Picture{Gray: g})
	f := new(check.Finding)
	f.Reset()
	j.Judge(&in, f)
	return f
}

// In changed light, with noise, turned, and a third covered: found, and to a tenth of
// a pixel; nothing where it is absent.
func TestPatchIsFound(t *testing.T) {
	for name, tc := range map[string]struct {
		turn  float64
		scene woven
	}{
		"as it comes":       {20, woven{gain: 1, noise: 3}},
		"darker, low":       {20, woven{gain: 0.5, offset: 20, noise: 3}},
		"all round":         {180, woven{gain: 0.8, offset: 30, noise: 5}},
		"a quarter covered": {20, woven{gain: 1, noise: 3, cover: 0.25}},
	} {
		j := taughtPatch(t, tc.turn)
		rng := rand.New(rand.NewPCG(3, 8))
		var offs, turns []float64
		n := 0
		for i := range uint64(8) {
			s := tc.scene
			s.at = raster.Pose{X: 200 + rng.Float64()*240, Y: 160 + rng.Float64()*160, Angle: (rng.Float64()*2 - 1) * tc.turn, Size: 1}
			f := judgePatch(j, s.draw(i))
			if f.Outcome != check.OK {
				continue
			}
			n++
			x, _ := f.Value("x")
			y, _ := f.Value("y")
			a, _ := f.Value("angle")
			offs = append(offs, raster.Hypot(x-s.at.X, y-s.at.Y))
			turns = append(turns, math.Abs(raster.WrapAngle(a-s.at.Angle)))
		}
		require.Equal(t, 8, n, name)
		slices.Sort(offs)
		slices.Sort(turns)
		t.Logf("%s: place median %.3f worst %.3f px, turn median %.3f worst %.3f°", name, offs[4], offs[7], turns[4], turns[7])
		assert.Less(t, offs[4], 0.06, name)
		assert.Less(t, offs[7], 0.3, name)
		assert.Less(t, turns[7], 0.2, name)
	}
	j := taughtPatch(t, 180)
	for i := range uint64(6) {
		f := judgePatch(j, woven{absent: true, at: raster.Pose{Size: 1}, gain: 1, noise: 3}.draw(50+i))
		assert.Equal(t, check.Failed, f.Outcome, "other cloth: %s", f.Sentence)
	}
	for _, g := range []*raster.Gray{raster.NewGray(640, 480), raster.NewGray(1, 1), raster.NewGray(30, 30)} {
		assert.Equal(t, check.Failed, judgePatch(j, g).Outcome)
	}
}

func TestPatchRefusesAPlainSurface(t *testing.T) {
	s := Patch.New().(*PatchSettings)
	s.Region = raster.Rect(20, 20, 80, 60)
	_, err := Patch.Teach(&check.Teaching{Picture: shapes(1, 1), Reference: shapes(1, 1).Gray}, s)
	assert.ErrorContains(t, err, "choose a patch with texture or print")
	s.Region = raster.Rect(20, 20, 6, 6)
	_, err = Patch.Teach(&check.Teaching{Picture: shapes(1, 1), Reference: shapes(1, 1).Gray}, s)
	assert.ErrorContains(t, err, "make it larger")
}

func TestRepeatsAreAllFoundOnce(t *testing.T) {
	tile := []raster.Point{{X: -20, Y: -15}, {X: 25, Y: -15}, {X: 25, Y: 5}, {X: 5, Y: 5}, {X: 5, Y: 20}, {X: -20, Y: 20}}
	var outlines [][]raster.Point
	var places []raster.Point
	for i := range 9 {
		at := raster.Pose{X: 80 + 150*float64(i%3), Y: 70 + 110*float64(i/3), Angle: float64(i) * 1.7, Size: 1}
		m := raster.Moving(raster.Point{}, at)
		var o []raster.Point
		for _, p := range tile {
			o = append(o, m.Apply(p))
		}
		outlines, places = append(outlines, o), append(places, raster.Point{X: at.X, Y: at.Y})
	}
	pic := shapes(3, 1, outlines...)
	so := Outline.New().(*OutlineSettings)
	so.Region = raster.Rect(50, 45, 65, 55)
	sp := Patch.New().(*PatchSettings)
	sp.Region = so.Region
	center := so.Region.Center()
	for name, k := range map[string]check.Kind{"outline": Outline, "patch": Patch} {
		var settings any = so
		if name == "patch" {
			settings = sp
		}
		teaching := check.Teaching{Picture: pic, Reference: pic.Gray}
		taught, err := k.Teach(&teaching, settings)
		require.NoError(t, err)
		require.NotEmpty(t, teaching.Warnings, "%s: as a datum it would not be unique", name)
		var in check.Input
		in.Reset(pic)
		found, err := RepeatsOf(taught).Find(&in, 30)
		require.NoError(t, err)
		require.Len(t, found, 9, name)
		for i, f := range found {
			m := raster.Moving(center, raster.Pose{X: f.X, Y: f.Y, Angle: f.Angle, Size: 1})
			at := m.Apply(places[0]) // where the tile's own center lies
			near := slices.ContainsFunc(places, func(p raster.Point) bool { return raster.Hypot(p.X-at.X, p.Y-at.Y) < 0.6 })
			assert.True(t, near, "%s %d at %.1f, %.1f", name, i, at.X, at.Y)
		}
	}
}

// A long and narrow patch that may lie anyhow would keep a line waiting: that is told
// at teaching, and with a far larger picture it is a fault.
func TestPatchThatTakesTooLong(t *testing.T) {
	ref := woven{at: raster.Pose{X: 320, Y: 240, Size: 1}, gain: 1}.draw(1)
	s := Patch.New().(*PatchSettings)
	s.Region, s.Turn = raster.Rect(40, 230, 560, 12), 180
	_, err := Patch.Teach(&check.Teaching{Picture: raster.Picture{Gray: ref}, Reference: ref}, s)
	assert.ErrorContains(t, err, "choose a more compact patch")
	j := taughtPatch(t, 180)
	f := judgePatch(j, raster.NewGray(8000, 5000))
	assert.Equal(t, check.Fault, f.Outcome)
	assert.Contains(t, string(f.Sentence), "bound the search area")
}
