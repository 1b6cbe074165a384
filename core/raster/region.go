package raster

import (
	"errors"
	"fmt"
	"math"
	"slices"
)

// Shape is one form of a region, in pixels of the picture it was drawn on.
// Exactly one of its forms is set; Turn goes with Rect only.
type Shape struct {
	// Rect is x, y, width, height.
	Rect []float64 `json:"rect,omitempty" yaml:"rect,omitempty" jsonschema:"minItems=4,maxItems=4,description=Rectangle: x y width height in pixels"`
	// Turn turns the rectangle about its own center, degrees clockwise.
	Turn float64 `json:"turn,omitempty" yaml:"turn,omitempty" jsonschema:"minimum=-180,maximum=180,description=Turn of the rectangle about its center in degrees clockwise"`
	// Circle is center x, center y, radius.
	Circle []float64 `json:"circle,omitempty" yaml:"circle,omitempty" jsonschema:"minItems=3,maxItems=3,description=Circle: center x y and radius in pixels"`
	// Ring is center x, center y, inner radius, outer radius.
	Ring []float64 `json:"ring,omitempty" yaml:"ring,omitempty" jsonschema:"minItems=4,maxItems=4,description=Ring: center x y then inner and outer radius in pixels"`
	// Polygon lists its corners; it is closed by itself and filled by the even-odd rule.
	Polygon [][2]float64 `json:"polygon,omitempty" yaml:"polygon,omitempty" jsonschema:"minItems=3,maxItems=200,description=Polygon: a list of corners x y in pixels"`
	// Mask names a picture file of the recipe, as large as the reference picture:
	// what is lighter than 127 belongs to the shape. SetMask brings its pixels.
	Mask string `json:"mask,omitempty" yaml:"mask,omitempty" jsonschema:"pattern=^[A-Za-z0-9][A-Za-z0-9 ._-]{0\\,99}$,description=Brush mask: a picture file of the recipe as large as the reference; its light pixels are the region"`

	mask *mask
}

// Region is a part of the picture: a shape, less the holes in it.
type Region struct {
	Shape
	// Without are the holes.
	Without []Shape `json:"without,omitempty" yaml:"without,omitempty" jsonschema:"maxItems=50" jsonschema_description:"Holes: parts that do not belong to the region"`
}

// Rect returns a rectangular region.
func Rect(x, y, w, h float64) Region { return Region{Shape: Shape{Rect: []float64{x, y, w, h}}} }

// Circle returns a round region.
func Circle(x, y, radius float64) Region {
	return Region{Shape: Shape{Circle: []float64{x, y, radius}}}
}

// Ring returns a region between two circles round one center.
func Ring(x, y, inner, outer float64) Region {
	return Region{Shape: Shape{Ring: []float64{x, y, inner, outer}}}
}

// Polygon returns a region with these corners.
func Polygon(corners ...[2]float64) Region { return Region{Shape: Shape{Polygon: corners}} }

// Validate reports what is wrong with the shape or one of its holes.
func (r Region) Validate() error {
	if err := r.Shape.Validate(); err != nil {
		return err
	}
	for i, h := range r.Without {
		var re *RegionError
		if err := h.Validate(); errors.As(err, &re) {
			return &RegionError{fmt.Sprintf("hole %d: %s", i+1, re.What), re.Remedy}
		}
	}
	return nil
}

// Contains reports whether the point lies in the region moved by t.
func (r Region) Contains(t Transform, p Point) bool {
	if !r.Shape.Contains(t, p) {
		return false
	}
	for _, h := range r.Without {
		if h.Contains(t, p) {
			return false
		}
	}
	return true
}

// SpansInto appends to dst[:0] the pixels of a picture of w×h whose centers lie
// in the region moved by t, and returns it. The part outside the picture is cut
// off; AreaOutside tells how much that is.
func (r Region) SpansInto(dst Spans, t Transform, w, h int) Spans {
	dst = r.Shape.appendSpans(dst[:0], t, w, h)
	for _, hole := range r.Without {
		n := len(dst)
		dst = append(dst, Span{Y: -1}) // keeps the rows of both apart
		dst = hole.appendSpans(dst, t, w, h)
		dst = subtract(dst, n)
	}
	return dst
}

// RegionError says what is wrong with a region and how to mend it.
type RegionError struct{ What, Remedy string }

func (e *RegionError) Error() string { return e.What + "; " + e.Remedy }

// Validate reports what keeps r from being a shape: no form or several, a wrong
// count of numbers, no extent, or numbers beyond ±1e6.
func (r Shape) Validate() error {
	forms := 0
	for _, set := range []bool{r.Rect != nil, r.Circle != nil, r.Ring != nil, r.Polygon != nil, r.Mask != ""} {
		if set {
			forms++
		}
	}
	if forms != 1 {
		return &RegionError{fmt.Sprintf("%d forms are given", forms), "give exactly one of rect, circle, ring, polygon, mask"}
	}
	if r.Turn != 0 && r.Rect == nil {
		return &RegionError{"turn is given without rect", "turn belongs to a rectangle; take it out"}
	}
	count := func(name string, v []float64, n int, parts string) error {
		if v != nil && len(v) != n {
			return &RegionError{fmt.Sprintf("%s has %d numbers", name, len(v)), "give " + parts}
		}
		return nil
	}
	for _, err := range []error{
		count("rect", r.Rect, 4, "x, y, width, height"),
		count("circle", r.Circle, 3, "center x, center y, radius"),
		count("ring", r.Ring, 4, "center x, center y, inner radius, outer radius"),
	} {
		if err != nil {
			return err
		}
	}
	if r.Polygon != nil && len(r.Polygon) < 3 {
		return &RegionError{fmt.Sprintf("polygon has %d corners", len(r.Polygon)), "give at least three"}
	}
	if r.mask != nil && r.mask.empty() {
		return &RegionError{"the mask " + r.Mask + " has no light pixel", "paint the region light on a dark ground"}
	}
	numbers := slices.Concat(r.Rect, r.Circle, r.Ring, []float64{r.Turn})
	for _, c := range r.Polygon {
		numbers = append(numbers, c[0], c[1])
	}
	for _, v := range numbers {
		if !(math.Abs(v) <= 1e6) { // also NaN
			return &RegionError{fmt.Sprintf("%v is not a place in a picture", v), "keep numbers within ±1000000"}
		}
	}
	switch {
	case r.Rect != nil && (r.Rect[2] <= 0 || r.Rect[3] <= 0):
		return &RegionError{"rect has no extent", "give a width and a height above 0"}
	case r.Circle != nil && r.Circle[2] <= 0:
		return &RegionError{"circle has no extent", "give a radius above 0"}
	case r.Ring != nil && (r.Ring[2] < 0 || r.Ring[3] <= r.Ring[2]):
		return &RegionError{"ring has no extent", "give an inner radius of 0 or more and an outer one above it"}
	}
	return nil
}

// Center returns the middle of the region: of its rectangle or circle, or of a
// polygon's or a mask's bounding box.
func (r Shape) Center() Point {
	switch {
	case r.Rect != nil:
		return Point{r.Rect[0] + float64(r.Rect[2]/2), r.Rect[1] + float64(r.Rect[3]/2)}
	case r.Circle != nil:
		return Point{r.Circle[0], r.Circle[1]}
	case r.Ring != nil:
		return Point{r.Ring[0], r.Ring[1]}
	}
	x0, y0, x1, y1 := r.Bounds(Identity())
	return Point{(x0 + x1) / 2, (y0 + y1) / 2}
}

// Outline appends the corners of the region, moved by t, to dst: of a circle 48
// points round it, of a ring those of the outer circle, of a mask its silhouette.
func (r Shape) Outline(t Transform, dst []Point) []Point {
	switch {
	case r.Rect != nil:
		if r.Turn != 0 {
			c := r.Center()
			t = Moving(c, Pose{c.X, c.Y, r.Turn, 1}).Then(t)
		}
		x, y, w, h := r.Rect[0], r.Rect[1], r.Rect[2], r.Rect[3]
		for _, p := range [4]Point{{x, y}, {x + w, y}, {x + w, y + h}, {x, y + h}} {
			dst = append(dst, t.Apply(p))
		}
	case r.Circle != nil:
		dst = appendCircle(dst, t, r.Circle[0], r.Circle[1], r.Circle[2])
	case r.Ring != nil:
		dst = appendCircle(dst, t, r.Ring[0], r.Ring[1], r.Ring[3])
	case r.mask != nil:
		dst = r.mask.outline(t, dst)
	default:
		for _, c := range r.Polygon {
			dst = append(dst, t.Apply(Point{c[0], c[1]}))
		}
	}
	return dst
}

func appendCircle(dst []Point, t Transform, cx, cy, radius float64) []Point {
	const n = 96
	for i := range n {
		s, c := SinCos(float64(float64(i) * (360.0 / n)))
		dst = append(dst, t.Apply(Point{cx + float64(radius*c), cy + float64(radius*s)}))
	}
	return dst
}

// Bounds returns the smallest upright box round the region moved by t.
func (r Shape) Bounds(t Transform) (x0, y0, x1, y1 float64) {
	var cx, cy, radius float64
	switch {
	case r.Circle != nil:
		cx, cy, radius = r.Circle[0], r.Circle[1], r.Circle[2]
	case r.Ring != nil:
		cx, cy, radius = r.Ring[0], r.Ring[1], r.Ring[3]
	case r.Rect != nil:
		// Half the extents of the turned rectangle round its center.
		c := t.Apply(r.Center())
		sin, cos := SinCos(r.Turn)
		w, h := float64(r.Rect[2]/2), float64(r.Rect[3]/2)
		// The axes of the rectangle in the picture.
		ux, uy := float64(t.A*cos)-float64(t.B*sin), float64(t.B*cos)+float64(t.A*sin)
		ex := math.Abs(float64(ux*w)) + math.Abs(float64(uy*h))
		ey := math.Abs(float64(uy*w)) + math.Abs(float64(ux*h))
		return c.X - ex, c.Y - ey, c.X + ex, c.Y + ey
	case r.mask != nil:
		return r.mask.box.Bounds(t)
	default:
		x0, y0, x1, y1 = math.Inf(1), math.Inf(1), math.Inf(-1), math.Inf(-1)
		for _, c := range r.Polygon {
			p := t.Apply(Point{c[0], c[1]})
			x0, x1 = min(x0, p.X), max(x1, p.X)
			y0, y1 = min(y0, p.Y), max(y1, p.Y)
		}
		return x0, y0, x1, y1
	}
	c := t.Apply(Point{cx, cy})
	radius = float64(radius * t.Size())
	return c.X - radius, c.Y - radius, c.X + radius, c.Y + radius
}

func boundsOf(pts []Point) (x0, y0, x1, y1 float64) {
	x0, y0, x1, y1 = math.Inf(1), math.Inf(1), math.Inf(-1), math.Inf(-1)
	for _, p := range pts {
		x0, x1 = min(x0, p.X), max(x1, p.X)
		y0, y1 = min(y0, p.Y), max(y1, p.Y)
	}
	return x0, y0, x1, y1
}

// Contains reports whether the point lies in the region moved by t.
func (r Shape) Contains(t Transform, p Point) bool {
	switch {
	case r.Circle != nil:
		c := t.Apply(Point{r.Circle[0], r.Circle[1]})
		return Hypot(p.X-c.X, p.Y-c.Y) <= float64(r.Circle[2]*t.Size())
	case r.Ring != nil:
		c := t.Apply(Point{r.Ring[0], r.Ring[1]})
		d, s := Hypot(p.X-c.X, p.Y-c.Y), t.Size()
		return d <= float64(r.Ring[3]*s) && d >= float64(r.Ring[2]*s)
	case r.mask != nil:
		return r.mask.has(t.Inverse().Apply(p))
	}
	var buf [16]Point
	pts := r.Outline(t, buf[:0])
	in := false
	for i, a := range pts {
		b := pts[(i+1)%len(pts)]
		if (a.Y > p.Y) != (b.Y > p.Y) && p.X < crossing(a, b, p.Y) {
			in = !in
		}
	}
	return in
}

// crossing returns the x at which the line a–b passes the height y.
func crossing(a, b Point, y float64) float64 {
	return a.X + float64((b.X-a.X)*((y-a.Y)/(b.Y-a.Y)))
}
