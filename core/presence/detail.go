package presence

import (
	"fmt"
	"slices"

	"ricetta/core/check"
	"ricetta/core/raster"
)

// DetailSettings are the settings of presence.detail.
type DetailSettings struct {
	Region raster.Region `json:"region" jsonschema_description:"Where to look"`
	Step   float64       `json:"step,omitempty" jsonschema:"exclusiveMinimum=0,maximum=255,default=10" jsonschema_description:"Gray values by which neighbors must differ for a pixel to count as an edge"`
}

// Validate implements check.Validator.
func (s *DetailSettings) Validate() error {
	if err := s.Region.Validate(); err != nil {
		return fmt.Errorf("region: %w", err)
	}
	return nil
}

// Detail is the kind presence.detail: how much edge there is in a region. A plain
// surface has none; a code, a text or an object has. Readings: share of the region's
// pixels that lie on an edge, 0…1, and strength, the mean step of brightness at
// those, gray values a pixel.
var Detail = check.Define(check.Kind{
	Name: "presence.detail",
	Doc:  "How much edge there is in a region: nothing on a plain surface, much on print.",
	Measures: []check.Measure{
		{Name: "share", Doc: "Part of the region's pixels that lie on an edge, 0 to 1"},
		{Name: "strength", Doc: "Mean step of brightness on the edges in gray values a pixel; 0 where there is none"},
	},
}, func() DetailSettings { return DetailSettings{Step: 10} }, func(_ *check.Teaching, s *DetailSettings) (check.Taught, error) {
	return &detail{*s}, nil
})

type detail struct{ s DetailSettings }

func (d *detail) NewJudge() check.Judge { return &detailJudge{s: d.s} }

type detailJudge struct {
	s      DetailSettings
	spans  raster.Spans
	slopes raster.Slopes
	sums   []uint8
}

func (j *detailJudge) Judge(in *check.Input, out *check.Finding) {
	out.MarkOutline(j.s.Region, in.On, check.RoleRegion)
	if !in.Covers(j.s.Region, out) {
		return
	}
	g := in.Gray
	j.spans = j.s.Region.SpansInto(j.spans, in.On, g.W, g.H)
	// The Sobel operator answers a slope of one gray value a pixel with 8.
	least := float64(8 * j.s.Step)
	likely := min(least, 255)
	var n, edges int64
	strength := 0.0
	for _, s := range j.spans {
		y := int(s.Y)
		if y < 1 || y >= g.H-1 {
			continue // the outermost pixels have no neighbors to differ from
		}
		x0, x1 := max(1, int(s.X0)), min(g.W-1, int(s.X1))
		if x0 >= x1 {
			continue
		}
		n += int64(x1 - x0)
		j.sums = slices.Grow(j.sums[:0], x1-x0)[:x1-x0]
		j.slopes.Row(j.sums, g.Row(y - 1)[x0-1:x1+1], g.Row(y)[x0-1:x1+1], g.Row(y + 1)[x0-1:x1+1])
		for i, sum := range j.sums {
			// |gx| + |gy|, cut at 255, is never less than the magnitude, so cut.
			if float64(sum) < likely {
				continue
			}
			gx, gy := g.Sobel(x0+i, y)
			if m := raster.Hypot(float64(gx), float64(gy)); m >= least {
				edges++
				strength += m
			}
		}
	}
	if n == 0 {
		out.Fault(check.NoPixel)
		return
	}
	out.Read("share", "", float64(edges)/float64(n))
	if edges > 0 {
		strength = strength / float64(8*edges)
	}
	out.Read("strength", "", strength)
}
