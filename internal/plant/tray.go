package plant

import (
	"math"
	"math/rand/v2"
	"sync"

	"ricetta/core/raster"
)

// Where the pans of a tray lie, in pixels of the tray: two rows of six.
const (
	trayW, trayH = 840, 560
	panSize      = 92
	panPitch     = 106
	panX, panY   = 176, 60
	brushY       = 330
)

// The colors of the pans, in their order.
var panColors = [12]rgb{
	{248, 214, 40},
	{246, 150, 40},
	{206, 40, 40},
	{160, 30, 96},
	{88, 48, 150},
	{34, 64, 170},
	{60, 160, 214},
	{16, 112, 92},
	{116, 176, 60},
	{196, 148, 70},
	{112, 66, 36},
	{44, 44, 48},
}

func fillTray(rng *rand.Rand, p *Piece) {
	for i := range p.Pans {
		p.Pans[i] = i
	}
	i := rng.IntN(12)
	switch p.Defect {
	case PanMissing:
		p.Pans[i] = -1
	case PansSwapped:
		k := (i + 1 + rng.IntN(11)) % 12
		p.Pans[i], p.Pans[k] = p.Pans[k], p.Pans[i]
	case BrushMissing:
		p.NoBrush = true
	case TrayTurned:
		p.At.Angle += 180
	}
}

// trays are the empty tray, its pans and the brush, drawn once.
var trays = sync.OnceValues(func() (empty sprite, parts [13]sprite) {
	empty = newSprite(trayW+2*rim, trayH+2*rim)
	var p raster.Painter
	at := func(x, y, w, h, r float64) []raster.Point { return rounded(x+rim, y+rim, w, h, r) }
	empty.fill(&p, at(0, 0, trayW, trayH, 40), rgb{196, 198, 196})
	empty.fill(&p, at(5, 5, trayW-10, trayH-10, 36), rgb{232, 233, 230})
	empty.fill(&p, at(150, 36, trayW-174, 250, 18), rgb{206, 208, 206})
	for i := range 12 { // the wells
		x, y := float64(panX+panPitch*(i%6)), float64(panY+panPitch*(i/6))
		empty.fill(&p, at(x-2, y-2, panSize+4, panSize+4, 14), rgb{176, 178, 176})
		empty.fill(&p, at(x, y, panSize, panSize, 12), rgb{214, 216, 214})
	}
	empty.fill(&p, at(150, brushY-6, trayW-174, 62, 26), rgb{190, 192, 190})
	empty.fill(&p, at(150, 424, 300, 104, 30), rgb{246, 247, 245}) // places to mix
	empty.fill(&p, at(474, 424, 342, 104, 30), rgb{246, 247, 245})
	// The print: a leaf and lines.
	ink := rgb{40, 92, 110}
	for k := range 5 {
		turn := float64(k)*36 - 72
		sin, cos := raster.SinCos(turn - 90)
		empty.fill(&p, ellipse(rim+76+34*cos, rim+150+42*sin, 11, 38, turn), ink)
	}
	empty.fill(&p, []raster.Point{{X: rim + 71, Y: rim + 150}, {X: rim + 81, Y: rim + 150}, {X: rim + 79, Y: rim + 260}, {X: rim + 73, Y: rim + 260}}, ink)
	for i, w := range []float64{86, 52, 74} {
		empty.fill(&p, at(34, 320+float64(i)*34, w, 15, 3), ink)
	}
	empty.fill(&p, at(34, 450, 60, 44, 8), rgb{222, 120, 60})
	for i, c := range panColors {
		s := newSprite(panSize, panSize)
		s.fill(&p, rounded(2, 2, panSize-4, panSize-4, 10), c)
		for y := range panSize { // a dried cake of paint: a soft hollow
			for x := range panSize {
				u, v := float64(x)/panSize-0.5, float64(y)/panSize-0.5
				k := 0.9 + 0.35*(u*u+v*v) + 0.05*math.Sin(9*u+7*v)
				o := y*s.Stride + x
				for _, plane := range [3][]uint8{s.R, s.G, s.B} {
					plane[o] = uint8(min(float64(plane[o])*k, 255))
				}
			}
		}
		parts[i] = s
	}
	brush := newSprite(trayW-190, 52)
	brush.fill(&p, rounded(0, 18, 430, 16, 8), rgb{150, 60, 40})
	brush.fill(&p, []raster.Point{{X: 420, Y: 15}, {X: 520, Y: 10}, {X: 520, Y: 42}, {X: 420, Y: 37}}, rgb{188, 186, 176})
	brush.fill(&p, []raster.Point{{X: 520, Y: 11}, {X: 580, Y: 12}, {X: 640, Y: 26}, {X: 580, Y: 40}, {X: 520, Y: 41}}, rgb{66, 50, 40})
	parts[12] = brush
	return empty, parts
})

// packTray puts pans and brush into the tray.
func (c *camera) packTray(p Piece) sprite {
	empty, parts := trays()
	if c.tray.RGB == nil {
		c.tray = newSprite(empty.W, empty.H)
		copy(c.tray.a, empty.a)
	}
	copy(c.tray.R, empty.R)
	copy(c.tray.G, empty.G)
	copy(c.tray.B, empty.B)
	for i, k := range p.Pans {
		if k >= 0 {
			parts[k].over(c.tray, rim+panX+panPitch*(i%6), rim+panY+panPitch*(i/6))
		}
	}
	if !p.NoBrush {
		parts[12].over(c.tray, rim+158+int(p.seed%12), rim+brushY)
	}
	return c.tray
}
