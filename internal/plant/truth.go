package plant

import (
	"math/rand/v2"

	"ricetta/core/raster"
	"ricetta/core/recipe"
)

// Defect is what is wrong with a tin.
type Defect string

// The defects that tins can have.
const (
	Good     Defect = "good"
	Missing  Defect = "pencil missing"
	Swapped  Defect = "two pencils swapped"
	Reversed Defect = "pencil wrong way round"
	NoTin    Defect = "no tin"
	Turned   Defect = "tin wrong way round"
)

// Defects lists them all, the good first.
var Defects = []Defect{Good, Missing, Swapped, Reversed, NoTin, Turned}

// Route returns where a tin with this defect belongs.
func (d Defect) Route() string {
	switch d {
	case Good:
		return recipe.Pass
	case Turned:
		return recipe.Rework
	}
	return recipe.Reject
}

// Rates are the shares of tins (0…1) that have each defect.
type Rates map[Defect]float64

// Tin is the truth about one tin: what is in it and how it lies.
type Tin struct {
	Index   int64
	Defect  Defect
	Pencils [12]Pencil
	At      raster.Pose
	// Light is the gain of the lamps, Glare a reflection.
	Light  float64
	GlareX float64
	GlareY float64
	GlareR float64 // 0: none
	seed   uint64
}

// Pencil is one of the twelve places of a tin.
type Pencil struct {
	Color    int // index into the colors of the set, -1 for an empty place
	Reversed bool
	DX, DY   float64 // how far it lies off its place, pixels
}

// Draw makes the tin with the given index on a line with the given seed: the same
// seed and index give the same tin.
func Draw(seed uint64, index int64, rates Rates) Tin {
	rng := rand.New(rand.NewPCG(seed, uint64(index)))
	t := Tin{Index: index, Defect: Good, seed: rng.Uint64()}
	for i := range t.Pencils {
		t.Pencils[i] = Pencil{Color: i, DX: rng.NormFloat64() * 0.8, DY: rng.NormFloat64() * 2}
	}
	t.At = raster.Pose{
		X: tinX + clamp(rng.NormFloat64()*9, 26), Y: tinY + clamp(rng.NormFloat64()*7, 20),
		Angle: clamp(rng.NormFloat64()*1.3, 4), Size: 1,
	}
	t.Light = 1 + clamp(rng.NormFloat64()*0.02, 0.05)
	if rng.IntN(3) == 0 {
		t.GlareX, t.GlareY, t.GlareR = 300+rng.Float64()*700, 200+rng.Float64()*550, 60+rng.Float64()*80
	}
	at := rng.Float64()
	for _, d := range Defects[1:] {
		if at < rates[d] {
			t.Defect = d
			break
		}
		at -= rates[d]
	}
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
	return t
}

func clamp(v, most float64) float64 { return min(max(v, -most), most) }
