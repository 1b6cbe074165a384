package reader

import "ricetta/core/raster"

// none is the logarithm of what cannot be.
const none = -1e30

// negligible is how far below another a logarithm is so small that the sum leaves it out: two
// in a hundred million.
const negligible = 18

// plus is the logarithm of the sum of what a and b are logarithms of.
func plus(a, b float64) float64 {
	if a < b {
		a, b = b, a
	}
	if b < a-negligible {
		return a
	}
	return a + raster.Log(1+raster.Exp(b-a))
}
