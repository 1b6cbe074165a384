package raster

import "math"

// root returns the n-th root of x ≥ 0 by Newton's method, every product rounded, so
// that all machines agree; good to a few units in the last place. n is 3 or 5.
func root(x float64, n int) float64 {
	if !(x > 0) || math.IsInf(x, 1) {
		return x
	}
	// Dividing the bits divides the logarithm: a guess within a few percent.
	const one = 0x3FF0000000000000
	y := math.Float64frombits(uint64((int64(math.Float64bits(x))-one)/int64(n) + one))
	for range 6 {
		p := y // y^(n-1)
		for range n - 2 {
			p = float64(p * y)
		}
		y = (float64(float64(n-1)*y) + x/p) / float64(n)
	}
	return y
}

// Cbrt returns the cube root of x ≥ 0.
func Cbrt(x float64) float64 { return root(x, 3) }

// Pow12Fifths returns x^2.4 for x ≥ 0: the exponent of sRGB.
func Pow12Fifths(x float64) float64 {
	x2 := float64(x * x)
	return float64(x2 * root(x2, 5))
}

// Exp returns e^x for -700 ≤ x ≤ 700, good to a few units in the last place.
func Exp(x float64) float64 {
	const ln2High, ln2Low = 6.93147180369123816490e-01, 1.90821492927058770002e-10
	k := math.Floor(x/math.Ln2 + 0.5)
	r := x - float64(k*ln2High) - float64(k*ln2Low) // |r| ≤ ln2/2
	sum := 1.0
	for n := 14.0; n >= 1; n-- {
		sum = 1 + float64(r*sum)/n
	}
	return math.Ldexp(sum, int(k))
}

// Log returns the natural logarithm of x > 0, good to a few units in the last place.
func Log(x float64) float64 {
	m, e := math.Frexp(x)
	if m < math.Sqrt2/2 {
		m, e = m+m, e-1
	}
	// ln m = 2 artanh z with |z| ≤ 0.172.
	z := (m - 1) / (m + 1)
	zz := float64(z * z)
	sum := 0.0
	for n := 21.0; n >= 1; n -= 2 {
		sum = float64(sum*zz) + 1/n
	}
	return float64(2*float64(z*sum)) + float64(float64(e)*math.Ln2)
}
