package reader_test

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ricetta/core/raster"
	"ricetta/core/reader"
	"ricetta/internal/drawn"
)

func plainGround(w, h int, tone uint8) *raster.Gray {
	g := raster.NewGray(w, h)
	for i := range g.Pix {
		g.Pix[i] = tone
	}
	return g
}

func everywhere(g *raster.Gray, turn float64) reader.Options {
	return reader.Options{Search: reader.Search{Region: raster.Rect(0, 0, float64(g.W), float64(g.H)), On: raster.Identity(), Turn: turn}}
}

// Clean print in every font that the reader was not trained on, turned either way.
func TestCleanPrintIsReadInAnyFont(t *testing.T) {
	texts := []string{"EXP 12.2027", "L4711-B", "Best before", "4.90 EUR", "2027-03-31", "08:15"}
	wrong := 0
	faces := append(drawn.Faces(), drawn.DotFace())
	var r reader.Reader
	for i, face := range faces {
		for k := range 3 {
			rng := rand.New(rand.NewPCG(uint64(i), uint64(k)))
			text := texts[(i+k)%len(texts)]
			turn := float64(k-1) * 11
			p := drawn.PrintLine(drawn.LinePrint{Face: face, Text: text, Style: drawn.Solid, Turn: turn}, rng)
			found := r.Read(p.Gray, everywhere(p.Gray, 17))
			require.Len(t, found, 1, "%s %q", face.Name, text)
			if found[0].Plain != text {
				wrong++
				t.Logf("%s %q: read as %q, %.2f", face.Name, text, found[0].Plain, found[0].Sure)
			}
			assert.InDelta(t, turn, raster.Atan2(found[0].Line.To.Y-found[0].Line.From.Y, found[0].Line.To.X-found[0].Line.From.X), 3)
		}
	}
	assert.LessOrEqual(t, wrong, 3, "of %d lines", 3*len(faces))
}

// Characters are told where they are, lines from the top down, light print as well as dark.
func TestLinesAndCharactersLieWhereTheyAre(t *testing.T) {
	g := plainGround(420, 200, 60)
	face := drawn.Faces()[0]
	rng := rand.New(rand.NewPCG(1, 1))
	var inks []*drawn.Ink
	for i, text := range []string{"LOT 4711", "31.12.2027"} {
		ink := face.Letter(text, drawn.Lettering{Cap: 40}, rng)
		ink.Put(g, drawn.Laid{At: raster.Point{X: 200, Y: 60 + 70*float64(i)}, Cap: 26, Tone: 210, Cover: 1}, rng)
		inks = append(inks, ink)
	}
	var r reader.Reader
	o := everywhere(g, 10)
	o.Most = 5
	found := r.Read(g, o)
	require.Len(t, found, 2)
	assert.Equal(t, "LOT 4711", found[0].Plain)
	assert.Equal(t, "31.12.2027", found[1].Plain)
	for i, l := range found {
		assert.True(t, l.Light)
		assert.Greater(t, l.Sure, 0.8)
		scale := 26.0 / 40
		require.Len(t, l.Letters, len(inks[i].Chars))
		for k, c := range l.Letters {
			want := 200 + ((inks[i].Chars[k][0]+inks[i].Chars[k][1])/2-float64(inks[i].W)/2)*scale
			assert.InDelta(t, want, (c.Box[0].X+c.Box[2].X)/2, 6, "%q of line %d", c.Rune, i+1)
			assert.InDelta(t, 60+70*float64(i), (c.Box[0].Y+c.Box[2].Y)/2, 4)
			assert.Greater(t, c.Sure, 0.5)
		}
	}
	// Only what is of that tone, in that part, as the region has moved.
	o.Polarity = reader.DarkPrint
	for _, l := range r.Read(g, o) {
		assert.NotEqual(t, "LOT 4711", l.Plain)
	}
	o = reader.Options{Search: reader.Search{Region: raster.Rect(0, 0, 420, 80), On: raster.Transform{A: 1, Y: 90}, Turn: 10}}
	found = r.Read(g, o)
	require.Len(t, found, 1)
	assert.Equal(t, "31.12.2027", found[0].Plain)
}

// Where nothing is printed nothing sure is read: on plain ground, noise, cloth and strokes.
func TestNothingIsReadWhereNothingIs(t *testing.T) {
	var r reader.Reader
	sure := 0
	for k := range 24 {
		rng := rand.New(rand.NewPCG(uint64(k), 4))
		g := plainGround(300, 90, uint8(40+3*k))
		cloth := drawn.Cloth(uint64(k), 4, float64(k%4)*8)
		for y := range g.H {
			for x := range g.W {
				v := float64(g.Pix[y*g.Stride+x]) + rng.NormFloat64()*float64(k%7)
				if k%3 == 0 {
					v += cloth(float64(x), float64(y))
				}
				g.Pix[y*g.Stride+x] = uint8(min(max(v, 0), 255))
			}
		}
		for _, l := range r.Read(g, everywhere(g, 17)) {
			if l.Sure > 0.5 && len(l.Plain) > 2 {
				sure++
				t.Logf("%d: %q %.2f", k, l.Plain, l.Sure)
			}
		}
	}
	assert.Zero(t, sure)
	for _, size := range [][2]int{{1, 1}, {9, 3}, {4, 200}, {3000, 7}} {
		g := plainGround(size[0], size[1], 90)
		assert.Empty(t, r.Read(g, everywhere(g, 17)))
	}
}

// A few characters in a wide region, on a ground without any texture.
func TestShortPrintInAWideRegion(t *testing.T) {
	var r reader.Reader
	for i, face := range drawn.Faces() {
		for _, text := range []string{"B52", "7", "L1"} {
			g := plainGround(900, 120, 205)
			rng := rand.New(rand.NewPCG(1, uint64(i)))
			face.Letter(text, drawn.Lettering{Cap: 36}, rng).Put(g, drawn.Laid{At: raster.Point{X: 600, Y: 60}, Cap: 24, Tone: 40, Cover: 1}, rng)
			found := r.Read(g, everywhere(g, 5))
			require.Len(t, found, 1, "%s %q", face.Name, text)
			if len(text) > 1 { // one character alone has nothing to be compared with
				assert.Equal(t, text, found[0].Plain, face.Name)
			}
			assert.Less(t, found[0].Line.To.X-found[0].Line.From.X, 200.0, "%s %q", face.Name, text)
		}
	}
}
