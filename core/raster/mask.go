package raster

import (
	"fmt"
	"math"
)

// mask is the pixels of a brush mask.
type mask struct {
	gray           *Gray
	x0, y0, x1, y1 int // smallest box round the light pixels, ends excluded
	box            Shape
}

// maskLevel is the gray value above which a pixel of a mask belongs to it.
const maskLevel = 127

// SetMask gives the shape the pixels of its mask, which must not change afterwards.
func (r *Shape) SetMask(g *Gray) error {
	m := &mask{gray: g, x0: g.W, y0: g.H}
	for y := range g.H {
		for x, v := range g.Row(y) {
			if v > maskLevel {
				m.x0, m.x1 = min(m.x0, x), max(m.x1, x+1)
				m.y0, m.y1 = min(m.y0, y), max(m.y1, y+1)
			}
		}
	}
	m.box = Shape{Rect: []float64{float64(m.x0), float64(m.y0), float64(m.x1 - m.x0), float64(m.y1 - m.y0)}}
	r.mask = m
	if m.empty() {
		return fmt.Errorf("the mask %s has no light pixel; paint the region light on a dark ground", r.Mask)
	}
	return nil
}

func (m *mask) empty() bool { return m.x0 >= m.x1 }

func (m *mask) has(p Point) bool {
	x, y := int(math.Floor(p.X)), int(math.Floor(p.Y))
	return x >= m.x0 && y >= m.y0 && x < m.x1 && y < m.y1 && m.gray.Pix[y*m.gray.Stride+x] > maskLevel
}

// appendSpans asks the mask for every pixel of the box: where its center came from.
func (m *mask) appendSpans(dst Spans, t Transform, top, bottom int, left, right float64, w int) Spans {
	back := t.Inverse()
	x0, x1 := clampRow(math.Ceil(left-0.5), w), clampRow(math.Ceil(right-0.5), w)
	for y := top; y < bottom; y++ {
		start := -1
		for x := x0; x < x1; x++ {
			in := m.has(back.Apply(Point{float64(x) + 0.5, float64(y) + 0.5}))
			if in && start < 0 {
				start = x
			}
			if !in && start >= 0 {
				dst = append(dst, Span{int32(y), int32(start), int32(x)})
				start = -1
			}
		}
		if start >= 0 {
			dst = append(dst, Span{int32(y), int32(start), int32(x1)})
		}
	}
	return dst
}

// mostMaskRows bounds the corners of a silhouette.
const mostMaskRows = 60

// outline appends the silhouette: the leftmost light pixels downwards, then the
// rightmost ones upwards. Bays are drawn over.
func (m *mask) outline(t Transform, dst []Point) []Point {
	step := max(1, (m.y1-m.y0)/mostMaskRows)
	ends := func(y int) (left, right int) {
		left, right = m.x1, m.x0
		for yy := y; yy < min(y+step, m.y1); yy++ {
			for x := m.x0; x < m.x1; x++ {
				if m.gray.Pix[yy*m.gray.Stride+x] > maskLevel {
					left, right = min(left, x), max(right, x+1)
				}
			}
		}
		return left, right
	}
	at := func(x, y int) Point { return t.Apply(Point{float64(x), float64(y)}) }
	for y := m.y0; y < m.y1; y += step {
		if l, r := ends(y); l < r {
			dst = append(dst, at(l, y), at(l, min(y+step, m.y1)))
		}
	}
	for y := m.y0 + (m.y1-m.y0-1)/step*step; y >= m.y0; y -= step {
		if l, r := ends(y); l < r {
			dst = append(dst, at(r, min(y+step, m.y1)), at(r, y))
		}
	}
	return dst
}
