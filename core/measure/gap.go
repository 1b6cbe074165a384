package measure

import (
	"errors"
	"fmt"

	"ricetta/core/check"
	"ricetta/core/raster"
)

// GapSettings are the settings of measure.gap.
type GapSettings struct {
	From EdgeSettings `json:"from" jsonschema_description:"The first edge"`
	To   EdgeSettings `json:"to" jsonschema_description:"The second edge"`
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
// beside each other measure right; it is below 0 where the second edge lies behind
// the first. Strengths are the steps of gray values, above 0 towards light.
var Gap = check.Define(check.Kind{
	Name: "measure.gap",
	Doc:  "Distance between two edges: a missing or raised cap is a changed distance.",
	Measures: []check.Measure{
		{Name: "distance", Unit: "px", Doc: "From the first edge to the second along the first arrow"},
		{Name: "from_strength", Doc: "Step of gray values at the first edge"},
		{Name: "to_strength", Doc: "Step of gray values at the second edge"},
	},
}, func() GapSettings { return GapSettings{} }, func(_ *check.Teaching, s *GapSettings) (check.Taught, error) {
	return &gap{*s}, nil
})

type gap struct{ s GapSettings }

func (g *gap) NewJudge() check.Judge { return &gapJudge{s: g.s} }

type gapJudge struct {
	s       GapSettings
	caliper caliper
}

func (j *gapJudge) Judge(in *check.Input, out *check.Finding) {
	var found [2]edge
	for i, e := range [2]EdgeSettings{j.s.From, j.s.To} {
		name := [2]string{"first", "second"}[i]
		got, err := j.caliper.seek(in.Gray, e, in.On)
		switch {
		case errors.Is(err, errOutside):
			mark(out, e, in.On, nil, name)
			out.Fault("the " + name + " edge cannot be sought: " + err.Error())
			return
		case err != nil:
			mark(out, e, in.On, nil, name)
			out.Fail("the " + name + " edge is not there")
			return
		}
		mark(out, e, in.On, &got, name)
		found[i] = got
	}
	a := j.s.From.Arrow
	u := raster.Point{X: a[2] - a[0], Y: a[3] - a[1]}
	ux, uy := float64(in.On.A*u.X)-float64(in.On.B*u.Y), float64(in.On.B*u.X)+float64(in.On.A*u.Y)
	length := raster.Hypot(ux, uy)
	dx, dy := found[1].at.X-found[0].at.X, found[1].at.Y-found[0].at.Y
	out.Read("distance", "px", (float64(dx*ux)+float64(dy*uy))/length)
	out.Read("from_strength", "", found[0].strength)
	out.Read("to_strength", "", found[1].strength)
}
