package locate

import (
	"cmp"
	"errors"
	"fmt"
	"math"
	"slices"

	"ricetta/core/check"
	"ricetta/core/edge"
	"ricetta/core/raster"
)

// DiscSettings are the settings of locate.disc.
type DiscSettings struct {
	Region raster.Region `json:"region" jsonschema_description:"The disc or hole on the reference picture: a circle about its border, or a ring that its border lies in"`
	Area
	Size        []float64 `json:"size,omitempty" jsonschema:"minItems=2,maxItems=2" jsonschema_description:"Least and most size relative to the taught one, between 0.5 and 2; 0.9 to 1.1 if absent"`
	AcceptScore float64   `json:"accept_score,omitempty" jsonschema:"minimum=0.2,maximum=1,default=0.6" jsonschema_description:"Least share of the circle that must be seen"`
}

// Validate implements check.Validator.
func (s *DiscSettings) Validate() error {
	if err := s.Region.Validate(); err != nil {
		return fmt.Errorf("region: %w", err)
	}
	if s.Region.Circle == nil && s.Region.Ring == nil || s.Region.Without != nil {
		return errors.New("region: it is not round; give a circle or a ring, without holes")
	}
	if inner, outer := s.ring(); outer-inner < 8 {
		return errors.New("region: it is too small to find a border in; make it larger")
	}
	if err := s.validate(); err != nil {
		return err
	}
	return validSizes(s.Size)
}

// ring returns where the border lies on the reference picture.
func (s *DiscSettings) ring() (inner, outer float64) {
	if r := s.Region.Ring; r != nil {
		return r[2], r[3]
	}
	r := s.Region.Circle[2]
	return float64(0.6 * r), float64(1.4 * r)
}

// Disc is the kind locate.disc: it finds a disc or a hole by the circle of its border.
// Every edge pixel votes for the centers that it may belong to; the best are fitted
// with sub-pixel precision. A disc has no turn: its angle is 0 and what rides on it
// keeps the turn of the datum below.
var Disc = check.Define(check.Kind{
	Name:           "locate.disc",
	Doc:            "Finds a disc or a hole and says where its center lies.",
	Datum:          true,
	NeedsReference: true,
	Measures:       measures,
}, func() DiscSettings { return DiscSettings{AcceptScore: 0.6} }, teachDisc)

func teachDisc(t *check.Teaching, s *DiscSettings) (check.Taught, error) {
	var c edge.Caliper
	var rays edge.Rays
	inner, outer := s.ring()
	center := s.Region.Center()
	if err := c.SeekRays(t.Reference, center, inner, outer, 0, discRays, 2, edge.Look{}, &rays); err != nil {
		return nil, errors.New("region: its border reaches outside the reference picture; draw it inside")
	}
	fit, near, ok := edge.FitCircle(rays.Points, rays.Scratch)
	if !ok || 2*near < discRays {
		return nil, errors.New("region: there is no circle on the reference picture; draw it about the border of a disc or a hole")
	}
	d := &disc{s: *s, taught: fit, look: edge.Look{Polarity: "to_light"}}
	rise := 0.0
	for _, e := range rays.Edges {
		rise += e.Strength
	}
	if rise < 0 {
		d.look.Polarity = "to_dark"
	}
	for d.level = 0; fit.Radius/float64(int(2)<<d.level) >= leastVotingRadius && d.level < mostLevels; {
		d.level++
	}
	m := check.Mark{Shape: check.Points, Role: check.RoleTaught}
	m.Points = append(m.Points, rays.Points...)
	t.Marks = append(t.Marks, m)
	return d, nil
}

const (
	discRays          = 90
	leastVotingRadius = 10 // pixels of the level that the votes are counted on
	mostCenters       = 8  // that are looked at closely
)

type disc struct {
	s      DiscSettings
	taught edge.Round
	look   edge.Look
	level  int
}

func (d *disc) NewJudge() check.Judge { return &discJudge{disc: d} }

type discJudge struct {
	*disc
	votes, sums []uint16
	centers     []hit
	caliper     edge.Caliper
	rays        edge.Rays
	place       raster.Transform
}

func (j *discJudge) Place() raster.Transform { return j.place }

func (j *discJudge) Judge(in *check.Input, out *check.Finding) {
	j.s.mark(in, out, raster.Circle(j.taught.Center.X, j.taught.Center.Y, j.taught.Radius))
	j.vote(in)
	least, most := sizesOf(j.s.Size, 0.9, 1.1)
	radius := float64(j.taught.Radius * in.On.Size())
	best, fit := pose{}, edge.Round{}
	scale := float64(int(1) << j.level)
	for _, c := range j.centers {
		at := raster.Point{X: float64((float64(c.x) + 0.5) * scale), Y: float64((float64(c.y) + 0.5) * scale)}
		from, to := float64(radius*least)-float64(1.5*scale)-3, float64(radius*most)+float64(1.5*scale)+3
		var f edge.Round
		score, ok := 0.0, false
		for range 2 { // once more about the circle found, to see all of it
			f, score, ok = j.fit(in.Gray, at, max(from, 0), to)
			if !ok {
				break
			}
			at, from, to = f.Center, float64(f.Radius*0.85)-4, float64(f.Radius*1.15)+4
		}
		size := f.Radius / j.taught.Radius / in.On.Size()
		if ok && score > best.score && size >= least-0.01 && size <= most+0.01 && j.s.allows(in, f.Center.X, f.Center.Y) {
			best, fit = pose{x: f.Center.X, y: f.Center.Y, angle: in.On.Angle(), size: float64(size * in.On.Size()), score: score}, f
		}
	}
	if best.score < j.s.AcceptScore {
		notFound(out, best.score, j.s.AcceptScore)
		return
	}
	out.MarkOutline(raster.Circle(fit.Center.X, fit.Center.Y, fit.Radius), raster.Identity(), check.RoleFound)
	j.place = report(in, out, best, j.taught.Center, &j.s.Area, j.s.AcceptScore)
}

// fit looks for the border in a ring. The score is the share of the rays whose edge
// lies within 1.5 pixels of the circle. Where the picture ends the ring is cut.
func (j *discJudge) fit(g *raster.Gray, c raster.Point, inner, outer float64) (fit edge.Round, score float64, ok bool) {
	room := min(c.X, c.Y, float64(g.W)-c.X, float64(g.H)-c.Y) - 2
	outer = min(outer, room)
	if outer-inner < 6 || j.caliper.SeekRays(g, c, inner, outer, 0, discRays, 2, j.look, &j.rays) != nil {
		return fit, 0, false
	}
	fit, _, ok = edge.FitCircle(j.rays.Points, j.rays.Scratch)
	if !ok {
		return fit, 0, false
	}
	near := 0
	for _, p := range j.rays.Points {
		if math.Abs(fit.Distance(p)) <= 1.5 {
			near++
		}
	}
	return fit, float64(near) / discRays, true
}

// vote fills centers with the most likely ones (after Kimme, Ballard and Sklansky,
// "Finding circles by an array of accumulators", Communications of the ACM 18, 1975).
func (j *discJudge) vote(in *check.Input) {
	g := in.Level(j.level)
	w, h := g.W, g.H
	j.centers = j.centers[:0]
	if w < 8 || h < 8 {
		return
	}
	if cap(j.votes) < w*h {
		j.votes, j.sums = make([]uint16, w*h), make([]uint16, w*h)
	}
	j.votes, j.sums = j.votes[:w*h], j.sums[:w*h]
	clear(j.votes)
	scale := float64(int(1) << j.level)
	least, most := sizesOf(j.s.Size, 0.9, 1.1)
	radius := float64(j.taught.Radius*in.On.Size()) / scale
	r0, r1 := float64(radius*least), float64(radius*most)
	side := 1.0 // the center lies against the gradient where the border turns to light
	if j.look.Polarity == "to_light" {
		side = -1
	}
	b := j.s.searched(in, g, j.level)
	margin := int(r1) + 2 // border pixels of a center at the rim of the search area
	for y := max(1, b.y0-margin); y < min(h-1, b.y1+margin); y++ {
		for x := max(1, b.x0-margin); x < min(w-1, b.x1+margin); x++ {
			ix, iy := g.Sobel(x, y)
			m2 := ix*ix + iy*iy
			if m2 < weakestEdge*weakestEdge {
				continue
			}
			m := math.Sqrt(float64(m2))
			ux, uy := float64(side*float64(ix))/m, float64(side*float64(iy))/m
			for r := r0; r <= r1+0.5; r++ {
				cx, cy := float64(x)+float64(r*ux)+0.5, float64(y)+float64(r*uy)+0.5
				if cx >= 0 && cy >= 0 && cx < float64(w) && cy < float64(h) {
					if v := &j.votes[int(cy)*w+int(cx)]; *v < 4000 {
						*v++
					}
				}
			}
		}
	}
	j.peaks(w, h, b, int(radius))
}

// peaks lists the centers with the most votes in 3×3 pixels, apart from each other.
func (j *discJudge) peaks(w, h int, b box, radius int) {
	most := uint16(0)
	for y := max(1, b.y0); y < min(h-1, b.y1); y++ {
		for x := max(1, b.x0); x < min(w-1, b.x1); x++ {
			o := y*w + x
			sum := j.votes[o-w-1] + j.votes[o-w] + j.votes[o-w+1] + j.votes[o-1] + j.votes[o] + j.votes[o+1] + j.votes[o+w-1] + j.votes[o+w] + j.votes[o+w+1]
			j.sums[o] = sum
			most = max(most, sum)
		}
	}
	if most < 6 {
		return
	}
	apart := int32(max(2, radius/4))
	for range mostCenters {
		best := hit{}
		found := uint16(0)
		for y := max(1, b.y0); y < min(h-1, b.y1); y++ {
			for x := max(1, b.x0); x < min(w-1, b.x1); x++ {
				if v := j.sums[y*w+x]; v > found {
					best, found = hit{x: int32(x), y: int32(y)}, v
				}
			}
		}
		if found < most/4+1 {
			break
		}
		j.centers = append(j.centers, best)
		for y := max(0, best.y-apart); y <= min(int32(h-1), best.y+apart); y++ {
			for x := max(0, best.x-apart); x <= min(int32(w-1), best.x+apart); x++ {
				j.sums[int(y)*w+int(x)] = 0
			}
		}
	}
	slices.SortStableFunc(j.centers, func(a, b hit) int { return cmp.Or(cmp.Compare(a.y, b.y), cmp.Compare(a.x, b.x)) })
}
