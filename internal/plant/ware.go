package plant

import "math/rand/v2"

// ware is a product of the demo plant.
type ware struct {
	// make chooses how the piece lies, what is wrong with it and what is in it.
	make func(rng *rand.Rand, rates Rates, p *Piece)
	// draw returns the piece as a sprite, which is good until the next call.
	draw func(c *camera, p Piece) sprite
}

// wares by product.
var wares map[string]ware

func init() { // not in the declaration: cameras know wares, and wares cameras
	wares = map[string]ware{
		Tins:   {makeTin, (*camera).pack},
		Trays:  {lying(1, fillTray, PanMissing, PansSwapped, BrushMissing, TrayTurned, Nothing), (*camera).packTray},
		Sticks: {lying(2, fillStick, CapMissing, CapRaised, Nothing, CodeScratched, DateMissing, DateWrong, DateSmeared, LotWrong), drawStick},
		Lids:   {lying(45, fillLid, CodeMissing, ArticleWrong, CodePale, Nothing), drawLid},
		Rolls:  {lying(40, fillRoll, Bump, Notch, Nothing), drawRoll},
	}
}

// lying makes pieces that lie turned by jitter times as much as tins, have one of the
// defects, and are filled by it.
func lying(jitter float64, fill func(rng *rand.Rand, p *Piece), defects ...Defect) func(*rand.Rand, Rates, *Piece) {
	return func(rng *rand.Rand, rates Rates, p *Piece) {
		p.lie(rng, jitter)
		p.Defect = rates.pick(rng.Float64(), defects)
		fill(rng, p)
	}
}
