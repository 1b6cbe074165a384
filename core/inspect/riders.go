package inspect

import (
	"fmt"
	"math"

	"ricetta/core/check"
	"ricetta/core/raster"
	"ricetta/core/recipe"
)

// How far riders may reach from a datum, as a multiple of the datum's own reach, before
// it is warned of.
const farRiders = 5

// warnOfRiders warns of datums that are much smaller than what rides on them, or far
// away from it: a small error of their turn is a large shift there.
func (p *Plan) warnOfRiders() {
	for i := range p.steps {
		d := &p.steps[i]
		if !d.kind.Datum {
			continue
		}
		var points []raster.Point
		for _, m := range p.TaughtMarks[d.doc.ID] {
			if m.Role == check.RoleTaught {
				points = append(points, m.Points...)
			}
		}
		if len(points) == 0 {
			continue
		}
		center, radius := middle(points)
		worst, who := 0.0, ""
		for k := range p.steps {
			if p.steps[k].on != i {
				continue
			}
			for _, q := range recipe.Places(p.steps[k].doc.Settings) {
				if r := raster.Hypot(q.X-center.X, q.Y-center.Y); r > worst {
					worst, who = r, p.steps[k].doc.ID
				}
			}
		}
		if worst <= float64(farRiders*radius) {
			continue
		}
		p.Warnings = append(p.Warnings, Warning{d.doc.ID, fmt.Sprintf(
			"%s reaches %.0f px away from it, and it is only %.0f px wide: an error of a tenth of a degree in its turn shifts %s by %.1f px; choose a larger feature, or one closer",
			who, worst, float64(2*radius), who, float64(worst*(0.1*math.Pi/180)))})
	}
}

// middle returns the middle of the box round the points and their farthest distance
// from it.
func middle(points []raster.Point) (c raster.Point, radius float64) {
	x0, y0, x1, y1 := math.Inf(1), math.Inf(1), math.Inf(-1), math.Inf(-1)
	for _, p := range points {
		x0, x1 = min(x0, p.X), max(x1, p.X)
		y0, y1 = min(y0, p.Y), max(y1, p.Y)
	}
	c = raster.Point{X: (x0 + x1) / 2, Y: (y0 + y1) / 2}
	for _, p := range points {
		radius = max(radius, raster.Hypot(p.X-c.X, p.Y-c.Y))
	}
	return c, radius
}

// OnReference judges the reference picture itself: its readings are the nominal values
// to set limits from. It is nil where the recipe has no reference picture.
func (p *Plan) OnReference() *Result {
	if p.reference.Kind() == "" {
		return nil
	}
	return p.NewRunner().Inspect(p.reference).Clone()
}
