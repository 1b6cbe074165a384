package raster

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// The chamfer distance is within 8 % of the Euclidean one, and the border of the
// picture is dark.
func TestDistances(t *testing.T) {
	rng := rand.New(rand.NewPCG(2, 3))
	g := NewGray(61, 47)
	for i := range g.Pix {
		g.Pix[i] = 255
	}
	var dark [][2]int
	for range 6 {
		x, y := rng.IntN(61), rng.IntN(47)
		g.Row(y)[x] = 0
		dark = append(dark, [2]int{x, y})
	}
	for x := -1; x <= 61; x++ {
		dark = append(dark, [2]int{x, -1}, [2]int{x, 47})
	}
	for y := -1; y <= 47; y++ {
		dark = append(dark, [2]int{-1, y}, [2]int{61, y})
	}
	d := make([]uint16, 61*47)
	DistanceInto(d, g)
	for y := range 47 {
		for x := range 61 {
			want := math.Inf(1)
			for _, p := range dark {
				want = min(want, math.Hypot(float64(x-p[0]), float64(y-p[1])))
			}
			got := float64(d[y*61+x]) / straightStep
			require.InDelta(t, want, got, 0.081*want, "at %d, %d", x, y)
		}
	}
}

func TestMeansAgreeWithAddingUp(t *testing.T) {
	rng := rand.New(rand.NewPCG(5, 3))
	g := NewGray(83, 31)
	for i := range g.Pix {
		g.Pix[i] = uint8(rng.IntN(256))
	}
	var m Means
	for _, reach := range []int{0, 1, 4, 40, 90} {
		m.Of(g, reach)
		for y := range g.H {
			m.Next()
			for x := range g.W {
				sum, n := uint32(0), 0
				for v := max(y-reach, 0); v < min(y+reach+1, g.H); v++ {
					for _, p := range g.Row(v)[max(x-reach, 0):min(x+reach+1, g.W)] {
						sum += uint32(p)
						n++
					}
				}
				gotSum, gotN := m.Box(x)
				require.Equal(t, [2]int{int(sum), n}, [2]int{int(gotSum), gotN}, "at %d, %d within %d", x, y, reach)
			}
		}
	}
}

func TestOtsu(t *testing.T) {
	var h [256]int
	h[40], h[44], h[180] = 500, 500, 30
	at, dark, light, ok := Otsu(h)
	assert.True(t, ok && at >= 44 && at < 180)
	assert.Equal(t, 42.0, dark)
	assert.Equal(t, 180.0, light)
	h = [256]int{7: 100}
	_, _, _, ok = Otsu(h)
	assert.False(t, ok, "one gray value has no two parts")
}
