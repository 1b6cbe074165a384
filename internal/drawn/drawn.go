// Package drawn draws pictures whose truth is known, for tests and for the accuracy
// tables.
package drawn

import (
	"math"
	"math/rand/v2"

	"ricetta/core/raster"
)

// Outlines paints outlines of one tone on a ground, blurs them as a lens does and adds
// noise of that deviation, by chance rng. Across rows an outline is exact to an eighth of
// a pixel, for so the painter samples it; along rows it is exact.
func Outlines(w, h int, ground, tone uint8, noise float64, rng *rand.Rand, outlines ...[]raster.Point) *raster.Gray {
	g := raster.NewGray(w, h)
	for i := range g.Pix {
		g.Pix[i] = ground
	}
	var p raster.Painter
	for _, o := range outlines {
		p.Fill(g, o, tone)
	}
	g.Blur(2)
	for i, v := range g.Pix {
		g.Pix[i] = uint8(min(max(float64(v)+rng.NormFloat64()*noise+0.5, 0), 255))
	}
	return g
}

// Wheel is a closed outline whose radius in direction deg is radius(deg).
func Wheel(cx, cy float64, radius func(deg float64) float64) []raster.Point {
	var out []raster.Point
	for i := range 720 {
		deg := float64(i) / 2
		s, c := math.Sincos(deg * math.Pi / 180)
		r := radius(deg)
		out = append(out, raster.Point{X: cx + r*c, Y: cy + r*s})
	}
	return out
}

// Round is a circle as an outline.
func Round(cx, cy, r float64) []raster.Point {
	return Wheel(cx, cy, func(float64) float64 { return r })
}

// Cloth is a texture without clean edges about 0: waves of many directions, each up to
// amplitude + 5 high.
func Cloth(seed uint64, waves int, amplitude float64) func(x, y float64) float64 {
	rng := rand.New(rand.NewPCG(seed, 77))
	list := make([][4]float64, waves)
	for i := range list {
		turn, length := rng.Float64()*2*math.Pi, 14+rng.Float64()*40
		list[i] = [4]float64{2 * math.Pi / length * math.Cos(turn), 2 * math.Pi / length * math.Sin(turn), rng.Float64() * 6, amplitude + rng.Float64()*5}
	}
	return func(x, y float64) float64 {
		sum := 0.0
		for _, w := range list {
			sum += w[3] * math.Sin(w[0]*x+w[1]*y+w[2])
		}
		return sum
	}
}
