package symbol_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ricetta/core/raster"
	"ricetta/core/symbol"
	"ricetta/internal/drawn"
)

// board is a picture with a code on a label in the middle of a gray ground.
func board(c *drawn.Code, p drawn.Print) *raster.Gray {
	g := raster.NewGray(640, 480)
	for i := range g.Pix {
		g.Pix[i] = 120
	}
	drawn.PutCode(g, c, raster.Point{X: 320, Y: 240}, p)
	return g
}

var plain = drawn.Print{Module: 2.2, Height: 60, Quiet: 11, Dark: 40, Light: 210}

// must takes the code of an encoder.
func must(t testing.TB) func(c *drawn.Code, err error) *drawn.Code {
	return func(c *drawn.Code, err error) *drawn.Code {
		require.NoError(t, err)
		return c
	}
}

// upce draws a UPC-E after ISO/IEC 15420: the encoder has none.
func upce(digits string) *drawn.Code {
	a := []string{"3211", "2221", "2122", "1411", "1132", "1231", "1114", "1312", "1213", "3112"}
	sets := []string{"BBBAAA", "BBABAA", "BBAABA", "BBAAAB", "BABBAA", "BAABBA", "BAAABB", "BABABA", "BABAAB", "BAABAB"}[digits[7]-'0']
	widths := "111"
	for i, s := range sets {
		w := a[digits[1+i]-'0']
		if (s == 'B') == (digits[0] == '0') {
			w = string([]byte{w[3], w[2], w[1], w[0]})
		}
		widths += w
	}
	return drawn.Widths(widths + "111111")
}

func TestLinearCodesAtEveryAngle(t *testing.T) {
	code := must(t)
	codes := []struct {
		symbology symbol.Symbology
		text      string
		code      *drawn.Code
	}{
		{symbol.EAN13, "4006381333931", code(drawn.EAN("4006381333931"))},
		{symbol.EAN13, drawn.WithCheck("800123456789"), code(drawn.EAN("800123456789"))},
		{symbol.UPCA, "036000291452", code(drawn.EAN("0036000291452"))},
		{symbol.EAN8, "96385074", code(drawn.EAN("96385074"))},
		{symbol.UPCE, "01234565", upce("01234565")},
		{symbol.UPCE, "1425364" + drawn.WithCheck("14253000006")[11:], upce("1425364" + drawn.WithCheck("14253000006")[11:])},
		{symbol.Code128, "Lot 4711-ab", code(drawn.Code128("Lot 4711-ab"))},
		{symbol.Code128, "00123456789", code(drawn.Code128("00123456789"))},
		{symbol.GS1128, "0108001234567895172712311004711", code(drawn.Code128(drawn.FNC1 + "0108001234567895172712311004711"))},
		{symbol.GS1128, "1004711\x1d17271231", code(drawn.Code128(drawn.FNC1 + "1004711" + drawn.FNC1 + "17271231"))},
		{symbol.ITF14, drawn.WithCheck("1800123456789"), code(drawn.ITF(drawn.WithCheck("1800123456789")))},
		{symbol.Code39, "LOT-4711 $/+%.", code(drawn.Code39("LOT-4711 $/+%."))},
	}
	var r symbol.Reader
	for _, c := range codes {
		for turn := -180.0; turn < 180; turn += 24 {
			p := plain
			p.Turn = turn + 3.7
			if c.code.W > 180 {
				p.Module = 1.7
			}
			found := r.Read(board(c.code, p), symbol.Options{})
			name := fmt.Sprintf("%s %q turned %.1f", c.symbology, c.text, p.Turn)
			if !assert.Len(t, found, 1, name) {
				continue
			}
			s := found[0]
			assert.Equal(t, c.symbology, s.Symbology, name)
			assert.Equal(t, c.text, s.Text, name)
			assert.Equal(t, c.symbology == symbol.GS1128, s.GS1, name)
			assert.LessOrEqual(t, math.Abs(raster.WrapAngle(s.Angle()-p.Turn)), 2.0, name)
			assert.InDelta(t, 320, s.Center().X, 6, name)
			assert.InDelta(t, 240, s.Center().Y, 6, name)
		}
	}
}

func TestGTINAndExpandedUPCE(t *testing.T) {
	assert.Equal(t, "042100005264", symbol.Expanded("04252614"))
	assert.Equal(t, "012345000065", symbol.Expanded("01234565"))
	assert.Equal(t, "00000096385074", (&symbol.Symbol{Symbology: symbol.EAN8, Text: "96385074"}).GTIN())
	assert.Empty(t, (&symbol.Symbol{Symbology: symbol.Code39, Text: "96385074"}).GTIN())
}

// Parts of codes are no codes: a cut ITF-14, an EAN-13 without its quiet zone, noise, cloth.
func TestNothingIsReadWhereThereIsNone(t *testing.T) {
	code := must(t)
	var r symbol.Reader
	rng := rand.New(rand.NewPCG(4, 4))
	itf := code(drawn.ITF(drawn.WithCheck("1800123456789")))
	for cut := 10; cut < 60; cut += 7 {
		p := plain
		g := board(itf, p)
		x := 320 - itf.W*11/10 + cut*2
		for y := range g.H {
			for i := max(x-80, 0); i < x; i++ {
				g.Pix[y*g.Stride+i] = 210
			}
		}
		assert.Empty(t, r.Read(g, symbol.Options{}), "cut by %d", cut)
	}
	for n := range 60 {
		g := raster.NewGray(640, 480)
		cloth := drawn.Cloth(uint64(n), 6, 40)
		stripe := 3 + rng.Float64()*9
		for y := range g.H {
			for x := range g.W {
				v := 120 + cloth(float64(x), float64(y)) + rng.NormFloat64()*12
				if n%3 == 0 && math.Mod(float64(x)+0.3*float64(y), stripe) < stripe/2 {
					v -= 60
				}
				g.Pix[y*g.Stride+x] = uint8(min(max(v, 0), 255))
			}
		}
		assert.Empty(t, r.Read(g, symbol.Options{}))
	}
}
