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

// sides fits a straight line to each side of the code: the outermost that many dark modules
// reach. The corners are where they meet.
func (r *matrixReader) sides(g *raster.Gray, b *box, inverse bool) (q [4]raster.Point, ok bool) {
	corners := b.corners()
	// The threshold: between the dark and the light in the box.
	var h [256]int
	sum, n := 0.0, 0
	for i := range 24 {
		for j := range 24 {
			x, y := float64(b.a*(float64(i)-11.5)/11.5), float64(b.b*(float64(j)-11.5)/11.5)
			pt := raster.Point{X: b.mid.X + float64(x*b.ux) - float64(y*b.uy), Y: b.mid.Y + float64(x*b.uy) + float64(y*b.ux)}
			if g.Inside(pt.X, pt.Y) {
				v := g.Between(pt.X, pt.Y)
				h[int(v)]++
				sum += v
				n++
			}
		}
	}
	if n == 0 {
		return q, false
	}
	threshold := otsu(&h)
	var at, dir [4]raster.Point
	const before = 4.0 // rays begin so far outside
	deep := min(float64(0.6*b.b), float64(0.6*b.a))
	var rays [4][sideRays]float64 // how far each goes until it meets something dark, -1 for never
	var solid [4]bool
	for s := range 4 {
		from, to := corners[s], corners[(s+1)%4]
		l := raster.Hypot(to.X-from.X, to.Y-from.Y)
		ux, uy := (to.X-from.X)/l, (to.Y-from.Y)/l
		nx, ny := -uy, ux // inwards: the corners run clockwise as seen
		depth := &rays[s]
		near := 0
		for i := range depth {
			t := float64(l * (0.04 + float64(0.92*(float64(i)+0.5)/sideRays)))
			depth[i] = -1
			last := 0.0
			for k := 0; float64(k)*0.5 < deep+before; k++ {
				d := float64(float64(k)*0.5) - before
				x, y := from.X+float64(t*ux)+float64(d*nx), from.Y+float64(t*uy)+float64(d*ny)
				if !g.Inside(x, y) {
					last = 0
					continue
				}
				v := threshold - g.Between(x, y)
				if inverse {
					v = -v
				}
				if v > 0 {
					if last < 0 {
						d -= float64(0.5 * v / (v - last))
					}
					depth[i] = d + before
					if d < float64(deep*0.4) {
						near++
					}
					break
				}
				last = v
			}
		}
		solid[s] = 4*near >= 3*sideRays
	}
	// Two sides that meet are dark all along: what has none such is no code.
	if !(solid[0] && solid[1] || solid[1] && solid[2] || solid[2] && solid[3] || solid[3] && solid[0]) {
		return q, false
	}
	for s := range 4 {
		from, to := corners[s], corners[(s+1)%4]
		l := raster.Hypot(to.X-from.X, to.Y-from.Y)
		ux, uy := (to.X-from.X)/l, (to.Y-from.Y)/l
		nx, ny := -uy, ux
		depth := &rays[s]
		// Of all lines through two of the points the one that most lie on and few beyond.
		bestScore, bi, bj := -1, 0, 0
		for i := 0; i < sideRays; i += 2 {
			for j := i + sideRays/4; j < sideRays; j += 2 {
				if depth[i] < 0 || depth[j] < 0 {
					continue
				}
				slope := (depth[j] - depth[i]) / float64(j-i)
				if slope > 0.25*l/sideRays || slope < -0.25*l/sideRays {
					continue
				}
				score := 0
				for k, d := range depth {
					if d < 0 {
						continue
					}
					e := d - depth[i] - float64(slope*float64(k-i))
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
			return q, false
		}
		slope := (depth[bj] - depth[bi]) / float64(bj-bi)
		// The mean of those on it.
		var sk, sd, skk, skd, count float64
		for k, d := range depth {
			if e := d - depth[bi] - float64(slope*float64(k-bi)); d >= 0 && e > -1 && e < 1 {
				x := float64(k)
				sk, sd, skk, skd, count = sk+x, sd+d, skk+float64(x*x), skd+float64(x*d), count+1
			}
		}
		det := float64(count*skk) - float64(sk*sk)
		if det <= 0 {
			return q, false
		}
		slope = (float64(count*skd) - float64(sk*sd)) / det
		level := (sd - float64(slope*sk)) / count
		place := func(k float64) raster.Point {
			t := float64(l * (0.04 + float64(0.92*(k+0.5)/sideRays)))
			d := level + float64(slope*k) - before
			return raster.Point{X: from.X + float64(t*ux) + float64(d*nx), Y: from.Y + float64(t*uy) + float64(d*ny)}
		}
		p0, p1 := place(0), place(sideRays-1)
		at[s], dir[s] = p0, raster.Point{X: p1.X - p0.X, Y: p1.Y - p0.Y}
	}
	for s := range 4 {
		before := (s + 3) % 4
		det := float64(dir[before].X*dir[s].Y) - float64(dir[before].Y*dir[s].X)
		if det < 1e-6 && det > -1e-6 {
			return q, false
		}
		t := (float64((at[s].X-at[before].X)*dir[s].Y) - float64((at[s].Y-at[before].Y)*dir[s].X)) / det
		q[s] = raster.Point{X: at[before].X + float64(t*dir[before].X), Y: at[before].Y + float64(t*dir[before].Y)}
	}
	return q, true
}

// otsu is the threshold that parts a histogram best (Otsu 1979).
func otsu(h *[256]int) float64 {
	total, sum := 0, 0
	for v, n := range h {
		total += n
		sum += v * n
	}
	best, at, below, belowSum := -1.0, 0.0, 0, 0
	for v, n := range h {
		below += n
		belowSum += v * n
		above := total - below
		if below == 0 || above == 0 {
			continue
		}
		d := float64(belowSum)/float64(below) - float64(sum-belowSum)/float64(above)
		if between := float64(float64(d*d) * float64(below) * float64(above)); between > best {
			best, at = between, float64(v)+0.5
		}
	}
	return at
}

// readQuad tries all sizes and the four ways the L can lie; mirrored codes as well.
func (r *matrixReader) readQuad(g *raster.Gray, q [4]raster.Point, inverse bool) (Symbol, bool) {
	side := func(i int) float64 { return raster.Hypot(q[(i+1)%4].X-q[i].X, q[(i+1)%4].Y-q[i].Y) }
	width, height := (side(0)+side(2))/2, (side(1)+side(3))/2
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
			return Symbol{Symbology: DataMatrix, Text: m.text, GS1: m.gs1, Corners: corners, Corrected: m.corrected}, true
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
	p := planeOf(q)
	w, h := float64(s.cols), float64(s.rows)
	tone := func(x, y int) (float64, bool) {
		at := p.at((float64(x)+0.5)/w, (float64(y)+0.5)/h)
		if !g.Inside(at.X, at.Y) {
			return 0, false
		}
		v := g.Between(at.X, at.Y)
		if inverse {
			v = 255 - v
		}
		return v, true
	}
	var solid, dark, light float64
	nd, nl := 0, 0
	lo, hi := 255.0, 0.0
	for y := range s.rows { // the left side, and what alternates at the right
		a, ok := tone(0, y)
		b, ok2 := tone(s.cols-1, y)
		if !ok || !ok2 {
			return 0, false
		}
		solid += a
		hi, lo = max(hi, b), min(lo, a, b)
		if y%2 == 1 {
			dark, nd = dark+b, nd+1
		} else {
			light, nl = light+b, nl+1
		}
	}
	for x := range s.cols {
		a, ok := tone(x, s.rows-1)
		b, ok2 := tone(x, 0)
		if !ok || !ok2 {
			return 0, false
		}
		solid += a
		hi, lo = max(hi, b), min(lo, a, b)
		if x%2 == 0 {
			dark, nd = dark+b, nd+1
		} else {
			light, nl = light+b, nl+1
		}
	}
	solid /= w + h
	dark, light = dark/float64(nd), light/float64(nl)
	if light-dark < 12 || light-solid < 12 {
		return 0, true
	}
	threshold := (light + (dark+solid)/2) / 2
	good, all := 0, 0
	count := func(v float64, wantDark bool) {
		all++
		if (v < threshold) == wantDark {
			good++
		}
	}
	for y := range s.rows {
		a, _ := tone(0, y)
		b, _ := tone(s.cols-1, y)
		count(a, true)
		count(b, y%2 == 1)
	}
	for x := range s.cols {
		a, _ := tone(x, s.rows-1)
		b, _ := tone(x, 0)
		count(a, true)
		count(b, x%2 == 0)
	}
	return float64(good) / float64(all), true
}
