package measure

import (
	"cmp"
	"errors"
	"math"
	"slices"

	"ricetta/core/check"
	"ricetta/core/edge"
	"ricetta/core/raster"
)

// RimSettings are the settings of measure.rim.
type RimSettings struct {
	Region  raster.Region `json:"region" jsonschema_description:"A ring in which the outline lies; it is sought from the inner circle outwards"`
	Against string        `json:"against,omitempty" jsonschema:"enum=circle,enum=taught,default=circle" jsonschema_description:"circle: the fitted circle is the ideal; taught: the outline on the reference picture is"`
	Height  float64       `json:"height,omitempty" jsonschema:"minimum=0.3,maximum=500,default=2" jsonschema_description:"How high a bump or how deep a notch must be in pixels to be listed"`
	Length  float64       `json:"length,omitempty" jsonschema:"minimum=0,maximum=1000,default=3" jsonschema_description:"How long it must be in pixels to be listed"`
	edge.Look
}

// Validate implements check.Validator.
func (s *RimSettings) Validate() error { return ringOnly(s.Region) }

// Rim is the kind measure.rim: a closed outline against its ideal shape all round.
// Bumps stand out of it, notches cut into it; where no edge is found the outline is
// missing. Rows list them, highest first: what, x, y and turn (degrees round the
// center, against the datum), height and length in pixels.
var Rim = check.Define(check.Kind{
	Name: "measure.rim",
	Doc:  "A closed outline against a circle or its taught shape: bumps and notches all round.",
	Measures: []check.Measure{
		{Name: "highest", Unit: "px", Doc: "Height of the highest bump or depth of the deepest notch, whichever is more"},
		{Name: "bumps", Doc: "Bumps at least as high and long as set", Whole: true},
		{Name: "notches", Doc: "Notches at least as deep and long as set", Whole: true},
		{Name: "seen", Doc: "Share of the outline where an edge was found, 0 to 1; at least 0.9 unless its limits say otherwise"},
		{Name: "diameter", Unit: "px", Doc: "Of the fitted circle"},
	},
}, func() RimSettings { return RimSettings{Against: "circle", Height: 2, Length: 3} }, teachRim)

func teachRim(t *check.Teaching, s *RimSettings) (check.Taught, error) {
	// One ray for two pixels of the ring's middle.
	middle := (s.Region.Ring[2] + s.Region.Ring[3]) / 2
	r := &rim{s: *s, n: min(max(int(float64(math.Pi*middle)), 48), 720)}
	if s.Against != "taught" {
		return r, nil
	}
	if t.Reference == nil {
		return nil, errors.New("against: there is no reference picture to learn the shape from; name one, or compare with a circle")
	}
	if err := t.TaughtOutside("region", s.Region); err != nil {
		return nil, err
	}
	j := &rimJudge{rim: r}
	var in check.Input
	in.Reset(raster.Picture{Gray: t.Reference})
	var f check.Finding
	f.Reset()
	if !j.seek(&in, &f, s.Region, r.n, rayWidth, s.Look) {
		return nil, errors.New("region: " + string(f.Sentence) + " on the reference picture; draw the ring round the outline")
	}
	j.deviations(&in)
	if j.seen() < 0.9 {
		return nil, errors.New("region: parts of the outline cannot be seen on the reference picture; draw the ring round it, or choose a clearer one")
	}
	r.ideal = fillGaps(j.dev)
	m := check.Mark{Shape: check.Polygon, Role: check.RoleTaught}
	m.Points = append(m.Points, j.rays.Points...)
	t.Marks = append(t.Marks, m)
	return r, nil
}

// rayWidth is over how many pixels across a ray the brightness is averaged.
const rayWidth = 2

type rim struct {
	s     RimSettings
	n     int
	ideal []float64 // by ray: taught distance from the circle fitted on the reference
}

func (r *rim) NewJudge() check.Judge { return &rimJudge{rim: r} }

type rimJudge struct {
	*rim
	ring
	dev    []float64      // by ray: distance from the ideal, NaN where no edge is
	at     []raster.Point // by ray
	faults []rimFault
}

type rimFault struct {
	first, rays    int
	what           string
	height, length float64
	at             raster.Point
	turn           float64
}

var rimColumns = []check.Column{{Name: "what", Text: true}, {Name: "x"}, {Name: "y"}, {Name: "turn"}, {Name: "height", Unit: "px"}, {Name: "length", Unit: "px"}}

func (j *rimJudge) Judge(in *check.Input, out *check.Finding) {
	out.MarkOutline(j.s.Region, in.On, check.RoleRegion)
	if !j.seek(in, out, j.s.Region, j.n, rayWidth, j.s.Look) {
		return
	}
	j.deviations(in)
	j.gather(in)
	highest, bumps, notches := 0.0, 0, 0
	for _, d := range j.dev {
		if a := math.Abs(d); a > highest { // never for NaN
			highest = a
		}
	}
	j.markExpected(in, out)
	m := out.AddMark(check.Polygon, check.RoleFound, "")
	m.Points = append(m.Points, j.rays.Points...)
	out.Columns = rimColumns
	for i, f := range j.faults {
		switch f.what {
		case "bump":
			bumps++
		case "notch":
			notches++
		}
		row := out.AddRow(len(rimColumns))
		row[0].Text, row[1].Number, row[2].Number = f.what, f.at.X, f.at.Y
		row[3].Number, row[4].Number, row[5].Number = f.turn, f.height, f.length
		if i < 50 {
			j.mark(out, f)
		}
	}
	out.Read("highest", "px", highest)
	out.Read("bumps", "", float64(bumps))
	out.Read("notches", "", float64(notches))
	out.Read("seen", "", j.seen())
	out.Read("diameter", "px", float64(2*j.fit.Radius))
	out.Readings[3].Limits.Least = 0.9
	b := append(out.Sentence, "highest "...)
	b = check.AppendNumber(b, check.Rounded(in.Length(highest), 10))
	b = append(append(b, ' '), in.Unit()...)
	if len(j.faults) > 0 {
		f := j.faults[0]
		b = append(append(append(b, " ("...), f.what...), " at "...)
		b = check.AppendNumber(b, check.Rounded(f.at.X, 1))
		b = append(check.AppendNumber(append(b, ", "...), check.Rounded(f.at.Y, 1)), ')')
	}
	out.Sentence = b
}

// markExpected draws the outline as it should be, under the one that was found.
func (j *rimJudge) markExpected(in *check.Input, out *check.Finding) {
	m := out.AddMark(check.Polygon, check.RoleTaught, "")
	for i := range j.n {
		r := j.fit.Radius
		if j.ideal != nil {
			r += float64(j.ideal[i] * in.On.Size())
		}
		s, c := raster.SinCos(in.On.Angle() + float64(360*float64(i))/float64(j.n))
		p := raster.Point{X: j.fit.Center.X + float64(r*c), Y: j.fit.Center.Y + float64(r*s)}
		if in.Lens != nil {
			p = in.Lens.Bent(p)
		}
		m.Points = append(m.Points, p)
	}
}

// deviations fills dev and at from the rays.
func (j *rimJudge) deviations(in *check.Input) {
	j.dev, j.at = j.dev[:0], j.at[:0]
	from, k := in.On.Angle(), 0
	size := in.On.Size()
	for i := range j.n {
		turn := from + float64(360*float64(i))/float64(j.n)
		if k == len(j.rays.Turns) || j.rays.Turns[k] != turn {
			j.dev, j.at = append(j.dev, math.NaN()), append(j.at, raster.Point{})
			continue
		}
		d := j.fit.Distance(j.points[k])
		if j.ideal != nil {
			d -= float64(j.ideal[i] * size)
		}
		j.dev, j.at = append(j.dev, d), append(j.at, j.rays.Points[k])
		k++
	}
}

func (j *rimJudge) seen() float64 { return float64(len(j.rays.Points)) / float64(j.n) }

// class says what a deviation is: 0 nothing, 1 bump, 2 notch, 3 missing.
func (j *rimJudge) class(i int) int {
	switch d := j.dev[i%j.n]; {
	case math.IsNaN(d):
		return 3
	case d >= j.s.Height:
		return 1
	case d <= -j.s.Height:
		return 2
	}
	return 0
}

var rimWords = [4]string{"", "bump", "notch", "missing"}

// gather lists the faults: runs of rays of one class, round the seam.
func (j *rimJudge) gather(in *check.Input) {
	j.faults = j.faults[:0]
	arc := float64(2*math.Pi*j.fit.Radius) / float64(j.n)
	start := 0
	for start < j.n && j.class(start) != 0 {
		start++ // begin where the outline is sound, so that no fault is cut in two
	}
	for i := start; i < start+j.n; {
		c, end := j.class(i), i+1
		for end < start+j.n && j.class(end) == c {
			end++
		}
		if c != 0 {
			j.add(in, c, i, end, float64(float64(end-i)*arc))
		}
		i = end
	}
	slices.SortStableFunc(j.faults, func(a, b rimFault) int {
		return cmp.Or(cmp.Compare(b.height, a.height), cmp.Compare(b.length, a.length))
	})
}

func (j *rimJudge) add(in *check.Input, class, from, to int, length float64) {
	if length < j.s.Length {
		return
	}
	f := rimFault{first: from, rays: to - from, what: rimWords[class], length: length}
	peak := (from + to) / 2
	for i := from; i < to; i++ {
		if a := math.Abs(j.dev[i%j.n]); a > f.height {
			f.height, peak = a, i
		}
	}
	turn := float64(360*float64(peak%j.n)) / float64(j.n)
	f.turn = raster.WrapAngle(turn)
	f.at = j.at[peak%j.n]
	if class == 3 {
		s, c := raster.SinCos(turn + in.On.Angle())
		f.at = raster.Point{X: j.fit.Center.X + float64(j.fit.Radius*c), Y: j.fit.Center.Y + float64(j.fit.Radius*s)}
	}
	j.faults = append(j.faults, f)
}

// mark draws a fault: its stretch of the outline, labeled.
func (j *rimJudge) mark(out *check.Finding, f rimFault) {
	m := out.AddMark(check.Line, check.RoleLeftOut, f.what)
	for i := f.first; i < f.first+f.rays; i++ {
		if p := j.at[i%j.n]; p != (raster.Point{}) {
			m.Points = append(m.Points, p)
		}
	}
	if len(m.Points) < 2 {
		m.Shape, m.Points = check.Cross, append(m.Points[:0], f.at)
	}
}

// fillGaps replaces what is not a number by its neighbors' mean, round the seam.
func fillGaps(dev []float64) []float64 {
	n := len(dev)
	out := slices.Clone(dev)
	for i, d := range dev {
		if !math.IsNaN(d) {
			continue
		}
		var near [2]float64
		for side, step := range [2]int{n - 1, 1} {
			k := (i + step) % n
			for math.IsNaN(dev[k]) {
				k = (k + step) % n
			}
			near[side] = dev[k]
		}
		out[i] = (near[0] + near[1]) / 2
	}
	return out
}
