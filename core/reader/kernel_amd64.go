//go:build amd64 && !purego

package reader

import "ricetta/core/raster"

// useAVX2 is decided once, before any kernel runs.
var useAVX2 = raster.SIMD() == "AVX2"

// The sums of sixteen channels at four places: place p of them is in acc from p*accStep bytes
// on, and takes rows runs of 4*fours values, from in + p*step on and rowStep bytes apart. The
// weights are in the order of network.pack. Values are at most 127, so no pair of products
// leaves 16 bits.
//
//go:noescape
func convolveAVX2(acc *int32, accStep int, in *uint8, rowStep, step, rows, fours int, weights *int8, bias *int32)

// dst[i] = acc[i]*gain[i] + was[i]*wasGain, rounded to even, within 0 and 127; n a multiple of
// 8. Without was nothing is added.
//
//go:noescape
func squeezeAVX2(dst *uint8, acc *int32, gain *float32, was *uint8, wasGain float32, n int)

// acc[c] = bias[c] + Σ in[t*step+c]*weights[t*step+c] over taps; n a multiple of 8.
//
//go:noescape
func alongAVX2(acc *int32, in *uint8, step, taps int, weights, bias *int32, n int)

func convolve(acc []int32, accStep int, in []uint8, rowStep, step, rows, fours int, weights []int8, bias []int32) {
	if useAVX2 {
		_, _, _ = acc[3*accStep+15], in[(rows-1)*rowStep+3*step+4*fours-1], weights[rows*fours*64-1]
		_ = bias[15]
		convolveAVX2(&acc[0], 4*accStep, &in[0], rowStep, step, rows, fours, &weights[0], &bias[0])
		return
	}
	convolveRef(acc, accStep, in, rowStep, step, rows, fours, weights, bias)
}

func squeeze(dst []uint8, acc []int32, gain []float32, was []uint8, wasGain float32) {
	n := len(dst)
	if useAVX2 && n > 0 {
		_, _ = acc[n-1], gain[n-1]
		var w *uint8
		if was != nil {
			_ = was[n-1]
			w = &was[0]
		}
		squeezeAVX2(&dst[0], &acc[0], &gain[0], w, wasGain, n)
		return
	}
	squeezeRef(dst, acc, gain, was, wasGain)
}

func along(acc []int32, in []uint8, step, taps int, weights, bias []int32) {
	if useAVX2 {
		n := len(acc)
		_, _, _ = in[(taps-1)*step+n-1], weights[(taps-1)*step+n-1], bias[n-1]
		alongAVX2(&acc[0], &in[0], step, taps, &weights[0], &bias[0], n)
		return
	}
	alongRef(acc, in, step, taps, weights, bias)
}
