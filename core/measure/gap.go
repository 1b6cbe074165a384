package measure

import (
	"errors"
	"fmt"
	"math"

	"ricetta/core/check"
	"ricetta/core/edge"
	"ricetta/core/raster"
)

// GapSettings are the settings of measure.gap.
type GapSettings struct {
	From edge.Settings `json:"from" jsonschema_description:"The first edge"`
	To   edge.Settings `json:"to" jsonschema_description:"The second edge"`
	Way  string        `json:"way,omitempty" jsonschema:"enum=along,enum=to_line,default=along" jsonschema_description:"along: measured along the first arrow; to_line: from the first edge square to the second, which is fitted as a straight line over the width of its arrow"`
}

// Validate implements check.Validator.
func (s *GapSettings) Validate() error {
	if err := s.From.Validate(); err != nil {
		return fmt.Errorf("from/%w", err)
	}
	if err := s.To.Validate(); err != nil {
		return fmt.Errorf("to/%w", err)
	}
	return nil
}

// Gap is the kind measure.gap: the distance in pixels between two edges, each sought
// along an arrow of its own. It is measured along the first arrow, so that arrows
// beside each other measure right, and is below 0 where the second edge lies behind
// the first; or from a point square to a line, never below 0. Strengths are the steps
// of gray values, above 0 towards light.
var Gap = check.Define(check.Kind{
	Name: "measure.gap",
	Doc:  "Distance between two edges: a missing or raised cap is a changed distance.",
	Measures: []check.Measure{
		{Name: "distance", Unit: "px", Doc: "From the first edge to the second"},
		{Name: "from_strength", Doc: "Step of gray values at the first edge"},
		{Name: "to_strength", Doc: "Step of gray values at the second edge"},
	},
}, func() GapSettings { return GapSettings{Way: "along"} }, func(_ *check.Teaching, s *GapSettings) (check.Taught, error) {
	return &gap{*s}, nil
})

type gap struct{ s GapSettings }

func (g *gap) NewJudge() check.Judge { return &gapJudge{s: g.s} }

type gapJudge struct {
	s       GapSettings
	caliper edge.Caliper
}

func (j *gapJudge) Judge(in *check.Input, out *check.Finding) {
	from, err := j.caliper.Seek(in.Gray, j.s.From, in.On)
	if !there(out, j.s.From, in, err, "first") {
		return
	}
	j.s.From.Mark(out, in.On, &from, "")
	a := in.Straight(from.At)
	if j.s.Way == "to_line" {
		line, strength, _, err := j.caliper.SeekLine(in.Gray, j.s.To, in.On)
		if !there(out, j.s.To, in, err, "second") {
			return
		}
		line = straight(in, line)
		d := line.Distance(a)
		foot := raster.Point{X: a.X + float64(d*line.U.Y), Y: a.Y - float64(d*line.U.X)}
		j.report(out, from.At, foot, math.Abs(d), from.Strength, strength)
		return
	}
	to, err := j.caliper.Seek(in.Gray, j.s.To, in.On)
	if !there(out, j.s.To, in, err, "second") {
		return
	}
	j.s.To.Mark(out, in.On, &to, "")
	r, b := j.s.From.Ray(in.On), in.Straight(to.At)
	d := float64((b.X-a.X)*r.UX) + float64((b.Y-a.Y)*r.UY)
	j.report(out, from.At, raster.Point{X: from.At.X + float64(d*r.UX), Y: from.At.Y + float64(d*r.UY)}, d, from.Strength, to.Strength)
}

func (j *gapJudge) report(out *check.Finding, a, b raster.Point, d, from, to float64) {
	out.Read("distance", "px", d)
	out.Read("from_strength", "", from)
	out.Read("to_strength", "", to)
	m := out.AddMark(check.Line, check.RoleFound, "")
	m.Points = append(m.Points, a, b)
}

// there reports whether an edge was found; if not, it says so in the finding.
func there(out *check.Finding, e edge.Settings, in *check.Input, err error, name string) bool {
	if err == nil {
		return true
	}
	e.Mark(out, in.On, nil, name)
	if errors.Is(err, edge.ErrOutside) {
		out.Fault("the " + name + " edge cannot be sought: " + err.Error())
	} else {
		out.Fail("the " + name + " edge is not there")
	}
	return false
}

// straight returns the line as it would run if the lens did not bend.
func straight(in *check.Input, l edge.Line) edge.Line {
	if in.Lens == nil {
		return l
	}
	a, b := l.Ends(20)
	r := edge.NewRay(in.Straight(a), in.Straight(b))
	return edge.Line{P: in.Straight(l.P), U: raster.Point{X: r.UX, Y: r.UY}}
}
