package plant

import (
	"math/rand/v2"

	"ricetta/core/raster"
	"ricetta/core/recipe"
)

// Defect is what is wrong with a piece.
type Defect string

// The defects that pieces can have.
const (
	Good     Defect = "good"
	Missing  Defect = "pencil missing"
	Swapped  Defect = "two pencils swapped"
	Reversed Defect = "pencil wrong way round"
	NoTin    Defect = "no tin"
	Turned   Defect = "tin wrong way round"

	PanMissing   Defect = "pan missing"
	PansSwapped  Defect = "two pans swapped"
	BrushMissing Defect = "brush missing"
	TrayTurned   Defect = "tray wrong way round"

	CapMissing Defect = "cap missing"
	CapRaised  Defect = "cap raised"
	// The code on the label cannot be read any more.
	CodeScratched Defect = "code scratched"
	DateMissing   Defect = "date missing"
	DateWrong     Defect = "wrong date"
	DateSmeared   Defect = "date smeared"
	LotWrong      Defect = "wrong lot"

	// Of a lid: nothing printed, another article's code, a ribbon that ends.
	CodeMissing  Defect = "code missing"
	ArticleWrong Defect = "wrong article"
	CodePale     Defect = "code pale"

	Bump  Defect = "bump in the rim"
	Notch Defect = "notch in the rim"

	Nothing Defect = "nothing there"
)

// Defects lists them all, the good first.
var Defects = []Defect{
	Good, Missing, Swapped, Reversed, NoTin, Turned, PanMissing, PansSwapped, BrushMissing, TrayTurned,
	CapMissing, CapRaised, CodeScratched,
	DateMissing, DateWrong, DateSmeared, LotWrong, CodeMissing, ArticleWrong, CodePale, Bump, Notch, Nothing,
}

// Route returns where a tin with this defect belongs.
func (d Defect) Route() string {
	switch d {
	case Good:
		return recipe.Pass
	case Turned, TrayTurned:
		return recipe.Rework
	}
	return recipe.Reject
}

// Rates are the shares of tins (0…1) that have each defect.
type Rates map[Defect]float64

// Piece is the truth about one thing on a belt: what is in it and how it lies.
type Piece struct {
	Product string
	Index   int64
	Defect  Defect
	Pencils [12]Pencil // of a tin
	Pans    [12]int    // of a tray: indices into its colors, -1 for an empty place
	NoBrush bool       // of a tray
	Gap     float64    // of a glue stick: pixels between body and cap; NaN without one
	Flaw    Flaw       // of a roll
	At      raster.Pose
	// Light is the gain of the lamps, Glare a reflection.
	Light  float64
	GlareX float64
	GlareY float64
	GlareR float64 // 0: none
	seed   uint64
}

// absent reports whether there is nothing on the belt.
func (t Piece) absent() bool { return t.Defect == NoTin || t.Defect == Nothing }

// Pencil is one of the twelve places of a tin.
type Pencil struct {
	Color    int // index into the colors of the set, -1 for an empty place
	Reversed bool
	DX, DY   float64 // how far it lies off its place, pixels
}

// Draw makes the tin with the given index on a line with the given seed: the same
// seed and index give the same tin.
func Draw(seed uint64, index int64, rates Rates) Piece { return DrawOf(Tins, seed, index, rates) }

// DrawOf makes a piece of a product, as Draw does a tin.
func DrawOf(product string, seed uint64, index int64, rates Rates) Piece {
	rng := rand.New(rand.NewPCG(seed, uint64(index)))
	t := Piece{Product: product, Index: index, Defect: Good, seed: rng.Uint64()}
	wares[product].make(rng, rates, &t)
	return t
}

// makeTin chooses what is in a tin and how it lies.
func makeTin(rng *rand.Rand, rates Rates, t *Piece) {
	for i := range t.Pencils {
		t.Pencils[i] = Pencil{Color: i, DX: rng.NormFloat64() * 0.8, DY: rng.NormFloat64() * 2}
	}
	t.lie(rng, 1)
	t.Defect = rates.pick(rng.Float64(), []Defect{Missing, Swapped, Reversed, NoTin, Turned})
	i := rng.IntN(12)
	switch t.Defect {
	case Missing:
		t.Pencils[i].Color = -1
	case Reversed:
		t.Pencils[i].Reversed = true
	case Swapped:
		i = min(i, 10)
		t.Pencils[i].Color, t.Pencils[i+1].Color = i+1, i
	case Turned:
		t.At.Angle += 180
	}
}

// lie chooses how the piece lies, and the light.
func (t *Piece) lie(rng *rand.Rand, jitter float64) {
	t.At = raster.Pose{
		X: tinX + clamp(rng.NormFloat64()*9, 26), Y: tinY + clamp(rng.NormFloat64()*7, 20),
		Angle: clamp(rng.NormFloat64()*1.3, 4) * jitter, Size: 1,
	}
	t.Light = 1 + clamp(rng.NormFloat64()*0.02, 0.05)
	if rng.IntN(3) == 0 {
		t.GlareX, t.GlareY, t.GlareR = 300+rng.Float64()*700, 200+rng.Float64()*550, 60+rng.Float64()*80
	}
}

// seenBy is the piece as another camera of its line sees it: the same piece, lying a little
// otherwise and in other light. The first camera sees it as it was made.
func (t Piece) seenBy(view int) Piece {
	if view == 0 {
		return t
	}
	rng := rand.New(rand.NewPCG(t.seed, uint64(view)))
	turned := t.At.Angle
	t.GlareR = 0
	t.lie(rng, 0.3)
	t.At.Angle += turned
	t.seed = rng.Uint64()
	return t
}

// pick chooses a defect by a number 0…1.
func (r Rates) pick(at float64, defects []Defect) Defect {
	for _, d := range defects {
		if at < r[d] {
			return d
		}
		at -= r[d]
	}
	return Good
}

func clamp(v, most float64) float64 { return min(max(v, -most), most) }
