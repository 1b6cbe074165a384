package reader

import (
	"math"

	"ricetta/core/raster"
)

// Line is where a line of text lies in a picture: its middle from its left end to its right
// end as one reads it, and how high its capitals are. All in pixels.
type Line struct {
	From, To raster.Point
	Height   float64
}

// StripHeight is how many rows a strip has.
const StripHeight = 32

const (
	capital      = 18   // rows that a capital takes in it, in its middle
	stripMargin  = 8    // columns before and after the line
	longestStrip = 1024 // columns
	reachStrip   = 28   // columns to either side over which tone and contrast are taken
)

// Strip is a line made level: StripHeight rows of W columns, the ground about 18 and full ink
// about 90 of 127, whatever its light and contrast were.
type Strip struct {
	W   int
	Pix []uint8

	// scale and origin lead from a column back to the place along the line.
	perColumn float64
	line      Line

	raw      []uint16 // tones in sixteenths
	sum, sqr []int64  // of a column
}

// Place is where a column of the strip lies in the picture, on the middle of the line.
func (s *Strip) Place(column float64) raster.Point {
	along := float64((column - stripMargin) * s.perColumn)
	dx, dy := s.line.To.X-s.line.From.X, s.line.To.Y-s.line.From.Y
	n := math.Sqrt(float64(dx*dx) + float64(dy*dy))
	if n == 0 {
		return s.line.From
	}
	return raster.Point{X: s.line.From.X + float64(dx/n*along), Y: s.line.From.Y + float64(dy/n*along)}
}

// Take makes a line of a picture level. Light print on dark ground is taken as its negative.
// A line longer than some 60 times its height is pressed together.
func (s *Strip) Take(g *raster.Gray, l Line, light bool) {
	s.line = l
	dx, dy := l.To.X-l.From.X, l.To.Y-l.From.Y
	n := math.Sqrt(float64(dx*dx) + float64(dy*dy))
	if n > 0 {
		dx, dy = dx/n, dy/n
	} else {
		dx, dy = 1, 0
	}
	across := l.Height / capital
	along := across
	w := int(n/along+0.5) + 2*stripMargin
	if w > longestStrip {
		w = longestStrip
		along = n / (longestStrip - 2*stripMargin)
	}
	s.W, s.perColumn = w, along
	if cap(s.raw) < w*StripHeight {
		s.raw, s.Pix = make([]uint16, w*StripHeight), make([]uint8, w*StripHeight)
		s.sum, s.sqr = make([]int64, w), make([]int64, w)
	}
	s.raw, s.Pix, s.sum, s.sqr = s.raw[:w*StripHeight], s.Pix[:w*StripHeight], s.sum[:w], s.sqr[:w]
	s.sample(g, dx, dy, along, across, light)
	s.level()
}

// sample fills raw: each value the mean of so many places that no pixel under it is left out.
func (s *Strip) sample(g *raster.Gray, dx, dy, along, across float64, light bool) {
	n := min(max(int(math.Ceil(max(along, across))), 1), 6)
	part := 1 / float64(n)
	tone := tones(g, s.line.Longer(float64(across*StripHeight)), float64(across*StripHeight))
	stepX, stepY := float64(dx*along), float64(dy*along)    // of a column
	downX, downY := -float64(dy*across), float64(dx*across) // of a row
	for y := range StripHeight {
		for x := range s.W {
			sum := 0.0
			for j := range n {
				v := float64(y) + float64((float64(j)+0.5)*part) - StripHeight/2
				for i := range n {
					u := float64(x) + float64((float64(i)+0.5)*part) - stripMargin
					px := s.line.From.X + float64(stepX*u) + float64(downX*v)
					py := s.line.From.Y + float64(stepY*u) + float64(downY*v)
					sum += tone(px, py)
				}
			}
			v := uint16(float64(sum*float64(part*part*16)) + 0.5)
			if light {
				v = 255*16 - min(v, 255*16)
			}
			s.raw[y*s.W+x] = v
		}
	}
}

// tones returns what tells the tone at places no farther than that from a line: quicker where
// they all lie in the picture.
func tones(g *raster.Gray, l Line, reach float64) func(x, y float64) float64 {
	x0, x1 := min(l.From.X, l.To.X)-reach, max(l.From.X, l.To.X)+reach
	y0, y1 := min(l.From.Y, l.To.Y)-reach, max(l.From.Y, l.To.Y)+reach
	if g.Inside(x0, y0) && g.Inside(x1, y1) {
		return g.Between
	}
	return func(x, y float64) float64 {
		if g.Inside(x, y) {
			return g.Between(x, y)
		}
		return inside(g, x-0.5, y-0.5)
	}
}

// inside is the tone at a place, that of the nearest border outside of the picture.
func inside(g *raster.Gray, x, y float64) float64 {
	x, y = min(max(x, 0), float64(g.W-1)), min(max(y, 0), float64(g.H-1))
	x0, y0 := int(x), int(y)
	fx, fy := x-float64(x0), y-float64(y0)
	x1, y1 := min(x0+1, g.W-1), min(y0+1, g.H-1)
	a, b := g.Pix[y0*g.Stride:], g.Pix[y1*g.Stride:]
	top := float64(a[x0]) + float64(fx*(float64(a[x1])-float64(a[x0])))
	low := float64(b[x0]) + float64(fx*(float64(b[x1])-float64(b[x0])))
	return top + float64(fy*(low-top))
}

// level makes of raw what the network reads: how much darker than the mean of its
// surroundings a place is, in standard deviations.
func (s *Strip) level() {
	var all, allSqr int64
	for x := range s.W {
		var a, b int64
		for y := range StripHeight {
			v := int64(s.raw[y*s.W+x])
			a += v
			b += v * v
		}
		s.sum[x], s.sqr[x] = a, b
		all += a
		allSqr += b
	}
	variance := func(sum, sqr, n int64) float64 { return float64(sqr*n-sum*sum) / float64(n*n) }
	const least = 24 * 24 // 1.5 gray values
	floor := max(variance(all, allSqr, int64(s.W*StripHeight))/4, least)
	var a, b int64
	for x := range min(reachStrip, s.W) {
		a += s.sum[x]
		b += s.sqr[x]
	}
	for x := range s.W {
		if in := x + reachStrip; in < s.W {
			a += s.sum[in]
			b += s.sqr[in]
		}
		if out := x - reachStrip - 1; out >= 0 {
			a -= s.sum[out]
			b -= s.sqr[out]
		}
		n := int64(min(x+reachStrip, s.W-1)-max(x-reachStrip, 0)+1) * StripHeight
		mean := float64(a) / float64(n)
		gain := 28 / math.Sqrt(max(variance(a, b, n), floor))
		for y := range StripHeight {
			i := y*s.W + x
			v := 32.5 + float64((mean-float64(s.raw[i]))*gain)
			s.Pix[i] = uint8(min(max(v, 0), 127))
		}
	}
}

// Longer is the line with so many pixels more at either end.
func (l Line) Longer(px float64) Line {
	dx, dy := l.To.X-l.From.X, l.To.Y-l.From.Y
	n := max(raster.Hypot(dx, dy), 1e-9)
	ux, uy := float64(dx/n*px), float64(dy/n*px)
	l.From, l.To = raster.Point{X: l.From.X - ux, Y: l.From.Y - uy}, raster.Point{X: l.To.X + ux, Y: l.To.Y + uy}
	return l
}

// turned is the line turned about its middle, degrees clockwise.
func (l Line) turned(deg float64) Line {
	sin, cos := raster.SinCos(deg)
	x, y := (l.To.X-l.From.X)/2, (l.To.Y-l.From.Y)/2
	mx, my := (l.To.X+l.From.X)/2, (l.To.Y+l.From.Y)/2
	dx, dy := float64(x*cos)-float64(y*sin), float64(x*sin)+float64(y*cos)
	l.From, l.To = raster.Point{X: mx - dx, Y: my - dy}, raster.Point{X: mx + dx, Y: my + dy}
	return l
}

// Box is where the characters between two columns lie in the picture, from the upper left
// clockwise as one reads.
func (s *Strip) Box(from, to float64) [4]raster.Point {
	const part = 0.62 // of the height to either side: what rises over a capital, and hangs under it
	dx, dy := s.line.To.X-s.line.From.X, s.line.To.Y-s.line.From.Y
	n := max(raster.Hypot(dx, dy), 1e-9)
	up := raster.Point{X: float64(dy / n * s.line.Height * part), Y: float64(-dx / n * s.line.Height * part)}
	a, b := s.Place(from), s.Place(to)
	return [4]raster.Point{{X: a.X + up.X, Y: a.Y + up.Y}, {X: b.X + up.X, Y: b.Y + up.Y}, {X: b.X - up.X, Y: b.Y - up.Y}, {X: a.X - up.X, Y: a.Y - up.Y}}
}
