package symbol

import (
	"math"
	"slices"

	"ricetta/core/raster"
)

// ISO/IEC 15416: a linear code is scanned on ten lines across the inspection band, the middle
// four fifths of its bars, and its grade is the mean of what the lines get, each as much as
// the worst of its parameters.

// gradeLines is on how many lines a linear code is graded.
const gradeLines = 10

// The parameters of a scan line, in the order that they are told.
const (
	pEdges = iota
	pDecode
	pContrast
	pReflectance
	pEdgeContrast
	pModulation
	pDefects
	pDecodability
	linearParameters
)

var linearNames = [linearParameters]struct{ name, unit string }{
	{"edge determination", ""},
	{"decode", ""},
	{"symbol contrast", "%"},
	{"minimum reflectance", "%"},
	{"edge contrast", "%"},
	{"modulation", ""},
	{"defects", ""},
	{"decodability", ""},
}

// scan is what one line says.
type scan struct {
	value, grade [linearParameters]float64
	overall      float64
	defect, edge float64 // where along the line defects and the least edge contrast are, in pixels
}

func (r *lineReader) grade(g *raster.Gray, s *Symbol, ref Reflectance) (Grade, error) {
	c := &s.Corners
	// The reading direction, and the bars' own.
	dx, dy := c[1].X-c[0].X+c[2].X-c[3].X, c[1].Y-c[0].Y+c[2].Y-c[3].Y
	length := raster.Hypot(dx, dy)
	dx, dy = dx/length, dy/length
	length /= 2
	mid := s.Center()
	module := r.moduleOf(g, s, mid, dx, dy, length)
	up, down := r.bars(g, mid, dx, dy, length)
	quiet := float64(10 * module)
	n := int(length+float64(2*quiet)) + 1
	for _, off := range [2]float64{up, down} {
		for _, along := range [2]float64{-length/2 - quiet, length/2 + quiet} {
			p := raster.Point{X: mid.X + float64(dx*along) - float64(dy*off), Y: mid.Y + float64(dy*along) + float64(dx*off)}
			if !g.Inside(p.X, p.Y) && along*along < float64(length*length) {
				return Grade{}, errNotThere
			}
		}
	}
	rows := max(1, int(float64(0.6*module)+0.5))
	out := Grade{Module: module}
	var lines [gradeLines]scan
	for i := range lines {
		off := up + float64((down-up)*(0.1+float64(0.8*(float64(i)+0.5)/gradeLines)))
		from := raster.Point{X: mid.X - float64(dx*float64(n)/2) - float64(dy*off), Y: mid.Y - float64(dy*float64(n)/2) + float64(dx*off)}
		r.profile.sample(g, from, dx, dy, n, rows)
		lines[i] = r.scan(s, ref, module)
		l := &lines[i]
		a, b := from, raster.Point{X: from.X + float64(dx*float64(n)), Y: from.Y + float64(dy*float64(n))}
		name := ""
		worst := 4.0
		for k := range l.grade {
			if l.grade[k] < worst {
				worst, name = l.grade[k], linearNames[k].name
			}
		}
		out.Flaws = append(out.Flaws, Flaw{Parameter: name, Points: []raster.Point{a, b}, Grade: l.overall})
		out.Overall += l.overall / gradeLines
	}
	for k, name := range linearNames {
		p := Parameter{Name: name.name, Unit: name.unit, Value: lines[0].value[k]}
		for i := range lines {
			p.Grade += lines[i].grade[k] / gradeLines
			if v := lines[i].value[k]; k == pDefects && v > p.Value || k != pDefects && k != pReflectance && v < p.Value || k == pReflectance && v > p.Value {
				p.Value = v
			}
		}
		p.Grade = math.Floor(float64(p.Grade*10)+0.5) / 10
		out.Parameters = append(out.Parameters, p)
	}
	out.Overall = math.Floor(float64(out.Overall*10)+1e-9) / 10
	return out, nil
}

// moduleOf is the width of the narrowest element, from how long the code is and how many
// modules it has; for codes of two widths, whose ratio varies, from its elements.
func (r *lineReader) moduleOf(g *raster.Gray, s *Symbol, mid raster.Point, dx, dy, length float64) float64 {
	switch s.Symbology {
	case EAN13, UPCA:
		return length / 95
	case EAN8:
		return length / 67
	case UPCE:
		return length / 51
	}
	n := int(length*1.2) + 20
	r.profile.sample(g, raster.Point{X: mid.X - float64(dx*float64(n)/2), Y: mid.Y - float64(dy*float64(n)/2)}, dx, dy, n, 3)
	w := r.profile.find(0, 64)
	if len(w) < 9 {
		return max(length/100, 1)
	}
	inner := append([]int32(nil), w[1:len(w)-1]...)
	slices.Sort(inner)
	return max(float64(inner[len(inner)/4])/unit, 0.8)
}

// bars are how far the bars reach above and below the middle: as far as a line looks like
// that through the middle.
func (r *lineReader) bars(g *raster.Gray, mid raster.Point, dx, dy, length float64) (up, down float64) {
	n := int(length)
	look := func(off float64, to []int32) []int32 {
		r.profile.sample(g, raster.Point{X: mid.X - float64(dx*length/2) - float64(dy*off), Y: mid.Y - float64(dy*length/2) + float64(dx*off)}, dx, dy, n, 1)
		return append(to[:0], r.profile.raw...)
	}
	at := look(0, nil)
	var line []int32
	for way := range 2 {
		step := 1.0
		if way == 0 {
			step = -1
		}
		reach := 0.0
		for miss := 0; miss < 3 && math.Abs(reach) < length*2; {
			reach += step
			p := raster.Point{X: mid.X - float64(dy*reach), Y: mid.Y + float64(dx*reach)}
			if !g.Inside(p.X, p.Y) {
				break
			}
			line = look(reach, line)
			if likeness(at, line) > 0.6 {
				miss = 0
			} else {
				miss++
			}
		}
		reach -= float64(3 * step)
		if way == 0 {
			up = min(reach, -1)
		} else {
			down = max(reach, 1)
		}
	}
	return up, down
}

// likeness is the correlation of two lines, −1 to 1.
func likeness(a, b []int32) float64 {
	var sa, sb, saa, sbb, sab float64
	n := float64(len(a))
	for i := range a {
		x, y := float64(a[i]), float64(b[i])
		sa, sb = sa+x, sb+y
		saa, sbb, sab = saa+float64(x*x), sbb+float64(y*y), sab+float64(x*y)
	}
	va, vb := saa-float64(sa*sa)/n, sbb-float64(sb*sb)/n
	if va <= 0 || vb <= 0 {
		return 0
	}
	return (sab - float64(sa*sb)/n) / math.Sqrt(float64(va*vb))
}

// element is a bar or a space of a scan line.
type element struct {
	from, to int // values of the line
	peak     float64
	at       int
}

// scan grades the line in the profile.
func (r *lineReader) scan(s *Symbol, ref Reflectance, module float64) (out scan) {
	v := make([]float64, len(r.profile.raw))
	// The aperture is eight tenths of a module wide; what a pixel sees is a part of it.
	half := max((float64(0.8*module)-1)/2, 0)
	whole := int(half)
	part := half - float64(whole)
	raw := func(i int) float64 { return float64(r.profile.raw[min(max(i, 0), len(v)-1)]) / 16 }
	for i := range v {
		sum := float64(part * (raw(i-whole-1) + raw(i+whole+1)))
		for k := i - whole; k <= i+whole; k++ {
			sum += raw(k)
		}
		v[i] = ref.of(sum / (float64(2*half) + 1))
	}
	lo, hi := slices.Min(v), slices.Max(v)
	threshold := (lo + hi) / 2
	var all []element
	for i := 0; i < len(v); {
		light := v[i] >= threshold
		e := element{from: i, peak: v[i], at: i}
		for i < len(v) && v[i] >= threshold == light {
			if light && v[i] > e.peak || !light && v[i] < e.peak {
				e.peak, e.at = v[i], i
			}
			i++
		}
		e.to = i
		all = append(all, e)
	}
	// Edges lie midway between what their elements reach (5.4.2).
	if len(all) > 0 && v[all[0].from] < threshold { // it must begin light
		all = all[1:]
	}
	if len(all)%2 == 0 && len(all) > 0 {
		all = all[:len(all)-1]
	}
	var w []int32
	was := 0.0
	for i := range all {
		end := float64(len(v))
		if i+1 < len(all) {
			end = crossing(v, all[i].at, all[i+1].at, (all[i].peak+all[i+1].peak)/2)
		}
		from := was
		if i == 0 {
			from = 0
		}
		w = append(w, int32(float64((end-from)*unit)))
		was = end
	}
	r.hits = r.hits[:0]
	r.decode(w, 0, &Options{Only: []Symbology{s.Symbology, EAN13, GS1128, Code128}})
	k := slices.IndexFunc(r.hits, func(h hit) bool { return h.text == s.Text && h.symbology == s.Symbology })
	symbolContrast := hi - lo
	out.value[pContrast], out.grade[pContrast] = symbolContrast, level(symbolContrast, contrastLevels)
	out.value[pReflectance], out.grade[pReflectance] = lo, passes(lo <= hi/2)
	if k < 0 {
		// Nothing is read: what hangs on its elements gets nothing either.
		out.value[pDefects] = 1
		return out
	}
	out.value[pEdges], out.grade[pEdges] = 1, 4
	out.value[pDecode], out.grade[pDecode] = 1, 4
	// The elements of the code, with the light margins.
	h := &r.hits[k]
	a, b := int(min(h.from, h.to)/unit), int(max(h.from, h.to)/unit)
	first := slices.IndexFunc(all, func(e element) bool { return e.to > a+1 })
	last := len(all) - 1
	for last > first && all[last].from >= b-1 {
		last--
	}
	first, last = max(first-1, 0), min(last+1, len(all)-1)
	edge, ern := math.Inf(1), 0.0
	for i := first; i <= last; i++ {
		e := &all[i]
		from, to := e.from, e.to
		if i == first {
			from = max(from, to-int(8*module))
		}
		if i == last {
			to = min(to, from+int(8*module))
		}
		if u := uneven(v[from:to], i%2 == 0); u > ern {
			ern, out.defect = u, float64(from+to)/2
		}
		if i > first {
			if ec := math.Abs(e.peak - all[i-1].peak); ec < edge {
				edge, out.edge = ec, float64(e.from)
			}
		}
	}
	out.value[pEdgeContrast], out.grade[pEdgeContrast] = edge, passes(edge >= 15)
	modulation, defects := edge/symbolContrast, ern/symbolContrast
	out.value[pModulation], out.grade[pModulation] = modulation, level(modulation, modulationLevels)
	out.value[pDefects], out.grade[pDefects] = defects, under(defects, defectLevels)
	inner := w[first+1 : last]
	if h.from > h.to {
		inner = append([]int32(nil), inner...)
		slices.Reverse(inner)
	}
	d := decodability(s.Symbology, inner)
	out.value[pDecodability], out.grade[pDecodability] = d, level(d, decodabilityLevels)
	out.overall = slices.Min(out.grade[:])
	return out
}

// crossing is where a line falls or rises through a tone between two of its values.
func crossing(v []float64, i, j int, tone float64) float64 {
	for k := i; k < j; k++ {
		a, b := v[k], v[k+1]
		if (a >= tone) != (b >= tone) {
			return float64(k) + 0.5 + (tone-a)/(b-a)
		}
	}
	return float64(i+j)/2 + 0.5
}

// uneven is the element reflectance nonuniformity: from the highest top to the lowest dip in a
// space, from the lowest dip to the highest top in a bar (5.4.8). What rises at its ends only
// is its edge.
func uneven(v []float64, light bool) float64 {
	worst := 0.0
	// The greatest fall between a top and a later or earlier one with a dip between.
	top := math.Inf(-1)
	sign := 1.0
	if !light {
		sign = -1
	}
	after := make([]float64, len(v)+1)
	after[len(v)] = math.Inf(-1)
	for i := len(v) - 1; i >= 0; i-- {
		after[i] = max(after[i+1], float64(sign*v[i]))
	}
	for i, x := range v {
		t := float64(sign * x)
		top = max(top, t)
		worst = max(worst, min(top, after[i])-t)
	}
	return worst
}

// decodability is how much of the room that a reference decoder has is left (ISO/IEC 15416,
// 5.4.9, with the reference algorithms of the symbologies), the elements in reading order.
func decodability(s Symbology, w []int32) float64 {
	switch s {
	case EAN13, UPCA:
		return min(similar(w, 3, 6, 4, 7), similar(w, 32, 6, 4, 7))
	case EAN8:
		return min(similar(w, 3, 4, 4, 7), similar(w, 24, 4, 4, 7))
	case UPCE:
		return similar(w, 3, 6, 4, 7)
	case Code128, GS1128:
		return similar(w, 0, len(w)/6, 6, 11)
	}
	return twoWidths(w)
}

// similar compares the widths from edge to similar edge of n characters with the middle
// between the whole numbers of modules that they may be.
func similar(w []int32, from, n, elements, modules int) float64 {
	least := 1.0
	for c := range n {
		at := from + c*elements
		if at+elements > len(w) {
			return 0
		}
		total := widthOf(w[at : at+elements])
		for i := range elements - 2 {
			e := float64(w[at+i]+w[at+i+1]) * float64(modules) / float64(max(total, 1))
			whole := math.Floor(e)
			off := math.Min(e-whole, whole+1-e) // from a whole number: none is best
			least = min(least, 1-float64(2*off))
		}
	}
	return max(least, 0)
}

// twoWidths compares narrow and wide elements with the middle between their means.
func twoWidths(w []int32) float64 {
	if len(w) == 0 {
		return 0
	}
	lo, hi := slices.Min(w), slices.Max(w)
	middle := float64(lo+hi) / 2
	var sum, n [2]float64
	for range 2 {
		sum, n = [2]float64{}, [2]float64{}
		for _, v := range w {
			k := 0
			if float64(v) > middle {
				k = 1
			}
			sum[k] += float64(v)
			n[k]++
		}
		if n[0] == 0 || n[1] == 0 {
			return 0
		}
		middle = (sum[0]/n[0] + sum[1]/n[1]) / 2
	}
	room := sum[1]/n[1] - middle
	least := 1.0
	for _, v := range w {
		least = min(least, math.Abs(float64(v)-middle)/room)
	}
	return least
}
