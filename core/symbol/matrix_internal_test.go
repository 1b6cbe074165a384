package symbol

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ricetta/internal/drawn"
)

func modules(t testing.TB) func(c *drawn.Code, err error) *grid {
	return func(c *drawn.Code, err error) *grid {
		require.NoError(t, err)
		g := newGrid(c.W, c.H)
		for y := range c.H {
			for x := range c.W {
				g.set(x, y, c.At(x, y))
			}
		}
		return g
	}
}

// Every size of Data Matrix and every version and level of QR, as another encoder makes
// them, clean and damaged as far as their check codewords reach.
func TestMatrixCodesFromAnotherEncoder(t *testing.T) {
	of := modules(t)
	rng := rand.New(rand.NewPCG(2, 2))
	sizes := map[string]bool{}
	for n := 1; n < 1500; n += 1 + n/4 {
		text := strings.Repeat("Lot 47-1 ", n/9+1)[:n]
		g := of(drawn.Matrix(text))
		m, ok := decodeMatrix(g)
		require.True(t, ok, "%d characters", n)
		assert.Equal(t, message{text: text, blocks: m.blocks}, m)
		sizes[fmt.Sprint(g.w)] = true
		s, _ := matrixSizeOf(g.h, g.w)
		for range 2 + s.checks/s.blocks/8 { // modules, each of which spoils one codeword at most
			x, y := 1+rng.IntN(g.w-2), 1+rng.IntN(g.h-2)
			g.set(x, y, !g.at(x, y))
		}
		if s.checks > 10 {
			m, ok = decodeMatrix(g)
			require.True(t, ok, "%d characters, damaged", n)
			assert.Equal(t, text, m.text)
		}
	}
	assert.GreaterOrEqual(t, len(sizes), 15)

	versions := map[int]bool{}
	for level := range 4 {
		for n := 1; n < 1200; n += 1 + n/5 {
			for _, text := range []string{strings.Repeat("0123456789", n/10+1)[:n], strings.Repeat("LOT 47-1/", n/9+1)[:n], strings.Repeat("Tempera è blu ", n/14+1)[:n]} {
				if !strings.Contains(text, "\xc3") || strings.HasSuffix(text, "\xc3") {
					text = strings.TrimSuffix(text, "\xc3")
				}
				g := of(drawn.QR(text+"x", level))
				m, ok := decodeQR(g)
				require.True(t, ok, "%d characters, level %d", n, level)
				assert.Equal(t, message{text: text + "x", blocks: m.blocks}, m)
				versions[g.w] = true
				if v := (g.w - 17) / 4; v >= 7 {
					read, ok := qrVersionBits(g)
					assert.True(t, ok)
					assert.Equal(t, v, read)
				}
				for range 2 {
					x, y := 9+rng.IntN(g.w-18), 9+rng.IntN(g.h-18)
					g.set(x, y, !g.at(x, y))
				}
				m, ok = decodeQR(g.transposed())
				require.True(t, ok, "%d characters, level %d, mirrored and damaged", n, level)
				assert.Equal(t, text+"x", m.text)
			}
		}
	}
	assert.GreaterOrEqual(t, len(versions), 25)
}

// Reed and Solomon's code mends as many errors and erasures as it must, and never claims
// to have mended more.
func TestCorrection(t *testing.T) {
	rng := rand.New(rand.NewPCG(1, 9))
	for _, f := range []*field{matrixField, qrField} {
		for round := range 400 {
			checks := 4 + rng.IntN(40)
			n := checks + 1 + rng.IntN(200-checks)
			block := make([]byte, n)
			for i := range n - checks {
				block[i] = byte(rng.IntN(256))
			}
			encode(f, block, checks)
			want := append([]byte(nil), block...)
			erased := rng.IntN(checks + 1)
			errors := rng.IntN((checks-erased)/2 + 1)
			places := rng.Perm(n)[:erased+errors]
			for _, p := range places {
				block[p] ^= byte(1 + rng.IntN(255))
			}
			_, ok := f.correct(block, checks, places[:erased])
			require.True(t, ok, "round %d: %d checks, %d erased, %d errors", round, checks, erased, errors)
			require.Equal(t, want, block)
		}
		wrong := 0
		for range 300 { // beyond what can be mended: told, nearly always
			block := make([]byte, 40)
			encode(f, block, 20)
			for _, p := range rng.Perm(40)[:16] {
				block[p] ^= byte(1 + rng.IntN(255))
			}
			if _, ok := f.correct(block, 20, nil); ok {
				wrong++
			}
		}
		assert.Zero(t, wrong)
	}
}

// encode fills in the check codewords: the remainder by the generator polynomial.
func encode(f *field, block []byte, checks int) {
	g := []byte{1}
	for i := range checks {
		next := make([]byte, len(g)+1)
		for k, c := range g {
			next[k] ^= c
			next[k+1] ^= f.mul(c, f.exp[(i+f.base)%255])
		}
		g = next
	}
	rest := append([]byte(nil), block...)
	n := len(block) - checks
	for i := range n {
		if c := rest[i]; c != 0 {
			for k := range g {
				rest[i+k] ^= f.mul(c, g[k])
			}
		}
	}
	copy(block[n:], rest[n:])
}
