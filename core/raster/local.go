package raster

// Means gives the mean of any box of a picture in a few additions (Crow, "Summed-area
// tables for texture mapping", SIGGRAPH 1984). It keeps its memory.
type Means struct {
	sums []uint32 // (w+1)·(h+1): of all pixels above and to the left
	w, h int
}

// Of sums up g, which has at most 16 million pixels.
func (m *Means) Of(g *Gray) {
	m.w, m.h = g.W, g.H
	n := (g.W + 1) * (g.H + 1)
	if cap(m.sums) < n {
		m.sums = make([]uint32, n)
	}
	m.sums = m.sums[:n]
	stride := g.W + 1
	clear(m.sums[:stride])
	for y := range g.H {
		above, row := m.sums[y*stride:(y+1)*stride], m.sums[(y+1)*stride:(y+2)*stride]
		row[0] = 0
		integralRow(row[1:], above[1:], g.Row(y))
	}
}

// Box returns the sum and the number of the pixels in x0…x1, y0…y1 (ends excluded),
// as far as they lie in the picture.
func (m *Means) Box(x0, y0, x1, y1 int) (sum, n uint32) {
	x0, y0, x1, y1 = max(x0, 0), max(y0, 0), min(x1, m.w), min(y1, m.h)
	if x0 >= x1 || y0 >= y1 {
		return 0, 0
	}
	stride := m.w + 1
	// Differences of sums that ran over 2^32 come out right all the same.
	return m.sums[y1*stride+x1] - m.sums[y0*stride+x1] - m.sums[y1*stride+x0] + m.sums[y0*stride+x0], uint32((x1 - x0) * (y1 - y0))
}

// Stand sets in dst, as large as g, the pixels of the spans to 255 that are lighter (or
// darker) by at least by gray values than the mean of the box reach pixels to all sides
// of them. The other pixels in the smallest box round the spans become 0; beyond it dst
// is undefined.
func (m *Means) Stand(dst, g *Gray, spans Spans, reach, by int, darker bool) {
	dst.Resize(g.W, g.H)
	x0, y0, x1, y1 := spans.Bounds()
	for y := y0; y < y1; y++ {
		clear(dst.Row(y)[x0:x1])
	}
	left, top := max(x0-reach, 0), max(y0-reach, 0)
	part := g.Sub(left, top, min(x1+reach, g.W), min(y1+reach, g.H))
	m.Of(&part)
	for _, s := range spans {
		row, out := g.Row(int(s.Y)), dst.Row(int(s.Y))
		for x := int(s.X0); x < int(s.X1); x++ {
			sum, n := m.Box(x-left-reach, int(s.Y)-top-reach, x-left+reach+1, int(s.Y)-top+reach+1)
			d := int64(row[x])*int64(n) - int64(sum)
			if darker {
				d = -d
			}
			if d >= int64(by)*int64(n) {
				out[x] = 255
			}
		}
	}
}

// CountIn returns how many pixels of the spans have a gray value in lo…hi, both included.
func (g *Gray) CountIn(spans Spans, lo, hi uint8) int {
	n := 0
	for _, s := range spans {
		n += BandCount(g.Row(int(s.Y))[s.X0:s.X1], lo, hi)
	}
	return n
}

// Histogram counts the gray values of the pixels of the spans.
func (g *Gray) Histogram(spans Spans) (h [256]int) {
	for _, s := range spans {
		for _, v := range g.Row(int(s.Y))[s.X0:s.X1] {
			h[v]++
		}
	}
	return h
}

// Otsu returns the gray value that parts a histogram best in two, the lower part up to
// and including it, and the means of both (Otsu, "A threshold selection method from
// gray-level histograms", IEEE Transactions SMC 9, 1979). ok is false with less than
// two gray values.
func Otsu(h [256]int) (at uint8, dark, light float64, ok bool) {
	n, sum := 0, 0
	for v, c := range h {
		n += c
		sum += v * c
	}
	best := 0.0
	below, low := 0, 0
	for v, c := range h {
		below += c
		low += v * c
		if below == 0 || below == n {
			continue
		}
		d, l := float64(low)/float64(below), float64(sum-low)/float64(n-below)
		between := float64(float64(float64(below)*float64(n-below)) * float64((l-d)*(l-d)))
		if between > best {
			best, at, dark, light, ok = between, uint8(v), d, l, true
		}
	}
	return at, dark, light, ok
}
