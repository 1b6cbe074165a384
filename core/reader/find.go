package reader

import (
	"math"
	"slices"

	"ricetta/core/raster"
)

// Search says where to look for lines.
type Search struct {
	Region raster.Region
	On     raster.Transform // what the region has moved by
	Turn   float64          // lines lie at most so many degrees from level, as the region does
	Height float64          // of the capitals in pixels, roughly; 0 where unknown
}

// found is a line seen, with how much it stands out.
type found struct {
	Line
	strength float64
}

// finder finds lines by what they have in common: rows full of strokes between rows without.
// The gradient along the row, summed along rows of every angle, has the steepest flanks where
// the angle is that of the lines (after Bloomberg, Kopec and Dasari, Measuring document image
// skew and orientation, 1995, who use black pixels).
type finder struct {
	level     raster.Gray // the region, level
	energy    raster.Gray
	blocks    []uint32 // sums of the energy of so many columns, block by block
	rows      []float64
	best      []float64
	along     []float64
	scale     float64
	toPicture raster.Transform
	inside    []int // rows of the region from and to, of each block
	lines     []found
	taken     []bool
	coarse    float64 // the angle that was found last, or nobody
}

const (
	clearEdge  = 8 // of energy: a stroke of sixteen gray values
	blockWidth = 4
	mostPlaces = 160000 // pixels looked at; larger regions are looked at smaller
)

// find returns the lines of a region, those that stand out most first.
func (f *finder) find(g *raster.Gray, s Search) []found {
	f.lines, f.coarse = f.lines[:0], nobody
	if !f.take(g, s) {
		return nil
	}
	f.edges()
	return f.at(s, nobody)
}

// again looks for lines that lie quite otherwise than those that find has found just before.
func (f *finder) again(s Search) []found {
	if s.Turn <= otherwise || f.coarse == nobody {
		return nil
	}
	return f.at(s, f.coarse)
}

// otherwise is how far another angle is from the first one, in degrees; nobody is an angle that
// no line has.
const otherwise, nobody = 4, 1000

func (f *finder) at(s Search, but float64) []found {
	f.lines = f.lines[:0]
	turn := min(max(s.Turn, 0), 30)
	f.coarse = f.angle(0, turn, 1, 0, f.level.W, but)
	angle := f.angle(f.coarse, 0.75, 0.25, 0, f.level.W, nobody)
	f.bands(angle, s)
	for i := range f.lines {
		f.refine(&f.lines[i], s, turn)
	}
	slices.SortStableFunc(f.lines, func(a, b found) int {
		switch {
		case a.strength > b.strength:
			return -1
		case a.strength < b.strength:
			return 1
		}
		return 0
	})
	return f.lines
}

// take samples the region so that its own turn is level.
func (f *finder) take(g *raster.Gray, s Search) bool {
	frame := s.On
	turn := s.Region.Turn
	center := s.Region.Center()
	if turn != 0 {
		frame = raster.Moving(center, raster.Pose{X: center.X, Y: center.Y, Angle: turn, Size: 1}).Then(s.On)
	}
	shape := s.Region.Shape
	shape.Turn = 0
	x0, y0, x1, y1 := shape.Bounds(raster.Identity())
	size := frame.Size()
	w, h := float64((x1-x0)*size), float64((y1-y0)*size)
	if w < 8 || h < 6 || !frame.Finite() {
		return false
	}
	f.scale = 1
	if s.Height > 28 {
		f.scale = s.Height / 20
	}
	if w*h > mostPlaces*float64(f.scale*f.scale) {
		f.scale = math.Sqrt(float64(w*h) / mostPlaces)
	}
	f.level.Resize(int(w/f.scale), int(h/f.scale))
	step := f.scale / size
	// From the level picture into the picture the region was drawn on, and on with frame.
	f.toPicture = raster.Transform{A: step, X: x0, Y: y0}.Then(frame)
	n := min(int(math.Ceil(f.scale)), 4)
	part := 1 / float64(n)
	t := f.toPicture
	fw, fh := float64(f.level.W), float64(f.level.H)
	a, b := t.Apply(raster.Point{Y: fh / 2}), t.Apply(raster.Point{X: fw, Y: fh / 2})
	tone := tones(g, Line{From: a, To: b}, float64(fh*f.scale)/2+1)
	for y := range f.level.H {
		row := f.level.Row(y)
		for x := range row {
			sum := 0.0
			for j := range n {
				v := float64(y) + float64((float64(j)+0.5)*part)
				for i := range n {
					u := float64(x) + float64((float64(i)+0.5)*part)
					px := float64(t.A*u) - float64(t.B*v) + t.X
					py := float64(t.B*u) + float64(t.A*v) + t.Y
					sum += tone(px, py)
				}
			}
			row[x] = uint8(float64(sum*float64(part*part)) + 0.5)
		}
	}
	return f.level.W >= 8 && f.level.H >= 6
}

// edges fills energy and the sums of its blocks. What is far stronger than the rest, as an
// edge of the ground or a glint, counts no more than a stroke.
func (f *finder) edges() {
	w, h := f.level.W, f.level.H
	f.energy.Resize(w, h)
	var hist [256]int
	for y := range h {
		up, row, low := f.level.Row(max(y-1, 0)), f.level.Row(y), f.level.Row(min(y+1, h-1))
		to := f.energy.Row(y)
		for x := range to {
			a, b := max(x-1, 0), min(x+1, w-1)
			d := int(up[b]) + 2*int(row[b]) + int(low[b]) - int(up[a]) - 2*int(row[a]) - int(low[a])
			v := uint8(min(max(d, -d)/4, 255))
			to[x] = v
			hist[v]++
		}
	}
	// The strongest twenty-fifth all count the same, but no more than a third of what stands out
	// at all: of a short line in a wide region that is less.
	strong := 0
	for _, n := range hist[clearEdge:] {
		strong += n
	}
	most, left := 255, min(w*h/25, strong/3)
	for ; most > 4 && left > 0; most-- {
		left -= hist[most]
	}
	n := (w + blockWidth - 1) / blockWidth
	f.blocks = slices.Grow(f.blocks[:0], n*h)[:n*h]
	clear(f.blocks)
	for y := range h {
		for x, v := range f.energy.Row(y) {
			f.blocks[x/blockWidth*h+y] += uint32(min(int(v), most))
		}
	}
}

// profile sums the energy along rows turned by an angle, per pixel, from column x0 to x1. Rows
// are counted where they cross the middle column of the picture.
func (f *finder) profile(dst []float64, angle float64, x0, x1 int) []float64 {
	h := f.level.H
	dst = slices.Grow(dst[:0], h)[:h]
	clear(dst)
	sin, cos := raster.SinCos(angle)
	slope := sin / cos
	middle := float64(f.level.W) / 2
	count := slices.Grow(f.inside[:0], h+1)[:h+1]
	clear(count)
	f.inside = count
	for b := x0 / blockWidth; b < (x1+blockWidth-1)/blockWidth; b++ {
		shift := int(math.Floor(float64((float64(b*blockWidth+blockWidth/2)-middle)*slope) + 0.5))
		from, to := max(0, -shift), min(h, h-shift)
		if from >= to {
			continue
		}
		col := f.blocks[b*h:]
		for r := from; r < to; r++ {
			dst[r] += float64(col[r+shift])
		}
		count[from]++
		count[to]--
	}
	n := 0
	least := max(1, (x1-x0)/blockWidth/3)
	for r := range dst {
		n += count[r]
		dst[r] /= float64(max(n, least) * blockWidth)
	}
	return dst
}

// angle is the one, around another and so far from it, at which the profile is steepest, but
// none near one that is known not to be it.
func (f *finder) angle(around, reach, step float64, x0, x1 int, but float64) float64 {
	best, at := -1.0, around
	n := int(reach/step + 0.5)
	for i := -n; i <= n; i++ {
		a := around + float64(float64(i)*step)
		if math.Abs(a-but) < otherwise {
			continue
		}
		p := f.profile(f.rows, a, x0, x1)
		f.rows = p
		sum := 0.0
		for r := 2; r < len(p); r++ {
			d := p[r] - p[r-2]
			sum += float64(d * d)
		}
		// Level is what it is where nothing says otherwise.
		sum = float64(sum * (1 - float64(0.002*math.Abs(a))))
		if sum > best {
			best, at = sum, a
		}
	}
	return at
}

// bands finds the rows that are full of strokes, at an angle.
func (f *finder) bands(angle float64, s Search) {
	f.best = f.profile(f.best, angle, 0, f.level.W)
	p := f.best
	smooth(p)
	ground := quantile(&f.rows, p, 0.15)
	f.taken = slices.Grow(f.taken[:0], len(p))[:len(p)]
	clear(f.taken)
	first := 0.0
	for range 12 {
		at, top := -1, 0.0
		for r, v := range p {
			if !f.taken[r] && v > top {
				at, top = r, v
			}
		}
		if at < 0 || top-ground < float64(0.22*first) || top < 1.15*ground || top <= 0.3 {
			return
		}
		if first == 0 {
			first = top - ground
		}
		r0, r1 := f.extent(p, at, ground, 0.3)
		f.mark(r0, r1, true)
		height := float64(r1 - r0)
		if height < 5 || s.Height > 0 && (height*f.scale < 0.45*s.Height || height*f.scale > 2.2*s.Height) {
			continue
		}
		f.lines = append(f.lines, f.lineOf(angle, float64(r0+r1)/2, height, 0, float64(f.level.W), top-ground))
		// Where the ground is full of strokes too, the line is what stands out of that.
		f.mark(r0, r1, false)
		i0, i1 := f.extent(p, at, ground, 0.65)
		f.mark(r0, r1, true)
		if inner := float64(i1 - i0); inner >= 5 && inner < float64(0.6*height) {
			f.lines = append(f.lines, f.lineOf(angle, float64(i0+i1)/2, inner, 0, float64(f.level.W), float64((top-ground)*0.9)))
		}
	}
}

// mark says whether rows belong to a line already.
func (f *finder) mark(r0, r1 int, taken bool) {
	for r := r0; r < r1; r++ {
		f.taken[r] = taken
	}
}

// extent is from which row to which a band goes on around its strongest: until it falls under
// a part of that for two rows.
func (f *finder) extent(p []float64, at int, ground, part float64) (from, to int) {
	limit := ground + float64(part*(p[at]-ground))
	from, to = at, at+1
	for from > 0 && !f.taken[from-1] && (p[from-1] >= limit || from > 1 && p[from-2] >= limit && !f.taken[from-2]) {
		from--
	}
	for to < len(p) && !f.taken[to] && (p[to] >= limit || to+1 < len(p) && p[to+1] >= limit && !f.taken[to+1]) {
		to++
	}
	return from, to
}

// lineOf is a line at an angle whose middle crosses the middle column in a row, from column
// x0 to x1 of the level picture.
func (f *finder) lineOf(angle, row, height, x0, x1, strength float64) found {
	sin, cos := raster.SinCos(angle)
	slope, middle := sin/cos, float64(f.level.W)/2
	place := func(x float64) raster.Point {
		return f.toPicture.Apply(raster.Point{X: x, Y: row + float64((x-middle)*slope)})
	}
	return found{Line{From: place(x0), To: place(x1), Height: float64(height * float64(cos*f.scale))}, strength}
}

// refine looks at a band once more: how far it goes to the left and right, and with only that
// part of the picture, its angle and height.
func (f *finder) refine(l *found, s Search, turn float64) {
	back := f.toPicture.Inverse()
	a, b := back.Apply(l.From), back.Apply(l.To)
	slope := (b.Y - a.Y) / max(b.X-a.X, 1)
	angle := raster.Atan2(b.Y-a.Y, b.X-a.X)
	height := l.Height / f.scale
	for range 2 {
		x0, x1 := f.ends(a, slope, height)
		if x1-x0 < int(height/2) {
			return
		}
		if turn > 0 {
			angle = min(max(f.angle(angle, 1, 0.25, x0, x1, nobody), -turn), turn)
		}
		sin, cos := raster.SinCos(angle)
		slope = sin / cos
		p := f.profile(f.best, angle, x0, x1)
		f.best = p
		smooth(p)
		middle := float64(f.level.W) / 2
		// The band may have moved by what the angle changed.
		row := (a.Y+b.Y)/2 + float64((middle-(a.X+b.X)/2)*slope)
		from, to := int(row-float64(0.6*height)), int(row+float64(0.6*height))+1
		at, top := -1, 0.0
		for r := max(from, 0); r < min(to, len(p)); r++ {
			if p[r] > top {
				at, top = r, p[r]
			}
		}
		if at < 0 {
			return
		}
		clear(f.taken)
		ground := quantile(&f.rows, p, 0.1)
		// Strokes reach to where half of the usual energy is.
		usual := median(&f.rows, p[max(0, at-int(height/3)):min(len(p), at+int(height/3)+1)])
		r0, r1 := f.extent(p, at, ground, float64(0.33*min(1, (usual-ground)/max(top-ground, 1e-9))))
		height = min(max(float64(r1-r0), float64(0.6*height)), float64(1.6*height))
		margin := height / 4
		*l = f.lineOf(angle, float64(r0+r1)/2, height, float64(x0)-margin, float64(x1)+margin, l.strength)
		a, b = back.Apply(l.From), back.Apply(l.To)
	}
}

// ends are the columns between which a band is full of strokes.
func (f *finder) ends(at raster.Point, slope, height float64) (from, to int) {
	n := (f.level.W + blockWidth - 1) / blockWidth
	h := f.level.H
	f.along = slices.Grow(f.along[:0], n)[:n]
	half := max(int(height/2), 2)
	for b := range n {
		y := int(at.Y + float64((float64(b*blockWidth+blockWidth/2)-at.X)*slope))
		sum := 0.0
		for r := max(0, y-half); r < min(h, y+half); r++ {
			sum += float64(f.blocks[b*h+r])
		}
		f.along[b] = sum
	}
	smooth(f.along)
	// Strokes are dense somewhere; how dense the ground is, the quietest part tells.
	high, low := quantile(&f.rows, f.along, 0.85), quantile(&f.rows, f.along, 0.05)
	gap := max(int(3*height)/blockWidth, 2)
	// From the densest part outwards, over gaps no wider than a wide space.
	top := 0
	for b, v := range f.along {
		if v > f.along[top] {
			top = b
		}
	}
	high = max(high, f.along[top]/2) // a short line in a wide region
	limit := low + float64(0.22*(high-low))
	from, to = top, top+1
	for b, free := top, 0; b >= 0 && free <= gap; b-- {
		if f.along[b] >= limit {
			from, free = b, 0
		} else {
			free++
		}
	}
	for b, free := top, 0; b < n && free <= gap; b++ {
		if f.along[b] >= limit {
			to, free = b+1, 0
		} else {
			free++
		}
	}
	return from * blockWidth, min(to*blockWidth, f.level.W)
}

// smooth takes the mean of three.
func smooth(p []float64) {
	was := 0.0
	if len(p) > 0 {
		was = p[0]
	}
	for i := range p {
		next := p[min(i+1, len(p)-1)]
		v := (was + p[i] + next) / 3
		was, p[i] = p[i], v
	}
}

func quantile(room *[]float64, p []float64, part float64) float64 {
	if len(p) == 0 {
		return 0
	}
	s := append((*room)[:0], p...)
	*room = s
	slices.Sort(s)
	return s[min(int(float64(len(s))*part), len(s)-1)]
}

func median(room *[]float64, p []float64) float64 { return quantile(room, p, 0.5) }
