package raster

// Means gives the sum of the box round each pixel, row after row. It keeps one row of
// sums, each over all columns to its left, and slides it down the picture: a whole
// summed-area table (Crow, "Summed-area tables for texture mapping", SIGGRAPH 1984)
// would be nine megabytes to write and to read back. It keeps its memory.
type Means struct {
	g     *Gray
	reach int
	y     int
	rows  int      // of the box that lie in the picture
	sums  []uint32 // w+1: of the box's rows, all columns to the left
	none  []uint8
}

// Of begins with the box of reach pixels to all sides of each pixel of g; Next leads to
// the first row.
func (m *Means) Of(g *Gray, reach int) {
	m.g, m.reach, m.y = g, reach, -1
	if cap(m.sums) < g.W+1 {
		// From its second element on it lies aligned for the kernel, which is slower across the
		// borders of the cache's lines.
		m.sums, m.none = make([]uint32, g.W+8)[7:], make([]uint8, g.W)
	}
	m.sums, m.none = m.sums[:g.W+1], m.none[:g.W]
	clear(m.sums)
	for y := range min(reach, g.H) {
		slideSums(m.sums[1:], g.Row(y), m.none)
	}
}

// Next goes to the next row. It must not be called more often than the picture has rows.
func (m *Means) Next() {
	m.y++
	in, out := m.none, m.none
	if y := m.y + m.reach; y < m.g.H {
		in = m.g.Row(y)
	}
	if y := m.y - m.reach - 1; y >= 0 {
		out = m.g.Row(y)
	}
	slideSums(m.sums[1:], in, out)
	m.rows = min(m.y+m.reach+1, m.g.H) - max(m.y-m.reach, 0)
}

// Box returns the sum and the number of the pixels of the box round pixel x of the row,
// as far as they lie in the picture.
func (m *Means) Box(x int) (sum uint32, n int) {
	x0, x1 := max(x-m.reach, 0), min(x+m.reach+1, m.g.W)
	// Differences of sums that ran over 2^32 come out right all the same.
	return m.sums[x1] - m.sums[x0], (x1 - x0) * m.rows
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
	m.Of(&part, reach)
	for _, s := range spans {
		for m.y < int(s.Y)-top {
			m.Next()
		}
		row, out := g.Row(int(s.Y)), dst.Row(int(s.Y))
		for x := int(s.X0); x < int(s.X1); x++ {
			sum, n := m.Box(x - left)
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
