package measure

import (
	"errors"
	"fmt"
	"math"

	"ricetta/core/check"
	"ricetta/core/raster"
)

// EdgeSettings say how one edge is sought along an arrow.
type EdgeSettings struct {
	Arrow    []float64 `json:"arrow" jsonschema:"minItems=4,maxItems=4" jsonschema_description:"From x y to x y in pixels of the reference: where and in which direction to look"`
	Width    float64   `json:"width,omitempty" jsonschema:"minimum=0,maximum=1000,default=10" jsonschema_description:"Pixels across the arrow over which the brightness is averaged; 0 is taken as 10"`
	Polarity string    `json:"polarity,omitempty" jsonschema:"enum=either,enum=to_light,enum=to_dark,default=either" jsonschema_description:"What happens along the arrow at the edge"`
	Take     string    `json:"take,omitempty" jsonschema:"enum=strongest,enum=first,enum=last,default=strongest" jsonschema_description:"Which edge where there are several"`
	Step     float64   `json:"step,omitempty" jsonschema:"minimum=0,maximum=255,default=10" jsonschema_description:"Least step of gray values; 0 is taken as 10"`
}

// Validate reports an arrow without length.
func (e EdgeSettings) Validate() error {
	if len(e.Arrow) != 4 {
		return errors.New("arrow: give four numbers, from x y to x y")
	}
	for _, v := range e.Arrow {
		if !(math.Abs(v) <= 1e6) {
			return errors.New("arrow: keep numbers within ±1000000")
		}
	}
	if l := raster.Hypot(e.Arrow[2]-e.Arrow[0], e.Arrow[3]-e.Arrow[1]); l < leastArrow || l > mostArrow {
		return fmt.Errorf("arrow: it is %.1f pixels long; make it %d to %d", l, leastArrow, mostArrow)
	}
	return nil
}

// Lengths of arrows in pixels.
const (
	leastArrow = 8
	mostArrow  = 4000
)

func (e EdgeSettings) width() float64 { return orDefault(e.Width, 10) }
func (e EdgeSettings) step() float64  { return orDefault(e.Step, 10) }

func orDefault(v, d float64) float64 {
	if v == 0 {
		return d
	}
	return v
}

// edge is an edge that was found.
type edge struct {
	at       raster.Point // on the arrow
	strength float64      // gray values; above 0 towards light
}

// caliper seeks edges. It keeps its memory and serves one goroutine.
type caliper struct {
	profile, slope []float64
}

// The profile is sampled twice a pixel; slopes are those of a Gaussian of this
// deviation, in samples: narrow enough for neighbors three pixels apart.
const (
	samples = 2
	sigma   = 2.2
	reach   = 7
)

// weights of the smoothed slope, such that a sharp step of height h answers with h.
var weights = func() (w [2*reach + 1]float64) {
	sum := 0.0
	for k := -reach; k <= reach; k++ {
		u := float64(k) / sigma
		w[k+reach] = float64(float64(k) * raster.Exp(-float64(0.5*float64(u*u))))
		if k > 0 {
			sum += w[k+reach]
		}
	}
	for i := range w {
		w[i] /= sum
	}
	return w
}()

// errOutside says that the picture does not hold all that an arrow looks at.
var errOutside = errors.New("its arrow reaches outside the picture")

// errNoEdge says that no edge of the kind wanted lies on the arrow.
var errNoEdge = errors.New("no such edge")

// seek finds the edge in the picture, with the arrow moved by t.
func (c *caliper) seek(g *raster.Gray, e EdgeSettings, t raster.Transform) (edge, error) {
	a, b := t.Apply(raster.Point{X: e.Arrow[0], Y: e.Arrow[1]}), t.Apply(raster.Point{X: e.Arrow[2], Y: e.Arrow[3]})
	length := raster.Hypot(b.X-a.X, b.Y-a.Y)
	if !(length >= 2) || length > 2*mostArrow {
		return edge{}, errOutside
	}
	ux, uy := (b.X-a.X)/length, (b.Y-a.Y)/length
	half := float64(e.width() * t.Size() / 2)
	if !c.read(g, a, ux, uy, length, half) {
		return edge{}, errOutside
	}
	at, strength, ok := c.pick(e)
	if !ok {
		return edge{}, errNoEdge
	}
	return edge{raster.Point{X: a.X + float64(at*ux), Y: a.Y + float64(at*uy)}, strength}, nil
}

// read fills the profile: the mean brightness across the arrow, twice a pixel.
func (c *caliper) read(g *raster.Gray, a raster.Point, ux, uy, length, half float64) bool {
	n := int(float64(length*samples)) + 1
	across := max(1, int(float64(2*half)+0.5))
	c.profile = c.profile[:0]
	for i := range n {
		s := float64(i) / samples
		x, y := a.X+float64(s*ux), a.Y+float64(s*uy)
		sum := 0.0
		for k := range across {
			d := float64(k) - float64(across-1)/2
			v, ok := brightness(g, x-float64(d*uy), y+float64(d*ux))
			if !ok {
				return false
			}
			sum += v
		}
		c.profile = append(c.profile, sum/float64(across))
	}
	return true
}

// brightness returns the brightness at a place of the picture; in its outermost half
// pixel it is that of the border. ok is false outside.
func brightness(g *raster.Gray, x, y float64) (v float64, ok bool) {
	w, h := float64(g.W), float64(g.H)
	if !(x >= 0 && y >= 0 && x <= w && y <= h) || g.W < 2 || g.H < 2 {
		return 0, false
	}
	const rim = 0.5 + 1e-9
	return g.Between(min(max(x, 0.5), w-rim), min(max(y, 0.5), h-rim)), true
}

// pick chooses among the peaks of the slope; at is in pixels along the arrow.
func (c *caliper) pick(e EdgeSettings) (at, strength float64, ok bool) {
	n := len(c.profile)
	c.slope = c.slope[:0]
	for i := range n {
		s := 0.0
		for k, w := range weights {
			// Beyond its ends the profile goes on as it ended.
			s += float64(w * c.profile[min(max(i+k-reach, 0), n-1)])
		}
		c.slope = append(c.slope, s)
	}
	for i := 1; i+1 < n; i++ {
		m, before, after := c.wanted(i, e), c.wanted(i-1, e), c.wanted(i+1, e)
		if m < e.step() || m < before || m <= after || ok && e.Take == "first" {
			continue
		}
		if ok && e.Take != "last" && m <= math.Abs(strength) {
			continue
		}
		off := 0.0
		if bend := before - float64(2*m) + after; bend < 0 {
			off = (before - after) / float64(2*bend)
		}
		at, strength, ok = (float64(i)+off)/samples, c.slope[i], true
	}
	return at, strength, ok
}

// wanted is the slope at sample i as far as its polarity is wanted.
func (c *caliper) wanted(i int, e EdgeSettings) float64 {
	switch e.Polarity {
	case "to_light":
		return max(c.slope[i], 0)
	case "to_dark":
		return max(-c.slope[i], 0)
	}
	return math.Abs(c.slope[i])
}

// mark draws the arrow, and the edge across it where one was found.
func mark(out *check.Finding, e EdgeSettings, t raster.Transform, found *edge, label string) {
	a, b := t.Apply(raster.Point{X: e.Arrow[0], Y: e.Arrow[1]}), t.Apply(raster.Point{X: e.Arrow[2], Y: e.Arrow[3]})
	length := max(raster.Hypot(b.X-a.X, b.Y-a.Y), 1e-9)
	ux, uy := (b.X-a.X)/length, (b.Y-a.Y)/length
	m := out.AddMark(check.Polygon, check.RoleRegion, label)
	tip := float64(min(length/4, 8))
	m.Points = append(m.Points, a, b,
		raster.Point{X: b.X - float64(tip*(ux-float64(uy/2))), Y: b.Y - float64(tip*(uy+float64(ux/2)))}, b)
	if found == nil {
		return
	}
	h := float64(e.width() * t.Size() / 2)
	m = out.AddMark(check.Polygon, check.RoleFound, label)
	m.Points = append(m.Points,
		raster.Point{X: found.at.X - float64(h*uy), Y: found.at.Y + float64(h*ux)},
		raster.Point{X: found.at.X + float64(h*uy), Y: found.at.Y - float64(h*ux)})
}
