package reader

import "math"

// The kernels in plain Go: what the others must equal, value for value. kernel_amd64.go says
// what each does.

func convolveRef(acc []int32, accStep int, in []uint8, rowStep, step, rows, fours int, weights []int8, bias []int32) {
	for p := range 4 {
		sums := acc[p*accStep : p*accStep+16]
		copy(sums, bias[:16])
		w := weights
		for r := range rows {
			run := in[r*rowStep+p*step:]
			for f := range fours {
				a, b, c, d := int32(run[4*f]), int32(run[4*f+1]), int32(run[4*f+2]), int32(run[4*f+3])
				if a|b|c|d == 0 {
					w = w[64:]
					continue
				}
				for o := range sums {
					k := w[4*o : 4*o+4]
					sums[o] += a*int32(k[0]) + b*int32(k[1]) + c*int32(k[2]) + d*int32(k[3])
				}
				w = w[64:]
			}
		}
	}
}

func squeezeRef(dst []uint8, acc []int32, gain []float32, was []uint8, wasGain float32) {
	for i := range dst {
		v := float32(float32(acc[i]) * gain[i])
		if was != nil {
			v += float32(float32(was[i]) * wasGain)
		}
		dst[i] = uint8(min(max(math.RoundToEven(float64(v)), 0), 127))
	}
}

func alongRef(acc []int32, in []uint8, step, taps int, weights, bias []int32) {
	for c := range acc {
		sum := bias[c]
		for t := range taps {
			sum += int32(in[t*step+c]) * weights[t*step+c]
		}
		acc[c] = sum
	}
}
