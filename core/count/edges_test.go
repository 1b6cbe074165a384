package count

import (
	"fmt"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"

	"ricetta/core/check"
	"ricetta/core/check/checktest"
	"ricetta/core/raster"
)

// A comb of 12 bars with a pitch of 20.5, one of them shifted by 3.
func TestEdgesAlongALine(t *testing.T) {
	g := raster.NewGray(400, 120)
	on := raster.Moving(raster.Point{X: 200, Y: 60}, raster.Pose{X: 205, Y: 58, Angle: -4, Size: 1})
	for i := range 12 {
		x := 60 + 20.5*float64(i)
		if i == 7 {
			x += 3
		}
		paint(g, raster.Rect(x, 30, 10, 60), on)
	}
	g.Blur(1)
	s := Edges.New().(*EdgesSettings)
	s.Arrow, s.Polarity = []float64{40, 60, 330, 60}, "to_light"
	f := checktest.Judge(t, Edges, s, raster.Picture{}, raster.Picture{Gray: g}, on)
	assert.Equal(t, 12.0, checktest.Value(t, f, "count"))
	assert.InDelta(t, 20.5, checktest.Value(t, f, "pitch"), 0.02)
	assert.InDelta(t, 17.5, checktest.Value(t, f, "pitch_least"), 0.1)
	assert.InDelta(t, 23.5, checktest.Value(t, f, "pitch_most"), 0.1)
	assert.Equal(t, "12 edges", string(f.Sentence))
	assert.InDelta(t, 20, f.Rows[0][2].Number, 0.1)
	want := on.Apply(raster.Point{X: 60, Y: 60})
	assert.InDelta(t, want.X, f.Rows[0][0].Number, 0.1)
	s.Polarity = "either"
	f = checktest.Judge(t, Edges, s, raster.Picture{}, raster.Picture{Gray: g}, on)
	assert.Equal(t, 24.0, checktest.Value(t, f, "count"))
	f = checktest.Judge(t, Edges, s, raster.Picture{}, raster.Picture{Gray: raster.NewGray(400, 120)}, on)
	assert.Equal(t, 0.0, checktest.Value(t, f, "count"))
	_, taken := f.Value("pitch")
	assert.False(t, taken, "nothing has no pitch")
	f = checktest.Judge(t, Edges, s, raster.Picture{}, raster.Picture{Gray: raster.NewGray(200, 120)}, on)
	assert.Equal(t, check.Fault, f.Outcome)
}

// A gear of 24 teeth, counted along three quarters of it, both ways round.
func TestEdgesAlongAnArc(t *testing.T) {
	g := raster.NewGray(300, 300)
	for i := range 24 {
		a := float64(i)*15 + 5
		var pts [][2]float64
		for _, p := range [][2]float64{{a, 80}, {a + 3, 80}, {a + 6, 80}, {a + 6, 120}, {a + 3, 120}, {a, 120}} {
			s, c := math.Sincos(p[0] * math.Pi / 180)
			pts = append(pts, [2]float64{150 + p[1]*c, 150 + p[1]*s})
		}
		paint(g, raster.Polygon(pts...), raster.Identity())
	}
	g.Blur(1)
	for _, ends := range [][2]float64{{0, 270}, {270, 0}} {
		s := Edges.New().(*EdgesSettings)
		s.Arc, s.Polarity = []float64{150, 150, 100, ends[0], ends[1]}, "to_light"
		f := checktest.Judge(t, Edges, s, raster.Picture{}, raster.Picture{Gray: g}, raster.Identity())
		assert.Equal(t, 18.0, checktest.Value(t, f, "count"), fmt.Sprint(ends))
		assert.InDelta(t, 100*15*math.Pi/180, checktest.Value(t, f, "pitch"), 0.05)
		// On a datum that is turned by a tooth and a half the ends lie elsewhere.
		f = checktest.Judge(t, Edges, s, raster.Picture{}, raster.Picture{Gray: g}, raster.Moving(raster.Point{X: 150, Y: 150}, raster.Pose{X: 150, Y: 150, Angle: 22.5, Size: 1}))
		assert.InDelta(t, 18, checktest.Value(t, f, "count"), 1)
	}
	for want, s := range map[string]EdgesSettings{"exactly one of them": {}, "too short": {Arc: []float64{5, 5, 2, 0, 90}}, "arrow: it is": {Arrow: []float64{1, 1, 2, 2}}} {
		assert.ErrorContains(t, s.Validate(), want)
	}
}
