package edge

import (
	"errors"
	"fmt"
	"math"
	"slices"

	"ricetta/core/check"
	"ricetta/core/raster"
)

// Look says which edges are meant.
type Look struct {
	Polarity string  `json:"polarity,omitempty" jsonschema:"enum=either,enum=to_light,enum=to_dark,default=either" jsonschema_description:"What happens along the arrow at the edge"`
	Take     string  `json:"take,omitempty" jsonschema:"enum=strongest,enum=first,enum=last,default=strongest" jsonschema_description:"Which edge where there are several"`
	Step     float64 `json:"step,omitempty" jsonschema:"minimum=0,maximum=255,default=10" jsonschema_description:"Least step of gray values; 0 is taken as 10"`
}

// Settings say how one edge is sought along an arrow.
type Settings struct {
	Arrow []float64 `json:"arrow" jsonschema:"minItems=4,maxItems=4" jsonschema_description:"From x y to x y in pixels of the reference: where and in which direction to look"`
	Width float64   `json:"width,omitempty" jsonschema:"minimum=0,maximum=4000,default=10" jsonschema_description:"Pixels across the arrow over which the brightness is averaged; 0 is taken as 10"`
	Look
}

// Validate reports an arrow without length.
func (e Settings) Validate() error { return ValidArrow("arrow", e.Arrow) }

// ValidArrow reports what is wrong with an arrow in the setting field.
func ValidArrow(field string, arrow []float64) error {
	if len(arrow) != 4 {
		return fmt.Errorf("%s: give four numbers, from x y to x y", field)
	}
	for _, v := range arrow {
		if !(math.Abs(v) <= 1e6) {
			return fmt.Errorf("%s: keep numbers within ±1000000", field)
		}
	}
	if l := raster.Hypot(arrow[2]-arrow[0], arrow[3]-arrow[1]); l < leastArrow || l > mostArrow {
		return fmt.Errorf("%s: it is %.1f pixels long; make it %d to %d", field, l, leastArrow, mostArrow)
	}
	return nil
}

// Lengths of arrows in pixels.
const (
	leastArrow = 8
	mostArrow  = 4000
)

func (e Settings) width() float64 { return orDefault(e.Width, 10) }
func (l Look) step() float64      { return orDefault(l.Step, 10) }

func orDefault(v, d float64) float64 {
	if v == 0 {
		return d
	}
	return v
}

// Edge is an edge that was found.
type Edge struct {
	At       raster.Point // on the arrow
	Along    float64      // pixels from the arrow's start
	Strength float64      // step of gray values; above 0 towards light
}

// Caliper seeks edges along arrows. It keeps its memory and serves one goroutine.
type Caliper struct {
	sums           []int64
	profile, slope []float64
	edges          []Edge
	points         []raster.Point
	weights        []float64
}

// The profile is sampled twice a pixel; slopes are those of a Gaussian of this
// deviation, in samples: narrow enough for neighbors three pixels apart.
const (
	samples = 2
	sigma   = 2.2
	reach   = 7
)

// weights of the smoothed slope, one to reach samples away, such that a sharp step of
// height h answers with h.
var weights = func() (w [reach]float64) {
	sum := 0.0
	for i := range w {
		k := float64(i + 1)
		u := k / sigma
		w[i] = float64(k * raster.Exp(-float64(0.5*float64(u*u))))
		sum += w[i]
	}
	for i := range w {
		w[i] /= sum
	}
	return w
}()

// ErrOutside says that the picture does not hold all that an arrow looks at.
var ErrOutside = errors.New("its arrow reaches outside the picture")

// ErrNoEdge says that no edge of the kind wanted lies on the arrow.
var ErrNoEdge = errors.New("no such edge")

// Ray is an arrow in the picture: from A along the unit vector (UX, UY).
type Ray struct {
	A              raster.Point
	UX, UY, Length float64
}

// NewRay returns the ray from a to b.
func NewRay(a, b raster.Point) Ray {
	length := raster.Hypot(b.X-a.X, b.Y-a.Y)
	d := max(length, 1e-9)
	return Ray{a, (b.X - a.X) / d, (b.Y - a.Y) / d, length}
}

// At returns the place s pixels along the ray and d to its right (clockwise).
func (r Ray) At(s, d float64) raster.Point {
	return raster.Point{
		X: r.A.X + float64(s*r.UX) - float64(d*r.UY),
		Y: r.A.Y + float64(s*r.UY) + float64(d*r.UX),
	}
}

// Ray returns the arrow moved by t.
func (e Settings) Ray(t raster.Transform) Ray {
	return NewRay(t.Apply(raster.Point{X: e.Arrow[0], Y: e.Arrow[1]}), t.Apply(raster.Point{X: e.Arrow[2], Y: e.Arrow[3]}))
}

// Seek finds the edge in the picture, with the arrow moved by t. The error is
// ErrOutside or ErrNoEdge.
func (c *Caliper) Seek(g *raster.Gray, e Settings, t raster.Transform) (Edge, error) {
	return c.SeekOn(g, e.Ray(t), float64(e.width()*t.Size()), e.Look)
}

// SeekOn finds the edge on a ray, averaged over width pixels across it.
func (c *Caliper) SeekOn(g *raster.Gray, r Ray, width float64, l Look) (Edge, error) {
	edges, err := c.AllOn(g, r, width, l)
	if err != nil {
		return Edge{}, err
	}
	if len(edges) == 0 {
		return Edge{}, ErrNoEdge
	}
	best := edges[0]
	for _, e := range edges[1:] {
		if l.Take == "last" || l.Take != "first" && math.Abs(e.Strength) > math.Abs(best.Strength) {
			best = e
		}
	}
	return best, nil
}

// All finds every edge along the arrow moved by t, in its order. The result is good
// until the next call.
func (c *Caliper) All(g *raster.Gray, e Settings, t raster.Transform) ([]Edge, error) {
	return c.AllOn(g, e.Ray(t), float64(e.width()*t.Size()), e.Look)
}

// AllOn is All on a ray.
func (c *Caliper) AllOn(g *raster.Gray, r Ray, width float64, l Look) ([]Edge, error) {
	if !(r.Length >= 2) || r.Length > 2*mostArrow || !c.read(g, r, width) {
		return nil, ErrOutside
	}
	c.Pick(c.profile, 1.0/samples, l)
	for i := range c.edges {
		e := &c.edges[i]
		e.At = r.At(e.Along, 0)
	}
	return c.edges, nil
}

// read fills the profile: the mean brightness across the ray, twice a pixel.
func (c *Caliper) read(g *raster.Gray, r Ray, width float64) bool {
	n := int(float64(r.Length*samples)) + 1
	across := max(1, int(width+0.5))
	half := float64(across-1) / 2
	if g.W < 2 || g.H < 2 || !(width < 2*mostArrow) || n > 4*mostArrow {
		return false
	}
	w, h := float64(g.W), float64(g.H)
	for _, p := range [4]raster.Point{r.At(0, -half), r.At(0, half), r.At(float64(n-1)/samples, -half), r.At(float64(n-1)/samples, half)} {
		if !(p.X >= 0 && p.Y >= 0 && p.X <= w && p.Y <= h) {
			return false
		}
	}
	c.sums = slices.Grow(c.sums[:0], n)[:n]
	clear(c.sums)
	for k := range across {
		g.AddAlong(c.sums, r.At(0, float64(k)-half), r.UX/samples, r.UY/samples)
	}
	c.profile = c.profile[:0]
	for _, v := range c.sums {
		c.profile = append(c.profile, float64(v)/float64(across*raster.AlongOne))
	}
	return true
}

// Pick returns the peaks of the profile's slope that are meant, in order; spacing is
// the distance of its samples in pixels. At of the edges is not set.
func (c *Caliper) Pick(profile []float64, spacing float64, l Look) []Edge {
	n := len(profile)
	c.slope, c.edges = c.slope[:0], c.edges[:0]
	for i := range n {
		s := 0.0
		if i >= reach && i+reach < n {
			before, after := profile[i-reach:i], profile[i+1:i+1+reach]
			for k, w := range weights {
				s += float64(w * (after[k] - before[reach-1-k]))
			}
		} else {
			for k, w := range weights { // beyond its ends the profile goes on as it ended
				s += float64(w * (profile[min(i+k+1, n-1)] - profile[max(i-k-1, 0)]))
			}
		}
		c.slope = append(c.slope, s)
	}
	for i := 1; i+1 < n; i++ {
		m, before, after := l.wanted(c.slope[i]), l.wanted(c.slope[i-1]), l.wanted(c.slope[i+1])
		if m < l.step() || m < before || m <= after {
			continue
		}
		c.edges = append(c.edges, Edge{Along: float64((float64(i) + raster.Summit(before, m, after)) * spacing), Strength: c.slope[i]})
	}
	return c.edges
}

// wanted is the slope as far as its polarity is meant.
func (l Look) wanted(slope float64) float64 {
	switch l.Polarity {
	case "to_light":
		return max(slope, 0)
	case "to_dark":
		return max(-slope, 0)
	}
	return math.Abs(slope)
}

// Mark draws the arrow moved by t, and the edge across it where one was found.
func (e Settings) Mark(out *check.Finding, t raster.Transform, found *Edge, label string) {
	r := e.Ray(t)
	m := out.AddMark(check.Arrow, check.RoleRegion, label)
	m.Points = append(m.Points, r.A, r.At(r.Length, 0))
	if found == nil {
		return
	}
	h := float64(e.width() * t.Size() / 2)
	m = out.AddMark(check.Line, check.RoleFound, "")
	m.Points = append(m.Points, r.At(found.Along, -h), r.At(found.Along, h))
}
