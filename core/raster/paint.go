package raster

import (
	"math"
	"slices"
)

// subRows is how many scan lines a painted pixel row is made of.
const subRows = 8

// Painter draws filled polygons with smooth edges. It keeps its memory; the zero
// value is ready. It serves one goroutine.
type Painter struct {
	cover []float64
	xs    []float64
}

// Polygon calls put for every row of a w×h picture that the polygon touches, with
// the covered share (0…1) of the pixels from column x0 on. Corners are joined in
// order, the last with the first; overlaps follow the even-odd rule. The cover is
// exact along x and sampled on 8 lines a row along y.
func (p *Painter) Polygon(pts []Point, w, h int, put func(y, x0 int, cover []float64)) {
	x0, y0, x1, y1 := boundsOf(pts)
	left, right := clampRow(math.Floor(x0), w), clampRow(math.Ceil(x1), w)
	top, bottom := clampRow(math.Floor(y0), h), clampRow(math.Ceil(y1), h)
	if left >= right {
		return
	}
	for y := top; y < bottom; y++ {
		p.cover = slices.Grow(p.cover[:0], right-left)[:right-left]
		clear(p.cover)
		for k := range subRows {
			p.line(pts, float64(y)+(float64(k)+0.5)/subRows, left)
		}
		put(y, left, p.cover)
	}
}

// line adds the cover of one scan line at height y.
func (p *Painter) line(pts []Point, y float64, left int) {
	p.xs = p.xs[:0]
	for i, a := range pts {
		b := pts[(i+1)%len(pts)]
		if (a.Y > y) != (b.Y > y) {
			p.xs = append(p.xs, crossing(a, b, y)-float64(left))
		}
	}
	slices.Sort(p.xs)
	n := float64(len(p.cover))
	for i := 0; i+1 < len(p.xs); i += 2 {
		from, to := min(max(p.xs[i], 0), n), min(max(p.xs[i+1], 0), n)
		for x := int(from); x < len(p.cover) && float64(x) < to; x++ {
			p.cover[x] += (min(to, float64(x+1)) - max(from, float64(x))) / subRows
		}
	}
}

// Fill paints the polygon onto g with the given tone.
func (p *Painter) Fill(g *Gray, pts []Point, tone uint8) {
	p.Polygon(pts, g.W, g.H, func(y, x0 int, cover []float64) {
		row := g.Row(y)[x0:]
		for i, c := range cover {
			v := float64(row[i])
			row[i] = uint8(v + float64(c*(float64(tone)-v)) + 0.5)
		}
	})
}

// Blur smooths g in place with a 3×3 binomial kernel (1 2 1), rounds times; the
// border pixels stay. Each round adds a variance of half a pixel squared per axis.
func (g *Gray) Blur(rounds int) {
	prev := make([]uint8, g.W)
	this := make([]uint8, g.W)
	for range rounds {
		copy(prev, g.Row(0))
		for y := 1; y < g.H-1; y++ {
			row, next := g.Row(y), g.Row(y+1)
			copy(this, row)
			for x := 1; x < g.W-1; x++ {
				a := int(prev[x-1]) + 2*int(prev[x]) + int(prev[x+1])
				b := int(this[x-1]) + 2*int(this[x]) + int(this[x+1])
				c := int(next[x-1]) + 2*int(next[x]) + int(next[x+1])
				row[x] = uint8((a + 2*b + c + 8) >> 4)
			}
			prev, this = this, prev
		}
	}
}
