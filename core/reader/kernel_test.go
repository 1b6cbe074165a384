package reader

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
)

// The kernels of this machine must do what plain Go does, to the last bit: otherwise a text
// would be read with another confidence elsewhere.
func TestKernelsEqualPlainGo(t *testing.T) {
	rng := rand.New(rand.NewPCG(1, 2))
	bytes := func(n, most int) []uint8 {
		out := make([]uint8, n)
		for i := range out {
			out[i] = uint8(rng.IntN(most + 1))
		}
		return out
	}
	for _, tc := range []struct{ rows, fours, step int }{{1, 3, 12}, {3, 18, 48}, {3, 72, 96}, {4, 72, 96}, {1, 40, 160}} {
		rowStep := tc.step*9 + 4*tc.fours
		in := bytes(tc.rows*rowStep+4*tc.step+4*tc.fours, 127)
		weights, bias := make([]int8, tc.rows*tc.fours*64), make([]int32, 16)
		for i := range weights {
			weights[i] = int8(rng.IntN(255) - 127)
		}
		if tc.rows == 3 { // the largest sums there can be
			for i := range weights {
				weights[i] = 127
			}
			for i := range in {
				in[i] = 127
			}
		}
		for i := range bias {
			bias[i] = int32(rng.IntN(20000) - 10000)
		}
		got, want := make([]int32, 4*48), make([]int32, 4*48)
		convolve(got, 48, in, rowStep, tc.step, tc.rows, tc.fours, weights, bias)
		convolveRef(want, 48, in, rowStep, tc.step, tc.rows, tc.fours, weights, bias)
		assert.Equal(t, want, got, "%+v", tc)
	}
	const n = 160
	acc, gain := make([]int32, n), make([]float32, n)
	for i := range acc {
		acc[i] = int32(rng.IntN(4_000_000) - 2_000_000)
		gain[i] = float32(rng.Float64() * 2e-4)
	}
	acc[3], gain[3] = 5, 0.5 // a half: to even
	acc[4], gain[4] = 7, 0.5
	was := bytes(n, 127)
	for _, w := range [][]uint8{nil, was} {
		got, want := make([]uint8, n), make([]uint8, n)
		squeeze(got, acc, gain, w, 0.731)
		squeezeRef(want, acc, gain, w, 0.731)
		assert.Equal(t, want, got)
	}
	in, weights, bias := bytes(9*n, 127), make([]int32, 9*n), acc
	for i := range weights {
		weights[i] = int32(rng.IntN(255) - 127)
	}
	got, want := make([]int32, n), make([]int32, n)
	along(got, in, n, 9, weights, bias)
	alongRef(want, in, n, 9, weights, bias)
	assert.Equal(t, want, got)
}

func TestBrokenWeightsAreTold(t *testing.T) {
	_, err := parseNetwork(embedded)
	assert.NoError(t, err)
	for _, n := range []int{0, 5, 16, 24, 40, len(embedded) / 2, len(embedded) - 1} {
		_, err := parseNetwork(embedded[:n])
		assert.ErrorIs(t, err, errWeights, "%d bytes", n)
	}
	_, err = parseNetwork(append(append([]byte(nil), embedded...), 0))
	assert.ErrorIs(t, err, errWeights)
}
