package count

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ricetta/core/check"
	"ricetta/core/check/checktest"
	"ricetta/core/raster"
)

func ptr[T any](v T) *T { return &v }

var light = raster.ToneBand{Least: ptr(128)}

// paint sets the pixels whose centers lie in the region to 220.
func paint(g *raster.Gray, r raster.Region, t raster.Transform) {
	for _, s := range r.SpansInto(nil, t, g.W, g.H) {
		for x := s.X0; x < s.X1; x++ {
			g.Row(int(s.Y))[x] = 220
		}
	}
}

func judge(t testing.TB, g *raster.Gray, s SpotSettings, on raster.Transform) *check.Finding {
	t.Helper()
	return checktest.Judge(t, Spots, &s, raster.Picture{}, raster.Picture{Gray: g}, on)
}

func cell(f *check.Finding, row int, name string) check.Cell {
	for i, c := range f.Columns {
		if c.Name == name {
			return f.Rows[row][i]
		}
	}
	panic("no column " + name)
}

func whole(g *raster.Gray) raster.Region { return raster.Rect(0, 0, float64(g.W), float64(g.H)) }

func TestSpotFiguresOfKnownShapes(t *testing.T) {
	g := raster.NewGray(400, 300)
	paint(g, raster.Circle(80.3, 70.6, 30), raster.Identity())
	paint(g, raster.Region{Shape: raster.Shape{Rect: []float64{200, 100, 80, 20}, Turn: 30}}, raster.Identity())
	f := judge(t, g, SpotSettings{Region: whole(g), Tone: light}, raster.Identity())
	require.Len(t, f.Rows, 2)

	assert.InDelta(t, math.Pi*900, cell(f, 0, "area").Number, 15)
	assert.InDelta(t, 80.3, cell(f, 0, "x").Number, 0.05)
	assert.InDelta(t, 70.6, cell(f, 0, "y").Number, 0.05)
	assert.InDelta(t, 60*math.Pi, cell(f, 0, "perimeter").Number, 60*math.Pi*0.01)
	assert.InDelta(t, 1, cell(f, 0, "roundness").Number, 0.02)
	assert.InDelta(t, 1, cell(f, 0, "elongation").Number, 0.02)
	assert.InDelta(t, 60, cell(f, 0, "width").Number, 1)

	assert.InDelta(t, 1600, cell(f, 1, "area").Number, 15)
	assert.InDelta(t, 4, cell(f, 1, "elongation").Number, 0.05)
	assert.InDelta(t, math.Pi*1600*4/(200.0*200), cell(f, 1, "roundness").Number, 0.06)
}

// Width and height are those of the item, not of the picture, when it lies turned.
func TestSpotExtentFollowsTheDatum(t *testing.T) {
	g := raster.NewGray(300, 300)
	on := raster.Moving(raster.Point{X: 150, Y: 150}, raster.Pose{X: 150, Y: 150, Angle: 37, Size: 1})
	paint(g, raster.Rect(110, 140, 80, 20), on)
	f := judge(t, g, SpotSettings{Region: raster.Rect(60, 60, 180, 180), Tone: light}, on)
	require.Len(t, f.Rows, 1)
	assert.InDelta(t, 80, cell(f, 0, "width").Number, 1.5)
	assert.InDelta(t, 20, cell(f, 0, "height").Number, 1.5)
}

func TestSpotsLeftOutSayWhichBandTheyMissed(t *testing.T) {
	g := raster.NewGray(400, 200)
	paint(g, raster.Circle(60, 60, 20), raster.Identity())
	paint(g, raster.Circle(160, 60, 6), raster.Identity())
	paint(g, raster.Rect(220, 55, 120, 8), raster.Identity())
	f := judge(t, g, SpotSettings{Region: whole(g), Tone: light, Keep: SpotBands{
		Area:      &check.Limits{Least: ptr(300.0)},
		Roundness: &check.Limits{Least: ptr(0.8)},
		Width:     &check.Limits{Most: ptr(100.0)},
	}}, raster.Identity())
	n, _ := f.Value("count")
	assert.Equal(t, 1.0, n)
	assert.Equal(t, "1 spot", string(f.Sentence))
	require.Len(t, f.Rows, 3)
	assert.Equal(t, "", cell(f, 0, "missed").Text)
	assert.Equal(t, "roundness, width", cell(f, 1, "missed").Text)
	assert.Equal(t, "area", cell(f, 2, "missed").Text)
	roles := map[check.Role]int{}
	for _, m := range f.Marks {
		roles[m.Role]++
	}
	assert.Equal(t, map[check.Role]int{check.RoleRegion: 1, check.RoleFound: 1, check.RoleLeftOut: 2}, roles)
}

// The labelling agrees with a flood fill on random boards, in any region.
func TestSpotsAgreeWithFloodFill(t *testing.T) {
	rng := rand.New(rand.NewPCG(7, 8))
	regions := []raster.Region{
		raster.Rect(0, 0, 97, 61), raster.Rect(3, 5, 64, 40),
		raster.Circle(48, 30, 27),
		raster.Ring(48, 30, 9, 29),
		raster.Polygon([2]float64{2, 2}, [2]float64{90, 8}, [2]float64{50, 25}, [2]float64{95, 58}, [2]float64{5, 55}, [2]float64{30, 30}),
	}
	for range 60 {
		g := raster.NewGray(97, 61)
		density := 1 + rng.IntN(9)
		for i := range g.Pix {
			if rng.IntN(10) < density {
				g.Pix[i] = 200
			}
		}
		r := regions[rng.IntN(len(regions))]
		corners := rng.IntN(2) == 0
		want := floodFill(g, r, corners)
		var f raster.BlobFinder
		got := f.Find(g, r.SpansInto(nil, raster.Identity(), g.W, g.H), raster.Identity(), 128, 255, corners)
		require.Len(t, got, len(want))
		for i := range got {
			x, _ := got[i].Center()
			require.Equal(t, want[i][0], got[i].Area, "spot %d", i)
			require.InDelta(t, float64(want[i][1])/float64(want[i][0])+0.5, x, 1e-9, "spot %d", i)
		}
	}
}

// floodFill returns area and Σx of every connected spot in reading order.
func floodFill(g *raster.Gray, r raster.Region, corners bool) [][2]int64 {
	open := make([]bool, len(g.Pix))
	for _, s := range r.SpansInto(nil, raster.Identity(), g.W, g.H) {
		for x := int(s.X0); x < int(s.X1); x++ {
			open[int(s.Y)*g.W+x] = g.Row(int(s.Y))[x] >= 128
		}
	}
	var out [][2]int64
	for i := range open {
		if !open[i] {
			continue
		}
		var spot [2]int64
		stack := []int{i}
		open[i] = false
		for len(stack) > 0 {
			p := stack[len(stack)-1]
			stack = stack[:len(stack)-1]
			x, y := p%g.W, p/g.W
			spot[0]++
			spot[1] += int64(x)
			for dy := -1; dy <= 1; dy++ {
				for dx := -1; dx <= 1; dx++ {
					if !corners && dx != 0 && dy != 0 {
						continue
					}
					nx, ny := x+dx, y+dy
					if nx >= 0 && ny >= 0 && nx < g.W && ny < g.H && open[ny*g.W+nx] {
						open[ny*g.W+nx] = false
						stack = append(stack, ny*g.W+nx)
					}
				}
			}
		}
		out = append(out, spot)
	}
	return out
}

func TestSpotsOnAnEmptyAndAFullRegion(t *testing.T) {
	g := raster.NewGray(100, 70)
	f := judge(t, g, SpotSettings{Region: whole(g), Tone: light}, raster.Identity())
	n, ok := f.Value("count")
	assert.True(t, ok && n == 0)
	assert.Equal(t, "0 spots", string(f.Sentence))
	f = judge(t, g, SpotSettings{Region: whole(g), Tone: raster.ToneBand{Most: ptr(0)}}, raster.Identity())
	assert.Equal(t, 7000.0, cell(f, 0, "area").Number)
	f = judge(t, g, SpotSettings{Region: raster.Rect(90, 0, 40, 40), Tone: light}, raster.Identity())
	assert.Equal(t, check.Fault, f.Outcome)
}

// Spots on a slope of light steeper than they stand out: only the local threshold
// counts them.
func TestSpotsOnUnevenLight(t *testing.T) {
	g := raster.NewGray(400, 200)
	for y := range 200 {
		for x := range 400 {
			g.Row(y)[x] = uint8(40 + x/3)
		}
	}
	for i := range 5 {
		cx := 40 + 80*i
		for y := 90; y < 110; y++ {
			for x := cx - 10; x < cx+10; x++ {
				g.Row(y)[x] += 40
			}
		}
	}
	local := SpotSettings{Region: raster.Rect(10, 10, 380, 180), Local: &LocalSettings{Than: "lighter"}, Keep: SpotBands{Area: &check.Limits{Least: ptr(200.0)}}}
	f := judge(t, g, local, raster.Identity())
	n, _ := f.Value("count")
	assert.Equal(t, 5.0, n)
	local.Local.Than = "darker"
	f = judge(t, g, local, raster.Identity())
	n, _ = f.Value("count")
	assert.Equal(t, 0.0, n, "%v", f.Rows)
	f = judge(t, g, SpotSettings{Region: local.Region, Auto: "lighter", Step: 20}, raster.Identity())
	n, _ = f.Value("count")
	assert.NotEqual(t, 5.0, n)
}

func TestSpotsFindTheirThreshold(t *testing.T) {
	for _, light := range []int{60, 120, 250} {
		g := raster.NewGray(200, 100)
		for i := range g.Pix {
			g.Pix[i] = uint8(light*2/5 + i%7)
		}
		for _, x := range []float64{30, 80, 150} {
			var p raster.Painter
			p.Fill(g, raster.Circle(x, 50, 12).Outline(raster.Identity(), nil), uint8(light))
		}
		s := SpotSettings{Region: whole(g), Auto: "lighter", Step: 20}
		f := judge(t, g, s, raster.Identity())
		n, _ := f.Value("count")
		assert.Equal(t, 3.0, n, "light %d", light)
		s.Auto = "darker"
		f = judge(t, g, s, raster.Identity())
		assert.Equal(t, 3.0, cell(f, 0, "holes").Number, "the ground has a hole at each spot")
		assert.Less(t, cell(f, 0, "contrast").Number, -30.0)
		at, _ := f.Value("threshold")
		assert.Greater(t, float64(light), at)
	}
	flat := raster.NewGray(200, 100)
	for i := range flat.Pix {
		flat.Pix[i] = uint8(100 + i%7)
	}
	f := judge(t, flat, SpotSettings{Region: whole(flat), Auto: "lighter", Step: 20}, raster.Identity())
	n, _ := f.Value("count")
	assert.Equal(t, 0.0, n, "noise on a plain ground has no two parts")
}

func TestTouchingSpotsAreCutApart(t *testing.T) {
	g := raster.NewGray(400, 200)
	for _, c := range [][3]float64{{60, 60, 20}, {95, 60, 20}, {130, 65, 18}, {60, 150, 20}, {300, 100, 30}, {345, 100, 18}} {
		paint(g, raster.Circle(c[0], c[1], c[2]), raster.Identity())
	}
	paint(g, raster.Rect(180, 20, 60, 12), raster.Identity()) // long, but one piece
	s := SpotSettings{Region: whole(g), Tone: light}
	f := judge(t, g, s, raster.Identity())
	require.Len(t, f.Rows, 4)
	s.Split = 0.8
	f = judge(t, g, s, raster.Identity())
	require.Len(t, f.Rows, 7)
	assert.InDelta(t, 300, cell(f, 0, "x").Number, 2)
	total := 0.0
	for i := range f.Rows {
		total += cell(f, i, "area").Number
	}
	assert.Greater(t, total, 0.97*func() (n float64) {
		for _, v := range g.Pix {
			if v >= 128 {
				n++
			}
		}
		return n
	}(), "the cut takes a line of pixels and no more")
	s.Split = 0.2
	assert.Len(t, judge(t, g, s, raster.Identity()).Rows, 4, "no neck is that narrow")
}

func TestNeighborsAndSorting(t *testing.T) {
	g := raster.NewGray(60, 60)
	for i := range 10 {
		g.Row(10 + i)[20+i] = 200 // a slanted line, joined at corners
	}
	s := SpotSettings{Region: whole(g), Tone: light}
	f := judge(t, g, s, raster.Identity())
	require.Len(t, f.Rows, 1)
	assert.InDelta(t, 45, cell(f, 0, "turn").Number, 0.1)
	s.Neighbors, s.Sort = 4, "y"
	f = judge(t, g, s, raster.Identity())
	require.Len(t, f.Rows, 10)
	assert.InDelta(t, 10.5, cell(f, 0, "y").Number, 0.01)
	assert.Equal(t, "1", f.Marks[1].Label)
	for want, s := range map[string]SpotSettings{"give tone (least": {Region: whole(g)}, "keep one of": {Region: whole(g), Tone: light, Auto: "darker"}} {
		assert.ErrorContains(t, s.Validate(), want)
	}
}
