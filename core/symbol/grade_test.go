package symbol_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ricetta/core/raster"
	"ricetta/core/symbol"
	"ricetta/internal/drawn"
)

// Calibration symbols: drawn with one defect of known size each, as the test symbols are that
// come with verifiers. 51 gray values are 20 % of reflectance.
func printed(t *testing.T, c *drawn.Code, p drawn.Print) *raster.Gray {
	g := raster.NewGray(900, 420)
	for i := range g.Pix {
		g.Pix[i] = uint8(p.Light)
	}
	p.Height = 160
	drawn.PutCode(g, c, raster.Point{X: 450, Y: 210}, p)
	return g
}

func graded(t *testing.T, g *raster.Gray, text string) (symbol.Grade, map[string]symbol.Parameter) {
	var r symbol.Reader
	found := r.Read(g, symbol.Options{})
	require.Len(t, found, 1)
	require.Equal(t, text, found[0].Text)
	grade, err := r.Grade(g, &found[0], symbol.Reflectance{White: 255})
	require.NoError(t, err)
	by := map[string]symbol.Parameter{}
	for _, p := range grade.Parameters {
		by[p.Name] = p
	}
	return grade, by
}

func paint(g *raster.Gray, x0, y0, x1, y1 int, tone uint8) {
	for y := y0; y < y1; y++ {
		for x := x0; x < x1; x++ {
			g.Pix[y*g.Stride+x] = tone
		}
	}
}

func TestLinearGradesOfCalibrationSymbols(t *testing.T) {
	code := must(t)
	ean := code(drawn.EAN("4006381333931"))
	const text = "4006381333931"
	plain := drawn.Print{Module: 4, Quiet: 12, Dark: 26, Light: 230}
	// A clean one.
	grade, by := graded(t, printed(t, ean, plain), text)
	assert.Equal(t, 4.0, grade.Overall, "%+v", grade.Parameters)
	assert.Equal(t, "A", grade.Letter())
	assert.InDelta(t, 80, by["symbol contrast"].Value, 0.5)
	assert.Greater(t, by["modulation"].Value, 0.9)
	assert.Less(t, by["defects"].Value, 0.02)
	assert.Greater(t, by["decodability"].Value, 0.9)
	assert.InDelta(t, 4, grade.Module, 0.05)
	assert.Len(t, grade.Flaws, 10)

	// Contrast: 60 % is a B, 45 % a C, 25 % a D, with the rest in order.
	for light, want := range map[float64]float64{179: 3, 141: 2, 90: 1} {
		p := plain
		p.Light = light
		grade, by = graded(t, printed(t, ean, p), text)
		assert.Equal(t, want, grade.Overall, "%v: %+v", light, grade.Parameters)
		assert.InDelta(t, (light-26)/2.55, by["symbol contrast"].Value, 0.6)
		assert.Equal(t, "symbol contrast", grade.Decides)
	}
	// A bar as light as half the ground: minimum reflectance and more.
	p := plain
	p.Dark, p.Light = 130, 250
	grade, by = graded(t, printed(t, ean, p), text)
	assert.Zero(t, by["minimum reflectance"].Grade)
	assert.Zero(t, grade.Overall)

	// A spot of 22 % in the light margin over all lines: defects of 0.275 are a D.
	g := printed(t, ean, plain)
	paint(g, 232, 100, 244, 320, 230-45-11)
	grade, by = graded(t, g, text)
	assert.InDelta(t, 0.275, by["defects"].Value, 0.02)
	assert.Equal(t, 1.0, grade.Overall)
	assert.Equal(t, "defects", grade.Decides)
	// The same on half of the lines: the mean of ten.
	g = printed(t, ean, plain)
	paint(g, 232, 100, 244, 210, 230-45-11)
	grade, _ = graded(t, g, text)
	assert.InDelta(t, 2.5, grade.Overall, 0.31)
	assert.Equal(t, "B", (&symbol.Grade{Overall: 2.5}).Letter())

	// Blur takes modulation, growth by a third of a module leaves the edges to similar edges
	// where they are.
	p = plain
	p.Growth = 0.3
	_, by = graded(t, printed(t, ean, p), text)
	assert.Greater(t, by["decodability"].Value, 0.7)
	p = plain
	p.Module = 3
	g = printed(t, ean, p)
	g.Blur(2)
	_, by = graded(t, g, text)
	assert.Less(t, by["modulation"].Value, 0.85)

	// The codes of two widths lose decodability by growth: narrow and wide come nearer.
	c39 := code(drawn.Code39("RICETTA-5"))
	_, by = graded(t, printed(t, c39, plain), "RICETTA-5")
	assert.Greater(t, by["decodability"].Value, 0.9)
	p = plain
	p.Growth = 0.4
	_, by = graded(t, printed(t, c39, p), "RICETTA-5")
	assert.Less(t, by["decodability"].Value, 0.75)
	// Turned, and Code 128.
	p = plain
	p.Turn, p.Module = 12, 3
	grade, _ = graded(t, printed(t, code(drawn.Code128("LOT-4711")), p), "LOT-4711")
	assert.GreaterOrEqual(t, grade.Overall, 3.0, "%+v", grade.Parameters)
}

func TestMatrixGradesOfCalibrationSymbols(t *testing.T) {
	code := must(t)
	dm := code(drawn.Matrix("RICETTA 4711 GLUE")) // 18×18: 18 data codewords, 14 check codewords
	require.Equal(t, 18, dm.W)
	plain := drawn.Print{Module: 10, Quiet: 4, Dark: 26, Light: 230}
	const text = "RICETTA 4711 GLUE"
	grade, by := graded(t, printed(t, dm, plain), text)
	assert.Equal(t, 4.0, grade.Overall, "%+v", grade.Parameters)
	assert.InDelta(t, 80, by["symbol contrast"].Value, 0.5)
	assert.InDelta(t, 1, by["unused error correction"].Value, 1e-9)
	assert.Less(t, by["axial nonuniformity"].Value, 0.02)
	assert.Less(t, by["grid nonuniformity"].Value, 0.15)
	assert.Empty(t, grade.Flaws)

	// Modules turned over: each in a codeword of its own. Two of fourteen leave 1 − 4/14.
	at := func(x, y int) (int, int) { return 450 - 90 + 10*x, 210 - 90 + 10*y }
	flip := func(g *raster.Gray, x, y int) {
		tone := uint8(230)
		if !dm.At(x, y) {
			tone = 26
		}
		px, py := at(x, y)
		paint(g, px, py, px+10, py+10, tone)
	}
	g := printed(t, dm, plain)
	flip(g, 4, 4)
	flip(g, 12, 12)
	grade, by = graded(t, g, text)
	assert.InDelta(t, 1-4.0/14, by["unused error correction"].Value, 1e-9)
	assert.Equal(t, 4.0, by["unused error correction"].Grade)
	assert.Zero(t, by["reflectance margin"].Value)
	assert.Equal(t, 4.0, by["reflectance margin"].Grade, "two codewords are within what the correction can lose")
	assert.Len(t, grade.Flaws, 2)
	for _, xy := range [][2]int{{8, 4}, {4, 9}} {
		flip(g, xy[0], xy[1])
	}
	grade, by = graded(t, g, text)
	assert.InDelta(t, 1-8.0/14, by["unused error correction"].Value, 1e-9)
	assert.Equal(t, 2.0, grade.Overall, "%+v", grade.Parameters)

	// A gray module: modulation of its codeword.
	g = printed(t, dm, plain)
	for _, xy := range [][2]int{{4, 4}, {12, 12}, {8, 4}, {4, 9}} {
		px, py := at(xy[0], xy[1])
		tone := uint8(128 + 35)
		if dm.At(xy[0], xy[1]) {
			tone = 128 - 35
		}
		paint(g, px, py, px+10, py+10, tone)
	}
	_, by = graded(t, g, text)
	assert.InDelta(t, 70.0/204, by["modulation"].Value, 0.02)
	assert.Equal(t, 2.0, by["modulation"].Grade, "B of the rest, C of what correction is left")

	// Three of eighteen modules of the L: 16.7 % is a D.
	g = printed(t, dm, plain)
	for _, y := range []int{3, 8, 13} {
		flip(g, 0, y)
	}
	grade, by = graded(t, g, text)
	assert.Equal(t, 1.0, by["fixed pattern damage"].Grade)
	assert.Equal(t, 3.0, by["fixed pattern damage"].Value)
	assert.Equal(t, "fixed pattern damage", grade.Decides)

	// Seen at a slant the grid is uneven.
	p := plain
	p.Slant = 0.12
	_, by = graded(t, printed(t, dm, p), text)
	assert.Greater(t, by["grid nonuniformity"].Value, 0.2)

	// Light on dark, and QR with its own patterns.
	p = plain
	p.Inverse = true
	grade, _ = graded(t, printed(t, dm, p), text)
	assert.GreaterOrEqual(t, grade.Overall, 3.0, "%+v", grade.Parameters)
	qr := code(drawn.QR("https://example.test/4711", 1))
	p = drawn.Print{Module: 8, Quiet: 5, Dark: 26, Light: 230}
	grade, _ = graded(t, printed(t, qr, p), "https://example.test/4711")
	assert.Equal(t, 4.0, grade.Overall, "%+v", grade.Parameters)
	p.Mirror = true
	grade, _ = graded(t, printed(t, qr, p), "https://example.test/4711")
	assert.Equal(t, 4.0, grade.Overall, "%+v", grade.Parameters)
	g = printed(t, qr, drawn.Print{Module: 8, Quiet: 5, Dark: 26, Light: 230})
	left := 450 - qr.W*4
	paint(g, left+56, 210-qr.W*4, left+64, 210-qr.W*4+16, 26) // two modules of a separator
	_, by = graded(t, g, "https://example.test/4711")
	assert.Equal(t, 2.0, by["fixed pattern damage"].Grade)
}

func TestWhatCannotBeGraded(t *testing.T) {
	g := printed(t, must(t)(drawn.Matrix("AB")), drawn.Print{Module: 10, Quiet: 4, Dark: 26, Light: 230})
	var r symbol.Reader
	found := r.Read(g, symbol.Options{})
	require.Len(t, found, 1)
	_, err := r.Grade(g, &found[0], symbol.Reflectance{Black: 50, White: 50})
	assert.ErrorContains(t, err, "white reference must be lighter")
	s := found[0]
	for i := range s.Corners {
		s.Corners[i].X -= 400
	}
	_, err = r.Grade(g, &s, symbol.Reflectance{White: 255})
	assert.ErrorContains(t, err, "reaches out of the picture")
}
