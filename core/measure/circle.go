package measure

import (
	"errors"
	"fmt"
	"math"

	"ricetta/core/check"
	"ricetta/core/edge"
	"ricetta/core/raster"
)

// CircleSettings are the settings of measure.circle.
type CircleSettings struct {
	Region raster.Region `json:"region" jsonschema_description:"A ring in which the circle lies; the edge is sought from its inner circle outwards"`
	Rays   int           `json:"rays,omitempty" jsonschema:"minimum=8,maximum=720,default=90" jsonschema_description:"In how many directions the edge is sought"`
	Width  float64       `json:"width,omitempty" jsonschema:"minimum=1,maximum=50,default=3" jsonschema_description:"Pixels across each ray over which the brightness is averaged"`
	edge.Look
}

// Validate implements check.Validator.
func (s *CircleSettings) Validate() error { return ringOnly(s.Region) }

func ringOnly(r raster.Region) error {
	if err := r.Validate(); err != nil {
		return fmt.Errorf("region: %w", err)
	}
	if r.Ring == nil || r.Without != nil {
		return errors.New("region: it is no ring; give ring: center x, center y, inner radius, outer radius, without holes")
	}
	if r.Ring[3]-r.Ring[2] < 8 {
		return errors.New("region: the ring is too narrow to find an edge in; make it 8 pixels or wider")
	}
	return nil
}

// Circle is the kind measure.circle: center, diameter and roundness of a disc, a hole or
// an arc, fitted to edge points so that outliers do not pull it. Lengths are pixels.
var Circle = check.Define(check.Kind{
	Name: "measure.circle",
	Doc:  "Diameter, center and roundness of a disc or a hole.",
	Measures: []check.Measure{
		{Name: "diameter", Unit: "px", Doc: "Of the fitted circle"},
		{Name: "x", Unit: "px", Doc: "Center, from the left"},
		{Name: "y", Unit: "px", Doc: "Center, from the top"},
		{Name: "roundness", Unit: "px", Doc: "Between the farthest and the nearest edge point that belongs to the circle, as ISO 1101 has it"},
		{Name: "seen", Doc: "Share of the rays whose edge lies on the circle, 0 to 1; at least 0.5 unless its limits say otherwise"},
	},
}, func() CircleSettings { return CircleSettings{Rays: 90, Width: 3} }, func(_ *check.Teaching, s *CircleSettings) (check.Taught, error) {
	return &circle{*s}, nil
})

type circle struct{ s CircleSettings }

func (c *circle) NewJudge() check.Judge { return &circleJudge{s: c.s} }

type circleJudge struct {
	s CircleSettings
	ring
}

// ring seeks a closed outline in a ring and fits a circle to it.
type ring struct {
	caliper edge.Caliper
	rays    edge.Rays
	points  []raster.Point // of the edges, as if the lens did not bend
	fit     edge.Round
}

// belonging is how far in pixels an edge point may lie from the circle and still
// belong to it.
const belonging = 3.0

// seek finds the edges and fits the circle. It says in the finding what went wrong.
func (r *ring) seek(in *check.Input, out *check.Finding, region raster.Region, n int, width float64, look edge.Look) bool {
	c, size := in.On.Apply(region.Center()), in.On.Size()
	err := r.caliper.SeekRays(in.Gray, c, float64(region.Ring[2]*size), float64(region.Ring[3]*size), in.On.Angle(), n, width, look, &r.rays)
	if err != nil {
		if in.Covers(region, out) {
			out.Fault("the edge cannot be sought: its ring reaches outside the picture")
		}
		return false
	}
	r.points = r.points[:0]
	for _, p := range r.rays.Points {
		r.points = append(r.points, in.Straight(p))
	}
	var ok bool
	r.fit, _, ok = edge.FitCircle(r.points, r.rays.Scratch)
	if !ok {
		out.Fail("there is no circle")
	}
	return ok
}

func (j *circleJudge) Judge(in *check.Input, out *check.Finding) {
	out.MarkOutline(j.s.Region, in.On, check.RoleRegion)
	if !j.seek(in, out, j.s.Region, j.s.Rays, j.s.Width, j.s.Look) {
		return
	}
	nearest, farthest, seen := math.Inf(1), math.Inf(-1), 0
	on := out.AddMark(check.Points, check.RoleFound, "")
	for i, p := range j.points {
		d := j.fit.Distance(p)
		if math.Abs(d) > belonging {
			continue
		}
		seen++
		nearest, farthest = min(nearest, d), max(farthest, d)
		on.Points = append(on.Points, j.rays.Points[i])
	}
	center := j.fit.Center
	if in.Lens != nil {
		center = in.Lens.Bent(center)
	}
	out.Read("diameter", "px", float64(2*j.fit.Radius))
	out.Read("x", "px", center.X)
	out.Read("y", "px", center.Y)
	out.Read("roundness", "px", max(0, farthest-nearest))
	out.Read("seen", "", float64(seen)/float64(j.s.Rays))
	out.Readings[4].Limits.Least = 0.5
	out.MarkOutline(raster.Circle(center.X, center.Y, j.fit.Radius), raster.Identity(), check.RoleFound)
	m := out.AddMark(check.Cross, check.RoleFound, "")
	m.Points = append(m.Points, center)
}
