package raster

import "math"

// Point is a place in a picture, in pixels.
type Point struct {
	X float64 `json:"x" yaml:"x"`
	Y float64 `json:"y" yaml:"y"`
}

// Transform is a similarity: turn, uniform size and shift, without mirroring.
// It maps (x, y) to (A·x − B·y + X, B·x + A·y + Y). The zero value collapses
// everything; start from Identity.
type Transform struct{ A, B, X, Y float64 }

// Identity leaves every point where it is.
func Identity() Transform { return Transform{A: 1} }

// Pose is where a thing lies: its center, its turn in degrees (clockwise
// positive) and its size relative to the taught one.
type Pose struct{ X, Y, Angle, Size float64 }

// Moving returns the transform that brings a thing taught with its center at
// from (angle 0, size 1) to the pose to.
func Moving(from Point, to Pose) Transform {
	s, c := SinCos(to.Angle)
	t := Transform{A: float64(to.Size * c), B: float64(to.Size * s)}
	p := t.Apply(from)
	t.X, t.Y = to.X-p.X, to.Y-p.Y
	return t
}

// Apply maps a point.
func (t Transform) Apply(p Point) Point {
	return Point{
		X: float64(t.A*p.X) - float64(t.B*p.Y) + t.X,
		Y: float64(t.B*p.X) + float64(t.A*p.Y) + t.Y,
	}
}

// Then returns the transform that applies t first and u after it.
func (t Transform) Then(u Transform) Transform {
	o := u.Apply(Point{t.X, t.Y})
	return Transform{
		A: float64(u.A*t.A) - float64(u.B*t.B),
		B: float64(u.B*t.A) + float64(u.A*t.B),
		X: o.X, Y: o.Y,
	}
}

// Inverse returns the transform that undoes t. It panics if t has size 0.
func (t Transform) Inverse() Transform {
	n := float64(t.A*t.A) + float64(t.B*t.B)
	if n == 0 {
		panic("raster: a transform of size 0 has no inverse")
	}
	inv := Transform{A: t.A / n, B: -t.B / n}
	o := inv.Apply(Point{t.X, t.Y})
	inv.X, inv.Y = -o.X, -o.Y
	return inv
}

// Size returns the factor by which t changes lengths.
func (t Transform) Size() float64 { return Hypot(t.A, t.B) }

// Angle returns the turn of t in degrees, in (-180, 180].
func (t Transform) Angle() float64 { return Atan2(t.B, t.A) }

// Finite reports whether all parts of t are numbers.
func (t Transform) Finite() bool {
	s := t.A + t.B + t.X + t.Y
	return !math.IsNaN(s) && !math.IsInf(s, 0)
}
