package raster

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestHSVOfKnownColors(t *testing.T) {
	for _, c := range [][6]int{
		{255, 0, 0, 0, 255, 255},
		{255, 255, 0, 256, 255, 255},
		{0, 255, 0, 512, 255, 255},
		{0, 255, 255, 768, 255, 255},
		{0, 0, 255, 1024, 255, 255},
		{255, 0, 255, 1280, 255, 255},
		{90, 90, 90, 0, 0, 90},
		{0, 0, 0, 0, 0, 0},
		{200, 100, 150, 1408, 128, 200},
	} {
		h, s, v := HSV(uint8(c[0]), uint8(c[1]), uint8(c[2]))
		assert.Equal(t, [3]int{c[3], c[4], c[5]}, [3]int{h, s, v}, "%v", c[:3])
	}
}

// Counting without divisions says the same as the bands themselves, hues through red,
// grays and bands that hold nothing included; on the vector kernel and off it.
func TestColorCounterAgreesWithItsBand(t *testing.T) {
	rng := rand.New(rand.NewPCG(1, 6))
	all := ColorBand{Hue1: HueTurn - 1, Sat1: 255, Val1: 255}
	with := func(change func(b *ColorBand)) ColorBand { b := all; change(&b); return b }
	bands := []ColorBand{
		all,
		with(func(b *ColorBand) { b.Hue0, b.Hue1 = 1450, 85 }),
		with(func(b *ColorBand) { b.Hue0, b.Hue1 = 384, 640; b.Sat0 = 77 }),
		with(func(b *ColorBand) { b.Hue0, b.Hue1 = 85, 1450; b.Val0, b.Val1 = 26, 153 }),
		with(func(b *ColorBand) { b.Sat1, b.Val0 = 30, 204 }),
		with(func(b *ColorBand) { b.Hue0, b.Hue1 = 256, 256 }),
		with(func(b *ColorBand) { b.Hue0, b.Hue1 = 300, 299 }),
		with(func(b *ColorBand) { b.Hue0, b.Hue1 = 0, 0 }),
		with(func(b *ColorBand) { b.Sat0, b.Sat1 = 90, 40 }),
		with(func(b *ColorBand) { b.Val0, b.Val1 = 300, 400 }),
	}
	for range 10 {
		bands = append(bands, ColorBand{
			Hue0: rng.IntN(HueTurn), Hue1: rng.IntN(HueTurn), Sat0: rng.IntN(128), Sat1: 128 + rng.IntN(128), Val0: rng.IntN(128), Val1: 128 + rng.IntN(128),
		})
	}
	for _, band := range bands {
		c := band.Counter()
		for row := range 1500 {
			n := rng.IntN(70)
			r, g, b := make([]uint8, n), make([]uint8, n), make([]uint8, n)
			want := 0
			for i := range r {
				r[i], g[i], b[i] = uint8(rng.Uint32()), uint8(rng.Uint32()), uint8(rng.Uint32())
				switch row % 3 {
				case 1: // near gray, where hues are wild
					g[i], b[i] = r[i]+uint8(rng.IntN(5)), r[i]-uint8(rng.IntN(5))
				case 2: // at the ends of the scale
					for _, p := range [3][]uint8{r, g, b} {
						p[i] = uint8(max(min(rng.IntN(300)-22, 255), 0))
					}
				}
				if h, s, v := HSV(r[i], g[i], b[i]); band.Holds(h, s, v) {
					want++
				}
			}
			require.Equal(t, want, colorCountOf(&c, r, g, b), "%+v", band)
			require.Equal(t, want, c.Count(r, g, b), "%+v", band)
		}
	}
}

// colorCountOf counts with the reference kernel.
func colorCountOf(c *ColorCounter, r, g, b []uint8) int {
	if c.empty {
		return 0
	}
	return colorCountRef(r, g, b, &c.test)
}
