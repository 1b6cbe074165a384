package presence

import (
	"fmt"
	"math"

	"ricetta/core/check"
	"ricetta/core/raster"
)

// LikenessSettings are the settings of presence.likeness.
type LikenessSettings struct {
	Region raster.Region `json:"region" jsonschema_description:"The patch on the reference picture that should be there"`
	Shift  int           `json:"shift,omitempty" jsonschema:"minimum=0,maximum=20,default=3" jsonschema_description:"How many pixels the patch may be shifted either way"`
}

// Validate implements check.Validator.
func (s *LikenessSettings) Validate() error {
	if err := s.Region.Validate(); err != nil {
		return fmt.Errorf("region: %w", err)
	}
	return nil
}

// Likeness is the kind presence.likeness: how far a region agrees with the same region
// of the reference picture, at the best shift within a few pixels. The score is the
// normalized correlation, 0…1, so that gain and offset of the light do not matter.
var Likeness = check.Define(check.Kind{
	Name:           "presence.likeness",
	Doc:            "How far a region looks like the taught one, whatever the light.",
	NeedsReference: true,
	Measures: []check.Measure{
		{Name: "score", Doc: "Agreement at the best shift, 0 to 1"},
		{Name: "dx", Unit: "px", Doc: "Best shift to the right, in pixels of the reference"},
		{Name: "dy", Unit: "px", Doc: "Best shift downwards, in pixels of the reference"},
	},
}, func() LikenessSettings { return LikenessSettings{Shift: 3} }, teachLikeness)

// leastContrast is the deviation of the gray values that a patch must have.
const leastContrast = 4

func teachLikeness(t *check.Teaching, s *LikenessSettings) (check.Taught, error) {
	if err := t.TaughtOutside("region", s.Region); err != nil {
		return nil, err
	}
	g := t.Reference
	spans := s.Region.SpansInto(nil, raster.Identity(), g.W, g.H)
	if len(spans) == 0 {
		return nil, fmt.Errorf("region: it holds no pixel; make it larger")
	}
	x0, y0, x1, y1 := spans.Bounds()
	l := &likeness{s: *s, corner: raster.Point{X: float64(x0), Y: float64(y0)}}
	part := g.Sub(x0, y0, x1, y1)
	l.full.patch = part.Clone()
	for _, r := range spans {
		l.full.spans = append(l.full.spans, raster.Span{Y: r.Y - int32(y0), X0: r.X0 - int32(x0), X1: r.X1 - int32(x0)})
	}
	l.full.sums()
	if dev := l.full.deviation(); dev < leastContrast {
		return nil, fmt.Errorf("region: its gray values hardly differ (deviation %.1f, %d needed), so that nothing can be likened to them; use presence.level for a plain surface", dev, leastContrast)
	}
	if s.Shift > 4 && part.W >= 16 && part.H >= 16 {
		half := &stencil{patch: l.full.patch.Half(new(raster.Gray))}
		half.spans = s.Region.SpansInto(nil, raster.Transform{A: 0.5, X: -float64(x0) / 2, Y: -float64(y0) / 2}, half.patch.W, half.patch.H)
		half.sums()
		if half.n > 64 && half.deviation() >= leastContrast {
			l.half = half
		}
	}
	return l, nil
}

// stencil is a taught patch: its pixels and which of them count.
type stencil struct {
	patch      *raster.Gray
	spans      raster.Spans
	n, sum, sq int
	ones       []uint8
}

func (s *stencil) sums() {
	s.n, s.sum, s.sq = s.spans.Pixels(), 0, 0
	s.ones = make([]uint8, s.patch.W)
	for i := range s.ones {
		s.ones[i] = 1
	}
	for _, r := range s.spans {
		row := s.patch.Row(int(r.Y))[r.X0:r.X1]
		s.sum += raster.Dot(row, s.ones)
		s.sq += raster.Dot(row, row)
	}
}

func (s *stencil) deviation() float64 {
	n := float64(s.n)
	mean := float64(s.sum) / n
	return math.Sqrt(max(float64(s.sq)/n-float64(mean*mean), 0))
}

// score returns the correlation of the patch with g, whose pixel (dx, dy) lies under
// the patch's first.
func (s *stencil) score(g *raster.Gray, dx, dy int) float64 {
	sum, sq, both := 0, 0, 0
	for _, r := range s.spans {
		row := g.Row(int(r.Y) + dy)[int(r.X0)+dx : int(r.X1)+dx]
		sum += raster.Dot(row, s.ones)
		sq += raster.Dot(row, row)
		both += raster.Dot(row, s.patch.Row(int(r.Y))[r.X0:r.X1])
	}
	n := float64(s.n)
	mean := float64(sum) / n
	variance := float64(sq)/n - float64(mean*mean)
	if variance < 1 { // a plain surface and its rounding
		return 0
	}
	cov := float64(both)/n - float64(mean*float64(s.sum))/n
	return max(0, min(1, cov/float64(math.Sqrt(variance)*s.deviation())))
}

// best returns the shift with the best score within ±reach about (cx, cy).
func (s *stencil) best(g *raster.Gray, cx, cy, reach, most int) (dx, dy int, score float64) {
	dx, dy, score = cx, cy, -1
	for y := max(cy-reach, 0); y <= min(cy+reach, 2*most); y++ {
		for x := max(cx-reach, 0); x <= min(cx+reach, 2*most); x++ {
			if v := s.score(g, x, y); v > score {
				dx, dy, score = x, y, v
			}
		}
	}
	return dx, dy, score
}

type likeness struct {
	s      LikenessSettings
	corner raster.Point // of the patch on the reference
	full   stencil
	half   *stencil // for wide shifts
}

func (l *likeness) NewJudge() check.Judge { return &likenessJudge{likeness: l} }

type likenessJudge struct {
	*likeness
	seen, small raster.Gray // what lies under the patch, with a margin of the shift
}

func (j *likenessJudge) Judge(in *check.Input, out *check.Finding) {
	out.MarkOutline(j.s.Region, in.On, check.RoleRegion)
	if !in.Covers(j.s.Region, out) {
		return
	}
	n := j.s.Shift
	j.see(in, 0, 0, n)
	dx, dy, score := n, n, 0.0
	if j.half != nil {
		j.seen.Half(&j.small)
		// The half-size picture starts at an odd pixel where n is odd: a pixel more of reach.
		x, y, _ := j.half.best(&j.small, (n+1)/2, (n+1)/2, (n+1)/2, n/2)
		dx, dy, score = j.full.best(&j.seen, 2*x, 2*y, 2, n)
	} else {
		dx, dy, score = j.full.best(&j.seen, n, n, n, n)
	}
	fx, fy := j.peak(dx, dy, n)
	sx, sy := float64(dx-n), float64(dy-n)
	if fx != 0 || fy != 0 {
		j.see(in, sx+fx, sy+fy, 0)
		if v := j.full.score(&j.seen, 0, 0); v > score {
			score, sx, sy = v, sx+fx, sy+fy
		}
	}
	out.Read("score", "", max(score, 0))
	out.Read("dx", "px", sx)
	out.Read("dy", "px", sy)
	out.Sentence = check.AppendNumber(append(out.Sentence, "likeness "...), check.Rounded(max(score, 0), 100))
}

// peak returns how far the summit of the score lies from the best whole shift, by a
// parabola through its neighbors.
func (j *likenessJudge) peak(dx, dy, n int) (fx, fy float64) {
	at := j.full.score(&j.seen, dx, dy)
	summit := func(before, after float64) float64 {
		return max(-0.5, min(0.5, raster.Summit(before, at, after)))
	}
	if dx > 0 && dx < 2*n {
		fx = summit(j.full.score(&j.seen, dx-1, dy), j.full.score(&j.seen, dx+1, dy))
	}
	if dy > 0 && dy < 2*n {
		fy = summit(j.full.score(&j.seen, dx, dy-1), j.full.score(&j.seen, dx, dy+1))
	}
	return fx, fy
}

// see fills seen with the picture as it lies under the patch, shifted by (sx, sy)
// pixels of the reference, with margin pixels more to all sides. Beyond its border the
// picture goes on as it ends.
func (j *likenessJudge) see(in *check.Input, sx, sy float64, margin int) {
	g := in.Gray
	p := j.full.patch
	j.seen.Resize(p.W+2*margin, p.H+2*margin)
	const rim = 0.5 + 1e-9
	right, bottom := float64(g.W)-rim, float64(g.H)-rim
	if g.W < 2 || g.H < 2 {
		clear(j.seen.Pix)
		return
	}
	for y := range j.seen.H {
		row := j.seen.Row(y)
		ry := j.corner.Y + sy + float64(y-margin) + 0.5
		for x := range row {
			q := in.On.Apply(raster.Point{X: j.corner.X + sx + float64(x-margin) + 0.5, Y: ry})
			row[x] = uint8(g.Between(min(max(q.X, 0.5), right), min(max(q.Y, 0.5), bottom)) + 0.5)
		}
	}
}
