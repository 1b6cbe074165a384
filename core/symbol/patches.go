package symbol

import (
	"slices"

	"ricetta/core/raster"
)

// patch is a part of the picture with much going on, in pixels.
type patch struct{ x0, y0, x1, y1 int }

// busy returns the parts of the picture where a matrix code could lie, the smallest first: the
// blocks with edges that strong which touch each other, and a little more to all sides.
func (t *blocks) busy(least int64, w, h int) []patch {
	t.unmark()
	var out []patch
	strong := func(b *block) bool { return b.energy() >= least }
	for i := range t.all {
		if b := &t.all[i]; b.marked || !strong(b) {
			continue
		}
		x0, y0, x1, y1 := t.w, t.h, 0, 0
		t.gather(i, func(k int, _ *block) {
			x, y := k%t.w, k/t.w
			x0, y0, x1, y1 = min(x0, x), min(y0, y), max(x1, x+1), max(y1, y+1)
		}, strong)
		const more = 12
		p := patch{max(t.x0+x0*blockSize-more, 0), max(t.y0+y0*blockSize-more, 0), min(t.x0+x1*blockSize+more, w), min(t.y0+y1*blockSize+more, h)}
		if p.x1-p.x0 >= 24 && p.y1-p.y0 >= 16 {
			out = append(out, p)
		}
	}
	slices.SortStableFunc(out, func(a, b patch) int { return (a.x1-a.x0)*(a.y1-a.y0) - (b.x1-b.x0)*(b.y1-b.y0) })
	return out
}

// The tones of pixels against their surroundings.
const (
	asAround = iota
	darker
	lighter
	seen // a pixel that was counted already
)

// tones tells for each pixel of a patch whether it is darker or lighter than the mean of its
// surroundings by a part of the patch's contrast.
type tones struct {
	patch patch
	w, h  int
	means raster.Means
	pix   []uint8 // w·h
	work  []uint8 // a copy to mark in
}

func (t *tones) measure(g *raster.Gray, p patch) {
	t.patch, t.w, t.h = p, p.x1-p.x0, p.y1-p.y0
	t.pix, t.work = grown(t.pix, t.w*t.h), grown(t.work, t.w*t.h)
	part := g.Sub(p.x0, p.y0, p.x1, p.y1)
	var h [256]int
	for y := 0; y < t.h; y += 3 {
		row := part.Row(y)
		for x := 0; x < t.w; x += 3 {
			h[row[x]]++
		}
	}
	by := int64(max(4, contrast(&h)/10))
	reach := min(max(min(t.w, t.h)/4, 10), 32)
	t.means.Of(&part, reach)
	for y := range t.h {
		t.means.Next()
		row, out := part.Row(y), t.pix[y*t.w:(y+1)*t.w]
		for x, v := range row {
			sum, n := t.means.Box(x)
			d := int64(v)*int64(n) - int64(sum)
			tone := uint8(asAround)
			if d <= -by*int64(n) {
				tone = darker
			} else if d >= by*int64(n) {
				tone = lighter
			}
			out[x] = tone
		}
	}
}

// contrast is how far the lightest twentieth of the pixels lies above the darkest.
func contrast(h *[256]int) int {
	total := 0
	for _, n := range h {
		total += n
	}
	lo, hi := 0, 255
	for n := h[0]; n < total/20 && lo < 255; n += h[lo] {
		lo++
	}
	for n := h[255]; n < total/20 && hi > 0; n += h[hi] {
		hi--
	}
	return max(hi-lo, 0)
}

// speck is a set of pixels of one tone that touch, also at a corner. Places are those in the
// patch.
type speck struct {
	x0, y0, x1, y1 int
	area           int
	from, to       int // of its pixels in specks.pixels
}

type specks struct {
	pixels []int32 // places in the patch, y·w + x
	all    []speck
}

// find gathers the specks of a tone.
func (s *specks) find(t *tones, tone uint8) {
	s.pixels, s.all = s.pixels[:0], s.all[:0]
	copy(t.work, t.pix)
	work, w := t.work, t.w
	for i, v := range work {
		if v != tone {
			continue
		}
		work[i] = seen
		c := speck{x0: t.w, y0: t.h, from: len(s.pixels)}
		s.pixels = append(s.pixels, int32(i))
		for at := c.from; at < len(s.pixels); at++ {
			k := int(s.pixels[at])
			x, y := k%w, k/w
			c.x0, c.y0, c.x1, c.y1 = min(c.x0, x), min(c.y0, y), max(c.x1, x+1), max(c.y1, y+1)
			l, r := max(x-1, 0)-x, min(x+1, w-1)-x
			for row := max(y-1, 0); row <= min(y+1, t.h-1); row++ {
				o := row*w + x
				for j := o + l; j <= o+r; j++ {
					if work[j] == tone {
						work[j] = seen
						s.pixels = append(s.pixels, int32(j))
					}
				}
			}
		}
		c.to = len(s.pixels)
		c.area = c.to - c.from
		s.all = append(s.all, c)
	}
}
