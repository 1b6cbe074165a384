package locate

import (
	"errors"
	"fmt"
	"math"

	"ricetta/core/check"
	"ricetta/core/raster"
)

// SpotSettings are the settings of locate.spot.
type SpotSettings struct {
	Region raster.Region   `json:"region" jsonschema_description:"Round the spot on the reference picture"`
	Tone   raster.ToneBand `json:"tone" jsonschema_description:"Which gray values belong to the spot"`
	Area
	Turn        float64   `json:"turn,omitempty" jsonschema:"minimum=0,maximum=180,default=180" jsonschema_description:"How far the item may be turned to either side in degrees; 0: its turn is not looked at"`
	Size        []float64 `json:"size,omitempty" jsonschema:"minItems=2,maxItems=2" jsonschema_description:"Least and most size relative to the taught one, between 0.5 and 2; 0.8 to 1.25 if absent"`
	AcceptScore float64   `json:"accept_score,omitempty" jsonschema:"minimum=0.2,maximum=1,default=0.6" jsonschema_description:"Least likeness of its form to the taught one at which it counts as found"`
}

// Validate implements check.Validator.
func (s *SpotSettings) Validate() error {
	if err := s.Region.Validate(); err != nil {
		return fmt.Errorf("region: %w", err)
	}
	if err := s.Tone.Validate(); err != nil {
		return fmt.Errorf("tone: %w", err)
	}
	if err := s.validate(); err != nil {
		return err
	}
	return validSizes(s.Size)
}

// Spot is the kind locate.spot: it finds the largest spot in a band of gray values, its
// center of gravity, and its turn from its moments. Its score is how alike its form is
// to the taught one: the product of the ratios of elongation and compactness.
var Spot = check.Define(check.Kind{
	Name:           "locate.spot",
	Doc:            "Finds the largest light or dark spot and how it is turned.",
	Datum:          true,
	NeedsReference: true,
	Measures:       measures,
}, func() SpotSettings { return SpotSettings{Turn: 180, AcceptScore: 0.6} }, teachSpot)

func teachSpot(t *check.Teaching, s *SpotSettings) (check.Taught, error) {
	if err := t.TaughtOutside("region", s.Region); err != nil {
		return nil, err
	}
	o := &spot{s: *s}
	var f blobs
	b, ok := f.largest(t.Reference, s.Region, raster.Identity(), s.Tone)
	if !ok || b.Area < 30 {
		return nil, errors.New("region: there is no spot of these gray values on the reference picture; correct tone, or draw it round one")
	}
	o.taught = f.form(b)
	x, y := b.Center()
	o.center = raster.Point{X: x, Y: y}
	if s.Turn > 0 && o.taught.elongation < 1.15 {
		t.Warn("the spot is nearly as wide as it is long, so its turn cannot be told; set turn: 0, or choose a longer one")
	}
	if s.Turn > 90 && math.Abs(o.taught.lean) < leastLean {
		t.Warn("the two ends of the spot look alike, so it cannot be told which way round it lies; set turn to 90 or less, or choose a lopsided one")
	}
	m := check.Mark{Shape: check.Polygon, Role: check.RoleTaught}
	m.Points = f.Border(b, m.Points)
	t.Marks = append(t.Marks, m)
	return o, nil
}

// leastLean is the skewness by which two ends can be told apart.
const leastLean = 0.05

// form is what is compared of a spot.
type form struct {
	area, elongation, compact float64
	turn, lean                float64
}

// blobs finds the largest spot of a region.
type blobs struct {
	raster.BlobFinder
	spans raster.Spans
}

func (f *blobs) largest(g *raster.Gray, r raster.Region, t raster.Transform, tone raster.ToneBand) (*raster.Blob, bool) {
	lo, hi := tone.Range()
	f.spans = r.SpansInto(f.spans, t, g.W, g.H)
	found := f.Find(g, f.spans, t, lo, hi, true)
	best := -1
	for i := range found {
		if best < 0 || found[i].Area > found[best].Area {
			best = i
		}
	}
	if best < 0 {
		return nil, false
	}
	return &found[best], true
}

func (f *blobs) form(b *raster.Blob) form {
	long, short := b.Axes()
	turn := b.Turn()
	n := float64(b.Area)
	return form{n, long / short, n / float64(4*math.Pi*float64(long*short)), turn, f.Lean(b, turn)}
}

type spot struct {
	s      SpotSettings
	taught form
	center raster.Point
}

func (o *spot) NewJudge() check.Judge { return &spotJudge{spot: o} }

type spotJudge struct {
	*spot
	blobs blobs
	place raster.Transform
}

func (j *spotJudge) Place() raster.Transform { return j.place }

func (j *spotJudge) Judge(in *check.Input, out *check.Finding) {
	where, on := raster.Rect(0, 0, float64(in.Gray.W), float64(in.Gray.H)), raster.Identity()
	if j.s.Search != nil {
		where, on = *j.s.Search, in.On
		out.MarkOutline(where, on, check.RoleRegion)
	}
	b, ok := j.blobs.largest(in.Gray, where, on, j.s.Tone)
	if !ok {
		notFound(out, 0, j.s.AcceptScore)
		return
	}
	now := j.blobs.form(b)
	x, y := b.Center()
	base := in.On.Size()
	p := pose{
		x: x, y: y, angle: in.On.Angle(), size: math.Sqrt(now.area / j.taught.area),
		score: float64(ratio(now.elongation, j.taught.elongation) * ratio(now.compact, j.taught.compact)),
	}
	least, most := sizesOf(j.s.Size, 0.8, 1.25)
	sized := p.size >= float64((least-0.01)*base) && p.size <= float64((most+0.01)*base)
	turned := true
	if j.s.Turn > 0 {
		p.angle, turned = j.turn(in, now)
	}
	if p.score < j.s.AcceptScore || !sized || !turned {
		m := out.AddMark(check.Polygon, check.RoleLeftOut, "")
		m.Points = j.blobs.Border(b, m.Points)
		notFound(out, p.score, j.s.AcceptScore)
		switch {
		case p.score < j.s.AcceptScore:
		case !sized:
			out.Fail("not found (the largest spot has not its size)")
		default:
			out.Fail("not found (the largest spot is turned too far)")
		}
		return
	}
	m := out.AddMark(check.Polygon, check.RoleFound, "")
	m.Points = j.blobs.Border(b, m.Points)
	j.place = report(in, out, p, j.center, &j.s.Area, j.s.AcceptScore)
}

// turn returns how the spot is turned: an axis has two ends, told apart by the lean
// where there is one, else by which is turned less.
func (j *spotJudge) turn(in *check.Input, now form) (angle float64, ok bool) {
	base := in.On.Angle()
	d := raster.WrapAngle(now.turn - j.taught.turn - base)
	if math.Abs(j.taught.lean) >= leastLean {
		if now.lean*j.taught.lean < 0 {
			d = raster.WrapAngle(d + 180)
		}
	} else if math.Abs(d) > 90 {
		d = raster.WrapAngle(d + 180)
	}
	return base + d, math.Abs(d) <= j.s.Turn+turnSlack
}

func ratio(a, b float64) float64 { return min(a, b) / max(a, b) }
