package symbol

import (
	"math"
	"slices"

	"ricetta/core/raster"
)

// dotted makes a code of dots that do not touch (ink jet, dot peening) one whose modules do:
// dots as large as half the gap between them more. A Data Matrix is found by its solid L, which
// such a print has only then.
type dotted struct {
	specks specks
	area   []int
	mid    [][2]int // of dots, in halves of pixels
	near   []int
	grown  raster.Gray
	row    []uint8
	tones  tones
}

const (
	leastDots  = 10        // a code of 10×10 modules has some fifty, of which most may touch
	mostDots   = 600       // of which the distances are looked at
	mostPatch  = 500 * 500 // pixels of a part that is looked at so: it takes its time
	mostGapDot = 3         // pitch of the dots, in their diameters
)

// read appends the Data Matrix codes of a patch that are made of dots.
func (d *dotted) read(out []Symbol, g *raster.Gray, t *tones, m *matrixReader) []Symbol {
	if t.w*t.h > mostPatch {
		return out
	}
	for _, inverse := range [2]bool{false, true} {
		before := len(out)
		gap := d.gap(t, inverse)
		if gap == 0 {
			continue
		}
		// More where dots are smaller than they seem, less where that joins too much.
		for by := gap + 1; by > 0 && len(out) == before; by-- {
			d.grow(g, t.patch, by, inverse)
			d.tones.measure(&d.grown, patch{x1: d.grown.W, y1: d.grown.H})
			out = m.read(out, &d.grown, &d.tones)
		}
		for i := before; i < len(out); i++ {
			for c := range out[i].Corners {
				out[i].Corners[c].X += float64(t.patch.x0)
				out[i].Corners[c].Y += float64(t.patch.y0)
			}
		}
		if len(out) > before {
			break
		}
	}
	return out
}

// gap is by how many pixels dots of one tone must grow to touch their neighbors; 0 where there
// are not many alike, or where they lie too far apart.
func (d *dotted) gap(t *tones, inverse bool) int {
	tone := uint8(darker)
	if inverse {
		tone = lighter
	}
	d.specks.find(t, tone)
	d.area = d.area[:0]
	for i := range d.specks.all {
		if a := d.specks.all[i].area; a >= 3 {
			d.area = append(d.area, a)
		}
	}
	if len(d.area) < leastDots {
		return 0
	}
	slices.Sort(d.area)
	usual := d.area[len(d.area)/2]
	d.mid = d.mid[:0]
	for i := range d.specks.all {
		c := &d.specks.all[i]
		w, h := c.x1-c.x0, c.y1-c.y0
		if 2*c.area < usual || c.area > 2*usual || w > 2*h || h > 2*w {
			continue
		}
		if d.mid = append(d.mid, [2]int{c.x0 + c.x1, c.y0 + c.y1}); len(d.mid) == mostDots {
			break
		}
	}
	if len(d.mid) < leastDots {
		return 0
	}
	d.near = d.near[:0]
	for i, p := range d.mid {
		best := math.MaxInt
		for j, q := range d.mid {
			if dx, dy := p[0]-q[0], p[1]-q[1]; i != j && dx*dx+dy*dy < best {
				best = dx*dx + dy*dy
			}
		}
		d.near = append(d.near, best)
	}
	slices.Sort(d.near)
	pitch := math.Sqrt(float64(d.near[len(d.near)/2])) / 2
	wide := math.Sqrt(float64(float64(usual) * (4 / math.Pi)))
	if pitch > mostGapDot*wide {
		return 0
	}
	return max(int(math.Ceil((pitch-wide)/2+0.25)), 1)
}

// grow takes of a patch the darkest, or lightest, pixel within so many to each side.
func (d *dotted) grow(g *raster.Gray, p patch, by int, inverse bool) {
	w, h := p.x1-p.x0, p.y1-p.y0
	d.grown.Resize(w, h)
	d.row = grown(d.row, max(w, h))
	pick := func(a, b uint8) uint8 { return min(a, b) }
	if inverse {
		pick = func(a, b uint8) uint8 { return max(a, b) }
	}
	for y := range h {
		src := g.Row(p.y0 + y)[p.x0:p.x1]
		to := d.grown.Row(y)
		for x := range to {
			v := src[x]
			for k := max(x-by, 0); k <= min(x+by, w-1); k++ {
				v = pick(v, src[k])
			}
			to[x] = v
		}
	}
	for x := range w {
		col := d.row[:h]
		for y := range col {
			col[y] = d.grown.Pix[y*d.grown.Stride+x]
		}
		for y := range col {
			v := col[y]
			for k := max(y-by, 0); k <= min(y+by, h-1); k++ {
				v = pick(v, col[k])
			}
			d.grown.Pix[y*d.grown.Stride+x] = v
		}
	}
}
