package symbol

import (
	"math"

	"ricetta/core/raster"
)

// blockSize is the side of the squares whose texture is measured, in pixels.
const blockSize = 16

const (
	leastEnergy = 60  // of a block: mean squared difference over two pixels
	striping    = 0.5 // coherence from which a block is taken for bars
	alike       = 0.7 // of two blocks' directions: cosine of the doubled angle
)

// block is the texture of a square: the structure tensor of its gradients (Bigün and
// Granlund 1987).
type block struct {
	xx, yy, xy int64
	n          int64 // pixels looked at
	marked     bool  // it belongs to a part already
}

// energy is the mean square of the gradient.
func (b *block) energy() int64 {
	if b.n == 0 {
		return 0
	}
	return (b.xx + b.yy) / b.n
}

// direction is the doubled angle of its gradients as a vector no longer than 1; the length is
// the coherence: 1 for bars, near 0 for noise and for what runs both ways.
func (b *block) direction() (c, s float64) {
	t := float64(b.xx + b.yy)
	if t == 0 {
		return 0, 0
	}
	return float64(b.xx-b.yy) / t, float64(2*b.xy) / t
}

// blocks is the texture of a part of a picture.
type blocks struct {
	x0, y0 int // of the part
	w, h   int // in blocks
	all    []block
	queue  []int
	out    []stripes
}

// measure fills the blocks. Every other row tells enough.
func (t *blocks) measure(g *raster.Gray, x0, y0, x1, y1 int) {
	t.x0, t.y0 = x0, y0
	t.w, t.h = (x1-x0+blockSize-1)/blockSize, (y1-y0+blockSize-1)/blockSize
	t.all = grown(t.all, t.w*t.h)
	clear(t.all)
	for y := max(y0, 1); y < min(y1, g.H-1); y += 2 {
		row := t.all[(y-y0)/blockSize*t.w:]
		up, here, down := g.Row(y-1), g.Row(y), g.Row(y+1)
		for bx := range t.w {
			from, to := max(x0+bx*blockSize, 1), min(x0+(bx+1)*blockSize, x1, g.W-1)
			if from >= to {
				continue
			}
			l, r, u, d := here[from-1:to-1], here[from+1:to+1], up[from:to], down[from:to]
			r, u, d = r[:len(l)], u[:len(l)], d[:len(l)] // so that none is checked below
			var xx, yy, xy int32
			for i := range l {
				gx, gy := int32(r[i])-int32(l[i]), int32(d[i])-int32(u[i])
				xx += gx * gx
				yy += gy * gy
				xy += gx * gy
			}
			b := &row[bx]
			b.xx += int64(xx)
			b.yy += int64(yy)
			b.xy += int64(xy)
			b.n += int64(to - from)
		}
	}
}

// strongest is the energy of the strongest blocks, but for the few very strongest, which could
// be a reflection.
func (t *blocks) strongest() int64 {
	var top [6]int64 // greatest first
	for i := range t.all {
		e := t.all[i].energy()
		for k := range top {
			if e > top[k] {
				e, top[k] = top[k], e
			}
		}
	}
	return top[len(top)-1]
}

// stripes is a part of the picture with bars side by side.
type stripes struct {
	center raster.Point
	// dx, dy run across the bars, one pixel long; along is how far the part reaches that way
	// to either side of the center, across how far along the bars.
	dx, dy        float64
	along, across float64
}

// gather puts into the queue the blocks that are joined to a first one through neighbors. each
// is called for every block of the queue, and then joins for those of its neighbors that are
// not marked yet.
func (t *blocks) gather(first int, each func(k int, b *block), joins func(b *block) bool) {
	t.all[first].marked = true
	t.queue = append(t.queue[:0], first)
	for at := 0; at < len(t.queue); at++ {
		k := t.queue[at]
		each(k, &t.all[k])
		x, y := k%t.w, k/t.w
		for ny := max(y-1, 0); ny <= min(y+1, t.h-1); ny++ {
			for nx := max(x-1, 0); nx <= min(x+1, t.w-1); nx++ {
				if n := &t.all[ny*t.w+nx]; !n.marked && joins(n) {
					n.marked = true
					t.queue = append(t.queue, ny*t.w+nx)
				}
			}
		}
	}
}

// unmark lets all blocks be gathered once more.
func (t *blocks) unmark() {
	for i := range t.all {
		t.all[i].marked = false
	}
}

// striped returns the parts that look like bars, whose edges are at least that strong.
func (t *blocks) striped(least int64) []stripes {
	t.out = t.out[:0]
	t.unmark()
	for i := range t.all {
		if b := &t.all[i]; b.marked || !t.barred(b, least) {
			continue
		}
		var sum block
		var c0, s0 float64
		t.gather(i, func(_ int, b *block) {
			sum.xx += b.xx
			sum.yy += b.yy
			sum.xy += b.xy
			c0, s0 = sum.direction()
		}, func(b *block) bool {
			if !t.barred(b, least) {
				return false
			}
			c, s := b.direction()
			return float64(c*c0)+float64(s*s0) >= alike*float64(raster.Hypot(c0, s0)*raster.Hypot(c, s))
		})
		if len(t.queue) < 3 {
			continue
		}
		if s, ok := t.stripesOf(sum); ok {
			t.out = append(t.out, s)
		}
	}
	return t.out
}

func (t *blocks) barred(b *block, least int64) bool {
	if b.energy() < least {
		return false
	}
	c, s := b.direction()
	return float64(c*c)+float64(s*s) > striping*striping
}

// stripesOf measures the part that the queue holds.
func (t *blocks) stripesOf(sum block) (stripes, bool) {
	c, s := sum.direction()
	angle := raster.Atan2(s, c) / 2
	sin, cos := raster.SinCos(angle)
	var out stripes
	out.dx, out.dy = cos, sin
	const half = blockSize / 2
	lo, hi := [2]float64{math.Inf(1), math.Inf(1)}, [2]float64{math.Inf(-1), math.Inf(-1)}
	for _, k := range t.queue {
		x, y := float64(t.x0+k%t.w*blockSize+half), float64(t.y0+k/t.w*blockSize+half)
		u, v := float64(x*cos)+float64(y*sin), float64(y*cos)-float64(x*sin)
		lo[0], hi[0], lo[1], hi[1] = min(lo[0], u), max(hi[0], u), min(lo[1], v), max(hi[1], v)
	}
	u, v := (lo[0]+hi[0])/2, (lo[1]+hi[1])/2
	out.center = raster.Point{X: float64(u*cos) - float64(v*sin), Y: float64(u*sin) + float64(v*cos)}
	out.along, out.across = (hi[0]-lo[0])/2+half, (hi[1]-lo[1])/2+half
	return out, out.along >= 20
}
