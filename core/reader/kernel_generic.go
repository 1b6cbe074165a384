//go:build !amd64 || purego

package reader

func convolve(acc []int32, accStep int, in []uint8, rowStep, step, rows, fours int, weights []int8, bias []int32) {
	convolveRef(acc, accStep, in, rowStep, step, rows, fours, weights, bias)
}

func squeeze(dst []uint8, acc []int32, gain []float32, was []uint8, wasGain float32) {
	squeezeRef(dst, acc, gain, was, wasGain)
}

func along(acc []int32, in []uint8, step, taps int, weights, bias []int32) {
	alongRef(acc, in, step, taps, weights, bias)
}
