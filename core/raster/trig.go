package raster

import "math"

// Elementary functions whose every product is rounded before it is summed, so
// that no compiler fuses them and all machines agree to the last bit. The
// polynomials are those of the Cephes library (Moshier 1989) for sin, cos and
// atan on the reduced ranges; accuracy is better than 2e-16 of the result's scale.

var sinCoef = [...]float64{
	1.58962301576546568060e-10, -2.50507477628578072866e-8, 2.75573136213857245213e-6,
	-1.98412698295895385996e-4, 8.33333333332211858878e-3, -1.66666666666666307295e-1,
}

var cosCoef = [...]float64{
	-1.13585365213876817300e-11, 2.08757008419747316778e-9, -2.75573141792967388112e-7,
	2.48015872888517045348e-5, -1.38888888888730564116e-3, 4.16666666666665929218e-2,
}

func horner(x float64, coef []float64) float64 {
	s := coef[0]
	for _, c := range coef[1:] {
		s = float64(s*x) + c
	}
	return s
}

// SinCos returns the sine and the cosine of an angle in degrees. Multiples of 90
// are exact. The result is NaN for an infinite or NaN angle.
func SinCos(deg float64) (sin, cos float64) {
	if math.IsNaN(deg) || math.IsInf(deg, 0) {
		return math.NaN(), math.NaN()
	}
	deg = math.Mod(deg, 360)
	quadrant := math.Floor(deg/90 + 0.5)
	r := float64((deg - float64(quadrant*90)) * (math.Pi / 180)) // |r| ≤ π/4
	z := float64(r * r)
	s := r + float64(float64(r*z)*horner(z, sinCoef[:]))
	c := 1 - float64(0.5*z) + float64(float64(z*z)*horner(z, cosCoef[:]))
	switch (int(quadrant)%4 + 4) % 4 {
	case 1:
		return c, -s
	case 2:
		return -s, -c
	case 3:
		return -c, s
	}
	return s, c
}

var (
	atanP = [...]float64{
		-8.750608600031904122785e-1, -1.615753718733365076637e1, -7.500855792314704667340e1,
		-1.228866684490136173410e2, -6.485021904942025371773e1,
	}
	atanQ = [...]float64{
		1, 2.485846490142306297962e1, 1.650270098316988542046e2,
		4.328810604912902668951e2, 4.853903996359136964868e2, 1.945506571482613964425e2,
	}
)

// Atan2 returns the angle of the vector (x, y) in degrees, in (-180, 180].
// Atan2(0, 0) is 0.
func Atan2(y, x float64) float64 {
	ax, ay := math.Abs(x), math.Abs(y)
	if ax == 0 && ay == 0 {
		return 0
	}
	swap := ay > ax
	if swap {
		ax, ay = ay, ax
	}
	t, base := ay/ax, 0.0 // t in [0, 1]
	if t > 0.66 {
		t, base = (t-1)/(t+1), math.Pi/4
	}
	z := float64(t * t)
	a := base + (t + float64(float64(t*z)*(horner(z, atanP[:])/horner(z, atanQ[:]))))
	if swap {
		a = math.Pi/2 - a
	}
	if x < 0 {
		a = math.Pi - a
	}
	if y < 0 {
		a = -a
	}
	return float64(a * (180 / math.Pi))
}

// Hypot returns √(x²+y²) with both squares rounded before they are summed. It
// does not guard against overflow beyond 1e150.
func Hypot(x, y float64) float64 { return math.Sqrt(float64(x*x) + float64(y*y)) }

// WrapAngle returns the angle in degrees brought into (-180, 180].
func WrapAngle(deg float64) float64 {
	deg = math.Mod(deg, 360)
	if deg > 180 {
		return deg - 360
	}
	if deg <= -180 {
		return deg + 360
	}
	return deg
}
