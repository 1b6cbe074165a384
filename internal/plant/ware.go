package plant

import "math/rand/v2"

// ware is a product of the demo plant: how it may be wrong, and how it is drawn.
type ware struct {
	defects []Defect
	jitter  float64 // of its turn, 1 is that of tins
	// fill chooses what is in the piece, by its defect.
	fill func(rng *rand.Rand, p *Piece)
	// draw returns the piece as a sprite, which is good until the next call.
	draw func(c *camera, p Piece) sprite
}

// wares by product.
var wares map[string]ware

func init() { // not in the declaration: cameras know wares, and wares cameras
	wares = map[string]ware{
		Tins:   {[]Defect{Missing, Swapped, Reversed, NoTin, Turned}, 1, nil, (*camera).pack},
		Trays:  {[]Defect{PanMissing, PansSwapped, BrushMissing, TrayTurned, Nothing}, 1, fillTray, (*camera).packTray},
		Sticks: {[]Defect{CapMissing, CapRaised, Nothing}, 2, fillStick, drawStick},
		Rolls:  {[]Defect{Bump, Notch, Nothing}, 40, fillRoll, drawRoll},
	}
}
