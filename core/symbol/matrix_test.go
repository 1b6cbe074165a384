package symbol_test

import (
	"fmt"
	"math"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"ricetta/core/raster"
	"ricetta/core/symbol"
	"ricetta/internal/drawn"
)

func TestMatrixCodesAtEveryAngle(t *testing.T) {
	code := must(t)
	type tc struct {
		symbology symbol.Symbology
		text      string
		code      *drawn.Code
		p         drawn.Print
	}
	var codes []tc
	for _, n := range []int{3, 12, 30, 80, 200} {
		text := strings.Repeat("Lot 4711 ", n/9+1)[:n]
		p := drawn.Print{Module: 4, Quiet: 3, Dark: 40, Light: 210}
		if n == 200 {
			p.Module = 3
		}
		codes = append(codes, tc{symbol.DataMatrix, text, code(drawn.Matrix(text)), p}, tc{symbol.QR, text, code(drawn.QR(text, 1)), p})
	}
	small, white := codes[2], codes[2]
	small.p.Module = 2.2
	white.p.Inverse = true
	slanted := codes[2]
	slanted.p.Slant = 0.15
	codes = append(codes, small, white, slanted)
	q, w, m, s := codes[3], codes[3], codes[3], codes[3]
	q.p.Module, w.p.Inverse, m.p.Mirror, s.p.Slant = 2.6, true, true, 0.15
	codes = append(codes, q, w, m, s)
	var r symbol.Reader
	for _, c := range codes {
		for turn := -180.0; turn < 180; turn += 24 {
			p := c.p
			p.Turn = turn + 3.7
			found := r.Read(board(c.code, p), symbol.Options{})
			name := fmt.Sprintf("%s of %d modules, %q turned %.1f, %+v", c.symbology, c.code.W, c.text, p.Turn, p)
			if !assert.Len(t, found, 1, name) {
				continue
			}
			s := found[0]
			assert.Equal(t, c.symbology, s.Symbology, name)
			assert.Equal(t, c.text, s.Text, name)
			if !p.Mirror {
				assert.LessOrEqual(t, math.Abs(raster.WrapAngle(s.Angle()-p.Turn)), 2.0, name)
			}
			if p.Slant == 0 {
				assert.InDelta(t, 320, s.Center().X, 2, name)
				assert.InDelta(t, 240, s.Center().Y, 2, name)
			}
		}
	}
}

// A Data Matrix of dots that do not touch, as ink jet and dot peening print it, has no solid L.
func TestDataMatrixOfDots(t *testing.T) {
	code := must(t)
	var r symbol.Reader
	for _, text := range []string{"L47", "01040000000000081727033110L4711"} {
		c := code(drawn.Matrix(text))
		for _, p := range []drawn.Print{
			{Module: 6, Dots: 0.7}, {Module: 8, Dots: 0.55}, {Module: 6, Dots: 0.8, Inverse: true}, {Module: 10, Dots: 0.6, Inverse: true}, {Module: 7, Dots: 0.65, Slant: 0.03}, {Module: 5, Dots: 0.85, Inverse: true},
		} {
			for turn := -180.0; turn < 180; turn += 48 {
				p.Turn, p.Quiet, p.Dark, p.Light = turn+3.7, 3, 50, 200
				found := r.Read(board(c, p), symbol.Options{})
				name := fmt.Sprintf("%q %+v", text, p)
				if assert.Len(t, found, 1, name) {
					assert.Equal(t, text, found[0].Text, name)
					assert.InDelta(t, 320, found[0].Center().X, 3, name)
					assert.InDelta(t, 240, found[0].Center().Y, 3, name)
				}
			}
		}
	}
}
