package color

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ricetta/core/check"
	"ricetta/core/check/checktest"
	"ricetta/core/raster"
)

func limits(least, most float64) *check.Limits { return &check.Limits{Least: &least, Most: &most} }

func TestSetSettings(t *testing.T) {
	for want, s := range map[string]SetSettings{"no band is given": {}, "between 0 and 360": {Hue: []float64{-4, 50}}, "saturation": {Saturation: limits(5, 2)}} {
		assert.ErrorContains(t, s.Validate(), want)
	}
}

// bars draws upright bars of the given colors on gray, in uneven light with noise.
func bars(seed uint64, colors ...[3]uint8) raster.Picture {
	p := raster.NewRGB(40*len(colors)+20, 80)
	rng := rand.New(rand.NewPCG(seed, 2))
	for y := range p.H {
		for x := range p.W {
			c := [3]uint8{120, 118, 116}
			if i := (x - 10) / 40; x >= 10 && i < len(colors) && (x-10)%40 >= 5 && (x-10)%40 < 35 {
				c = colors[i]
			}
			light := 0.9 + 0.1*float64(x)/float64(p.W)
			for k, plane := range [3][]uint8{p.R, p.G, p.B} {
				plane[y*p.Stride+x] = uint8(min(max(float64(c[k])*light+rng.NormFloat64()*3, 0), 255))
			}
		}
	}
	return raster.Picture{RGB: p}
}

var (
	red    = [3]uint8{200, 40, 35}
	orange = [3]uint8{215, 120, 30}
	green  = [3]uint8{40, 140, 60}
	blue   = [3]uint8{40, 70, 170}
)

func TestAmountRelativeToTheReference(t *testing.T) {
	ref := bars(1, red, green, blue, green)
	for name, s := range map[string]AmountSettings{
		"bands":  {Color: &SetSettings{Hue: []float64{345, 15}, Saturation: limits(40, 100)}},
		"picked": {Picked: []raster.Region{raster.Rect(20, 10, 20, 60)}, Unpicked: []raster.Region{raster.Rect(60, 10, 20, 60), raster.Rect(100, 10, 20, 60)}, Margin: 5},
	} {
		s.Region = raster.Rect(5, 5, 170, 70)
		amount := func(pic raster.Picture) float64 {
			return checktest.Value(t, checktest.Judge(t, Amount, &s, ref, pic, raster.Identity()), "amount")
		}
		assert.InDelta(t, 1, amount(ref), 1e-9, name)
		assert.InDelta(t, 2, amount(bars(2, red, green, red, green)), 0.05, name)
		assert.InDelta(t, 0, amount(bars(2, orange, green, blue, green)), 0.05, "%s: orange is not red", name)
	}
	s := AmountSettings{Region: raster.Rect(5, 5, 170, 70), Color: &SetSettings{Hue: []float64{280, 320}, Saturation: limits(30, 100)}}
	f := checktest.Judge(t, Amount, &s, ref, bars(2, red, [3]uint8{170, 40, 170}, blue, green), raster.Identity())
	assert.InDelta(t, 30.0/170, checktest.Value(t, f, "amount"), 0.02, "forbidden: the reference has none, so it is a share of the region")
	// Twice as large on the picture, as the datum says, is as much.
	on := raster.Transform{A: 0.5}
	s.Color = &SetSettings{Hue: []float64{345, 15}, Saturation: limits(40, 100)}
	half := raster.NewRGB(ref.RGB.W/2, ref.RGB.H/2)
	for y := range half.H {
		for x := range half.W {
			o, k := y*half.Stride+x, 2*y*ref.RGB.Stride+2*x
			half.R[o], half.G[o], half.B[o] = ref.RGB.R[k], ref.RGB.G[k], ref.RGB.B[k]
		}
	}
	f = checktest.Judge(t, Amount, &s, ref, raster.Picture{RGB: half}, on)
	assert.InDelta(t, 1, checktest.Value(t, f, "amount"), 0.03)
}

func TestAmountOnGrayPictures(t *testing.T) {
	g := raster.NewGray(100, 50)
	for i := range g.Pix {
		g.Pix[i] = uint8(200 * (i % 100 / 50))
	}
	dark := 90
	s := AmountSettings{Region: raster.Rect(0, 0, 100, 50), Tone: &raster.ToneBand{Most: &dark}}
	f := checktest.Judge(t, Amount, &s, raster.Picture{Gray: g}, raster.Picture{Gray: raster.NewGray(100, 50)}, raster.Identity())
	assert.Equal(t, 2.0, checktest.Value(t, f, "amount"), "twice as dark")
	_, err := Amount.Teach(&check.Teaching{Picture: raster.Picture{Gray: g}}, &AmountSettings{Region: s.Region, Color: &SetSettings{Hue: []float64{0, 20}}})
	assert.ErrorContains(t, err, "the pictures are gray; give tone")
	for want, s := range map[string]AmountSettings{
		"give exactly one": {Region: s.Region}, "goes with picked": {Region: s.Region, Tone: s.Tone, Unpicked: []raster.Region{s.Region}},
	} {
		assert.ErrorContains(t, s.Validate(), want)
	}
}

// What is picked purely is told from what is un-picked; what looks alike is warned of.
func TestGrowShutsOut(t *testing.T) {
	pic := bars(3, red, orange, green, blue)
	at := func(i int) raster.Spans {
		return raster.Rect(float64(20+40*i), 10, 20, 60).SpansInto(nil, raster.Identity(), 300, 80)
	}
	set, lost, left, err := Grow(pic, at(0), at(1), 30)
	require.NoError(t, err)
	assert.Less(t, lost, 0.03)
	assert.Zero(t, left, "a margin of 30° would take in orange")
	s := set.Settings()
	require.NotNil(t, s.Hue)
	assert.Greater(t, s.Hue[0], s.Hue[1], "red passes through 0: %v", s.Hue)
	_, lost, left, err = Grow(pic, at(0), at(0), 5)
	require.NoError(t, err)
	assert.True(t, lost+left > 0.1, "nothing parts a color from itself")
	teaching := check.Teaching{Picture: pic}
	same := []raster.Region{raster.Rect(20, 10, 20, 60)}
	_, err = Amount.Teach(&teaching, &AmountSettings{Region: raster.Rect(5, 5, 170, 70), Picked: same, Unpicked: same, Margin: 5})
	require.NoError(t, err)
	assert.NotEmpty(t, teaching.Warnings)
	gray := bars(3, [3]uint8{60, 60, 60}, [3]uint8{200, 200, 200})
	set, _, left, err = Grow(gray, at(0), at(1), 5)
	require.NoError(t, err)
	assert.Zero(t, left)
	assert.Nil(t, set.Settings().Hue, "grays have no hue")
}

func TestOrder(t *testing.T) {
	names := []string{"red", "orange", "green", "blue"}
	ref := bars(1, red, orange, green, blue)
	s := Order.New().(*OrderSettings)
	s.Region, s.Expect = raster.Rect(10, 15, 160, 50), names
	judge := func(colors ...[3]uint8) *check.Finding {
		return checktest.Judge(t, Order, s, ref, bars(7, colors...), raster.Identity())
	}
	f := judge(red, orange, green, blue)
	assert.Equal(t, 0.0, checktest.Value(t, f, "wrong"))
	assert.Equal(t, "red, orange, green, blue", f.Texts[0].Value)
	assert.Less(t, checktest.Value(t, f, "delta_e"), 6.0)
	f = judge(red, green, orange, blue)
	assert.Equal(t, 2.0, checktest.Value(t, f, "wrong"))
	assert.False(t, f.Readings[0].Within())
	assert.Equal(t, "2 wrong (place 2: green where orange belongs)", string(f.Sentence))
	f = judge(red, orange, green, [3]uint8{240, 240, 240})
	assert.Equal(t, "1 wrong (place 4: unknown where blue belongs)", string(f.Sentence))
	s.Colors = map[string]string{"red": "#c82823", "orange": "#d7781e", "green": "#288c3c", "blue": "#2846aa"}
	s.Expect = []string{"red", "red", "blue", "green"}
	f = judge(red, red, blue, green)
	assert.Equal(t, 0.0, checktest.Value(t, f, "wrong"), "colors need not come from the reference: %s", f.Sentence)
	on := raster.Moving(raster.Point{X: 90, Y: 40}, raster.Pose{X: 90, Y: 40, Angle: 180, Size: 1})
	f = checktest.Judge(t, Order, s, ref, bars(7, green, blue, red, red), on)
	assert.Equal(t, 0.0, checktest.Value(t, f, "wrong"), "the other way round with its datum")
	s.Expect = []string{"red", " "}
	assert.ErrorContains(t, s.Validate(), "is no name for a color")
	assert.False(t, math.IsNaN(checktest.Value(t, f, "delta_e")))
}
