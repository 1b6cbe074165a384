package locate

import (
	"errors"
	"fmt"
	"math"

	"ricetta/core/check"
	"ricetta/core/raster"
)

// Area are the settings by which every datum's place is bounded.
type Area struct {
	Search *raster.Region `json:"search,omitempty" jsonschema_description:"Where the center may be looked for; the whole picture if absent"`
	Accept *raster.Region `json:"accept,omitempty" jsonschema_description:"Where the found center must lie to be accepted; anywhere if absent"`
}

func (a *Area) validate() error {
	for i, r := range [2]*raster.Region{a.Search, a.Accept} {
		if r == nil {
			continue
		}
		if err := r.Validate(); err != nil {
			return fmt.Errorf("%s: %w", [2]string{"search", "accept"}[i], err)
		}
	}
	return nil
}

// validSizes reports what is wrong with a range of sizes.
func validSizes(size []float64) error {
	if size != nil && (len(size) != 2 || !(size[0] >= 0.5 && size[0] <= size[1] && size[1] <= 2)) {
		return errors.New("size: give two numbers, least and most, between 0.5 and 2")
	}
	return nil
}

// sizesOf returns the range of sizes, by default from least to most.
func sizesOf(size []float64, least, most float64) (float64, float64) {
	if size == nil {
		return least, most
	}
	return size[0], size[1]
}

// measures are the readings of every datum.
var measures = []check.Measure{
	{Name: "score", Doc: "Agreement with what was taught, 0 to 1"},
	{Name: "x", Unit: "px", Doc: "Center of the taught region, from the left"},
	{Name: "y", Unit: "px", Doc: "Center of the taught region, from the top"},
	{Name: "angle", Unit: "deg", Doc: "Turn against the taught position, clockwise"},
	{Name: "size", Doc: "Size against the taught one"},
}

// mark draws what was looked for where it would lie if nothing had moved, and where it
// was looked for.
func (a *Area) mark(in *check.Input, out *check.Finding, taught raster.Region) {
	out.MarkOutline(taught, in.On, check.RoleTaught)
	if a.Search != nil {
		out.MarkOutline(*a.Search, in.On, check.RoleRegion)
	}
}

// notFound makes the finding that of a datum that was not found.
func notFound(out *check.Finding, score, accept float64) {
	readScore(out, score, accept)
	out.Outcome = check.Failed
	b := append(out.Sentence, "not found ("...)
	if score == 0 {
		b = append(b, "nothing comes near it; a score of "...)
	} else {
		b = append(check.AppendNumber(append(b, "best score "...), check.Rounded(score, 1000)), ", "...)
	}
	out.Sentence = append(check.AppendNumber(append(b, "at least "...), accept), " wanted)"...)
}

func readScore(out *check.Finding, score, accept float64) {
	out.Read("score", "", score)
	out.Readings[0].Limits = check.Band{Least: accept, Most: math.Inf(1)}
}

// report gives the readings of a datum found at p and returns the transform from the
// reference picture; center is what lies at p.x, p.y, there.
func report(in *check.Input, out *check.Finding, p pose, center raster.Point, a *Area, accept float64) raster.Transform {
	readScore(out, p.score, accept)
	turn := raster.WrapAngle(p.angle - in.On.Angle())
	out.Read("x", "px", p.x)
	out.Read("y", "px", p.y)
	out.Read("angle", "deg", turn)
	out.Read("size", "", p.size/in.On.Size())
	at := raster.Point{X: p.x, Y: p.y}
	c := out.AddMark(check.Cross, check.RoleFound, "")
	c.Turn = p.angle
	c.Points = append(c.Points, at)

	b := append(out.Sentence, "found at "...)
	b = append(check.AppendNumber(b, check.Rounded(p.x, 10)), ", "...)
	b = append(check.AppendNumber(b, check.Rounded(p.y, 10)), ", turned "...)
	b = append(check.AppendNumber(b, check.Rounded(turn, 10)), "°, score "...)
	out.Sentence = check.AppendNumber(b, check.Rounded(p.score, 100))

	if a.Accept != nil && !a.Accept.Contains(in.On, at) {
		out.MarkOutline(*a.Accept, in.On, check.RoleRegion)
		out.Fail("found, but outside its accept area")
	}
	return raster.Moving(center, raster.Pose{X: p.x, Y: p.y, Angle: p.angle, Size: p.size})
}

// searched returns the pixels of the picture g, level k of the pyramid, in which the
// search area lies.
func (a *Area) searched(in *check.Input, g *raster.Gray, k int) box {
	b := box{0, 0, g.W, g.H}
	if a.Search == nil {
		return b
	}
	x0, y0, x1, y1 := a.Search.Bounds(in.On)
	scale := 1 / float64(int(1)<<k)
	return box{
		max(b.x0, int(math.Floor(float64(x0*scale)))-1), max(b.y0, int(math.Floor(float64(y0*scale)))-1),
		min(b.x1, int(math.Ceil(float64(x1*scale)))+1), min(b.y1, int(math.Ceil(float64(y1*scale)))+1),
	}
}

// allows reports whether the place lies in the search area.
func (a *Area) allows(in *check.Input, x, y float64) bool {
	return a.Search == nil || a.Search.Contains(in.On, raster.Point{X: x, Y: y})
}
