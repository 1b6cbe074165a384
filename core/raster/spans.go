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

// SpansInto appends to dst[:0] the pixels of a picture of w×h whose centers lie
// in the region moved by t, and returns it. The part outside the picture is cut
// off; AreaOutside tells how much that is.
func (r Region) SpansInto(dst Spans, t Transform, w, h int) Spans {
	dst = dst[:0]
	if !t.Finite() {
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

// AreaOutside returns the share (0…1) of the region's bounding box moved by t
// that lies outside a picture of w×h.
func (r Region) AreaOutside(t Transform, w, h int) float64 {
	x0, y0, x1, y1 := r.Bounds(t)
	all := float64((x1 - x0) * (y1 - y0))
	if !(all > 0) {
		return 1
	}
	iw := max(0, min(x1, float64(w))-max(x0, 0))
	ih := max(0, min(y1, float64(h))-max(y0, 0))
	return 1 - float64(iw*ih)/all
}

func (r Region) round(t Transform) (cx, cy, inner, outer float64) {
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
