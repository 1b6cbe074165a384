package color

import (
	"math"

	"ricetta/core/raster"
)

// Lab is a color in CIELAB: L 0…100, a (green to red) and b (blue to yellow).
type Lab struct{ L, A, B float64 }

// linear16 is the light of each sRGB value, 0…65535, as IEC 61966-2-1 gives it.
var linear16 = func() (t [256]uint16) {
	for i := range t {
		c := float64(i) / 255
		if c <= 0.04045 {
			c = c / 12.92
		} else {
			c = raster.Pow12Fifths((c + 0.055) / 1.055)
		}
		t[i] = uint16(float64(c*65535) + 0.5)
	}
	return t
}()

// The primaries of sRGB in XYZ, IEC 61966-2-1; the white is their sum, so that grays
// have a = b = 0.
var primaries = [3][3]float64{
	{0.4124, 0.3576, 0.1805},
	{0.2126, 0.7152, 0.0722},
	{0.0193, 0.1192, 0.9505},
}

// fromLinear converts light 0…1 of red, green and blue to CIELAB (CIE 15:2004).
func fromLinear(r, g, b float64) Lab {
	var f [3]float64
	for i, p := range primaries {
		v := float64(p[0]*r) + float64(p[1]*g) + float64(p[2]*b)
		f[i] = compress(v / (p[0] + p[1] + p[2]))
	}
	return Lab{float64(116*f[1]) - 16, float64(500 * (f[0] - f[1])), float64(200 * (f[1] - f[2]))}
}

// compress is the function f of CIELAB.
func compress(t float64) float64 {
	const d = 6.0 / 29
	if t > d*d*d {
		return raster.Cbrt(t)
	}
	return t/(3*d*d) + 4.0/29
}

// FromSRGB converts an sRGB color.
func FromSRGB(r, g, b uint8) Lab {
	return fromLinear(float64(linear16[r])/65535, float64(linear16[g])/65535, float64(linear16[b])/65535)
}

// DeltaE returns the color difference ΔE00 of CIEDE2000 (ISO/CIE 11664-6) with all
// weights 1, as written down by Sharma, Wu and Dalal, "The CIEDE2000 color-difference
// formula" (Color Research and Application 30, 2005).
func DeltaE(x, y Lab) float64 {
	c1, c2 := raster.Hypot(x.A, x.B), raster.Hypot(y.A, y.B)
	g := float64(0.5 * (1 - chroma7((c1+c2)/2)))
	a1, a2 := float64((1+g)*x.A), float64((1+g)*y.A)
	c1, c2 = raster.Hypot(a1, x.B), raster.Hypot(a2, y.B)
	h1, h2 := hue(a1, x.B), hue(a2, y.B)

	dl, dc := y.L-x.L, c2-c1
	dh, sum := 0.0, h1+h2
	mean := sum
	if c1 != 0 && c2 != 0 {
		// Opposite hues belong to the first case; rounding must not decide there.
		dh = h2 - h1
		switch opposite := 180 + 1e-9; {
		case math.Abs(dh) <= opposite:
			mean = sum / 2
		case sum < 360:
			mean = (sum + 360) / 2
			dh = raster.WrapAngle(dh)
		default:
			mean = (sum - 360) / 2
			dh = raster.WrapAngle(dh)
		}
	}
	sinHalf, _ := raster.SinCos(dh / 2)
	dH := float64(2 * math.Sqrt(float64(c1*c2)) * sinHalf)

	l, c := (x.L+y.L)/2, (c1+c2)/2
	t := 1 - float64(0.17*cos(mean-30)) + float64(0.24*cos(float64(2*mean))) + float64(0.32*cos(float64(3*mean)+6)) - float64(0.20*cos(float64(4*mean)-63))
	u := (mean - 275) / 25
	turn := float64(60 * raster.Exp(-float64(u*u))) // twice Δθ
	sinTurn, _ := raster.SinCos(turn)
	rt := -float64(float64(2*chroma7(c)) * sinTurn)
	l50 := float64((l - 50) * (l - 50))
	sl := 1 + float64(0.015*l50)/math.Sqrt(20+l50)
	sc := 1 + float64(0.045*c)
	sh := 1 + float64(0.015*float64(c*t))
	kl, kc, kh := dl/sl, dc/sc, dH/sh
	return math.Sqrt(float64(kl*kl) + float64(kc*kc) + float64(kh*kh) + float64(rt*float64(kc*kh)))
}

// chroma7 is √(c⁷ / (c⁷ + 25⁷)).
func chroma7(c float64) float64 {
	c2 := float64(c * c)
	c7 := float64(float64(float64(c2*c2)*c2) * c)
	return math.Sqrt(c7 / (c7 + 6103515625))
}

// hue returns the angle of (a, b) in degrees, 0…360; 0 for a gray.
func hue(a, b float64) float64 {
	h := raster.Atan2(b, a)
	if h < 0 {
		h += 360
	}
	return h
}

func cos(deg float64) float64 {
	_, c := raster.SinCos(deg)
	return c
}
