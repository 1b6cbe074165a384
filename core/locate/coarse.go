package locate

import (
	"cmp"
	"math"
	"slices"

	"ricetta/core/raster"
)

// agreement is what a taught direction scores where the nearest seen one lies 0, 1,
// 2, … sectors away: a cosine in quarters, steeper so that clutter adds up to less.
var agreement = [sectors/2 + 1]uint8{4, 3, 1}

// agreeing[s][h][b] is the best agreement of sector s with the sectors whose bits
// are set in b, the low (h = 0) or high (h = 1) byte of a set of sectors.
var agreeing = func() (t [sectors][2][256]uint8) {
	for s := range sectors {
		for seen := range sectors {
			d := (s - seen + sectors) % sectors
			a := agreement[min(d, sectors-d)]
			for b := range 256 {
				if b>>(seen%8)&1 != 0 {
					t[s][seen/8][b] = max(t[s][seen/8][b], a)
				}
			}
		}
	}
	return t
}()

// hit is a place, turn and size that the coarse look proposes.
type hit struct {
	x, y  int32 // pixel of the coarse level
	turn  int16 // index into the list of turns
	score uint8
}

// mostHits bounds the memory of a look on a picture full of likely places. When
// there are more, the weaker ones are dropped.
const mostHits = 4096

// coarse is the first look over all places. It keeps its memory.
type coarse struct {
	seen, wide     []uint16 // sets of sectors, one a pixel
	maps           []uint8  // sectors planes of rows×stride, with a rim of pad zeros
	stride, rows   int
	pad, planeSize int
	offs           []int32
	sums           []uint8
	hits, sorted   []hit
}

// turnAndSize is one orientation that the coarse look tries.
type turnAndSize struct{ angle, size float64 }

// orientations lists what the look must try so that the farthest point is never
// off by more than about a pixel from one to the next.
func orientations(radius, center, turn, least, most float64) []turnAndSize {
	sizes := []float64{least}
	if most > least {
		n := int(math.Ceil((most - least) * radius / 1.6))
		sizes = sizes[:0]
		for i := range n + 1 {
			sizes = append(sizes, least+float64((most-least)*float64(i))/float64(n))
		}
	}
	step := float64(1.5 / radius * (180 / math.Pi))
	n := int(math.Ceil(2 * turn / step))
	count := n + 1
	if turn >= 180 {
		count = n // the last would be the first again
	}
	var out []turnAndSize
	for _, s := range sizes {
		for i := range count {
			a := center
			if n > 0 {
				a = center - turn + float64(2*turn*float64(i))/float64(n)
			}
			out = append(out, turnAndSize{a, s})
		}
	}
	return out
}

// respond fills the response maps from the coarse level of the picture.
func (c *coarse) respond(g *raster.Gray, floor float64, signed bool, pad int) {
	w, h := g.W, g.H
	n := w * h
	if cap(c.seen) < n {
		c.seen, c.wide = make([]uint16, n), make([]uint16, n)
	}
	c.seen, c.wide = c.seen[:n], c.wide[:n]
	clear(c.seen)
	least := int(floor * floor)
	for y := 1; y < h-1; y++ {
		row := c.seen[y*w : y*w+w]
		for x := 1; x < w-1; x++ {
			gx, gy := g.Sobel(x, y)
			if gx*gx+gy*gy < least {
				continue
			}
			s := sector(gx, gy)
			row[x] = 1 << s
			if !signed {
				row[x] |= 1 << (s ^ 8)
			}
		}
	}
	spreadSectors(c.wide, c.seen, w, h)

	rows, stride := h+2*pad, w+2*pad
	if c.stride != stride || c.rows != rows || c.pad != pad {
		// The rim stays zero from here on; only the inside is rewritten.
		c.stride, c.rows, c.pad, c.planeSize = stride, rows, pad, stride*rows
		size := sectors*c.planeSize + 2*stride + 128
		if cap(c.maps) < size {
			c.maps = make([]uint8, size)
		}
		c.maps = c.maps[:size]
		clear(c.maps)
	}
	for s := range sectors {
		low, high := &agreeing[s][0], &agreeing[s][1]
		for y := range h {
			o := s*c.planeSize + (y+pad)*stride + pad
			dst, src := c.maps[o:o+w], c.seen[y*w:y*w+w]
			for x, set := range src {
				dst[x] = max(low[set&255], high[set>>8])
			}
		}
	}
}

// spreadSectors gives every pixel the directions of its eight neighbors as well.
// The result is in seen; wide is scratch.
func spreadSectors(wide, seen []uint16, w, h int) {
	for y := range h {
		src, dst := seen[y*w:y*w+w], wide[y*w:y*w+w]
		for x := 1; x < w-1; x++ {
			dst[x] = src[x-1] | src[x] | src[x+1]
		}
		dst[0], dst[w-1] = src[0]|src[min(1, w-1)], src[w-1]|src[max(0, w-2)]
	}
	for y := range h {
		up, mid, down := wide[max(0, y-1)*w:], wide[y*w:], wide[min(h-1, y+1)*w:]
		dst := seen[y*w : y*w+w]
		for x := range dst {
			dst[x] = up[x] | mid[x] | down[x]
		}
	}
}

// box is a range of pixels, ends excluded.
type box struct{ x0, y0, x1, y1 int }

// look scores the points at every place of where and every orientation and returns
// the best most of the places that reach least (0…1), best first, apart from each
// other in place or turn.
func (c *coarse) look(g *raster.Gray, l *level, tries []turnAndSize, where box, signed bool, least float64, most int) []hit {
	grow := 1.0
	for _, t := range tries {
		grow = max(grow, t.size)
	}
	c.respond(g, l.floor, signed, int(math.Ceil(float64(l.radius*grow)))+2)
	full := 4 * len(l.points)
	threshold := uint8(max(1, min(255, math.Ceil(float64(least*float64(full))))))
	c.hits = c.hits[:0]
	for i, t := range tries {
		threshold = c.lookTurned(g, l, t, int16(i), where, threshold)
	}
	return c.best(tries, most)
}

func (c *coarse) lookTurned(g *raster.Gray, l *level, t turnAndSize, turn int16, where box, threshold uint8) uint8 {
	sin, cos := raster.SinCos(t.angle)
	c.offs = c.offs[:0]
	x0, y0, x1, y1 := math.Inf(1), math.Inf(1), math.Inf(-1), math.Inf(-1)
	for i := range l.points {
		q := &l.points[i]
		rx := float64(t.size * (float64(cos*q.x) - float64(sin*q.y)))
		ry := float64(t.size * (float64(sin*q.x) + float64(cos*q.y)))
		nx, ny := float64(cos*q.nx)-float64(sin*q.ny), float64(sin*q.nx)+float64(cos*q.ny)
		s := sector(int(nx*4096), int(ny*4096))
		dx, dy := int(math.Floor(rx+0.5)), int(math.Floor(ry+0.5))
		c.offs = append(c.offs, int32(s*c.planeSize+(c.pad+dy)*c.stride+c.pad+dx))
		x0, x1 = min(x0, rx), max(x1, rx)
		y0, y1 = min(y0, ry), max(y1, ry)
	}
	// At most two fifths of the outline may hang out of the picture at any side.
	where.x0 = max(where.x0, int(-x0-float64(0.4*(x1-x0))))
	where.y0 = max(where.y0, int(-y0-float64(0.4*(y1-y0))))
	where.x1 = min(where.x1, g.W-int(x1-float64(0.4*(x1-x0))))
	where.y1 = min(where.y1, g.H-int(y1-float64(0.4*(y1-y0))))
	n := where.x1 - where.x0
	if n <= 0 {
		return threshold
	}
	wide := (n + 31) &^ 31
	if cap(c.sums) < wide+64 {
		c.sums = make([]uint8, wide+64)
	}
	sums := c.sums[:wide]
	for y := where.y0; y < where.y1; y++ {
		if !raster.SumShifted(sums, c.maps[y*c.stride+where.x0:], c.offs, threshold) {
			continue
		}
		for x := range n {
			v := sums[x]
			if v < threshold || x > 0 && sums[x-1] > v || x+1 < n && sums[x+1] >= v {
				continue
			}
			c.hits = append(c.hits, hit{int32(x + where.x0), int32(y), turn, v})
		}
		if len(c.hits) > mostHits {
			threshold = c.dropWeak()
		}
	}
	return threshold
}

// dropWeak keeps the better half of the hits at most and returns the score that
// later ones must reach.
func (c *coarse) dropWeak() uint8 {
	var counts [256]int
	for _, h := range c.hits {
		counts[h.score]++
	}
	threshold, n := 255, 0
	for ; threshold > 1 && n+counts[threshold] <= mostHits/2; threshold-- {
		n += counts[threshold]
	}
	threshold++
	c.hits = slices.DeleteFunc(c.hits, func(h hit) bool { return int(h.score) < threshold })
	return uint8(min(threshold, 255))
}

// best picks hits by score, leaving out those beside a better one.
func (c *coarse) best(tries []turnAndSize, most int) []hit {
	slices.SortFunc(c.hits, func(a, b hit) int { // a total order: equal scores in the order of looking
		if a.score != b.score {
			return int(b.score) - int(a.score)
		}
		return cmp.Or(int(a.turn)-int(b.turn), int(a.y-b.y), int(a.x-b.x))
	})
	c.sorted = c.sorted[:0]
	turnStep := 360.0
	if len(tries) > 1 {
		turnStep = math.Abs(tries[1].angle - tries[0].angle)
	}
next:
	for _, h := range c.hits {
		for _, k := range c.sorted {
			turned := math.Abs(raster.WrapAngle(tries[h.turn].angle - tries[k.turn].angle))
			if dx, dy := h.x-k.x, h.y-k.y; dx*dx+dy*dy <= 9 && turned <= float64(2.5*turnStep) {
				continue next
			}
		}
		c.sorted = append(c.sorted, h)
		if len(c.sorted) == most {
			break
		}
	}
	return c.sorted
}
