package symbol

import (
	"math"
	"slices"

	"ricetta/core/raster"
)

// unit is how finely places on a scan line are told: parts of a pixel.
const unit = 256

// profile is the brightness along a scan line and the bars in it.
type profile struct {
	sums   []int64
	raw    []int32 // 16 for each gray value
	sharp  []int32
	low    []int32
	high   []int32
	window []int32 // of the envelope: indexes of what may become the least or the most
	edges  []int32 // in units, light to dark first
	widths []int32 // of light and dark in turn, the first and the last light
	from   raster.Point
	dx, dy float64
}

// sample reads n pixels from a place on, each the mean of several rows side by side.
func (p *profile) sample(g *raster.Gray, from raster.Point, dx, dy float64, n, rows int) {
	p.from, p.dx, p.dy = from, dx, dy
	p.sums = grown(p.sums, n)
	clear(p.sums)
	for r := range rows {
		off := float64(r) - float64(rows-1)/2
		g.AddAlong(p.sums, raster.Point{X: from.X - float64(off*dy), Y: from.Y + float64(off*dx)}, dx, dy)
	}
	p.raw = grown(p.raw, n)
	for i, s := range p.sums {
		p.raw[i] = int32(s / int64(rows) * 16 / raster.AlongOne)
	}
}

// grown returns a slice of that length that reuses the memory of s.
func grown[T any](s []T, n int) []T {
	if cap(s) < n {
		return make([]T, n)
	}
	return s[:n]
}

// find cuts the profile into light and dark. sharpen undoes blur: by so many times what
// three pixels' mean takes away. reach is how far to look for the darkest and the lightest
// round a place, between which the threshold lies.
func (p *profile) find(sharpen int32, reach int) []int32 {
	v := p.raw
	if sharpen > 0 {
		p.sharp = grown(p.sharp, len(v))
		last := len(v) - 1
		for i := range v {
			a, b, c := v[max(i-1, 0)], v[i], v[min(i+1, last)]
			d, e := v[max(i-2, 0)], v[min(i+2, last)]
			p.sharp[i] = b + sharpen*(b*6-2*(a+c)-(d+e))/12
		}
		v = p.sharp
	}
	p.low, p.high = grown(p.low, len(v)), grown(p.high, len(v))
	p.envelope(p.low, v, reach, -1)
	p.envelope(p.high, v, reach, 1)
	p.cut(v)
	p.widths = p.widths[:0]
	if len(p.edges) == 0 {
		return nil
	}
	p.widths = append(p.widths, p.edges[0])
	for i := 1; i < len(p.edges); i++ {
		p.widths = append(p.widths, p.edges[i]-p.edges[i-1])
	}
	p.widths = append(p.widths, int32(len(v))*unit-p.edges[len(p.edges)-1])
	return p.widths
}

// envelope writes the greatest (sign 1) or least (-1) value within reach of each place, in
// one pass (Lemire 2006).
func (p *profile) envelope(dst, v []int32, reach int, sign int32) {
	q := p.window[:0]
	head := 0
	n := len(v)
	for i := range n + reach {
		if i < n {
			for len(q) > head && v[q[len(q)-1]]*sign <= v[i]*sign {
				q = q[:len(q)-1]
			}
			q = append(q, int32(i))
		}
		at := i - reach
		if at < 0 {
			continue
		}
		for int(q[head]) < at-reach {
			head++
		}
		dst[at] = v[q[head]]
	}
	p.window = q
}

// cut finds the edges: where the profile crosses the middle between its darkest and its
// lightest nearby, and goes on beyond it by an eighth of their difference.
func (p *profile) cut(v []int32) {
	p.edges = p.edges[:0]
	const leastContrast = 10 * 16
	dark := false
	pending := int32(-1) // an edge that is not confirmed yet
	middle := func(i int) int32 { return (p.low[i] + p.high[i]) / 2 }
	before := v[0] - middle(0)
	for i := 1; i < len(v); i++ {
		contrast := p.high[i] - p.low[i]
		now := v[i] - middle(i)
		if contrast < leastContrast {
			now = max(now, contrast) // flat: nothing printed here
			if now <= 0 {
				now = 1
			}
		}
		if (now < 0) != dark && pending < 0 {
			step := abs(before - now)
			part := int32(unit / 2)
			if step > 0 {
				part = unit * abs(before) / step
			}
			// The value of sample i belongs to the place i + ½.
			pending = int32(i-1)*unit + unit/2 + min(max(part, 0), unit)
		} else if (now < 0) == dark {
			pending = -1
		}
		if pending >= 0 && abs(now)*8 >= contrast && (now < 0) != dark {
			p.edges = append(p.edges, pending)
			dark, pending = !dark, -1
		}
		before = now
	}
	if dark { // it ends within a bar
		p.edges = p.edges[:len(p.edges)-1]
	}
}

func abs(v int32) int32 {
	if v < 0 {
		return -v
	}
	return v
}

// at returns the place of a position on the line.
func (p *profile) at(pos int32) raster.Point {
	t := float64(pos)/unit - 0.5
	return raster.Point{X: p.from.X + float64(t*p.dx), Y: p.from.Y + float64(t*p.dy)}
}

// lineReader reads the linear codes of a part of a picture.
type lineReader struct {
	profile profile
	pair    [2][]int32
	back    []int32
	hits    []hit
	votes   []vote
	digits  []byte
}

// hit is a code read on one scan line.
type hit struct {
	symbology Symbology
	text      string
	gs1       bool
	from, to  int32 // where it begins and ends on the line, in units, as it is read
	a, b      raster.Point
	line      int
}

// vote is one reading: the first hit that says it, the last one, and on how many lines it is.
type vote struct {
	hit
	last  hit
	lines int
}

const (
	mostLines = 13  // scan lines across a part
	margin    = 1.2 // how much longer than the part they are
)

// read appends the codes in a part.
func (r *lineReader) read(out []Symbol, g *raster.Gray, s stripes, o *Options) []Symbol {
	n := int(2*s.along*margin) + 48
	r.straighten(g, &s, n)
	start := raster.Point{X: s.center.X - float64(s.dx*float64(n)/2), Y: s.center.Y - float64(s.dy*float64(n)/2)}
	lines := min(mostLines, max(3, int(s.across/2)))
	rows := min(5, max(1, int(2*s.across)/lines))
	reach := min(max(12, int(s.along)/8), 64)
	for _, sharpen := range [...]int32{0, 2, 5} {
		r.hits = r.hits[:0]
		for i := range lines {
			off := float64(float64(float64((float64(i)+0.5)*2/float64(lines))-1) * s.across * 0.9)
			from := raster.Point{X: start.X - float64(off*s.dy), Y: start.Y + float64(off*s.dx)}
			r.profile.sample(g, from, s.dx, s.dy, n, rows)
			r.decode(r.profile.find(sharpen, reach), i, o)
		}
		before := len(out)
		if out = r.elect(out); len(out) > before {
			break
		}
	}
	return out
}

// straighten turns the scan direction square to the bars. The gradients of narrow bars, taken
// over two pixels, lean to the picture's axes by some degrees; how far the pattern of one
// line must be shifted to fit that of another tells the rest.
func (r *lineReader) straighten(g *raster.Gray, s *stripes, n int) {
	for range 2 {
		apart := min(float64(1.4*s.across), 40)
		if apart < 4 {
			return
		}
		for i := range r.pair {
			off := float64(apart * (float64(i) - 0.5))
			from := raster.Point{X: s.center.X - float64(s.dx*float64(n)/2) - float64(off*s.dy), Y: s.center.Y - float64(s.dy*float64(n)/2) + float64(off*s.dx)}
			r.profile.sample(g, from, s.dx, s.dy, n, 3)
			r.pair[i] = append(r.pair[i][:0], r.profile.raw...)
		}
		reach := min(int(apart*0.2)+1, n/4)
		var costs [2*9 + 1]float64
		best := -reach
		for k := -reach; k <= reach; k++ {
			sum := int64(0)
			for i := reach; i < n-reach; i++ {
				sum += int64(abs(r.pair[0][i] - r.pair[1][i+k]))
			}
			costs[k+reach] = float64(sum)
			if costs[k+reach] < costs[best+reach] {
				best = k
			}
		}
		shift := float64(best)
		if best > -reach && best < reach {
			shift += raster.Summit(-costs[best+reach-1], -costs[best+reach], -costs[best+reach+1])
		}
		if shift < 0.1 && shift > -0.1 {
			return
		}
		// The bars run from one line to the other by shift along it: the square to them is
		// turned by as much.
		dx, dy := float64(apart*s.dx)+float64(shift*s.dy), float64(apart*s.dy)-float64(shift*s.dx)
		l := raster.Hypot(dx, dy)
		s.dx, s.dy = dx/l, dy/l
	}
}

// decode tries all symbologies in both directions.
func (r *lineReader) decode(w []int32, line int, o *Options) {
	if len(w) < 9 {
		return
	}
	r.back = append(r.back[:0], w...)
	slices.Reverse(r.back)
	end := int32(len(r.profile.raw)) * unit
	for turn, w := range [2][]int32{w, r.back} {
		before := len(r.hits)
		r.decodeForward(w, o)
		for i := before; i < len(r.hits); i++ {
			h := &r.hits[i]
			h.line = line
			if turn == 1 {
				h.from, h.to = end-h.from, end-h.to
			}
			h.a, h.b = r.profile.at(h.from), r.profile.at(h.to)
		}
	}
}

func (r *lineReader) decodeForward(w []int32, o *Options) {
	ean, c128, itf, c39 := o.wants(EAN13, EAN8, UPCA, UPCE), o.wants(Code128, GS1128), o.wants(ITF14), o.wants(Code39)
	pos := int32(0)
	for i := 1; i < len(w); i++ {
		pos += w[i-1]
		if i%2 == 0 {
			continue // light
		}
		if ean {
			r.ean(w, i, pos, o)
		}
		if c128 {
			r.code128(w, i, pos, o)
		}
		if itf {
			r.itf14(w, i, pos)
		}
		if c39 {
			r.code39(w, i, pos)
		}
	}
}

// widthOf sums widths.
func widthOf(w []int32) (sum int32) {
	for _, v := range w {
		sum += v
	}
	return sum
}

// leastLines is on how many scan lines a code must be read alike: more where it has little
// to check itself by.
var leastLines = map[Symbology]int{EAN13: 2, UPCA: 2, EAN8: 2, UPCE: 3, Code128: 2, GS1128: 2, ITF14: 2, Code39: 2}

// elect takes the readings that enough lines agree on, and nothing where two say different
// things of one place.
func (r *lineReader) elect(out []Symbol) []Symbol {
	r.votes = r.votes[:0]
	for _, h := range r.hits {
		k := slices.IndexFunc(r.votes, func(v vote) bool {
			return v.symbology == h.symbology && v.text == h.text && overlap(v.from, v.to, h.from, h.to)
		})
		if k < 0 {
			r.votes = append(r.votes, vote{hit: h})
			k = len(r.votes) - 1
		}
		v := &r.votes[k]
		v.lines++
		v.last = h
	}
	for i := range r.votes {
		v := &r.votes[i]
		if v.lines < leastLines[v.symbology] {
			continue
		}
		beaten := false
		for j := range r.votes {
			u := &r.votes[j]
			if j != i && overlap(u.from, u.to, v.from, v.to) && (u.lines > v.lines || u.lines == v.lines && (long(u) > long(v) || long(u) == long(v) && j < i)) && u.lines >= leastLines[u.symbology] {
				// Two codes may lie one above the other, each on lines of its own.
				beaten = beaten || !(u.line > v.last.line || v.line > u.last.line) || u.symbology == v.symbology && v.lines*3 <= u.lines
			}
		}
		if beaten {
			continue
		}
		out = append(out, v.symbol())
	}
	return out
}

func long(v *vote) int32 { return abs(v.to - v.from) }

// overlap reports whether two stretches of the lines share more than a third of the shorter.
func overlap(a0, a1, b0, b1 int32) bool {
	a0, a1 = min(a0, a1), max(a0, a1)
	b0, b1 = min(b0, b1), max(b0, b1)
	return 3*(min(a1, b1)-max(a0, b0)) > min(a1-a0, b1-b0)
}

// symbol returns what was read, with its corners as one reads it: where the code runs to the
// right, the first line is above.
func (v *vote) symbol() Symbol {
	s := Symbol{Symbology: v.symbology, Text: v.text, GS1: v.gs1, Lines: v.lines}
	a, b, c, d := v.a, v.b, v.last.b, v.last.a
	// The turn from the reading direction to the other lines is clockwise in a picture
	// whose y runs down.
	if turn(a, b, d) < 0 {
		a, b, c, d = d, c, b, a
	}
	s.Corners = [4]raster.Point{a, b, c, d}
	return s
}

// departure compares the widths of a character with a pattern: the squared differences in
// modules, summed up, the widths being scaled to as many modules as the pattern has. growth is
// by how many modules dark elements are too wide; dark tells whether the first element is.
func departure(w []int32, pattern []int8, modules int32, growth float64, dark bool) float64 {
	total := widthOf(w)
	if total <= 0 {
		return math.Inf(1)
	}
	scale := float64(modules) / float64(total)
	cost := 0.0
	for i, v := range w {
		x := float64(float64(v)*scale) - float64(pattern[i])
		if dark {
			x -= growth
		} else {
			x += growth
		}
		cost += float64(x * x)
		dark = !dark
	}
	return cost
}
