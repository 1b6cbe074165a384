package edge

import (
	"math"
	"slices"

	"ricetta/core/check"
	"ricetta/core/raster"
)

// Line is a straight line through P along the unit vector U.
type Line struct{ P, U raster.Point }

// Distance returns how far p lies from the line, above 0 to the right of U as seen.
func (l Line) Distance(p raster.Point) float64 {
	return float64(l.U.X*(p.Y-l.P.Y)) - float64(l.U.Y*(p.X-l.P.X))
}

// Angle returns the direction of the line in degrees.
func (l Line) Angle() float64 { return raster.Atan2(l.U.Y, l.U.X) }

// Ends returns the places half pixels to either side of P.
func (l Line) Ends(half float64) (a, b raster.Point) {
	return raster.Point{X: l.P.X - float64(half*l.U.X), Y: l.P.Y - float64(half*l.U.Y)},
		raster.Point{X: l.P.X + float64(half*l.U.X), Y: l.P.Y + float64(half*l.U.Y)}
}

// Mark draws the line so far to either side of P.
func (l Line) Mark(out *check.Finding, half float64) {
	a, b := l.Ends(half)
	m := out.AddMark(check.Line, check.RoleFound, "")
	m.Points = append(m.Points, a, b)
}

// Meet returns where two lines cross; ok is false where they are within a
// thousandth of being parallel.
func (l Line) Meet(m Line) (p raster.Point, ok bool) {
	cross := float64(l.U.X*m.U.Y) - float64(l.U.Y*m.U.X)
	if math.Abs(cross) < 1e-3 {
		return p, false
	}
	dx, dy := m.P.X-l.P.X, m.P.Y-l.P.Y
	s := (float64(dx*m.U.Y) - float64(dy*m.U.X)) / cross
	return raster.Point{X: l.P.X + float64(s*l.U.X), Y: l.P.Y + float64(s*l.U.Y)}, true
}

// Pieces of a wide arrow that a line is fitted to.
const (
	fewestPieces = 5
	mostPieces   = 40
	pieceWidth   = 6 // pixels
)

// SeekLine finds a straight edge across a wide arrow: the arrow is cut lengthwise into
// pieces, and a line is fitted to their edges (robustly: see FitLine). The line runs
// to the right of the arrow. Strength is the mean over the edges on the line, and used
// the share of the pieces that have theirs on it. The error is ErrOutside, or ErrNoEdge
// where less than half of the pieces agree.
func (c *Caliper) SeekLine(g *raster.Gray, e Settings, t raster.Transform) (line Line, strength, used float64, err error) {
	width := float64(e.width() * t.Size())
	return c.SeekLineOn(g, e.Ray(t), width, e.Look)
}

// SeekLineOn is SeekLine on a ray.
func (c *Caliper) SeekLineOn(g *raster.Gray, r Ray, width float64, l Look) (line Line, strength, used float64, err error) {
	n := min(max(int(width/pieceWidth), fewestPieces), mostPieces)
	piece := width / float64(n)
	c.points, c.weights = c.points[:0], c.weights[:0]
	for i := range n {
		off := float64((float64(i)+0.5)*piece) - width/2
		at := r
		at.A = r.At(0, off)
		got, err := c.SeekOn(g, at, piece, l)
		if err == ErrOutside {
			return Line{}, 0, 0, err
		}
		if err == nil {
			c.points = append(c.points, got.At)
			c.weights = append(c.weights, got.Strength)
		}
	}
	strengths := c.weights
	fitted, near, ok := FitLine(c.points)
	if !ok || 2*near < n {
		return Line{}, 0, 0, ErrNoEdge
	}
	for i, p := range c.points {
		if math.Abs(fitted.Distance(p)) <= lineReach {
			strength += strengths[i]
		}
	}
	right := raster.Point{X: -r.UY, Y: r.UX}
	if float64(fitted.U.X*right.X)+float64(fitted.U.Y*right.Y) < 0 {
		fitted.U = raster.Point{X: -fitted.U.X, Y: -fitted.U.Y}
	}
	return fitted, strength / float64(near), float64(near) / float64(n), nil
}

// lineReach is how far in pixels a point may lie from a line and still belong to it.
const lineReach = 2.0

// FitLine fits a line to points. It starts from the pair of points whose line has the
// least median distance to all (Rousseeuw, "Least median of squares regression", JASA
// 79, 1984), so that up to half of them may be wrong, and ends with total least squares
// weighted by Tukey's biweight over lineReach. Points come in their order along it. near is the number of points within
// lineReach. ok is false with less than two points apart.
func FitLine(points []raster.Point) (line Line, near int, ok bool) {
	best := math.Inf(1)
	var buf [mostPieces]float64
	// Of many points the pairs that lie far apart are enough.
	apart := 1
	if len(points) > 16 {
		apart = len(points) / 3
	}
	for i := 0; i < len(points); i += max(1, len(points)/16) {
		p := points[i]
		for k := i + apart; k < len(points); k += max(1, len(points)/16) {
			r := NewRay(p, points[k])
			if r.Length < 1 {
				continue
			}
			l := Line{p, raster.Point{X: r.UX, Y: r.UY}}
			d := buf[:0]
			for _, s := range points {
				d = append(d, math.Abs(l.Distance(s)))
			}
			slices.Sort(d)
			if m := d[len(d)/2]; m < best {
				best, line, ok = m, l, true
			}
		}
	}
	if !ok {
		return line, 0, false
	}
	for range 6 {
		var sw, sx, sy, sxx, sxy, syy float64
		for _, p := range points {
			u := line.Distance(p) / lineReach
			if u <= -1 || u >= 1 {
				continue
			}
			w := 1 - float64(u*u)
			w = float64(w * w)
			x, y := p.X-line.P.X, p.Y-line.P.Y
			sw += w
			sx += float64(w * x)
			sy += float64(w * y)
			sxx += float64(w * float64(x*x))
			sxy += float64(w * float64(x*y))
			syy += float64(w * float64(y*y))
		}
		if sw == 0 {
			return line, 0, false
		}
		mx, my := sx/sw, sy/sw
		cxx, cxy, cyy := sxx-float64(sw*float64(mx*mx)), sxy-float64(sw*float64(mx*my)), syy-float64(sw*float64(my*my))
		turn := raster.Atan2(float64(2*cxy), cxx-cyy) / 2
		s, c := raster.SinCos(turn)
		line = Line{raster.Point{X: line.P.X + mx, Y: line.P.Y + my}, raster.Point{X: c, Y: s}}
	}
	for _, p := range points {
		if math.Abs(line.Distance(p)) <= lineReach {
			near++
		}
	}
	return line, near, near >= 2
}
