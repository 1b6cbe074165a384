package raster

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// guarded returns n random bytes with guard bytes before and behind them, at a
// chosen alignment, and a function that tells whether a guard was overwritten.
func guarded(rng *rand.Rand, n, align int) ([]uint8, func() bool) {
	const guard = 64
	all := make([]uint8, guard+align+n+guard)
	for i := range all {
		all[i] = 0xA5
	}
	part := all[guard+align : guard+align+n : guard+align+n]
	for i := range part {
		switch rng.IntN(8) {
		case 0:
			part[i] = 0
		case 1:
			part[i] = 255
		default:
			part[i] = uint8(rng.Uint32())
		}
	}
	return part, func() bool {
		for i, v := range all {
			if (i < guard+align || i >= guard+align+n) && v != 0xA5 {
				return false
			}
		}
		return true
	}
}

func TestKernelsEqualTheirReferences(t *testing.T) {
	rng := rand.New(rand.NewPCG(1, 2))
	for n := range 131 {
		for align := range 4 {
			r, _ := guarded(rng, n, align)
			g, _ := guarded(rng, n, 3-align)
			b, _ := guarded(rng, n, 1)
			got, intact := guarded(rng, n, align)
			want := make([]uint8, n)
			lumaRow(got, r, g, b)
			lumaRowRef(want, r, g, b)
			require.Equal(t, want, got, "luma of %d pixels", n)
			require.True(t, intact(), "luma of %d pixels wrote outside", n)

			a2, _ := guarded(rng, 2*n, align)
			b2, _ := guarded(rng, 2*n, 2)
			halfRow(got, a2, b2)
			halfRowRef(want, a2, b2)
			require.Equal(t, want, got, "half of %d pixels", n)
			require.True(t, intact(), "half of %d pixels wrote outside", n)

			lo, hi := uint8(rng.Uint32()), uint8(rng.Uint32())
			if lo > hi {
				lo, hi = hi, lo
			}
			words := make([]uint32, (n+31)/32)
			bandBitsRef(words, r, lo, hi)
			require.Equal(t, words, BandBits([]uint32{}, r, lo, hi), "band %d…%d of %d pixels", lo, hi, n)
			require.Equal(t, bandCountRef(r, lo, hi), BandCount(r, lo, hi), "count in %d…%d of %d pixels", lo, hi, n)

			require.Equal(t, dotRowRef(r, g), Dot(r, g), "dot of %d pixels", n)
			up, _ := guarded(rng, n+2, align)
			mid, _ := guarded(rng, n+2, 1)
			down, _ := guarded(rng, n+2, 2)
			var slopes Slopes
			slopes.Row(got, up, mid, down)
			for i := range want {
				gx := int(up[i+2]) + 2*int(mid[i+2]) + int(down[i+2]) - int(up[i]) - 2*int(mid[i]) - int(down[i])
				gy := int(down[i]) + 2*int(down[i+1]) + int(down[i+2]) - int(up[i]) - 2*int(up[i+1]) - int(up[i+2])
				want[i] = uint8(min(max(gx, -gx)+max(gy, -gy), 255))
			}
			require.Equal(t, want, got, "sobel of %d pixels", n)
			require.True(t, intact(), "sobel of %d pixels wrote outside", n)

			tall, tallWant := make([]uint16, n+4), make([]uint16, n+4)
			gaussDown(tall[:n], r, g, b, up[:n], mid[:n])
			gaussDownRef(tallWant[:n], r, g, b, up[:n], mid[:n])
			require.Equal(t, tallWant, tall, "gauss down %d pixels", n)
			gaussAcross(got, tall)
			gaussAcrossRef(want, tall)
			require.Equal(t, want, got, "gauss across %d pixels", n)
			require.True(t, intact(), "gauss across %d pixels wrote outside", n)

			sums, sumsWant := make([]uint32, n), make([]uint32, n)
			for i := range sums {
				sums[i] = rng.Uint32()
			}
			copy(sumsWant, sums)
			slideSums(sums, r, g)
			slideSumsRef(sumsWant, r, g, 0)
			require.Equal(t, sumsWant, sums, "sums of %d pixels", n)
		}
	}
}

func TestSumShiftedEqualsItsReference(t *testing.T) {
	rng := rand.New(rand.NewPCG(3, 4))
	for _, n := range []int{32, 64, 96, 128, 160, 288} {
		base := make([]uint8, n+500)
		for i := range base {
			base[i] = uint8(rng.IntN(5))
		}
		for count := 1; count <= 63; count += 7 {
			offs := make([]int32, count)
			for i := range offs {
				offs[i] = int32(rng.IntN(500))
			}
			got, intact := guarded(rng, n, count%5)
			want := make([]uint8, n)
			least := uint8(rng.IntN(200))
			hit := sumShiftedRef(want, base, offs, least)
			assert.Equal(t, hit, SumShifted(got, base, offs, least))
			require.Equal(t, want, got)
			require.True(t, intact())
		}
	}
	assert.Panics(t, func() { SumShifted(make([]uint8, 32), make([]uint8, 40), []int32{9}, 0) }, "an offset out of base")
	assert.Panics(t, func() { SumShifted(make([]uint8, 31), make([]uint8, 40), []int32{0}, 0) }, "a length that is no multiple of 32")
}

func TestBandCountOfALongRow(t *testing.T) {
	row := make([]uint8, 40_007)
	for i := range row {
		row[i] = 9
	}
	assert.Equal(t, 40_007, BandCount(row, 9, 9), "byte counters must not overflow")
	assert.Equal(t, 0, BandCount(row, 10, 9))
}

func TestLumaKeepsGray(t *testing.T) {
	c := NewRGB(256, 1)
	for i := range 256 {
		c.R[i], c.G[i], c.B[i] = uint8(i), uint8(i), uint8(i)
	}
	g := c.LumaInto(NewGray(0, 0))
	for i := range 256 {
		require.Equal(t, uint8(i), g.Pix[i])
	}
}

func TestBandBitsOfAnEmptyBand(t *testing.T) {
	assert.Equal(t, []uint32{0}, BandBits([]uint32{7}, []uint8{1, 2, 3}, 5, 4))
}

func TestDotShiftedEqualsItsReference(t *testing.T) {
	rng := rand.New(rand.NewPCG(7, 2))
	for n := 0; n <= 96; n += 16 {
		for points := 0; points <= 12; points += 2 {
			base := make([]int16, n+50)
			for i := range base {
				base[i] = int16(rng.IntN(255) - 127)
			}
			offs, weights := make([]int32, points), make([]int16, points)
			for i := range offs {
				offs[i], weights[i] = int32(rng.IntN(51)), int16(rng.IntN(255)-127)
			}
			got, want := make([]int32, n), make([]int32, n)
			DotShifted(got, base, offs, weights)
			dotShiftedRef(want, base, offs, weights)
			require.Equal(t, want, got, "%d places, %d points", n, points)
		}
	}
	assert.Panics(t, func() { DotShifted(make([]int32, 16), make([]int16, 20), []int32{0, 5}, []int16{1, 1}) })
	odd := make([]int32, 1) // points are taken in pairs
	assert.Panics(t, func() { DotShifted(make([]int32, 16), make([]int16, 20), odd, make([]int16, len(odd))) })
}

func TestDotOfMuch(t *testing.T) {
	a := make([]uint8, 100_003)
	for i := range a {
		a[i] = 255
	}
	assert.Equal(t, 100_003*255*255, Dot(a, a))
}

func TestSmoothKeepsPlainPicturesAndWeighsASpeck(t *testing.T) {
	g := NewGray(40, 9)
	for i := range g.Pix {
		g.Pix[i] = 77
	}
	var s Smoother
	var dst Gray
	s.Smooth(&dst, g)
	assert.Equal(t, g.Pix, dst.Pix)
	clear(g.Pix)
	g.Row(4)[20] = 255
	s.Smooth(&dst, g)
	assert.Equal(t, []uint8{6, 24, 36, 24, 6}, dst.Row(4)[18:23])
	one := NewGray(1, 1)
	one.Pix[0] = 9
	s.Smooth(&dst, one)
	assert.Equal(t, []uint8{9}, dst.Pix)
}
