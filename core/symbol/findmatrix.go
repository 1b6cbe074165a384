package symbol

import (
	"slices"

	"ricetta/core/raster"
)

// matrixReader finds and reads the Data Matrix codes of a patch: by the solid L of their
// border, whose pixels touch.
type matrixReader struct {
	specks specks
	pts    []raster.Point
	hull   []raster.Point
	tones  []float64
	order  []int

	left, right []int // of a speck's rows
}

const (
	leastModule = 1.7  // pixels
	leastBorder = 0.82 // share of the border's modules that must be as the standard says
	mostSpecks  = 8    // that are looked at in a patch
	sideRays    = 36
)

// read appends the codes of a patch.
func (r *matrixReader) read(out []Symbol, g *raster.Gray, t *tones) []Symbol {
	for _, inverse := range [2]bool{false, true} {
		tone := uint8(darker)
		if inverse {
			tone = lighter
		}
		r.specks.find(t, tone)
		all := r.specks.all
		r.order = r.order[:0]
		for i := range all {
			c := &all[i]
			if w, h := c.x1-c.x0, c.y1-c.y0; min(w, h) >= 12 && max(w, h) <= 14*min(w, h) && c.area >= 40 {
				r.order = append(r.order, i)
			}
		}
		size := func(i int) int { c := &all[i]; return (c.x1 - c.x0) * (c.y1 - c.y0) }
		slices.SortStableFunc(r.order, func(a, b int) int { return size(b) - size(a) })
		before := len(out)
		for _, i := range r.order[:min(len(r.order), mostSpecks)] {
			if s, ok := r.readSpeck(g, t, &all[i], inverse); ok && !slices.ContainsFunc(out, func(o Symbol) bool { return o.covers(s.Center()) }) {
				out = append(out, s)
			}
		}
		if len(out) > before {
			break
		}
	}
	return out
}

// covers reports whether a place lies in the code.
func (s *Symbol) covers(p raster.Point) bool {
	for i, c := range s.Corners {
		if turn(c, s.Corners[(i+1)%4], p) < 0 {
			return false
		}
	}
	return true
}

func (r *matrixReader) readSpeck(g *raster.Gray, t *tones, c *speck, inverse bool) (Symbol, bool) {
	// The outermost pixels of each row, with their corners.
	n := c.y1 - c.y0
	r.left, r.right = grown(r.left, n), grown(r.right, n)
	for i := range n {
		r.left[i], r.right[i] = t.w, -1
	}
	for _, k := range r.specks.pixels[c.from:c.to] {
		x, y := int(k)%t.w, int(k)/t.w-c.y0
		r.left[y], r.right[y] = min(r.left[y], x), max(r.right[y], x)
	}
	r.pts = r.pts[:0]
	for i := range n {
		x0, x1, y := float64(t.patch.x0+r.left[i]), float64(t.patch.x0+r.right[i]+1), float64(t.patch.y0+c.y0+i)
		r.pts = append(r.pts, raster.Point{X: x0, Y: y}, raster.Point{X: x1, Y: y}, raster.Point{X: x0, Y: y + 1}, raster.Point{X: x1, Y: y + 1})
	}
	r.hull = hullOf(r.pts, r.hull)
	if len(r.hull) < 3 {
		return Symbol{}, false
	}
	b := leastBox(r.hull)
	if min(b.a, b.b) < 4*leastModule {
		return Symbol{}, false
	}
	q, ok := r.sides(g, &b, inverse)
	if !ok {
		return Symbol{}, false
	}
	return r.readQuad(g, q, inverse)
}

// side is one side of a box round a code, and how far rays that begin outside of it go inwards
// until they meet something dark.
type side struct {
	from           raster.Point
	ux, uy, length float64
	depth          [sideRays]float64 // from where they begin, -1 where they meet nothing
	solid          bool              // most of them meet it near the side
}

const before = 4.0 // rays begin so many pixels outside

// at returns a place by the number of a ray and how far inwards from where it begins.
func (s *side) at(ray, deep float64) raster.Point {
	t := float64(s.length * (0.04 + float64(0.92*(ray+0.5)/sideRays)))
	deep -= before
	// Inwards is to the right: the corners run clockwise as seen.
	return raster.Point{X: s.from.X + float64(t*s.ux) - float64(deep*s.uy), Y: s.from.Y + float64(t*s.uy) + float64(deep*s.ux)}
}

// cast sends the rays, so deep at most.
func (s *side) cast(g *raster.Gray, threshold, deep float64, inverse bool) {
	near := 0
	for i := range s.depth {
		s.depth[i] = -1
		last := 0.0
		for k := 0; float64(k)*0.5 < deep+before; k++ {
			d := float64(float64(k) * 0.5)
			p := s.at(float64(i), d)
			if !g.Inside(p.X, p.Y) {
				last = 0
				continue
			}
			v := threshold - g.Between(p.X, p.Y)
			if inverse {
				v = -v
			}
			if v > 0 {
				if last < 0 {
					d -= float64(0.5 * v / (v - last))
				}
				s.depth[i] = d
				if d-before < float64(deep*0.4) {
					near++
				}
				break
			}
			last = v
		}
	}
	s.solid = 4*near >= 3*sideRays
}

// line fits the outermost straight line that many rays reach: two places on it.
func (s *side) line() (p, q raster.Point, ok bool) {
	// Of all lines through two of the points the one that most lie on and few beyond.
	bestScore, bi, bj := -1, 0, 0
	steepest := float64(0.25*s.length) / sideRays
	for i := 0; i < sideRays; i += 2 {
		for j := i + sideRays/4; j < sideRays; j += 2 {
			if s.depth[i] < 0 || s.depth[j] < 0 {
				continue
			}
			slope := (s.depth[j] - s.depth[i]) / float64(j-i)
			if slope > steepest || slope < -steepest {
				continue
			}
			score := 0
			for k, d := range s.depth {
				if d < 0 {
					continue
				}
				e := d - s.depth[i] - float64(slope*float64(k-i))
				switch {
				case e < -1.2:
					score -= 3
				case e < 0.8:
					score++
				}
			}
			if score > bestScore {
				bestScore, bi, bj = score, i, j
			}
		}
	}
	if bestScore < sideRays/5 {
		return p, q, false
	}
	slope := (s.depth[bj] - s.depth[bi]) / float64(bj-bi)
	// The mean of those on it.
	var sk, sd, skk, skd, count float64
	for k, d := range s.depth {
		if e := d - s.depth[bi] - float64(slope*float64(k-bi)); d >= 0 && e > -1 && e < 1 {
			x := float64(k)
			sk, sd, skk, skd, count = sk+x, sd+d, skk+float64(x*x), skd+float64(x*d), count+1
		}
	}
	det := float64(count*skk) - float64(sk*sk)
	if det <= 0 {
		return p, q, false
	}
	slope = (float64(count*skd) - float64(sk*sd)) / det
	level := (sd - float64(slope*sk)) / count
	const end = sideRays - 1
	return s.at(0, level), s.at(end, level+float64(slope*end)), true
}

// sides fits a straight line to each side of the code: the outermost that many dark modules
// reach. The corners are where they meet.
func (r *matrixReader) sides(g *raster.Gray, b *box, inverse bool) (q [4]raster.Point, ok bool) {
	// The threshold: between the dark and the light in the box.
	var h [256]int
	for i := range 24 {
		for j := range 24 {
			if p := b.at((float64(i)-11.5)/11.5, (float64(j)-11.5)/11.5); g.Inside(p.X, p.Y) {
				h[int(g.Between(p.X, p.Y))]++
			}
		}
	}
	split, _, _, ok := raster.Otsu(h)
	if !ok {
		return q, false
	}
	deep := min(float64(0.6*b.b), float64(0.6*b.a))
	corners := b.corners()
	var sides [4]side
	for i := range sides {
		from, to := corners[i], corners[(i+1)%4]
		l := raster.Hypot(to.X-from.X, to.Y-from.Y)
		sides[i] = side{from: from, ux: (to.X - from.X) / l, uy: (to.Y - from.Y) / l, length: l}
		sides[i].cast(g, float64(split)+0.5, deep, inverse)
	}
	// Two sides that meet are dark all along: what has none such is no code.
	met := false
	for i := range sides {
		met = met || sides[i].solid && sides[(i+1)%4].solid
	}
	if !met {
		return q, false
	}
	var at, dir [4]raster.Point
	for i := range sides {
		p, to, ok := sides[i].line()
		if !ok {
			return q, false
		}
		at[i], dir[i] = p, raster.Point{X: to.X - p.X, Y: to.Y - p.Y}
	}
	for i := range 4 {
		k := (i + 3) % 4
		det := float64(dir[k].X*dir[i].Y) - float64(dir[k].Y*dir[i].X)
		if det < 1e-6 && det > -1e-6 {
			return q, false
		}
		t := (float64((at[i].X-at[k].X)*dir[i].Y) - float64((at[i].Y-at[k].Y)*dir[i].X)) / det
		q[i] = raster.Point{X: at[k].X + float64(t*dir[k].X), Y: at[k].Y + float64(t*dir[k].Y)}
	}
	return q, true
}

// readQuad tries all sizes and the four ways the L can lie.
func (r *matrixReader) readQuad(g *raster.Gray, q [4]raster.Point, inverse bool) (Symbol, bool) {
	across := func(i int) float64 { return raster.Hypot(q[(i+1)%4].X-q[i].X, q[(i+1)%4].Y-q[i].Y) }
	width, height := (across(0)+across(2))/2, (across(1)+across(3))/2
	type try struct {
		size  matrixSize
		turn  int
		score float64
	}
	var best [4]try
	for _, s := range matrixSizes {
		for turn := range 4 {
			w, h := width, height
			if turn%2 == 1 {
				w, h = h, w
			}
			mw, mh := w/float64(s.cols), h/float64(s.rows)
			if min(mw, mh) < leastModule || mw > 1.3*mh || mh > 1.3*mw {
				continue
			}
			score, ok := borderScore(g, turned(q, turn), s, inverse)
			if !ok || score < leastBorder {
				continue
			}
			t := try{s, turn, score}
			for i := range best { // the four best, best first
				if t.score > best[i].score {
					t, best[i] = best[i], t
				}
			}
		}
	}
	for _, t := range best {
		if t.score == 0 {
			break
		}
		corners := turned(q, t.turn)
		plane := planeOf(corners)
		var grid *grid
		var ok bool
		if grid, r.tones, ok = sampled(g, &plane, t.size.cols, t.size.rows, inverse, r.tones); !ok {
			continue
		}
		if m, ok := decodeMatrix(grid); ok && m.text != "" {
			return Symbol{Symbology: DataMatrix, Text: m.text, GS1: m.gs1, Corners: corners, Corrected: m.corrected, Columns: t.size.cols, Rows: t.size.rows, Inverse: inverse}, true
		}
	}
	return Symbol{}, false
}

// turned returns the corners begun with another one.
func turned(q [4]raster.Point, by int) (out [4]raster.Point) {
	for i := range out {
		out[i] = q[(i+by)%4]
	}
	return out
}

// borderScore is the share of border modules that are as they must be: dark at the left and
// below, in turn above and at the right (ISO/IEC 16022, 4.1). The corners are in reading
// order.
func borderScore(g *raster.Gray, q [4]raster.Point, s matrixSize, inverse bool) (float64, bool) {
	// What the border must be.
	const (
		solid = iota
		dark
		light
	)
	p := planeOf(q)
	w, h := float64(s.cols), float64(s.rows)
	var tones [4 * 144]float64
	var must [4 * 144]uint8
	var sums, counts [3]float64
	n := 0
	look := func(x, y int, kind uint8) bool {
		at := p.at((float64(x)+0.5)/w, (float64(y)+0.5)/h)
		if !g.Inside(at.X, at.Y) {
			return false
		}
		v := g.Between(at.X, at.Y)
		if inverse {
			v = 255 - v
		}
		tones[n], must[n] = v, kind
		sums[kind] += v
		counts[kind]++
		n++
		return true
	}
	for y := range s.rows {
		if !look(0, y, solid) || !look(s.cols-1, y, uint8(light-y%2)) {
			return 0, false
		}
	}
	for x := range s.cols {
		if !look(x, s.rows-1, solid) || !look(x, 0, uint8(dark+x%2)) {
			return 0, false
		}
	}
	for k := range sums {
		sums[k] /= counts[k]
	}
	if sums[light]-sums[dark] < 12 || sums[light]-sums[solid] < 12 {
		return 0, true
	}
	threshold := (sums[light] + (sums[dark]+sums[solid])/2) / 2
	good := 0
	for i, v := range tones[:n] {
		if (v < threshold) == (must[i] != light) {
			good++
		}
	}
	return float64(good) / float64(n), true
}
