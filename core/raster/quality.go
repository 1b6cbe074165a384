package raster

import (
	"math"
	"slices"
)

// Quality says how good a picture is to measure on, before anything is looked for.
type Quality struct {
	// Histogram counts the brightness of all pixels.
	Histogram [256]int
	// Crushed and Burnt are the shares of pixels, 0…1, that have lost their detail: all
	// channels at most 2, or any channel at least 253.
	Crushed, Burnt float64
	// Mean is the mean brightness, Top what the brightest channel of one pixel in a hundred
	// exceeds: a yellow thing burns in red long before it is bright.
	Mean float64
	Top  int
	// Contrast is the standard deviation of the brightness.
	Contrast float64
	// Sharpness peaks at best focus: the mean squared gradient of the brightness (Tenenbaum,
	// "Accommodation in computer vision", Stanford 1970) over the squared mean brightness,
	// in thousandths, so that more light does not count as sharper.
	Sharpness float64
	// Evenness is the brightness of the darkest part of the picture's margin as a share
	// of the brightest one's, 1 for even light. Where items lie in the margin it means
	// nothing.
	Evenness float64
}

// Limits of what counts as lost.
const (
	crushedAt = 2
	burntAt   = 253
)

// QualityOf looks at a picture, which must have pixels.
func QualityOf(p Picture) Quality {
	g := p.Luma(new(Gray))
	var q Quality
	n := g.W * g.H
	sum := 0
	for y := range g.H {
		for _, v := range g.Row(y) {
			q.Histogram[v]++
			sum += int(v)
		}
	}
	if n == 0 {
		return q
	}
	q.Mean = float64(sum) / float64(n)
	squares := 0
	for v, k := range q.Histogram {
		squares += v * v * k
	}
	q.Contrast = math.Sqrt(max(float64(squares)/float64(n)-float64(q.Mean*q.Mean), 0))
	tops := q.Histogram
	if p.RGB != nil {
		tops = brightest(p.RGB)
	}
	crushed, burnt := 0, 0
	for v, k := range tops {
		if v <= crushedAt {
			crushed += k
		} else if v >= burntAt {
			burnt += k
		}
	}
	q.Crushed, q.Burnt = float64(crushed)/float64(n), float64(burnt)/float64(n)
	above := n / 100
	for q.Top = 255; q.Top > 0; q.Top-- {
		if above -= tops[q.Top]; above < 0 {
			break
		}
	}
	q.Sharpness = sharpness(g, q.Mean)
	q.Evenness = evenness(g)
	return q
}

// brightest counts the greatest channel of each pixel.
func brightest(c *RGB) (h [256]int) {
	for y := range c.H {
		o := y * c.Stride
		r, g, b := c.R[o:o+c.W], c.G[o:o+c.W], c.B[o:o+c.W]
		for x := range r {
			h[max(r[x], g[x], b[x])]++
		}
	}
	return h
}

func sharpness(g *Gray, mean float64) float64 {
	if g.W < 3 || g.H < 3 || mean == 0 {
		return 0
	}
	sum := 0
	for y := 1; y < g.H-1; y++ {
		row := 0
		for x := 1; x < g.W-1; x++ {
			gx, gy := g.Sobel(x, y)
			row += gx*gx + gy*gy
		}
		sum += row
	}
	// The Sobel operator gives 8 for a slope of one.
	slope := float64(sum) / float64(64*(g.W-2)*(g.H-2))
	return 1000 * slope / (mean * mean)
}

// evenness compares the medians of tiles along the margin, a twelfth of the picture wide.
func evenness(g *Gray) float64 {
	size := max(min(g.W, g.H)/12, 1)
	darkest, brightest := math.Inf(1), 0.0
	tile := func(x, y int) {
		part := g.Sub(x, y, min(x+size, g.W), min(y+size, g.H))
		var all []uint8
		for r := range part.H {
			all = append(all, part.Row(r)...)
		}
		if len(all) == 0 {
			return
		}
		slices.Sort(all)
		m := float64(all[len(all)/2])
		darkest, brightest = min(darkest, m), max(brightest, m)
	}
	for x := 0; x+size <= g.W; x += size {
		tile(x, 0)
		tile(x, g.H-size)
	}
	for y := 0; y+size <= g.H; y += size {
		tile(0, y)
		tile(g.W-size, y)
	}
	if brightest == 0 {
		return 0
	}
	return darkest / brightest
}

// MarkLost returns a copy in color in which crushed pixels are blue and burnt ones red.
func (p Picture) MarkLost() Picture {
	w, h := p.Size()
	out := NewRGB(w, h)
	for y := range h {
		to := y * w
		var r, g, b []uint8
		if p.RGB != nil {
			o := y * p.RGB.Stride
			r, g, b = p.RGB.R[o:o+w], p.RGB.G[o:o+w], p.RGB.B[o:o+w]
		} else {
			r = p.Gray.Row(y)
			g, b = r, r
		}
		for x := range w {
			v := [3]uint8{r[x], g[x], b[x]}
			switch hi := max(v[0], v[1], v[2]); {
			case hi >= burntAt:
				v = [3]uint8{255, 0, 0}
			case hi <= crushedAt:
				v = [3]uint8{0, 80, 255}
			}
			out.R[to+x], out.G[to+x], out.B[to+x] = v[0], v[1], v[2]
		}
	}
	return Picture{RGB: out}
}
