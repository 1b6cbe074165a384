package edge

import (
	"math"
	"slices"

	"ricetta/core/raster"
)

// Round is a circle.
type Round struct {
	Center raster.Point
	Radius float64
}

// Distance returns how far p lies outside the circle, below 0 inside.
func (c Round) Distance(p raster.Point) float64 {
	return raster.Hypot(p.X-c.Center.X, p.Y-c.Center.Y) - c.Radius
}

// through returns the circle through three points; ok is false where they lie on a line.
func through(a, b, c raster.Point) (Round, bool) {
	bx, by, cx, cy := b.X-a.X, b.Y-a.Y, c.X-a.X, c.Y-a.Y
	d := float64(2 * (float64(bx*cy) - float64(by*cx)))
	if math.Abs(d) < 1e-6 {
		return Round{}, false
	}
	b2, c2 := float64(bx*bx)+float64(by*by), float64(cx*cx)+float64(cy*cy)
	x, y := (float64(cy*b2)-float64(by*c2))/d, (float64(bx*c2)-float64(cx*b2))/d
	return Round{raster.Point{X: a.X + x, Y: a.Y + y}, raster.Hypot(x, y)}, true
}

// FitCircle fits a circle to points in order round it. It starts from the circle
// through three of them, spread wide, that has the least median distance to all
// (least median of squares, Rousseeuw 1984), so that outliers up to some two fifths do
// not pull it, and ends with a geometric least-squares fit weighted by Tukey's
// biweight. near is the number of points that kept weight. scratch is memory for
// len(points) numbers; ok is false with less than five points or none on a circle.
func FitCircle(points []raster.Point, scratch []float64) (fit Round, near int, ok bool) {
	n := len(points)
	if n < 5 {
		return fit, 0, false
	}
	best := math.Inf(1)
	step := max(1, n/36)
	for _, spread := range [3][2]int{{n / 3, 2 * n / 3}, {n / 4, n / 2}, {n / 5, n / 2}} {
		for i := 0; i < n; i += step {
			c, round := through(points[i], points[(i+spread[0])%n], points[(i+spread[1])%n])
			if !round {
				continue
			}
			if m := medianDistance(c, points, n/90+1, scratch); m < best {
				best, fit, ok = m, c, true
			}
		}
	}
	if !ok {
		return fit, 0, false
	}
	for range 8 {
		// Three deviations of Gaussian noise keep some weight; below a tenth of a pixel
		// the median tells more of chance than of noise.
		width := float64(4.685 * max(float64(1.4826*medianDistance(fit, points, n/180+1, scratch)), 0.1))
		var m [5][6]float64
		near = 0
		for _, p := range points {
			dx, dy := p.X-fit.Center.X, p.Y-fit.Center.Y
			r := raster.Hypot(dx, dy)
			u := (r - fit.Radius) / width
			if r == 0 || u <= -1 || u >= 1 {
				continue
			}
			near++
			w := 1 - float64(u*u)
			w = float64(w * w)
			row := [3]float64{dx / r, dy / r, 1}
			for i, v := range row {
				for j, z := range row {
					m[i][j] += float64(w * float64(v*z))
				}
				m[i][3] += float64(w * float64(v*(r-fit.Radius)))
			}
		}
		x, solved := Solve(&m, 3)
		if near < 5 || !solved {
			return fit, near, false
		}
		fit.Center.X += x[0]
		fit.Center.Y += x[1]
		fit.Radius += x[2]
		if math.Abs(x[0])+math.Abs(x[1])+math.Abs(x[2]) < 1e-6 {
			break
		}
	}
	return fit, near, fit.Radius > 0
}

// medianDistance looks at every step-th point.
func medianDistance(c Round, points []raster.Point, step int, scratch []float64) float64 {
	d := scratch[:0]
	for i := 0; i < len(points); i += step {
		d = append(d, math.Abs(c.Distance(points[i])))
	}
	slices.Sort(d)
	return d[len(d)/2]
}

// Rays look for one edge each along the radii of a ring, from the inside out.
type Rays struct {
	// Edges are those found, in order round the ring, and Turns the direction in
	// degrees of each from the center.
	Edges []Edge
	Turns []float64
	// Points are the places of the edges.
	Points  []raster.Point
	Scratch []float64
}

// SeekRays looks for edges along n rays of the ring (center, inner and outer radius in
// the picture), starting at the direction from (degrees), each averaged over width
// pixels. The error is ErrOutside where a ray leaves the picture; rays without an edge
// are left out.
func (c *Caliper) SeekRays(g *raster.Gray, center raster.Point, inner, outer, from float64, n int, width float64, l Look, out *Rays) error {
	out.Edges, out.Turns, out.Points = out.Edges[:0], out.Turns[:0], out.Points[:0]
	if cap(out.Scratch) < n {
		out.Scratch = make([]float64, n)
	}
	for i := range n {
		turn := from + float64(360*float64(i))/float64(n)
		s, k := raster.SinCos(turn)
		r := Ray{raster.Point{X: center.X + float64(inner*k), Y: center.Y + float64(inner*s)}, k, s, outer - inner}
		got, err := c.SeekOn(g, r, width, l)
		if err == ErrOutside {
			return err
		}
		if err != nil {
			continue
		}
		out.Edges = append(out.Edges, got)
		out.Turns = append(out.Turns, turn)
		out.Points = append(out.Points, got.At)
	}
	return nil
}
