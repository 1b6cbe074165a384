package main

import (
	"math"
	"math/rand/v2"

	"ricetta/core/raster"
	"ricetta/internal/drawn"
)

// grade is how hard a drawn picture is.
type grade struct {
	name  string
	noise float64 // deviation of the gray values
	blur  int     // rounds, each of half a pixel squared
	gain  float64 // of the light
	slope float64 // gray values over the width
	cover float64 // share of the feature hidden, from one side
	turn  float64 // up to so many degrees to either side
}

var grades = []grade{
	{"plain", 2, 2, 1, 0, 0, 15},
	{"blurred", 2, 8, 1, 0, 0, 15},
	{"noise 5", 5, 2, 1, 0, 0, 15},
	{"noise 12", 12, 2, 1, 0, 0, 15},
	{"half the light, uneven", 3, 2, 0.5, 30, 0, 15},
	{"turned anyhow", 3, 2, 1, 0, 0, 180},
	{"30 % covered", 3, 2, 1, 0, 0.3, 15},
}

// feature is something to find: drawn about (0, 0), half wide and half high.
type feature struct {
	outlines   [][]raster.Point
	tones      []uint8
	texture    func(x, y float64) float64
	wide, high float64
	plain      bool // no clutter round it
}

func rect(x, y, w, h float64) []raster.Point {
	return raster.Rect(x, y, w, h).Outline(raster.Identity(), nil)
}

// The features that the datums are taught on.
var features = map[string]feature{
	"label": {outlines: [][]raster.Point{
		{{X: -110, Y: -80}, {X: 110, Y: -80}, {X: 110, Y: 20}, {X: 60, Y: 20}, {X: 60, Y: 80}, {X: -110, Y: 80}},
		rect(-80, -50, 60, 40),
		{{X: 20, Y: -55}, {X: 90, Y: -40}, {X: 20, Y: -25}},
		rect(-70, 30, 100, 20),
	}, tones: []uint8{200, 60, 90, 30}, wide: 110, high: 80},
	"cloth":  {texture: drawn.Cloth(1, 12, 6), wide: 90, high: 65},
	"disc":   {outlines: [][]raster.Point{drawn.Round(0, 0, 60)}, tones: []uint8{205}, wide: 60, high: 60},
	"drop":   {outlines: [][]raster.Point{{{X: -95, Y: 0}, {X: -75, Y: -22}, {X: 95, Y: -9}, {X: 95, Y: 9}, {X: -75, Y: 22}}}, tones: []uint8{215}, wide: 95, high: 22, plain: true},
	"corner": {outlines: [][]raster.Point{{{X: -150, Y: -110}, {X: 900, Y: -110}, {X: 900, Y: 900}, {X: -150, Y: 900}}}, tones: []uint8{190}, wide: 150, high: 110, plain: true},
}

// draw draws the feature at a pose among clutter, or only the clutter where it is absent.
func (f feature) draw(at raster.Pose, g grade, absent bool, seed uint64) *raster.Gray {
	rng := rand.New(rand.NewPCG(seed, 99))
	pic := raster.NewGray(640, 480)
	for i := range pic.Pix {
		pic.Pix[i] = 110
	}
	var p raster.Painter
	if !f.plain {
		for range 14 {
			x, y, r := rng.Float64()*640, rng.Float64()*480, 8+rng.Float64()*30
			if math.Hypot(x-at.X, y-at.Y) < math.Hypot(f.wide, f.high)+r && !absent {
				continue // the feature lies on top, what touches it counts as cover
			}
			var pts []raster.Point
			for k := range 3 + rng.IntN(4) {
				sin, cos := math.Sincos((float64(k)*60 + rng.Float64()*40) * math.Pi / 180)
				pts = append(pts, raster.Point{X: x + r*cos, Y: y + r*sin})
			}
			p.Fill(pic, pts, uint8(40+rng.IntN(180)))
		}
	}
	m := raster.Moving(raster.Point{}, at)
	if !absent {
		for i, o := range f.outlines {
			var moved []raster.Point
			for _, q := range o {
				moved = append(moved, m.Apply(q))
			}
			p.Fill(pic, moved, f.tones[i])
		}
		if f.texture != nil {
			back := m.Inverse()
			for y := range pic.H {
				for x := range pic.W {
					q := back.Apply(raster.Point{X: float64(x) + 0.5, Y: float64(y) + 0.5})
					if math.Abs(q.X) < f.wide && math.Abs(q.Y) < f.high {
						pic.Row(y)[x] = uint8(min(max(120+f.texture(q.X, q.Y)+0.5, 0), 255))
					}
				}
			}
		}
		if g.cover > 0 {
			w := 2 * f.wide * g.cover
			p.Fill(pic, raster.Rect(-f.wide-8, -f.high-8, w+8, 2*f.high+16).Outline(m, nil), 128)
		}
	}
	pic.Blur(g.blur)
	for y := range pic.H {
		row := pic.Row(y)
		for x, v := range row {
			light := float64(v)*g.gain + g.slope*float64(x)/640
			row[x] = uint8(min(max(light+rng.NormFloat64()*g.noise+0.5, 0), 255))
		}
	}
	return pic
}
