package locate

import (
	"cmp"
	"math"
	"slices"

	"ricetta/core/raster"
)

// texel is a taught pixel of a patch: its offset from the region's center, its gray
// value and the slope there, all in pixels of its pyramid level.
type texel struct{ x, y, tone, gx, gy float64 }

// patchLevel is what was taught on one level of the pyramid.
type patchLevel struct {
	texels    []texel
	mean, dev float64 // of their gray values
	radius    float64
	// Of the level where the search starts: the normalized values and how far the box
	// reaches that they are normalized in.
	weights []int16
	energy  int
	reach   int
}

// patchModel is a taught patch. levels[0] belongs to the full picture, the last one to
// where the search starts.
type patchModel struct {
	center raster.Point
	levels []patchLevel
}

// How many pixels a level keeps, and how small a patch may become.
const (
	mostTexels       = 2000 // on the full picture
	mostUpperTexels  = 400  // on the levels above it
	mostCoarseTexels = 112
	fewestTexels     = 60
	leastPatchReach  = 5 // pixels from the center to the nearer side
)

// learnPatch learns the pixels of the region on every useful level. contrast is the
// deviation of the gray values on the full picture; nothing is to be found without.
func learnPatch(ref *raster.Gray, region raster.Region) (m *patchModel, contrast float64) {
	m = &patchModel{center: region.Center()}
	x0, y0, x1, y1 := region.Bounds(raster.Identity())
	reach := min(x1-x0, y1-y0) / 2
	g := ref
	for k := 0; k < mostLevels; k++ {
		scale := 1 / float64(int(1)<<k)
		if k > 0 {
			if float64(reach*scale) < leastPatchReach {
				break
			}
			g = g.Half(new(raster.Gray))
		}
		l := learnPatchLevel(g, region, m.center, scale)
		if k > 0 && len(l.texels) < fewestTexels {
			break
		}
		m.levels = append(m.levels, l)
	}
	top := len(m.levels) - 1
	scale := 1 / float64(int(1)<<top)
	l := &m.levels[top]
	l.reach = max(3, int(float64(reach*scale)))
	l.weigh(levelOf(ref, top), float64(m.center.X*scale), float64(m.center.Y*scale))
	return m, m.levels[0].dev
}

// levelOf halves g k times.
func levelOf(g *raster.Gray, k int) *raster.Gray {
	for range k {
		g = g.Half(new(raster.Gray))
	}
	return g
}

func learnPatchLevel(g *raster.Gray, region raster.Region, center raster.Point, scale float64) patchLevel {
	most := float64(mostTexels)
	if scale < 1 {
		most = mostUpperTexels
	}
	var l patchLevel
	spans := region.SpansInto(nil, raster.Transform{A: scale}, g.W, g.H)
	cx, cy := float64(center.X*scale), float64(center.Y*scale)
	// Every so many pixels of every so many rows, so that they lie evenly.
	step := max(1, int(math.Sqrt(float64(spans.Pixels())/most)+0.999))
	for _, s := range spans {
		y := int(s.Y)
		if y%step != 0 || y < 1 || y >= g.H-1 {
			continue
		}
		for x := (int(s.X0) + step - 1) / step * step; x < int(s.X1); x += step {
			if x < 1 || x >= g.W-1 {
				continue
			}
			o := y*g.Stride + x
			l.texels = append(l.texels, texel{
				float64(x) + 0.5 - cx, float64(y) + 0.5 - cy, float64(g.Pix[o]),
				(float64(g.Pix[o+1]) - float64(g.Pix[o-1])) / 2, (float64(g.Pix[o+g.Stride]) - float64(g.Pix[o-g.Stride])) / 2,
			})
		}
	}
	n := float64(max(len(l.texels), 1))
	for _, t := range l.texels {
		l.mean += t.tone / n
		l.radius = max(l.radius, raster.Hypot(t.x, t.y))
	}
	for _, t := range l.texels {
		l.dev += float64((t.tone-l.mean)*(t.tone-l.mean)) / n
	}
	l.dev = math.Sqrt(l.dev)
	return l
}

// weigh prepares the level where the search starts: at most mostCoarseTexels of its
// pixels, with their normalized values on the reference.
func (l *patchLevel) weigh(g *raster.Gray, cx, cy float64) {
	if n := len(l.texels); n > mostCoarseTexels {
		few := make([]texel, 0, mostCoarseTexels)
		for i := range mostCoarseTexels {
			few = append(few, l.texels[i*n/mostCoarseTexels])
		}
		l.texels = few
	}
	var nm normalizer
	plane := nm.normalize(g, l.reach, 0)
	for _, t := range l.texels {
		w := plane[int(t.y+cy)*g.W+int(t.x+cx)]
		l.weights = append(l.weights, w)
		l.energy += int(w) * int(w)
	}
	if len(l.weights)%2 != 0 {
		l.weights = append(l.weights, 0)
	}
}

// normalizer makes pictures independent of light and contrast. It keeps its memory.
type normalizer struct {
	plane []int16
	means raster.Means
	pow   raster.Means
	sq    raster.Gray
}

// Normalized values: this many for one deviation, at most three deviations. A deviation
// below leastDev gray values is noise and stays small.
const (
	perDeviation = 40
	leastDev     = 3
)

// normalize returns for each pixel how far it lies above the mean of the box reach
// pixels to all sides, in deviations of that box, with a rim of pad zeros all round.
func (n *normalizer) normalize(g *raster.Gray, reach, pad int) []int16 {
	stride, rows := g.W+2*pad, g.H+2*pad
	size := stride*rows + 64 // whole blocks of places may look beyond the last row
	if cap(n.plane) < size {
		n.plane = make([]int16, size)
	}
	n.plane = n.plane[:size]
	clear(n.plane)
	n.means.Of(g, reach)
	// Squares in eight bits are too coarse for what is dim: differences from the mean of
	// the picture are small numbers, and their squares are summed exactly.
	n.sq.Resize(g.W, g.H)
	for y := range g.H {
		n.means.Next()
		row, sq := g.Row(y), n.sq.Row(y)
		for x, v := range row {
			sum, count := n.means.Box(x)
			d := int(v) - int(sum)/count
			sq[x] = uint8(min(max(d, -d), 255))
		}
	}
	n.means.Of(g, reach)
	n.pow.Of(&n.sq, reach)
	for y := range g.H {
		n.means.Next()
		n.pow.Next()
		row := g.Row(y)
		out := n.plane[(y+pad)*stride+pad:]
		for x, v := range row {
			sum, count := n.means.Box(x)
			away, _ := n.pow.Box(x)
			// The mean absolute deviation, 4/5 of the standard one.
			dev := max(int(away), leastDev*count)
			d := (int(v)*count - int(sum)) * (perDeviation * 4 / 5) / dev
			out[x] = int16(min(max(d, -3*perDeviation), 3*perDeviation))
		}
	}
	return n.plane
}

// correlator is the first look of a patch over all places. It keeps its memory.
type correlator struct {
	normalizer
	offs []int32
	sums []int32
	hits []hit
	best coarse // picks hits
}

// look correlates the patch at every place of where and every orientation and returns
// the best most of the places that reach least (0…1), best first, apart from each other.
func (c *correlator) look(g *raster.Gray, l *patchLevel, tries []turnAndSize, where box, least float64, most int) []hit {
	c.hits = c.hits[:0]
	if l.energy == 0 {
		return nil
	}
	grow := 1.0
	for _, t := range tries {
		grow = max(grow, t.size)
	}
	pad := int(math.Ceil(float64(l.radius*grow))) + 2
	plane := c.normalize(g, int(float64(float64(l.reach)*grow)), pad)
	stride := g.W + 2*pad
	for i, t := range tries {
		c.lookTurned(plane, stride, pad, l, t, int16(i), where, least)
	}
	c.best.hits = c.hits
	return c.best.best(tries, most)
}

func (c *correlator) lookTurned(plane []int16, stride, pad int, l *patchLevel, t turnAndSize, turn int16, where box, least float64) {
	sin, cos := raster.SinCos(t.angle)
	c.offs = c.offs[:0]
	for i := range l.weights {
		q := &l.texels[min(i, len(l.texels)-1)]
		dx := int(math.Floor(float64(t.size*(float64(cos*q.x)-float64(sin*q.y))) + 0.5))
		dy := int(math.Floor(float64(t.size*(float64(sin*q.x)+float64(cos*q.y))) + 0.5))
		c.offs = append(c.offs, int32((pad+dy)*stride+pad+dx))
	}
	n := where.x1 - where.x0
	if n <= 0 {
		return
	}
	wide := (n + 15) &^ 15
	if cap(c.sums) < wide {
		c.sums = make([]int32, wide)
	}
	sums := c.sums[:wide]
	threshold := int32(float64(least * float64(l.energy)))
	for y := where.y0; y < where.y1; y++ {
		from := y*stride + where.x0
		raster.DotShifted(sums, plane[from:], c.offs, l.weights)
		for x := range n {
			v := sums[x]
			if v < threshold || x > 0 && sums[x-1] > v || x+1 < n && sums[x+1] >= v {
				continue
			}
			score := uint8(min(200*int(v)/l.energy, 255))
			c.hits = append(c.hits, hit{int32(x + where.x0), int32(y), turn, score})
		}
	}
	if len(c.hits) > mostHits {
		slices.SortStableFunc(c.hits, func(a, b hit) int { return cmp.Compare(b.score, a.score) })
		c.hits = c.hits[:mostHits/2]
	}
}

// fitter aligns patches. It keeps its memory.
type fitter struct {
	values, rest []float64
}

// fit moves the pose so that the patch and what is seen agree but for gain and offset of
// the light: the inverse compositional method of Lucas and Kanade (Baker and Matthews,
// "Lucas-Kanade 20 years on", IJCV 56, 2004), with the weights of Tukey's biweight, so
// that what covers the patch does not pull it.
func (f *fitter) fit(l *patchLevel, g *raster.Gray, p pose, rounds int, turn bool) pose {
	n := 4
	if turn {
		n = 5
	}
	for range rounds {
		f.sample(l, g, p)
		gain, offset, ok := f.light(l)
		if !ok {
			return p
		}
		width := 0.0
		seen := 0
		f.rest = f.rest[:0]
		for i, v := range f.values {
			r := 0.0
			if v >= 0 {
				r = v - offset - float64(gain*l.texels[i].tone)
				width += math.Abs(r)
				seen++
			}
			f.rest = append(f.rest, r)
		}
		width = float64(3*width)/float64(seen) + 2
		var a [5][5]float64
		var b [5]float64
		for i, v := range f.values {
			u := f.rest[i] / width
			if v < 0 || u <= -1 || u >= 1 {
				continue
			}
			w := 1 - float64(u*u)
			w = float64(w * w)
			t := &l.texels[i]
			row := [5]float64{1, t.tone, float64(gain * t.gx), float64(gain * t.gy), float64(gain * (float64(t.x*t.gy) - float64(t.y*t.gx)))}
			for k := range n {
				wk := float64(w * row[k])
				for m := range k + 1 {
					a[k][m] += float64(wk * row[m])
				}
				b[k] += float64(wk * v)
			}
		}
		x, ok := cholesky(&a, &b, n, 1e-9)
		if !ok {
			return p
		}
		// What lies at the taught place o + δ is seen at o: the pose moves back by δ.
		dx, dy, da := x[2], x[3], float64(x[4]*(180/math.Pi))
		limit := min(1, 2/max(raster.Hypot(dx, dy), 1e-9))
		dx, dy = float64(dx*limit), float64(dy*limit)
		p.angle -= min(max(da, -5), 5)
		s, c := raster.SinCos(p.angle)
		p.x -= float64(p.size * (float64(c*dx) - float64(s*dy)))
		p.y -= float64(p.size * (float64(s*dx) + float64(c*dy)))
		if max(math.Abs(dx), math.Abs(dy), math.Abs(float64(x[4]*l.radius))) < 0.003 {
			break
		}
	}
	return p
}

// sample fills values with what is seen where the pose puts the texels, -1 outside.
func (f *fitter) sample(l *patchLevel, g *raster.Gray, p pose) {
	f.values = f.values[:0]
	s, c := raster.SinCos(p.angle)
	s, c = float64(s*p.size), float64(c*p.size)
	for i := range l.texels {
		t := &l.texels[i]
		x := p.x + float64(c*t.x) - float64(s*t.y)
		y := p.y + float64(s*t.x) + float64(c*t.y)
		v := -1.0
		if g.Inside(x, y) {
			v = g.Between(x, y)
		}
		f.values = append(f.values, v)
	}
}

// toneSums are sums over the texels that are seen: of their taught tones t and of what
// is seen of them, v.
type toneSums struct{ n, st, sv, stt, stv, svv float64 }

func (f *fitter) sums(l *patchLevel) (a toneSums) {
	for i, v := range f.values {
		if v < 0 {
			continue
		}
		t := l.texels[i].tone
		a.n++
		a.sv += v
		a.st += t
		a.stt += float64(t * t)
		a.stv += float64(t * v)
		a.svv += float64(v * v)
	}
	return a
}

// light fits gain and offset of the light to the sampled values; ok is false where
// less than half of the patch is seen or nothing agrees.
func (f *fitter) light(l *patchLevel) (gain, offset float64, ok bool) {
	a := f.sums(l)
	if 2*a.n < float64(len(f.values)) {
		return 0, 0, false
	}
	d := float64(a.n*a.stt) - float64(a.st*a.st)
	if !(d > 0) {
		return 0, 0, false
	}
	gain = (float64(a.n*a.stv) - float64(a.st*a.sv)) / d
	return gain, (a.sv - float64(gain*a.st)) / a.n, gain > 0.05
}

// score returns the normalized correlation of the patch at the pose, 0…1, times the
// share of it that lies in the picture.
func (f *fitter) score(l *patchLevel, g *raster.Gray, p pose) float64 {
	f.sample(l, g, p)
	a := f.sums(l)
	if a.n < 2 {
		return 0
	}
	dt, dv := float64(a.n*a.stt)-float64(a.st*a.st), float64(a.n*a.svv)-float64(a.sv*a.sv)
	// Less than a deviation of one gray value is a plain surface and its rounding.
	if !(dt > 0) || dv < float64(a.n*a.n) {
		return 0
	}
	r := (float64(a.n*a.stv) - float64(a.st*a.sv)) / math.Sqrt(float64(dt*dv))
	return float64(max(0, min(r, 1)) * a.n / float64(len(f.values)))
}
