package locate

import (
	"cmp"
	"fmt"
	"math"
	"slices"

	"ricetta/core/check"
	"ricetta/core/raster"
)

// OutlineSettings are the settings of locate.outline.
type OutlineSettings struct {
	Region raster.Region `json:"region" jsonschema_description:"Round the feature to find, on the reference picture"`
	Area
	Turn        float64   `json:"turn,omitempty" jsonschema:"minimum=0,maximum=180,default=20" jsonschema_description:"How far the item may be turned to either side in degrees"`
	Size        []float64 `json:"size,omitempty" jsonschema:"minItems=2,maxItems=2" jsonschema_description:"Least and most size relative to the taught one, between 0.5 and 2; 1 to 1 if absent"`
	Contrast    string    `json:"contrast,omitempty" jsonschema:"enum=same,enum=either,default=same" jsonschema_description:"same: light stays light; either: dark and light may be exchanged"`
	Sensitivity float64   `json:"sensitivity,omitempty" jsonschema:"minimum=0,maximum=1,default=0.5" jsonschema_description:"How weak an edge still belongs to the outline: 0 only the strongest, 1 all"`
	AcceptScore float64   `json:"accept_score,omitempty" jsonschema:"minimum=0.2,maximum=1,default=0.6" jsonschema_description:"Least score at which the feature counts as found"`
}

// Validate implements check.Validator.
func (s *OutlineSettings) Validate() error {
	if err := s.Region.Validate(); err != nil {
		return fmt.Errorf("region: %w", err)
	}
	if err := s.validate(); err != nil {
		return err
	}
	return validSizes(s.Size)
}

// Outline is the kind locate.outline: it finds the taught outline by the directions
// of its edges. Readings: x, y in pixels (where the center of the taught region
// lies now), angle in degrees against the datum it rides on or the frame, size
// (1 = as taught), score 0…1.
var Outline = check.Define(check.Kind{
	Name:           "locate.outline",
	Doc:            "Finds a taught outline anywhere in the picture and says where it lies.",
	Datum:          true,
	NeedsReference: true,
	Measures:       measures,
}, func() OutlineSettings {
	return OutlineSettings{Turn: 20, Contrast: "same", Sensitivity: 0.5, AcceptScore: 0.6}
}, teachOutline)

func teachOutline(t *check.Teaching, s *OutlineSettings) (check.Taught, error) {
	if err := t.TaughtOutside("region", s.Region); err != nil {
		return nil, err
	}
	m, err := learn(t.Reference, s.Region, s.Sensitivity)
	if err != nil {
		return nil, err
	}
	mark := check.Mark{Shape: check.Points, Role: check.RoleTaught}
	for _, p := range m.levels[0].points {
		mark.Points = append(mark.Points, raster.Point{X: m.center.X + p.x, Y: m.center.Y + p.y})
	}
	t.Marks = append(t.Marks, mark)
	least, most := sizesOf(s.Size)
	o := &outline{s: *s, model: m, free: freedom{turn: s.Turn > 0, size: most > least}}
	return o, nil
}

type outline struct {
	s     OutlineSettings
	model *model
	free  freedom
}

func (o *outline) NewJudge() check.Judge { return &outlineJudge{outline: o} }

type outlineJudge struct {
	*outline
	coarse coarse
	poses  []pose
	place  raster.Transform

	tries   []turnAndSize // for the turn and size of the datum below
	triesOn turnAndSize
}

// How many guesses are followed: from the first look, and on each finer level.
const (
	mostGuesses = 32
	mostFiner   = 6
)

// hopeless is the share of the best guess's score below which a guess is given up:
// from one level to the next scores change by far less than that.
const hopeless = 0.7

// turnSlack is how far in degrees a found turn may exceed the range, for the
// range ends between two pixels.
const turnSlack = 0.25

func (j *outlineJudge) Place() raster.Transform { return j.place }

func (j *outlineJudge) Judge(in *check.Input, out *check.Finding) {
	best, found := j.find(in)
	if !found || best.score < j.s.AcceptScore {
		notFound(out, best.score, j.s.AcceptScore)
		return
	}
	j.place = report(in, out, best, j.model.center, &j.s.Area, j.s.AcceptScore)
	j.mark(out)
}

// shownPoints is how many of the outline's points a finding draws.
const shownPoints = 120

func (j *outlineJudge) mark(out *check.Finding) {
	out.MarkOutline(j.s.Region, j.place, check.RoleFound)
	points := j.model.levels[0].points
	m := out.AddMark(check.Points, check.RoleFound, "")
	for i, n := 0, min(len(points), shownPoints); i < n; i++ {
		q := points[i*len(points)/n]
		m.Points = append(m.Points, j.place.Apply(raster.Point{X: j.model.center.X + q.x, Y: j.model.center.Y + q.y}))
	}
}

// find returns the best pose on the full picture; found is false where nothing
// came near.
func (j *outlineJudge) find(in *check.Input) (best pose, found bool) {
	top := len(j.model.levels) - 1
	l := &j.model.levels[top]
	g := in.Level(top)
	if g.W < 4 || g.H < 4 {
		return pose{}, false
	}
	on := turnAndSize{in.On.Angle(), in.On.Size()}
	if j.tries == nil || j.triesOn != on {
		least, most := sizesOf(j.s.Size)
		j.tries, j.triesOn = orientations(l.radius, on.angle, j.s.Turn, float64(least*on.size), float64(most*on.size)), on
	}
	signed := j.s.Contrast != "either"
	hits := j.coarse.look(g, l, j.tries, j.s.searched(in, g, top), signed, float64(0.75*j.s.AcceptScore), mostGuesses)
	j.poses = j.poses[:0]
	for _, h := range hits {
		t := j.tries[h.turn]
		p := l.fit(g, pose{x: float64(h.x) + 0.5, y: float64(h.y) + 0.5, angle: t.angle, size: t.size}, 2, 3, j.free, signed)
		p.score = l.score(g, p, signed)
		j.poses = append(j.poses, p)
	}
	j.keepBest(mostFiner)
	for k := top - 1; k >= 0; k-- {
		l, g = &j.model.levels[k], in.Level(k)
		for i := range j.poses {
			p := &j.poses[i]
			p.x, p.y = p.x+p.x, p.y+p.y
			*p = l.fit(g, *p, 2, 3, j.free, signed)
			p.score = l.score(g, *p, signed)
		}
		j.keepBest(max(2, mostFiner-2*(top-k)))
	}
	for _, p := range j.poses {
		if j.inRange(in, p) {
			return p, true
		}
	}
	return pose{}, false
}

// inRange reports whether the pose keeps the turn and size ranges and the search area.
func (j *outlineJudge) inRange(in *check.Input, p pose) bool {
	if math.Abs(raster.WrapAngle(p.angle-in.On.Angle())) > j.s.Turn+turnSlack {
		return false
	}
	least, most := sizesOf(j.s.Size)
	if s := p.size / in.On.Size(); s < least-0.01 || s > most+0.01 {
		return false
	}
	return j.s.allows(in, p.x, p.y)
}

// keepBest sorts the poses by score, drops those that ran into a better one or stand
// no chance against the best, and keeps most of them.
func (j *outlineJudge) keepBest(most int) {
	slices.SortStableFunc(j.poses, func(a, b pose) int { return cmp.Compare(b.score, a.score) })
	n := 0
next:
	for _, p := range j.poses {
		if n > 0 && p.score < float64(hopeless*j.poses[0].score) {
			break
		}
		for _, q := range j.poses[:n] {
			if raster.Hypot(p.x-q.x, p.y-q.y) < 2.5 && math.Abs(raster.WrapAngle(p.angle-q.angle)) < 3 {
				continue next
			}
		}
		j.poses[n] = p
		n++
		if n == most {
			break
		}
	}
	j.poses = j.poses[:n]
}
