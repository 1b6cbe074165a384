package symbol

import (
	"math"

	"ricetta/core/raster"
)

// ISO/IEC 15415: every module is measured through an aperture of eight tenths of a module;
// damage counts by what it leaves of the error correction.

// measured is the reflectances of a matrix code and of one module round it.
type measured struct {
	w, h      int
	value     []float64 // percent, rows of w+2
	threshold float64
	contrast  float64
	inverse   bool
}

func (m *measured) at(x, y int) float64 { return m.value[(y+1)*(m.w+2)+x+1] }

// dark reports how a module is read.
func (m *measured) dark(x, y int) bool { return m.at(x, y) < m.threshold != m.inverse }

// margin is how far a module lies from the threshold, on the side where it should be: its
// modulation, and no more than nothing on the wrong side (7.8.4).
func (m *measured) margin(x, y int, dark bool) float64 {
	d := m.at(x, y) - m.threshold
	if dark != m.inverse {
		d = -d
	}
	return max(2*d/max(m.contrast, 1e-9), 0)
}

func measureModules(g *raster.Gray, s *Symbol, p *plane, ref Reflectance) (*measured, error) {
	m := &measured{w: s.Columns, h: s.Rows, inverse: s.Inverse, value: make([]float64, (s.Columns+2)*(s.Rows+2))}
	lo, hi := math.Inf(1), math.Inf(-1)
	for y := -1; y <= m.h; y++ {
		for x := -1; x <= m.w; x++ {
			sum, n := 0.0, 0.0
			for j := -3; j <= 3; j++ {
				for i := -3; i <= 3; i++ {
					if i*i+j*j > 10 {
						continue // out of the round aperture
					}
					q := p.at((float64(x)+0.5+float64(i)/8)/float64(m.w), (float64(y)+0.5+float64(j)/8)/float64(m.h))
					if !g.Inside(q.X, q.Y) {
						return nil, errNotThere
					}
					sum += g.Between(q.X, q.Y)
					n++
				}
			}
			v := ref.of(sum / n)
			m.value[(y+1)*(m.w+2)+x+1] = v
			lo, hi = min(lo, v), max(hi, v)
		}
	}
	m.contrast, m.threshold = hi-lo, (hi+lo)/2
	return m, nil
}

// word is a codeword: its modules and whether each should be dark.
type word struct {
	places [8][2]int
	dark   [8]bool
}

func gradeMatrix(g *raster.Gray, s *Symbol, ref Reflectance) (Grade, error) {
	corners := s.Corners
	if s.Mirrored {
		corners[1], corners[3] = corners[3], corners[1]
	}
	p := planeOf(corners)
	m, err := measureModules(g, s, &p, ref)
	if err != nil {
		return Grade{}, err
	}
	width := (distance(corners[0], corners[1]) + distance(corners[3], corners[2])) / 2 / float64(s.Columns)
	height := (distance(corners[0], corners[3]) + distance(corners[1], corners[2])) / 2 / float64(s.Rows)
	out := Grade{Module: (width + height) / 2}
	add := func(name, unit string, value, grade float64) {
		out.Parameters = append(out.Parameters, Parameter{name, value, unit, grade})
	}
	words, blocks, fixed, ok := expected(m, s)
	if !ok {
		// With one threshold for all it is not read, as the standard reads it.
		add("decode", "", 0, 0)
		add("symbol contrast", "%", m.contrast, level(m.contrast, contrastLevels))
		return out, nil
	}
	add("decode", "", 1, 4)
	add("symbol contrast", "%", m.contrast, level(m.contrast, contrastLevels))
	// Modulation as read, reflectance margin as it should be, fixed patterns: each level of
	// grade counts as damaged what falls under it, and gets no more than what that leaves.
	least := 1.0
	modulation := make([]float64, len(words))
	reflectance := make([]float64, len(words))
	for i := range words {
		a, b := 4.0, 4.0
		for k, at := range words[i].places {
			read := m.dark(at[0], at[1])
			v := m.margin(at[0], at[1], read)
			least = min(least, v)
			a = min(a, level(v, moduleLevels))
			should := m.margin(at[0], at[1], words[i].dark[k])
			b = min(b, level(should, moduleLevels))
			if gr := level(should, moduleLevels); gr < 2 {
				out.Flaws = append(out.Flaws, Flaw{"reflectance margin", moduleOutline(&p, m, at), gr})
			}
		}
		modulation[i], reflectance[i] = a, b
	}
	add("modulation", "", least, overlaid(blocks, modulation))
	leastMargin := 1.0
	for i := range words {
		for k, at := range words[i].places {
			leastMargin = min(leastMargin, m.margin(at[0], at[1], words[i].dark[k]))
		}
	}
	add("reflectance margin", "", leastMargin, overlaid(blocks, reflectance))
	damaged, damage := fixedDamage(m, fixed)
	for _, at := range damaged {
		out.Flaws = append(out.Flaws, Flaw{"fixed pattern damage", moduleOutline(&p, m, at), damage})
	}
	add("fixed pattern damage", "", float64(len(damaged)), damage)
	axial := math.Abs(width-height) / ((width + height) / 2)
	add("axial nonuniformity", "", axial, under(axial, axialLevels))
	nonuniform := gridOff(&p, corners, s)
	add("grid nonuniformity", "", nonuniform, under(nonuniform, gridLevels))
	unused := 1.0
	for _, b := range blocks {
		unused = min(unused, b.unused(b.wrong))
	}
	add("unused error correction", "", unused, level(unused, unusedLevels))
	out.Overall = 4
	for _, q := range out.Parameters {
		out.Overall = min(out.Overall, q.Grade)
	}
	return out, nil
}

func distance(a, b raster.Point) float64 { return raster.Hypot(b.X-a.X, b.Y-a.Y) }

// unused is the part of the error correction that is left with so many errors (7.8.8).
func (b *bundle) unused(wrong int) float64 {
	room := b.checks - b.guard
	return max(1-float64(2*wrong)/float64(max(room, 1)), 0)
}

// overlaid grades modulation (7.8.4.3): at every level the codewords below it count as errors,
// and the level is worth no more than what error correction they leave; the best one counts.
func overlaid(blocks []bundle, grades []float64) float64 {
	best := 0.0
	for lv := 4.0; lv >= 1; lv-- {
		worst := 4.0
		for _, b := range blocks {
			bad := 0
			for _, w := range b.words {
				if grades[w] < lv {
					bad++
				}
			}
			worst = min(worst, level(b.unused(bad), unusedLevels))
		}
		best = max(best, min(lv, worst))
	}
	return best
}

// moduleOutline is where a module lies in the picture.
func moduleOutline(p *plane, m *measured, at [2]int) []raster.Point {
	w, h := float64(m.w), float64(m.h)
	x, y := float64(at[0]), float64(at[1])
	return []raster.Point{p.at(x/w, y/h), p.at((x+1)/w, y/h), p.at((x+1)/w, (y+1)/h), p.at(x/w, (y+1)/h)}
}

// fixedPart is a part of the finder and timing patterns: its modules, how each should be, and
// which damage of it gets which grade.
type fixedPart struct {
	places [][2]int
	dark   []bool
	levels [4]float64 // most damage for 4, 3, 2, 1
	share  bool       // damage is a share of its modules, not their number
}

func (f *fixedPart) add(x, y int, dark bool) {
	f.places, f.dark = append(f.places, [2]int{x, y}), append(f.dark, dark)
}

// fixedDamage grades the fixed patterns (ISO/IEC 16022 annex M, ISO/IEC 18004 annex G) with
// the overlay of modulation, and returns the modules that are on the wrong side.
func fixedDamage(m *measured, parts []fixedPart) (wrong [][2]int, grade float64) {
	grade = 4
	for i := range parts {
		f := &parts[i]
		best := 0.0
		for lv := 4.0; lv >= 1; lv-- {
			bad := 0.0
			for k, at := range f.places {
				if level(m.margin(at[0], at[1], f.dark[k]), moduleLevels) < lv {
					bad++
				}
			}
			if f.share {
				bad /= float64(len(f.places))
			}
			best = max(best, min(lv, under(bad, f.levels)))
		}
		grade = min(grade, best)
		for k, at := range f.places {
			if m.dark(at[0], at[1]) != f.dark[k] {
				wrong = append(wrong, at)
			}
		}
	}
	return wrong, grade
}

// gridOff is how far, in modules, crossings of the grid lie from an even one through the same
// corners (7.8.7).
func gridOff(p *plane, c [4]raster.Point, s *Symbol) float64 {
	// The parallelogram nearest to the corners.
	mid := raster.Point{X: (c[0].X + c[1].X + c[2].X + c[3].X) / 4, Y: (c[0].Y + c[1].Y + c[2].Y + c[3].Y) / 4}
	ux, uy := (c[1].X-c[0].X+c[2].X-c[3].X)/2, (c[1].Y-c[0].Y+c[2].Y-c[3].Y)/2
	vx, vy := (c[3].X-c[0].X+c[2].X-c[1].X)/2, (c[3].Y-c[0].Y+c[2].Y-c[1].Y)/2
	module := (raster.Hypot(ux, uy)/float64(s.Columns) + raster.Hypot(vx, vy)/float64(s.Rows)) / 2
	worst := 0.0
	for y := range s.Rows + 1 {
		for x := range s.Columns + 1 {
			u, v := float64(x)/float64(s.Columns), float64(y)/float64(s.Rows)
			q := p.at(u, v)
			even := raster.Point{X: mid.X + float64(ux*(u-0.5)) + float64(vx*(v-0.5)), Y: mid.Y + float64(uy*(u-0.5)) + float64(vy*(v-0.5))}
			worst = max(worst, distance(q, even)/module)
		}
	}
	return worst
}

// expected returns what the symbol should be: its codewords as they are after correction, and
// its fixed patterns.
func expected(m *measured, s *Symbol) (words []word, blocks []bundle, fixed []fixedPart, ok bool) {
	g := newGrid(m.w, m.h)
	for y := range m.h {
		for x := range m.w {
			g.set(x, y, m.dark(x, y))
		}
	}
	var msg message
	if s.Symbology == QR {
		msg, ok = decodeQRAs(g)
	} else {
		msg, ok = decodeMatrix(g)
	}
	if !ok || msg.text != s.Text {
		return nil, nil, nil, false
	}
	n := 0
	for _, b := range msg.blocks {
		n += len(b.words)
	}
	words = make([]word, n)
	if s.Symbology == QR {
		_, mask, _ := qrFormat(g)
		version := (m.w - 17) / 4
		for i, at := range qrPlaces(version) {
			words[i/8].places[i%8] = at
			words[i/8].dark[i%8] = qrMask(mask, at[0], at[1])
		}
		fixed = qrFixed(version)
	} else {
		size, _ := matrixSizeOf(m.h, m.w)
		for i, places := range matrixPlaces(size) {
			words[i].places = places
		}
		fixed = matrixFixed(size)
	}
	for _, b := range msg.blocks {
		for i, at := range b.words {
			for k := range 8 {
				bit := b.right[i]>>(7-k)&1 == 1
				words[at].dark[k] = words[at].dark[k] != bit
			}
		}
	}
	return words, msg.blocks, fixed, true
}

// matrixPlaces are the modules of every codeword of a Data Matrix: placedMatrix is asked once
// for every bit of the modules' numbers.
func matrixPlaces(s matrixSize) [][8][2]int {
	down, across := s.rows/(s.regionRows+2), s.cols/(s.regionCols+2)
	w, h := across*s.regionCols, down*s.regionRows
	total := s.data + s.checks
	numbers := make([][8]int, total)
	for bit := 0; 1<<bit < w*h; bit++ {
		g := newGrid(w, h)
		for i := range g.dark {
			g.dark[i] = i>>bit&1 == 1
		}
		for i, v := range placedMatrix(g, total) {
			for k := range 8 {
				numbers[i][k] |= int(v>>(7-k)&1) << bit
			}
		}
	}
	out := make([][8][2]int, total)
	for i := range out {
		for k, n := range numbers[i] {
			x, y := n%w, n/w
			out[i][k] = [2]int{x/s.regionCols*(s.regionCols+2) + 1 + x%s.regionCols, y/s.regionRows*(s.regionRows+2) + 1 + y%s.regionRows}
		}
	}
	return out
}

// matrixFixed are the parts of ISO/IEC 16022, annex M: the two sides of the L, the light
// margins beside them, and the two clock tracks with theirs. Borders between data regions are
// one part more.
func matrixFixed(s matrixSize) []fixedPart {
	parts := make([]fixedPart, 7)
	for i := range parts {
		parts[i].share, parts[i].levels = true, [4]float64{0, 0.09, 0.13, 0.17}
	}
	left, low, beside, below, top, right, within := &parts[0], &parts[1], &parts[2], &parts[3], &parts[4], &parts[5], &parts[6]
	for y := range s.rows {
		left.add(0, y, true)
		beside.add(-1, y, false)
		right.add(s.cols-1, y, y%2 == 1)
		right.add(s.cols, y, false)
	}
	for x := range s.cols {
		low.add(x, s.rows-1, true)
		below.add(x, s.rows, false)
		top.add(x, 0, x%2 == 0)
		top.add(x, -1, false)
	}
	rh, rw := s.regionRows+2, s.regionCols+2
	for y := 1; y < s.rows-1; y++ {
		for x := 1; x < s.cols-1; x++ {
			switch {
			case x%rw == 0, y%rh == rh-1:
				within.add(x, y, true)
			case x%rw == rw-1:
				within.add(x, y, y%2 == 1)
			case y%rh == 0:
				within.add(x, y, x%2 == 0)
			}
		}
	}
	if len(within.places) == 0 {
		parts = parts[:6]
	}
	return parts
}

// qrFixed are the parts of ISO/IEC 18004, annex G: the three finder patterns with their
// separators, the timing patterns, the alignment patterns.
func qrFixed(version int) []fixedPart {
	n := 17 + 4*version
	var parts []fixedPart
	for _, at := range [3][2]int{{0, 0}, {n - 7, 0}, {0, n - 7}} {
		f := fixedPart{levels: [4]float64{0, 1, 2, 3}}
		for y := -1; y <= 7; y++ {
			for x := -1; x <= 7; x++ {
				px, py := at[0]+x, at[1]+y
				if px < -1 || py < -1 || px > n || py > n {
					continue
				}
				d := max(x-3, 3-x, y-3, 3-y)
				f.add(px, py, d == 3 || d <= 1)
			}
		}
		parts = append(parts, f)
	}
	for way := range 2 {
		f := fixedPart{share: true, levels: [4]float64{0, 0.07, 0.11, 0.14}}
		for i := 8; i < n-8; i++ {
			x, y := i, 6
			if way == 1 {
				x, y = y, x
			}
			f.add(x, y, i%2 == 0)
		}
		parts = append(parts, f)
	}
	at := qrAligned(version)
	f := fixedPart{share: true, levels: [4]float64{0, 0.10, 0.20, 0.30}}
	for i, x := range at {
		for j, y := range at {
			last := len(at) - 1
			if i == 0 && j == 0 || i == 0 && j == last || i == last && j == 0 {
				continue
			}
			for dy := -2; dy <= 2; dy++ {
				for dx := -2; dx <= 2; dx++ {
					d := max(dx, -dx, dy, -dy)
					f.add(x+dx, y+dy, d != 1)
				}
			}
		}
	}
	if len(f.places) > 0 {
		parts = append(parts, f)
	}
	return parts
}
