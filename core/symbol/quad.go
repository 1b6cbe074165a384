package symbol

import (
	"math"
	"slices"

	"ricetta/core/raster"
)

// plane maps the unit square onto a part of the picture as a camera sees it (Heckbert,
// Fundamentals of texture mapping and image warping, 1989, 2.2.3).
type plane struct{ a, b, c, d, e, f, g, h float64 }

// planeOf maps (0,0), (1,0), (1,1) and (0,1) to the four corners.
func planeOf(q [4]raster.Point) plane {
	dx1, dx2, sx := q[1].X-q[2].X, q[3].X-q[2].X, q[0].X-q[1].X+q[2].X-q[3].X
	dy1, dy2, sy := q[1].Y-q[2].Y, q[3].Y-q[2].Y, q[0].Y-q[1].Y+q[2].Y-q[3].Y
	var p plane
	if det := float64(dx1*dy2) - float64(dx2*dy1); det != 0 {
		p.g = (float64(sx*dy2) - float64(sy*dx2)) / det
		p.h = (float64(dx1*sy) - float64(dy1*sx)) / det
	}
	p.a, p.b, p.c = q[1].X-q[0].X+float64(p.g*q[1].X), q[3].X-q[0].X+float64(p.h*q[3].X), q[0].X
	p.d, p.e, p.f = q[1].Y-q[0].Y+float64(p.g*q[1].Y), q[3].Y-q[0].Y+float64(p.h*q[3].Y), q[0].Y
	return p
}

func (p *plane) at(u, v float64) raster.Point {
	w := 1 + float64(p.g*u) + float64(p.h*v)
	return raster.Point{X: (float64(p.a*u) + float64(p.b*v) + p.c) / w, Y: (float64(p.d*u) + float64(p.e*v) + p.f) / w}
}

// hullOf returns the convex hull of points, clockwise as seen (Andrew 1979). It sorts them.
func hullOf(pts, hull []raster.Point) []raster.Point {
	slices.SortFunc(pts, func(a, b raster.Point) int {
		switch {
		case a.X < b.X || a.X == b.X && a.Y < b.Y:
			return -1
		case a == b:
			return 0
		}
		return 1
	})
	hull = hull[:0]
	add := func(p raster.Point, from int) {
		for len(hull) >= from+2 && turn(hull[len(hull)-2], hull[len(hull)-1], p) <= 0 {
			hull = hull[:len(hull)-1]
		}
		hull = append(hull, p)
	}
	for _, p := range pts {
		add(p, 0)
	}
	from := len(hull) - 1
	for i := len(pts) - 2; i >= 0; i-- {
		add(pts[i], from)
	}
	return hull[:max(len(hull)-1, 0)]
}

func turn(a, b, c raster.Point) float64 {
	return float64((b.X-a.X)*(c.Y-a.Y)) - float64((b.Y-a.Y)*(c.X-a.X))
}

// box is a turned rectangle: its middle, its first axis, and how far it reaches along both.
type box struct {
	mid    raster.Point
	ux, uy float64
	a, b   float64
}

// leastBox is the smallest rectangle round a hull: one of its sides lies along a side of the
// hull (Freeman and Shapira 1975).
func leastBox(hull []raster.Point) (best box) {
	least := math.Inf(1)
	for i, p := range hull {
		q := hull[(i+1)%len(hull)]
		l := raster.Hypot(q.X-p.X, q.Y-p.Y)
		if l < 1e-9 {
			continue
		}
		ux, uy := (q.X-p.X)/l, (q.Y-p.Y)/l
		u0, u1, v0, v1 := math.Inf(1), math.Inf(-1), math.Inf(1), math.Inf(-1)
		for _, h := range hull {
			u, v := float64(h.X*ux)+float64(h.Y*uy), float64(h.Y*ux)-float64(h.X*uy)
			u0, u1, v0, v1 = min(u0, u), max(u1, u), min(v0, v), max(v1, v)
		}
		if area := float64((u1 - u0) * (v1 - v0)); area < least {
			least = area
			u, v := (u0+u1)/2, (v0+v1)/2
			best = box{raster.Point{X: float64(u*ux) - float64(v*uy), Y: float64(u*uy) + float64(v*ux)}, ux, uy, (u1 - u0) / 2, (v1 - v0) / 2}
		}
	}
	return best
}

// at returns a place by its parts of how far the box reaches along both axes, -1 to 1.
func (b *box) at(u, v float64) raster.Point {
	x, y := float64(u*b.a), float64(v*b.b)
	return raster.Point{X: b.mid.X + float64(x*b.ux) - float64(y*b.uy), Y: b.mid.Y + float64(x*b.uy) + float64(y*b.ux)}
}

// corners of the box, clockwise as seen from where both axes point away.
func (b *box) corners() [4]raster.Point {
	return [4]raster.Point{b.at(-1, -1), b.at(1, -1), b.at(1, 1), b.at(-1, 1)}
}

// sampled reads the modules of a code of w×h modules that a plane maps, each as the mean of
// five places in it, into tones; light-on-dark ones are turned round.
func sampled(g *raster.Gray, p *plane, w, h int, inverse bool, tones []float64) (*grid, []float64, bool) {
	tones = grown(tones, w*h)
	const off = 0.18
	for y := range h {
		for x := range w {
			sum := 0.0
			for _, d := range [5][2]float64{{0, 0}, {-off, -off}, {off, -off}, {-off, off}, {off, off}} {
				q := p.at((float64(x)+0.5+d[0])/float64(w), (float64(y)+0.5+d[1])/float64(h))
				if !g.Inside(q.X, q.Y) {
					return nil, tones, false
				}
				sum += g.Between(q.X, q.Y)
			}
			if inverse {
				sum = 5*255 - sum
			}
			tones[y*w+x] = sum
		}
	}
	// The threshold lies between the darkest and the lightest module nearby.
	lo, hi := slices.Min(tones), slices.Max(tones)
	out := newGrid(w, h)
	const reach = 3
	for y := range h {
		for x := range w {
			l, m := math.Inf(1), math.Inf(-1)
			for j := max(y-reach, 0); j <= min(y+reach, h-1); j++ {
				for i := max(x-reach, 0); i <= min(x+reach, w-1); i++ {
					v := tones[j*w+i]
					l, m = min(l, v), max(m, v)
				}
			}
			if m-l < (hi-lo)/3 {
				l, m = lo, hi
			}
			out.set(x, y, tones[y*w+x] < (l+m)/2)
		}
	}
	return out, tones, true
}
