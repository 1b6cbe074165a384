package measure

import (
	"errors"
	"fmt"
	"math"

	"ricetta/core/check"
	"ricetta/core/edge"
	"ricetta/core/raster"
)

// SizeSettings are the settings of measure.size.
type SizeSettings struct {
	Region raster.Region `json:"region" jsonschema_description:"A rectangle round the item, with some margin; its sides are those of the item"`
	From   string        `json:"from,omitempty" jsonschema:"enum=outside,enum=inside,default=outside" jsonschema_description:"outside: the sides are sought inwards from the rectangle; inside: outwards from its middle"`
	Fit    string        `json:"fit,omitempty" jsonschema:"enum=sides,enum=farthest,default=sides" jsonschema_description:"sides: between straight lines fitted to opposite sides; farthest: between their farthest points"`
	Share  float64       `json:"share,omitempty" jsonschema:"minimum=0.05,maximum=1,default=0.7" jsonschema_description:"Part of each side that is looked along, about its middle"`
	Depth  float64       `json:"depth,omitempty" jsonschema:"minimum=0.05,maximum=1,default=0.5" jsonschema_description:"How far the sides are looked for, as part of the way from the rectangle to its middle or back"`
	edge.Look
}

// Validate implements check.Validator.
func (s *SizeSettings) Validate() error {
	if err := s.Region.Validate(); err != nil {
		return fmt.Errorf("region: %w", err)
	}
	if s.Region.Rect == nil || s.Region.Without != nil {
		return errors.New("region: it has no four sides; give a rect, without holes")
	}
	if r := s.Region.Rect; min(r[2], r[3]) < 16 {
		return errors.New("region: it is too small to look along its sides; make it 16 pixels or more")
	}
	return nil
}

// Size is the kind measure.size: width and height in pixels of an item with four sides,
// along the sides of the rectangle drawn round it.
var Size = check.Define(check.Kind{
	Name: "measure.size",
	Doc:  "Width and height of an item between its sides.",
	Measures: []check.Measure{
		{Name: "width", Unit: "px", Doc: "From the left side to the right one"},
		{Name: "height", Unit: "px", Doc: "From the upper side to the lower one"},
	},
}, func() SizeSettings { return SizeSettings{From: "outside", Fit: "sides", Share: 0.7, Depth: 0.5} }, func(_ *check.Teaching, s *SizeSettings) (check.Taught, error) {
	return &size{*s}, nil
})

type size struct{ s SizeSettings }

func (s *size) NewJudge() check.Judge { return &sizeJudge{s: s.s} }

type sizeJudge struct {
	s       SizeSettings
	caliper edge.Caliper
	corners []raster.Point
}

var sideNames = [4]string{"upper", "right", "lower", "left"}

func (j *sizeJudge) Judge(in *check.Input, out *check.Finding) {
	out.MarkOutline(j.s.Region, in.On, check.RoleRegion)
	j.corners = j.s.Region.Outline(in.On, j.corners[:0]) // from the upper left, clockwise
	var lines [4]edge.Line
	for i := range 4 {
		a, b := j.corners[i], j.corners[(i+1)%4]
		c := j.corners[(i+2)%4]
		mid := raster.Point{X: (a.X + b.X) / 2, Y: (a.Y + b.Y) / 2}
		middle := raster.Point{X: (a.X + c.X) / 2, Y: (a.Y + c.Y) / 2}
		r := edge.NewRay(mid, middle)
		if j.s.From == "inside" {
			r = edge.NewRay(middle, mid)
		}
		if j.s.From == "inside" {
			r.A = r.At(float64(r.Length*(1-j.s.Depth)), 0)
		}
		r.Length = float64(r.Length * j.s.Depth)
		width := float64(raster.Hypot(b.X-a.X, b.Y-a.Y) * j.s.Share)
		line, ok := j.side(in, out, r, width, sideNames[i])
		if !ok {
			return
		}
		lines[i] = straight(in, line)
	}
	out.Read("width", "px", between(lines[3], lines[1]))
	out.Read("height", "px", between(lines[0], lines[2]))
	b := check.AppendNumber(append(out.Sentence, "width "...), check.Rounded(in.Length(out.Readings[0].Value), 10))
	b = check.AppendNumber(append(b, ", height "...), check.Rounded(in.Length(out.Readings[1].Value), 10))
	out.Sentence = append(append(b, ' '), in.Unit()...)
}

// side finds one side: the fitted line, or one through the farthest point square to
// the ray.
func (j *sizeJudge) side(in *check.Input, out *check.Finding, r edge.Ray, width float64, name string) (edge.Line, bool) {
	var line edge.Line
	var err error
	if j.s.Fit == "farthest" {
		line, err = j.farthest(in, r, width)
	} else {
		line, _, _, err = j.caliper.SeekLineOn(in.Gray, r, width, j.s.Look)
	}
	switch {
	case errors.Is(err, edge.ErrOutside):
		out.Fault("the " + name + " side cannot be sought: its region reaches outside the picture")
	case err != nil:
		out.Fail("the " + name + " side is not there")
	default:
		line.Mark(out, width/2)
	}
	return line, err == nil
}

// strip is how wide in pixels the pieces are among which the farthest is chosen.
const strip = 4

func (j *sizeJudge) farthest(in *check.Input, r edge.Ray, width float64) (edge.Line, error) {
	n := max(1, int(width/strip))
	best, found := edge.Edge{}, false
	for i := range n {
		at := r
		at.A = r.At(0, float64((float64(i)+0.5)*(width/float64(n)))-width/2)
		got, err := j.caliper.SeekOn(in.Gray, at, width/float64(n), j.s.Look)
		if errors.Is(err, edge.ErrOutside) {
			return edge.Line{}, err
		}
		if err != nil {
			continue
		}
		if farther := got.Along < best.Along == (j.s.From != "inside"); !found || farther {
			best, found = got, true
		}
	}
	if !found {
		return edge.Line{}, edge.ErrNoEdge
	}
	return edge.Line{P: r.At(best.Along, 0), U: raster.Point{X: -r.UY, Y: r.UX}}, nil
}

// between returns the distance between two lines that face each other: the mean of
// what is measured from the middle of either.
func between(a, b edge.Line) float64 {
	return (math.Abs(a.Distance(b.P)) + math.Abs(b.Distance(a.P))) / 2
}
