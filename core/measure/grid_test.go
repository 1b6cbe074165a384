package measure

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

// grid draws dots 40 pixels apart as a lens shows them.
func grid(lens *raster.Lens, turn float64, dot uint8, skip int) *raster.Gray {
	g := raster.NewGray(960, 720)
	for i := range g.Pix {
		g.Pix[i] = 255 - dot
	}
	rng := rand.New(rand.NewPCG(3, 3))
	m := raster.Moving(raster.Point{}, raster.Pose{X: 470, Y: 366, Angle: turn, Size: 1})
	var p raster.Painter
	n := 0
	for j := -12; j <= 12; j++ {
		for i := -14; i <= 14; i++ {
			if n++; skip > 0 && n%skip == 0 {
				continue
			}
			at := m.Apply(raster.Point{X: 40 * float64(i), Y: 40 * float64(j)})
			var o []raster.Point
			for _, q := range raster.Circle(at.X, at.Y, 9).Outline(raster.Identity(), nil) {
				o = append(o, lens.Bent(q))
			}
			p.Fill(g, o, dot)
		}
	}
	g.Blur(2)
	for i, v := range g.Pix {
		g.Pix[i] = uint8(min(max(float64(v)+rng.NormFloat64()*4+0.5, 0), 255))
	}
	return g
}

func TestCalibrationFromADotGrid(t *testing.T) {
	center := raster.Point{X: 480, Y: 360}
	for _, bend := range []float64{0, 0.06, -0.04} {
		for _, turn := range []float64{0, 3, -38} {
			for _, dot := range []uint8{40, 215} {
				lens := &raster.Lens{Center: center, Reach: raster.Hypot(480, 360), Bend: bend}
				c, report, err := CalibrateGrid(grid(lens, turn, dot, 17), 5)
				require.NoError(t, err, "bend %v turn %v dot %v", bend, turn, dot)
				assert.InEpsilon(t, 5.0/40, c.MMPerPx, 0.001)
				assert.InDelta(t, bend, c.Lens.Bend, 0.001)
				assert.InDelta(t, turn, report.Turn, 0.05)
				assert.Less(t, report.RMS, 0.15)
				assert.Greater(t, report.Dots, 300)
			}
		}
	}
	for want, g := range map[string]*raster.Gray{"only 0 round dots": raster.NewGray(100, 100), "round dots of one size": board(3, 1, drawn.Round(100, 100, 20))} {
		_, _, err := CalibrateGrid(g, 5)
		assert.ErrorContains(t, err, want)
	}
	_, _, err := CalibrateGrid(raster.NewGray(100, 100), 0)
	assert.ErrorContains(t, err, "pitch")
	c, err := ScaleOf(raster.Point{X: 10, Y: 10}, raster.Point{X: 310, Y: 410}, 50)
	require.NoError(t, err)
	assert.Equal(t, 0.1, c.MMPerPx)
	_, err = ScaleOf(raster.Point{}, raster.Point{X: 3}, 50)
	assert.Error(t, err)
}

// With the lens known, a distance is the same in the middle and at the rim.
func TestLengthsAreStraightened(t *testing.T) {
	lens := &raster.Lens{Center: raster.Point{X: 200, Y: 160}, Reach: raster.Hypot(200, 160), Bend: 0.12}
	for _, x := range []float64{20, 150, 290} {
		o := []raster.Point{{X: x, Y: 20}, {X: x + 80, Y: 20}, {X: x + 80, Y: 60}, {X: x, Y: 60}}
		var bent []raster.Point
		for i, p := range o { // sides as the lens bends them
			q := o[(i+1)%4]
			for k := range 40 {
				u := float64(k) / 40
				bent = append(bent, lens.Bent(raster.Point{X: p.X + u*(q.X-p.X), Y: p.Y + u*(q.Y-p.Y)}))
			}
		}
		pic := raster.Picture{Gray: board(0, 1, bent)}
		left, right := lens.Bent(raster.Point{X: x, Y: 40}), lens.Bent(raster.Point{X: x + 80, Y: 40})
		s := GapSettings{
			From: edge.Settings{Arrow: []float64{left.X - 15, left.Y, left.X + 15, left.Y}, Width: 4},
			To:   edge.Settings{Arrow: []float64{right.X - 15, right.Y, right.X + 15, right.Y}, Width: 4},
		}
		taught, err := Gap.Teach(&check.Teaching{}, &s)
		require.NoError(t, err)
		var in check.Input
		in.Reset(pic)
		in.Lens = lens
		var f check.Finding
		f.Reset()
		taught.NewJudge().Judge(&in, &f)
		assert.InDelta(t, 80, checktest.Value(t, &f, "distance"), 0.15, "at %v", x)
	}
}
