package locate

import (
	"math"

	"ricetta/core/raster"
)

// sectors is how many directions the coarse look tells apart over 360°.
const sectors = 16

// sector returns the direction of (gx, gy) as one of 16 sectors of 22.5°, sector 0
// centered on the x axis, counted clockwise as seen.
func sector(gx, gy int) int {
	ax, ay := gx, gy
	if ax < 0 {
		ax = -ax
	}
	if ay < 0 {
		ay = -ay
	}
	// Tangents of 11.25°, 33.75°, 56.25° and 78.75° in thousandths.
	var s int
	switch t, u := 1000*ay, ax; {
	case t <= 199*u:
		s = 0
	case t <= 668*u:
		s = 1
	case t <= 1497*u:
		s = 2
	case t <= 5027*u:
		s = 3
	default:
		s = 4
	}
	if gx < 0 {
		s = 8 - s
	}
	if gy < 0 {
		s = sectors - s
	}
	return s & (sectors - 1)
}

// reach is the farthest that edgeAlong looks to either side, in pixels.
const reach = 3

// edgeAlong looks for the steepest rise of brightness along the direction (nx, ny)
// through (x, y), within ±r pixels, and returns its distance from there with
// sub-pixel precision. With signed false a fall counts as well. ok is false where
// no slope reaches least (gray values over two pixels) or the picture ends.
func edgeAlong(g *raster.Gray, x, y, nx, ny float64, r int, signed bool, least float64) (dist float64, ok bool) {
	end := float64(r + 2)
	if ex, ey := float64(end*nx), float64(end*ny); !g.Inside(x-ex, y-ey) || !g.Inside(x+ex, y+ey) {
		return 0, false
	}
	var v [2*reach + 5]float64
	for i := range 2*r + 5 {
		k := float64(i - r - 2)
		v[i] = g.Between(x+float64(k*nx), y+float64(k*ny))
	}
	var d [2*reach + 3]float64 // slope at -r-1 … r+1
	for i := range 2*r + 3 {
		d[i] = v[i+2] - v[i]
		if !signed {
			d[i] = math.Abs(d[i])
		}
	}
	best, at := 0.0, -1
	for i := 1; i <= 2*r+1; i++ {
		// Nearer edges win among equals.
		k := float64(i - r - 1)
		if w := float64(d[i] * (1 - float64(0.08*math.Abs(k)))); d[i] >= d[i-1] && d[i] >= d[i+1] && w > best {
			best, at = w, i
		}
	}
	if at < 0 || d[at] < least {
		return 0, false
	}
	return float64(at-r-1) + raster.Summit(d[at-1], d[at], d[at+1]), true
}
