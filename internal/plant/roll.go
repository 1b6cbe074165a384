package plant

import (
	"math"
	"math/rand/v2"
	"sync"

	"ricetta/core/raster"
)

// A roll of masking tape seen from above. Numbers are pixels.
const (
	rollOuter = 300.0
	rollCore  = 150.0
	rollInner = 116.0
)

// Flaw is a bump (above 0) or a notch (below 0) in the rim of a roll.
type Flaw struct{ Height, Turn, Width float64 }

func fillRoll(rng *rand.Rand, p *Piece) {
	p.Flaw = Flaw{Turn: rng.Float64()*360 - 180, Width: 6 + rng.Float64()*6}
	switch p.Defect {
	case Bump:
		p.Flaw.Height = 9 + rng.Float64()*10
	case Notch:
		p.Flaw.Height = -9 - rng.Float64()*10
	}
}

// Size of a roll's sprite.
const rollSize = 2*rollOuter + 60 + 2*rim

// ring returns the outline whose radius in direction deg is radius(deg).
func ring(radius func(deg float64) float64) []raster.Point {
	const c = rollSize / 2.0
	var out []raster.Point
	for i := range 240 {
		deg := float64(i)*1.5 - 180
		sin, cos := raster.SinCos(deg)
		r := radius(deg)
		out = append(out, raster.Point{X: c + r*cos, Y: c + r*sin})
	}
	return out
}

// rollInside is what all rolls have in common: windings and core. It is drawn once.
var rollInside = sync.OnceValue(func() sprite {
	s := newSprite(rollSize, rollSize)
	var paint raster.Painter
	round := func(r float64) []raster.Point { return ring(func(float64) float64 { return r }) }
	for r := rollOuter - 30; r > rollCore+8; r -= 15 {
		s.fill(&paint, round(r), rgb{218, 192, 128})
		s.fill(&paint, round(r-2.5), rgb{226, 202, 140})
	}
	s.fill(&paint, round(rollCore), rgb{150, 116, 82}) // the core of cardboard
	s.fill(&paint, round(rollInner), rgb{46, 50, 48})  // the belt seen through it
	return s
})

// drawRoll draws the roll with its flaw.
func drawRoll(_ *camera, p Piece) sprite {
	s := newSprite(rollSize, rollSize)
	var paint raster.Painter
	s.fill(&paint, ring(func(deg float64) float64 {
		d := math.Abs(raster.WrapAngle(deg-p.Flaw.Turn)) / p.Flaw.Width
		if d > 1 {
			return rollOuter
		}
		return rollOuter + p.Flaw.Height*(1+math.Cos(math.Pi*d))/2
	}), rgb{226, 202, 140})
	rollInside().over(s, 0, 0)
	return s
}
