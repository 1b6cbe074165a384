package symbol

import (
	"math"
	"slices"

	"ricetta/core/raster"
)

// qrReader finds and reads the QR codes of a patch: by the three patterns at their corners,
// which every line through the middle crosses in parts of 1:1:3:1:1 modules.
type qrReader struct {
	map2    *tones
	dark    uint8 // what counts as dark
	finders []finder
	tones   []float64
}

// finder is one of the patterns: its middle and the size of a module.
type finder struct {
	at     raster.Point
	module float64
	seen   int
}

// read appends the codes of a patch.
func (r *qrReader) read(out []Symbol, g *raster.Gray, t *tones) []Symbol {
	for _, inverse := range [2]bool{false, true} {
		r.map2, r.dark = t, darker
		if inverse {
			r.dark = lighter
		}
		r.find()
		before := len(out)
		out = r.assemble(out, g, inverse)
		if len(out) > before {
			break
		}
	}
	return out
}

// ratio reports whether five runs are as 1:1:3:1:1, and how large a module is.
func ratio(n [5]int) (module float64, ok bool) {
	total := n[0] + n[1] + n[2] + n[3] + n[4]
	if total < 9 || min(n[0], n[1], n[2], n[3], n[4]) == 0 {
		return 0, false
	}
	m := float64(total) / 7
	slack := float64(m*0.6) + 0.4
	for i, want := range [5]float64{1, 1, 3, 1, 1} {
		s := slack
		if i == 2 {
			s = float64(s * 1.7)
		}
		if d := float64(n[i]) - float64(want*m); d > s || d < -s {
			return 0, false
		}
	}
	return m, true
}

// find gathers the finder patterns of a patch.
func (r *qrReader) find() {
	r.finders = r.finders[:0]
	t := r.map2
	for y := 0; y < t.h; y += 2 {
		row := t.pix[y*t.w : (y+1)*t.w]
		var n [5]int
		k := -1 // of the run within n, -1 before the first dark
		dark := false
		for x := 0; x <= t.w; x++ {
			now := x < t.w && row[x] == r.dark
			if k < 0 && !now {
				continue
			}
			if k < 0 {
				k, dark = 0, true
			}
			if now == dark && x < t.w {
				n[k]++
				continue
			}
			if k == 4 && dark {
				if m, ok := ratio(n); ok {
					r.check(x-n[4]-n[3]-n[2]/2, y, m)
				}
				// The last three runs begin the next five.
				n = [5]int{n[2], n[3], n[4], 0, 0}
				k = 2
			}
			k++
			n[k] = 1
			dark = now
		}
	}
}

// along counts the runs from a place in the middle dark one to both sides.
func (r *qrReader) along(x, y, dx, dy, most int) (n [5]int, ok bool) {
	t := r.map2
	on := func(k int) bool { return t.pix[(y+k*dy)*t.w+x+k*dx] == r.dark }
	inside := func(k int) bool {
		px, py := x+k*dx, y+k*dy
		return px >= 0 && px < t.w && py >= 0 && py < t.h
	}
	if !inside(0) || !on(0) {
		return n, false
	}
	for _, way := range [2]int{-1, 1} {
		k, part := way, 2
		if way == -1 {
			k, n[2] = 0, 0
		}
		want := true
		for ; inside(k); k += way {
			if on(k) != want {
				part += way
				want = !want
				if part < 0 || part > 4 {
					break
				}
			}
			if n[part]++; n[part] > most {
				return n, false
			}
		}
	}
	return n, n[0] > 0 && n[4] > 0
}

// check looks at a place across, and across again, and keeps it as a finder.
func (r *qrReader) check(x, y int, module float64) {
	t := r.map2
	most := int(float64(module*5)) + 4
	across := func(dx, dy int) (at int, m float64, ok bool) {
		n, ok := r.along(x, y, dx, dy, most)
		if !ok {
			return 0, 0, false
		}
		if m, ok = ratio(n); !ok {
			return 0, 0, false
		}
		// How far the middle run reaches back from (x, y).
		back := 0
		for k := 1; ; k++ {
			px, py := x-k*dx, y-k*dy
			if px < 0 || py < 0 || t.pix[py*t.w+px] != r.dark {
				break
			}
			back = k
		}
		return (n[2]-1)/2 - back, m, true
	}
	d, mv, ok := across(0, 1)
	if !ok || mv > 2*module || module > 2*mv {
		return
	}
	y += d
	d, mh, ok := across(1, 0)
	if !ok {
		return
	}
	x += d
	if _, _, ok := across(1, 1); !ok {
		return
	}
	at, ok := r.middle(x, y, most)
	if !ok {
		return
	}
	f := finder{raster.Point{X: float64(t.patch.x0) + at.X, Y: float64(t.patch.y0) + at.Y}, (mv + mh) / 2, 1}
	for i := range r.finders {
		o := &r.finders[i]
		if raster.Hypot(o.at.X-f.at.X, o.at.Y-f.at.Y) < 2.5*o.module {
			n := float64(o.seen)
			o.at = raster.Point{X: (float64(o.at.X*n) + f.at.X) / (n + 1), Y: (float64(o.at.Y*n) + f.at.Y) / (n + 1)}
			o.module = (float64(o.module*n) + f.module) / (n + 1)
			o.seen++
			return
		}
	}
	r.finders = append(r.finders, f)
}

// middle is the center of the dark pixels round a place, row by row: the square in the middle of
// a finder, which a light ring parts from the rest.
func (r *qrReader) middle(x, y, most int) (raster.Point, bool) {
	t := r.map2
	on := func(x, y int) bool { return x >= 0 && x < t.w && t.pix[y*t.w+x] == r.dark }
	var sx, sy, n float64
	for _, way := range [2]int{-1, 1} {
		mid := x
		for row := y; row >= 0 && row < t.h && on(mid, row); row += way {
			x0, x1 := mid, mid
			for on(x0-1, row) {
				x0--
			}
			for on(x1+1, row) {
				x1++
			}
			if x1-x0 > most || (row-y)*way > most {
				return raster.Point{}, false
			}
			mid = (x0 + x1) / 2
			if way == 1 && row == y {
				continue // counted on the way up
			}
			w := float64(x1 - x0 + 1)
			sx += float64(w*float64(x0+x1+1)) / 2
			sy += float64(w * (float64(row) + 0.5))
			n += w
		}
	}
	return raster.Point{X: sx / n, Y: sy / n}, true
}

// mostFinders bounds the triples that are tried.
const mostFinders = 16

// assemble tries all triples of finders that can be corners of one code.
func (r *qrReader) assemble(out []Symbol, g *raster.Gray, inverse bool) []Symbol {
	f := r.finders
	slices.SortStableFunc(f, func(a, b finder) int { return b.seen - a.seen })
	f = f[:min(len(f), mostFinders)]
	used := make([]bool, len(f))
	for i := range f {
		for j := range f {
			for k := j + 1; k < len(f); k++ {
				if i == j || i == k || used[i] || used[j] || used[k] {
					continue
				}
				if s, ok := r.readThree(g, f[i], f[j], f[k], inverse); ok {
					// A finder that was seen as two gives the same code twice.
					if !slices.ContainsFunc(out, func(o Symbol) bool { return o.covers(s.Center()) }) {
						out = append(out, s)
					}
					used[i], used[j], used[k] = true, true, true
				}
			}
		}
	}
	return out
}

// readThree reads a code whose corner between the other two is a.
func (r *qrReader) readThree(g *raster.Gray, a, b, c finder, inverse bool) (Symbol, bool) {
	lo, hi := min(a.module, b.module, c.module), max(a.module, b.module, c.module)
	if hi > 1.7*lo {
		return Symbol{}, false
	}
	// b lies to the right of a, c below, as one reads it: clockwise.
	if turn(a.at, b.at, c.at) < 0 {
		b, c = c, b
	}
	l1, l2 := raster.Hypot(b.at.X-a.at.X, b.at.Y-a.at.Y), raster.Hypot(c.at.X-a.at.X, c.at.Y-a.at.Y)
	if l1 > 1.5*l2 || l2 > 1.5*l1 || min(l1, l2) < 10*lo {
		return Symbol{}, false
	}
	cos := (float64((b.at.X-a.at.X)*(c.at.X-a.at.X)) + float64((b.at.Y-a.at.Y)*(c.at.Y-a.at.Y))) / float64(l1*l2)
	if cos > 0.45 || cos < -0.45 {
		return Symbol{}, false
	}
	// Modules seen along the picture's axes are longer where the code is turned.
	ux, uy := (b.at.X-a.at.X)/l1, (b.at.Y-a.at.Y)/l1
	longer := max(math.Abs(ux), math.Abs(uy))
	module := float64((a.module + b.module + c.module) / 3 * longer)
	guess := int(math.Round((l1+l2)/2/module-10)) / 4 // version, from 4·version + 10 modules between
	for _, d := range [...]int{0, 1, -1, 2, -2, 3} {
		version := guess + d
		if version < 1 || version > 40 {
			continue
		}
		if s, ok := r.readVersion(g, a.at, b.at, c.at, version, inverse); ok {
			return s, true
		}
	}
	return Symbol{}, false
}

// readVersion reads a code of a version. The fourth corner is where the alignment pattern
// says, or tried at places about where it would lie without perspective.
func (r *qrReader) readVersion(g *raster.Gray, a, b, c raster.Point, version int, inverse bool) (Symbol, bool) {
	n := 17 + 4*version
	between := float64(n - 7)
	fourth := raster.Point{X: b.X + c.X - a.X, Y: b.Y + c.Y - a.Y}
	ux, uy := raster.Point{X: (b.X - a.X) / between, Y: (b.Y - a.Y) / between}, raster.Point{X: (c.X - a.X) / between, Y: (c.Y - a.Y) / between}
	if !timed(g, a, ux, uy, n, inverse) {
		return Symbol{}, false
	}
	reach, step, most := 2.0, 1.0, 9
	if version == 1 { // no alignment pattern: all places are tried
		reach, step, most = 2.5, 0.5, 121
	}
	type place struct {
		at    raster.Point
		score float64
	}
	var places []place
	for dv := -reach; dv <= reach; dv += step {
		for du := -reach; du <= reach; du += step {
			at := raster.Point{X: fourth.X + float64(du*ux.X) + float64(dv*uy.X), Y: fourth.Y + float64(du*ux.Y) + float64(dv*uy.Y)}
			score := -float64(du*du) - float64(dv*dv)
			if version >= 2 {
				p := qrPlane(a, b, c, at, n)
				score = alignment(g, &p, n, inverse) + float64(score*0.5)
			}
			places = append(places, place{at, score})
		}
	}
	slices.SortStableFunc(places, func(x, y place) int {
		switch {
		case x.score > y.score:
			return -1
		case x.score < y.score:
			return 1
		}
		return 0
	})
	for _, at := range places[:min(len(places), most)] {
		p := qrPlane(a, b, c, at.at, n)
		if version >= 2 {
			at.at = r.settle(g, a, b, c, at.at, ux, uy, n, inverse)
			p = qrPlane(a, b, c, at.at, n)
		}
		var grid *grid
		var ok bool
		if grid, r.tones, ok = sampled(g, &p, n, n, inverse, r.tones); !ok {
			continue
		}
		if m, ok := decodeQR(grid); ok && m.text != "" {
			return Symbol{Symbology: QR, Text: m.text, GS1: m.gs1, Corrected: m.corrected, Columns: n, Rows: n, Inverse: inverse, Mirrored: m.mirrored, Corners: [4]raster.Point{p.at(0, 0), p.at(1, 0), p.at(1, 1), p.at(0, 1)}}, true
		}
	}
	return Symbol{}, false
}

// settle moves the fourth place by parts of a module to where the alignment pattern fits
// best.
func (r *qrReader) settle(g *raster.Gray, a, b, c, at, ux, uy raster.Point, n int, inverse bool) raster.Point {
	p := qrPlane(a, b, c, at, n)
	best := alignment(g, &p, n, inverse)
	for step := 0.5; step > 0.1; step /= 2 {
		for _, d := range [4][2]float64{{step, 0}, {-step, 0}, {0, step}, {0, -step}} {
			to := raster.Point{X: at.X + float64(d[0]*ux.X) + float64(d[1]*uy.X), Y: at.Y + float64(d[0]*ux.Y) + float64(d[1]*uy.Y)}
			p := qrPlane(a, b, c, to, n)
			if s := alignment(g, &p, n, inverse); s > best {
				best, at = s, to
			}
		}
	}
	return at
}

// qrPlane maps the unit square onto the code whose middles of finders are a, b, c and that
// of a fourth would be d: they lie three and a half modules from the borders.
func qrPlane(a, b, c, d raster.Point, n int) plane {
	inner := planeOf([4]raster.Point{a, b, d, c})
	k := 3.5 / float64(n-7)
	return planeOf([4]raster.Point{inner.at(-k, -k), inner.at(1+k, -k), inner.at(1+k, 1+k), inner.at(-k, 1+k)})
}

// timed reports whether between the finders there are as many dark modules as the version
// has there, but for one. They are counted and not looked for at their places, which a slanted
// view shifts.
func timed(g *raster.Gray, a, ux, uy raster.Point, n int, inverse bool) bool {
	const fine = 4 // looks at a module
	for way := range 2 {
		u, v := ux, uy
		if way == 1 {
			u, v = uy, ux
		}
		// From the light module beside one finder to that beside the other, 3 modules to the
		// side of their middles.
		steps := (n - 15) * fine
		at := func(k int) raster.Point {
			t := 4 + float64(k)/fine
			return raster.Point{X: a.X + float64(t*u.X) + float64(3*v.X), Y: a.Y + float64(t*u.Y) + float64(3*v.Y)}
		}
		lo, hi := 255.0, 0.0
		for k := 0; k <= steps; k++ {
			p := at(k)
			if !g.Inside(p.X, p.Y) {
				return false
			}
			t := g.Between(p.X, p.Y)
			lo, hi = min(lo, t), max(hi, t)
		}
		count, dark := 0, false
		for k := 0; k <= steps; k++ {
			p := at(k)
			t := g.Between(p.X, p.Y)
			if inverse {
				t = lo + hi - t
			}
			switch {
			case !dark && t < float64(lo*0.6)+float64(hi*0.4):
				dark = true
				count++
			case dark && t > float64(lo*0.4)+float64(hi*0.6):
				dark = false
			}
		}
		if d := count - (n-15)/2; d > 1 || d < -1 {
			return false
		}
	}
	return true
}

// alignment is how much the pattern at the lower right of a code of version 2 and more
// stands out: light less dark, in gray values.
func alignment(g *raster.Gray, p *plane, n int, inverse bool) float64 {
	var sum [2]float64
	var count [2]float64
	for dy := -2; dy <= 2; dy++ {
		for dx := -2; dx <= 2; dx++ {
			at := p.at((float64(n-7+dx)+0.5)/float64(n), (float64(n-7+dy)+0.5)/float64(n))
			if !g.Inside(at.X, at.Y) {
				return -255
			}
			k := 0
			if d := max(dx, -dx, dy, -dy); d == 1 {
				k = 1
			}
			sum[k] += g.Between(at.X, at.Y)
			count[k]++
		}
	}
	d := sum[1]/count[1] - sum[0]/count[0]
	if inverse {
		return -d
	}
	return d
}
