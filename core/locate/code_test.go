package locate_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ricetta/core/check"
	"ricetta/core/check/checktest"
	"ricetta/core/locate"
	"ricetta/core/raster"
	"ricetta/internal/drawn"
)

// carton is a picture with a Data Matrix somewhere.
func carton(t *testing.T, text string, x, y float64, p drawn.Print) raster.Picture {
	c, err := drawn.Matrix(text)
	require.NoError(t, err)
	g := raster.NewGray(640, 480)
	for i := range g.Pix {
		g.Pix[i] = 150
	}
	p.Quiet, p.Dark, p.Light = 3, 40, 210
	drawn.PutCode(g, c, raster.Point{X: x, Y: y}, p)
	g.Blur(1)
	return raster.Picture{Gray: g}
}

func TestCodeAsDatum(t *testing.T) {
	ref := carton(t, "Carton 0001", 200, 180, drawn.Print{Module: 5})
	s := func() *locate.CodeSettings {
		return &locate.CodeSettings{Region: raster.Rect(120, 100, 160, 160), Turn: 180}
	}
	judge := func(s *locate.CodeSettings, pic raster.Picture) *check.Finding {
		return checktest.Judge(t, locate.Code, s, ref, pic, raster.Identity())
	}
	for _, turn := range []float64{0, 17, 90, -135} {
		f := judge(s(), carton(t, "Carton 4711", 330.3, 251.6, drawn.Print{Module: 5.5, Turn: turn}))
		require.Equal(t, check.OK, f.Outcome, string(f.Sentence))
		assert.InDelta(t, 330.3, checktest.Value(t, f, "x"), 0.3, "turned %g", turn)
		assert.InDelta(t, 251.6, checktest.Value(t, f, "y"), 0.3)
		assert.InDelta(t, 0, raster.WrapAngle(checktest.Value(t, f, "angle")-turn), 0.4)
		assert.InDelta(t, 1.1, checktest.Value(t, f, "size"), 0.01)
		text, _ := f.TextOf("text")
		assert.Equal(t, "Carton 4711", text)
	}
	narrow := s()
	narrow.Turn = 10
	assert.Equal(t, "not found (the code is turned too far)", string(judge(narrow, carton(t, "Carton 0001", 300, 200, drawn.Print{Module: 5, Turn: 40})).Sentence))
	assert.Equal(t, "not found (the code has not its size)", string(judge(s(), carton(t, "Carton 0001", 300, 200, drawn.Print{Module: 7})).Sentence))
	empty := judge(s(), raster.Picture{Gray: raster.NewGray(640, 480)})
	assert.Equal(t, check.Failed, empty.Outcome)
	assert.Equal(t, "not found (no code is read)", string(empty.Sentence))
	search := s()
	search.Search = &raster.Region{Shape: raster.Shape{Rect: []float64{0, 0, 250, 480}}}
	assert.Equal(t, check.Failed, judge(search, carton(t, "Carton 0001", 400, 200, drawn.Print{Module: 5})).Outcome, "not where it is looked for")

	_, err := locate.Code.Teach(&check.Teaching{Picture: ref, Reference: ref.Gray}, &locate.CodeSettings{Region: raster.Rect(400, 300, 100, 100)})
	assert.ErrorContains(t, err, "no code is read there on the reference picture")
}
