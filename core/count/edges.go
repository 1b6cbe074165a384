package count

import (
	"errors"
	"math"
	"strconv"

	"ricetta/core/check"
	"ricetta/core/edge"
	"ricetta/core/raster"
)

// EdgesSettings are the settings of count.edges.
type EdgesSettings struct {
	Arrow    []float64 `json:"arrow,omitempty" jsonschema:"minItems=4,maxItems=4" jsonschema_description:"From x y to x y in pixels of the reference: the line along which edges are counted"`
	Arc      []float64 `json:"arc,omitempty" jsonschema:"minItems=5,maxItems=5" jsonschema_description:"Instead of arrow: center x y, radius, and the directions in degrees from which to which, clockwise where the second is greater"`
	Width    float64   `json:"width,omitempty" jsonschema:"minimum=1,maximum=1000,default=10" jsonschema_description:"Pixels across the line over which the brightness is averaged"`
	Polarity string    `json:"polarity,omitempty" jsonschema:"enum=either,enum=to_light,enum=to_dark,default=either" jsonschema_description:"Which edges count: what happens along the line"`
	Step     float64   `json:"step,omitempty" jsonschema:"exclusiveMinimum=0,maximum=255,default=10" jsonschema_description:"Least step of gray values"`
}

// Validate implements check.Validator.
func (s *EdgesSettings) Validate() error {
	if (s.Arrow == nil) == (s.Arc == nil) {
		return errors.New("arrow: nothing or both of arrow and arc are given; give exactly one of them")
	}
	if s.Arrow != nil {
		return edge.ValidArrow("arrow", s.Arrow)
	}
	if len(s.Arc) != 5 {
		return errors.New("arc: give center x, center y, radius, from and to in degrees")
	}
	for _, v := range s.Arc {
		if !(math.Abs(v) <= 1e6) {
			return errors.New("arc: keep numbers within ±1000000")
		}
	}
	if span := math.Abs(s.Arc[4] - s.Arc[3]); s.Arc[2] < 5 || span > 360 || float64(span*math.Pi/180*s.Arc[2]) < 8 {
		return errors.New("arc: it is too short or too long; give a radius of 5 or more and up to 360 degrees")
	}
	return nil
}

// Edges is the kind count.edges: how many edges lie along a line or an arc, and how far
// they are apart. Pitches are pixels along it, and are not taken with less than two
// edges. Rows list the edges in order: x, y, along (pixels from the start), strength
// (gray values, above 0 towards light) and pitch (to the edge before, 0 for the first).
var Edges = check.Define(check.Kind{
	Name: "count.edges",
	Doc:  "Counts the edges along a line or an arc and measures their pitch.",
	Measures: []check.Measure{
		{Name: "count", Doc: "Edges along the line", Whole: true},
		{Name: "pitch", Unit: "px", Doc: "Mean distance from one edge to the next"},
		{Name: "pitch_least", Unit: "px", Doc: "Least of these distances"},
		{Name: "pitch_most", Unit: "px", Doc: "Greatest of these distances"},
	},
}, func() EdgesSettings { return EdgesSettings{Width: 10, Polarity: "either", Step: 10} }, func(_ *check.Teaching, s *EdgesSettings) (check.Taught, error) {
	return &edges{*s}, nil
})

type edges struct{ s EdgesSettings }

func (e *edges) NewJudge() check.Judge { return &edgesJudge{s: e.s} }

type edgesJudge struct {
	s       EdgesSettings
	caliper edge.Caliper
	profile []float64
}

var edgeColumns = []check.Column{{Name: "x"}, {Name: "y"}, {Name: "along", Unit: "px"}, {Name: "strength"}, {Name: "pitch", Unit: "px"}}

func (j *edgesJudge) Judge(in *check.Input, out *check.Finding) {
	look := edge.Look{Polarity: j.s.Polarity, Step: j.s.Step}
	var found []edge.Edge
	var err error
	if j.s.Arrow != nil {
		a := edge.Settings{Arrow: j.s.Arrow, Width: j.s.Width, Look: look}
		a.Mark(out, in.On, nil, "")
		found, err = j.caliper.All(in.Gray, a, in.On)
	} else {
		found, err = j.along(in, out, look)
	}
	if err != nil {
		out.Fault("its line reaches outside the picture")
		return
	}
	out.Columns = edgeColumns
	least, most := math.Inf(1), 0.0
	half := float64(j.s.Width * in.On.Size() / 2)
	for i, e := range found {
		pitch := 0.0
		if i > 0 {
			pitch = e.Along - found[i-1].Along
			least, most = min(least, pitch), max(most, pitch)
		}
		if i < mostRows {
			row := out.AddRow(len(edgeColumns))
			row[0].Number, row[1].Number, row[2].Number, row[3].Number, row[4].Number = e.At.X, e.At.Y, e.Along, e.Strength, pitch
		}
		if i < mostMarks {
			ux, uy := j.direction(in, e)
			m := out.AddMark(check.Line, check.RoleFound, "")
			m.Points = append(m.Points,
				raster.Point{X: e.At.X + float64(half*uy), Y: e.At.Y - float64(half*ux)},
				raster.Point{X: e.At.X - float64(half*uy), Y: e.At.Y + float64(half*ux)})
		}
	}
	n := len(found)
	out.Read("count", "", float64(n))
	if n > 1 {
		out.Read("pitch", "px", (found[n-1].Along-found[0].Along)/float64(n-1))
		out.Read("pitch_least", "px", least)
		out.Read("pitch_most", "px", most)
	}
	out.Sentence = append(strconv.AppendInt(out.Sentence, int64(n), 10), " edges"...)
}

// turnAlong returns the direction from the arc's center to the place s pixels along it.
func (j *edgesJudge) turnAlong(in *check.Input, s float64) float64 {
	way := 1.0
	if j.s.Arc[4] < j.s.Arc[3] {
		way = -1
	}
	return in.On.Angle() + j.s.Arc[3] + float64(way*s/float64(j.s.Arc[2]*in.On.Size())*(180/math.Pi))
}

// direction returns the unit vector along the line at an edge.
func (j *edgesJudge) direction(in *check.Input, e edge.Edge) (ux, uy float64) {
	if j.s.Arrow != nil {
		r := edge.Settings{Arrow: j.s.Arrow}.Ray(in.On)
		return r.UX, r.UY
	}
	s, c := raster.SinCos(j.turnAlong(in, e.Along))
	return -s, c
}

// arcSamples is how many places a pixel the profile along an arc has.
const arcSamples = 2

// along finds the edges along the arc.
func (j *edgesJudge) along(in *check.Input, out *check.Finding, look edge.Look) ([]edge.Edge, error) {
	g := in.Gray
	c := in.On.Apply(raster.Point{X: j.s.Arc[0], Y: j.s.Arc[1]})
	radius := float64(j.s.Arc[2] * in.On.Size())
	length := float64(math.Abs(j.s.Arc[4]-j.s.Arc[3]) * (math.Pi / 180) * radius)
	n, across := int(float64(length*arcSamples))+1, max(1, int(float64(j.s.Width*in.On.Size())+0.5))
	if n > 50000 {
		return nil, edge.ErrOutside
	}
	j.profile = j.profile[:0]
	m := out.AddMark(check.Line, check.RoleRegion, "")
	for i := range n {
		sin, cos := raster.SinCos(j.turnAlong(in, float64(i)/arcSamples))
		sum := 0.0
		for k := range across {
			r := radius + float64(k) - float64(across-1)/2
			x, y := c.X+float64(r*cos), c.Y+float64(r*sin)
			if !g.Inside(x, y) {
				return nil, edge.ErrOutside
			}
			sum += g.Between(x, y)
		}
		j.profile = append(j.profile, sum/float64(across))
		if i%16 == 0 || i == n-1 {
			m.Points = append(m.Points, raster.Point{X: c.X + float64(radius*cos), Y: c.Y + float64(radius*sin)})
		}
	}
	found := j.caliper.Pick(j.profile, 1.0/arcSamples, look)
	for i := range found {
		sin, cos := raster.SinCos(j.turnAlong(in, found[i].Along))
		found[i].At = raster.Point{X: c.X + float64(radius*cos), Y: c.Y + float64(radius*sin)}
	}
	return found, nil
}
