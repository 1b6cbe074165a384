package plant

import (
	"math/rand/v2"
	"sync"

	"ricetta/core/raster"
	"ricetta/internal/drawn"
)

// A lid from above, with its label, at any angle. Numbers are pixels.
const (
	lidRadius        = 250.0
	lidSize          = 2*lidRadius + 2*rim
	lidModule        = 3.6
	lidBars          = 110.0
	lidText          = 17.0
	lidCode          = "4711047110473"
	otherLid         = "4711047110480" // of the lid for the larger jar
	lidLabelW        = 95*lidModule + 22*lidModule
	lidLabelH        = lidBars + 70
	fullInk, paleInk = 34, 158
)

func fillLid(*rand.Rand, *Piece) {}

// lidCodes are the articles' codes; drawn once.
var lidCodes = sync.OnceValue(func() map[string]*drawn.Code {
	out := map[string]*drawn.Code{}
	for _, digits := range []string{lidCode, otherLid} {
		c, err := drawn.EAN(digits)
		if err != nil {
			panic(err) // they are constants
		}
		out[digits] = c
	}
	return out
})

// drawLid draws the lid and what is printed on its label.
func drawLid(_ *camera, p Piece) sprite {
	s := newSprite(lidSize, lidSize)
	var paint raster.Painter
	const c = lidSize / 2.0
	s.fill(&paint, ellipse(c, c, lidRadius, lidRadius, 0), rgb{150, 158, 166})
	s.fill(&paint, ellipse(c, c, lidRadius-12, lidRadius-12, 0), rgb{196, 202, 208})
	s.fill(&paint, ellipse(c, c, lidRadius-34, lidRadius-34, 0), rgb{182, 190, 198})
	s.fill(&paint, rounded(c-lidLabelW/2, c-lidLabelH/2, lidLabelW, lidLabelH, 8), rgb{238, 236, 228})
	if p.Defect == CodeMissing {
		return s
	}
	digits, ink := lidCode, uint8(fullInk)
	if p.Defect == ArticleWrong {
		digits = otherLid
	}
	if p.Defect == CodePale {
		ink = paleInk
	}
	tone := rgb{ink, ink + 2, ink + 8}
	code := lidCodes()[digits]
	left, top := c-95*lidModule/2, c-lidLabelH/2+16
	for x := 0; x < code.W; {
		if !code.At(x, 0) {
			x++
			continue
		}
		from := x
		for code.At(x, 0) {
			x++
		}
		x0, x1 := left+float64(from)*lidModule, left+float64(x)*lidModule
		s.fill(&paint, []raster.Point{{X: x0, Y: top}, {X: x1, Y: top}, {X: x1, Y: top + lidBars}, {X: x0, Y: top + lidBars}}, tone)
	}
	line := dotFace().Letter(digits, drawn.Lettering{Cap: lidText, Dot: 1.2}, rand.New(rand.NewPCG(p.seed, 8)))
	s.put(line, int(c)-line.W/2, int(top+lidBars+10), tone)
	return s
}
