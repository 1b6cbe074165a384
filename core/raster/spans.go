package raster

import (
	"math"
	"slices"
)

// Span is a run of pixels of one row: columns X0 to X1, X1 excluded.
type Span struct{ Y, X0, X1 int32 }

// Spans are the pixels of a region, as runs ordered by row and then by column,
// none overlapping or touching another in the same row.
type Spans []Span

// Pixels returns how many pixels the spans cover.
func (s Spans) Pixels() int {
	n := 0
	for _, r := range s {
		n += int(r.X1 - r.X0)
	}
	return n
}

// Bounds returns the smallest box that holds the spans, ends excluded; all 0 for none.
func (s Spans) Bounds() (x0, y0, x1, y1 int) {
	if len(s) == 0 {
		return 0, 0, 0, 0
	}
	left, right := s[0].X0, s[0].X1
	for _, r := range s[1:] {
		left, right = min(left, r.X0), max(right, r.X1)
	}
	return int(left), int(s[0].Y), int(right), int(s[len(s)-1].Y) + 1
}

// appendSpans appends the pixels of the shape to dst.
func (r Shape) appendSpans(dst Spans, t Transform, w, h int) Spans {
	if !t.Finite() || t.Size() == 0 {
		return dst
	}
	x0, y0, x1, y1 := r.Bounds(t)
	top, bottom := clampRow(math.Ceil(y0-0.5), h), clampRow(math.Floor(y1-0.5)+1, h)
	switch {
	case r.Circle != nil || r.Ring != nil:
		cx, cy, inner, outer := r.round(t)
		for y := top; y < bottom; y++ {
			dst = appendRoundRow(dst, y, w, cx, cy, inner, outer)
		}
	case r.mask != nil:
		dst = r.mask.appendSpans(dst, t, top, bottom, x0, x1, w)
	case r.Rect != nil && r.Turn == 0 && t.B == 0:
		bottom = clampRow(math.Ceil(y1-0.5), h)
		for y := top; y < bottom; y++ {
			dst = appendRow(dst, y, w, x0, x1)
		}
	default:
		var corners [32]Point
		pts := r.Outline(t, corners[:0])
		var buf [32]float64
		for y := top; y < bottom; y++ {
			dst = appendPolygonRow(dst, y, w, pts, buf[:0])
		}
	}
	return dst
}

// subtract takes the spans behind n, a hole, out of those before n, and returns what
// is left. It works behind the end of s, so that no other memory is needed.
func subtract(s Spans, n int) Spans {
	end := len(s)
	k := n + 1
	for i := range n {
		a := s[i]
		for k < end && (s[k].Y < a.Y || s[k].Y == a.Y && s[k].X1 <= a.X0) {
			k++
		}
		for h := k; h < end && s[h].Y == a.Y && s[h].X0 < a.X1; h++ {
			if s[h].X0 > a.X0 {
				s = append(s, Span{a.Y, a.X0, s[h].X0})
			}
			a.X0 = max(a.X0, s[h].X1)
		}
		if a.X0 < a.X1 {
			s = append(s, a)
		}
	}
	return s[:copy(s, s[end:])]
}

// AreaOutside returns the share (0…1) of the shape's outline moved by t that lies
// outside a picture of w×h; holes are not looked at.
func (r Shape) AreaOutside(t Transform, w, h int) float64 {
	x0, y0, x1, y1 := r.Bounds(t)
	if !(float64((x1-x0)*(y1-y0)) > 0) {
		return 1
	}
	if x0 >= 0 && y0 >= 0 && x1 <= float64(w) && y1 <= float64(h) {
		return 0
	}
	var corners [64]Point
	pts := r.Outline(t, corners[:0])
	all := area(pts)
	if all == 0 {
		return 1
	}
	return max(0, 1-area(clip(pts, float64(w), float64(h)))/all)
}

// area returns the area of a polygon in square pixels.
func area(pts []Point) float64 {
	sum := 0.0
	for i, a := range pts {
		b := pts[(i+1)%len(pts)]
		sum += float64(a.X*b.Y) - float64(b.X*a.Y)
	}
	return math.Abs(sum) / 2
}

// clip cuts a polygon to 0…w, 0…h (Sutherland and Hodgman, "Reentrant polygon
// clipping", Communications of the ACM 17, 1974).
func clip(pts []Point, w, h float64) []Point {
	for side := range 4 {
		depth := func(p Point) float64 { return [4]float64{p.X, p.Y, w - p.X, h - p.Y}[side] }
		var out []Point
		for i, b := range pts {
			a := pts[(i+len(pts)-1)%len(pts)]
			da, db := depth(a), depth(b)
			if (da < 0) != (db < 0) {
				u := da / (da - db)
				out = append(out, Point{a.X + float64(u*(b.X-a.X)), a.Y + float64(u*(b.Y-a.Y))})
			}
			if db >= 0 {
				out = append(out, b)
			}
		}
		pts = out
	}
	return pts
}

func (r Shape) round(t Transform) (cx, cy, inner, outer float64) {
	size := t.Size()
	if r.Circle != nil {
		c := t.Apply(Point{r.Circle[0], r.Circle[1]})
		return c.X, c.Y, 0, float64(r.Circle[2] * size)
	}
	c := t.Apply(Point{r.Ring[0], r.Ring[1]})
	return c.X, c.Y, float64(r.Ring[2] * size), float64(r.Ring[3] * size)
}

func clampRow(v float64, h int) int { return int(min(max(v, 0), float64(h))) }

// appendRow appends the pixels whose centers lie in [from, to).
func appendRow(dst Spans, y, w int, from, to float64) Spans {
	x0 := clampRow(math.Ceil(from-0.5), w)
	x1 := clampRow(math.Ceil(to-0.5), w)
	if x0 >= x1 {
		return dst
	}
	if n := len(dst); n > 0 && dst[n-1].Y == int32(y) && dst[n-1].X1 >= int32(x0) {
		dst[n-1].X1 = max(dst[n-1].X1, int32(x1))
		return dst
	}
	return append(dst, Span{int32(y), int32(x0), int32(x1)})
}

func appendRoundRow(dst Spans, y, w int, cx, cy, inner, outer float64) Spans {
	dy := float64(y) + 0.5 - cy
	rest := float64(outer*outer) - float64(dy*dy)
	if rest < 0 {
		return dst
	}
	half := math.Sqrt(rest)
	gap := float64(inner*inner) - float64(dy*dy)
	if gap <= 0 {
		return appendRow(dst, y, w, cx-half, cx+half)
	}
	hole := math.Sqrt(gap)
	dst = appendRow(dst, y, w, cx-half, cx-hole)
	return appendRow(dst, y, w, cx+hole, cx+half)
}

func appendPolygonRow(dst Spans, y, w int, pts []Point, xs []float64) Spans {
	mid := float64(y) + 0.5
	for i, a := range pts {
		b := pts[(i+1)%len(pts)]
		if (a.Y > mid) != (b.Y > mid) {
			xs = append(xs, crossing(a, b, mid))
		}
	}
	slices.Sort(xs)
	for i := 0; i+1 < len(xs); i += 2 {
		dst = appendRow(dst, y, w, xs[i], xs[i+1])
	}
	return dst
}
