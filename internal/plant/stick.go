package plant

import (
	"image"
	"math"
	"math/rand/v2"
	"sync"

	"github.com/boombuler/barcode/datamatrix"

	"ricetta/core/raster"
	"ricetta/internal/drawn"
)

// A glue stick lies on its side, its cap to the right. Numbers are pixels.
const (
	stickW, stickH = 860, 170
	bodyW          = 560
	capW           = 240
	soundGap       = 10.0 // between body and cap
	codeX, codeY   = 392, 50
	codeModule     = 3

	// The best-before date and the lot are printed by ink jet on the label, one below the other.
	dateX, dateY = 224, 62 // middle of the left end of the first line
	lineStep     = 40
	printCap     = 17.0
)

// What is printed beside the code, and what by a printer that was not changed over.
const (
	stickDate, wrongDate = "31.12.27", "30.06.26"
	stickLot, wrongLot   = "L4711", "L4117"
)

// What the code of every stick says: article, expiry, lot.
const stickCode = "0108001234567897" + "17271231" + "10L4711"

// stickModules are the dark modules of the sticks' Data Matrix.
var stickModules = sync.OnceValue(func() []image.Point {
	code, err := datamatrix.Encode(string([]byte{datamatrix.FNC1}) + stickCode)
	if err != nil {
		panic(err) // it is a constant
	}
	var out []image.Point
	b := code.Bounds()
	for y := range b.Dy() {
		for x := range b.Dx() {
			if v, _, _, _ := code.At(b.Min.X+x, b.Min.Y+y).RGBA(); v < 0x8000 {
				out = append(out, image.Pt(x, y))
			}
		}
	}
	return out
})

func fillStick(rng *rand.Rand, p *Piece) {
	p.Gap = soundGap + clamp(rng.NormFloat64()*0.8, 2)
	switch p.Defect {
	case CapMissing:
		p.Gap = math.NaN()
	case CapRaised:
		p.Gap += 12 + rng.Float64()*24
	}
}

// drawStick draws the stick with its cap as far off as the piece says.
func drawStick(_ *camera, p Piece) sprite {
	s := newSprite(stickW+2*rim, stickH+2*rim)
	var paint raster.Painter
	at := func(x, y, w, h, r float64) []raster.Point { return rounded(x+rim, y+rim, w, h, r) }
	s.fill(&paint, at(bodyW-60, 30, 190, stickH-60, 10), rgb{70, 72, 76}) // the tube inside, and the stick
	s.fill(&paint, at(bodyW+40, 40, 96, stickH-80, 20), rgb{236, 234, 222})
	s.fill(&paint, at(0, 14, 34, stickH-28, 8), rgb{206, 90, 50}) // the knob
	s.fill(&paint, at(28, 4, bodyW-28, stickH-8, 12), rgb{238, 238, 232})
	s.fill(&paint, at(90, 4, 380, stickH-8, 4), rgb{40, 96, 140})
	pale := rgb{240, 232, 206}
	for k := range 6 {
		turn := float64(k) * 60
		sin, cos := raster.SinCos(turn)
		s.fill(&paint, ellipse(rim+160+26*cos, rim+85+26*sin, 24, 10, turn), pale)
	}
	s.fill(&paint, at(dateX-16, codeY-14, 168, 94, 4), rgb{226, 224, 212})
	s.printed(p)
	s.fill(&paint, at(codeX-6, codeY-6, 72, 72, 2), rgb{240, 238, 230})
	for _, m := range stickModules() {
		x, y := rim+codeX+3+float64(m.X*codeModule), rim+codeY+3+float64(m.Y*codeModule)
		s.fill(&paint, []raster.Point{{X: x, Y: y}, {X: x + codeModule, Y: y}, {X: x + codeModule, Y: y + codeModule}, {X: x, Y: y + codeModule}}, rgb{30, 32, 36})
	}
	if p.Defect == CodeScratched {
		x, y := rim+codeX+float64(p.seed%20), rim+codeY-6.0
		s.fill(&paint, []raster.Point{{X: x, Y: y}, {X: x + 24, Y: y}, {X: x + 40, Y: y + 72}, {X: x + 10, Y: y + 72}}, rgb{206, 204, 196})
	}
	if !math.IsNaN(p.Gap) {
		s.fill(&paint, at(bodyW+p.Gap, 0, capW, stickH, 16), rgb{206, 90, 50})
		for k := range 8 { // its grip
			s.fill(&paint, at(bodyW+p.Gap+40+float64(k)*22, 8, 8, stickH-16, 3), rgb{178, 72, 38})
		}
	}
	// Round as it is: dark above and below.
	for y := range s.H {
		u := (float64(y) - rim) / stickH
		k := 0.72 + 0.32*math.Sin(math.Pi*min(max(u, 0), 1))
		for x := range s.W {
			o := y*s.Stride + x
			for _, plane := range [3][]uint8{s.R, s.G, s.B} {
				plane[o] = uint8(min(float64(plane[o])*k, 255))
			}
		}
	}
	return s
}

// printed prints date and lot as an ink jet of seven nozzles does.
func (s sprite) printed(p Piece) {
	rng := rand.New(rand.NewPCG(p.seed, 8))
	date, lot := stickDate, stickLot
	switch p.Defect {
	case DateMissing:
		date = ""
	case DateWrong:
		date = wrongDate
	case LotWrong:
		lot = wrongLot
	}
	for i, text := range []string{date, lot} {
		ink := dotFace().Letter(text, drawn.Lettering{Cap: printCap, Dot: 1.25, Scatter: 0.07}, rng)
		if p.Defect == DateSmeared && i == 0 {
			ink.Smear(printCap)
			ink.Smear(printCap * 0.7)
		}
		s.put(ink, rim+dateX-int(ink.Begin()), rim+dateY+i*lineStep-int(ink.Base-ink.Cap/2), rgb{34, 36, 46})
	}
}

// put prints ink onto the sprite with its upper left corner at a place.
func (s sprite) put(ink *drawn.Ink, left, top int, c rgb) {
	for y := range ink.H {
		for x, a := range ink.Row(y) {
			o := (top+y)*s.Stride + left + x
			for k, plane := range [3][]uint8{s.R, s.G, s.B} {
				tone := int(c[k])
				plane[o] = uint8(int(plane[o]) + (tone-int(plane[o]))*int(a)/255)
			}
		}
	}
}

var dotFace = sync.OnceValue(drawn.DotFace)
