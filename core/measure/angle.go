package measure

import (
	"fmt"
	"math"

	"ricetta/core/check"
	"ricetta/core/edge"
	"ricetta/core/raster"
)

// AngleSettings are the settings of measure.angle.
type AngleSettings struct {
	First  edge.Settings  `json:"first" jsonschema_description:"A straight edge: an arrow across it, as wide as the edge is long"`
	Second *edge.Settings `json:"second,omitempty" jsonschema_description:"Another straight edge; if absent the first is compared with the square of its arrow"`
}

// Validate implements check.Validator.
func (s *AngleSettings) Validate() error {
	if err := s.First.Validate(); err != nil {
		return fmt.Errorf("first/%w", err)
	}
	if s.Second != nil {
		if err := s.Second.Validate(); err != nil {
			return fmt.Errorf("second/%w", err)
		}
	}
	return nil
}

// Angle is the kind measure.angle: the angle between two straight edges, 0…180°, or
// how far one edge is turned from the square of its arrow, -90…90° and clockwise
// positive. An edge runs to the right of its arrow, so that arrows which enter a
// corner from outside give its outer angle to 180.
var Angle = check.Define(check.Kind{
	Name: "measure.angle",
	Doc:  "Angle between two straight edges, or of one edge against where it should lie.",
	Measures: []check.Measure{
		{Name: "angle", Unit: "deg", Doc: "Between the directions of both edges; of one edge against its arrow's square"},
		{Name: "used", Doc: "Least share of an edge's length that lies on its line, 0 to 1"},
	},
}, func() AngleSettings { return AngleSettings{} }, func(_ *check.Teaching, s *AngleSettings) (check.Taught, error) {
	return &angle{*s}, nil
})

type angle struct{ s AngleSettings }

func (a *angle) NewJudge() check.Judge { return &angleJudge{s: a.s} }

type angleJudge struct {
	s       AngleSettings
	caliper edge.Caliper
}

func (j *angleJudge) Judge(in *check.Input, out *check.Finding) {
	first, _, used, err := j.caliper.SeekLine(in.Gray, j.s.First, in.On)
	if !there(out, j.s.First, in, err, "first") {
		return
	}
	j.s.First.Mark(out, in.On, nil, "")
	first.Mark(out, float64(max(j.s.First.Width, 10)*in.On.Size()/2))
	first = straight(in, first)
	if j.s.Second == nil {
		r := j.s.First.Ray(in.On)
		out.Read("angle", "deg", raster.WrapAngle(first.Angle()-raster.Atan2(r.UX, -r.UY)))
		out.Read("used", "", used)
		return
	}
	second, _, more, err := j.caliper.SeekLine(in.Gray, *j.s.Second, in.On)
	if !there(out, *j.s.Second, in, err, "second") {
		return
	}
	j.s.Second.Mark(out, in.On, nil, "")
	second.Mark(out, float64(max(j.s.Second.Width, 10)*in.On.Size()/2))
	second = straight(in, second)
	out.Read("angle", "deg", math.Abs(raster.WrapAngle(second.Angle()-first.Angle())))
	out.Read("used", "", min(used, more))
}
