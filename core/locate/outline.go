package locate

import (
	"fmt"
	"math"

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
	Effort      string    `json:"effort,omitempty" jsonschema:"enum=quicker,enum=finer,default=quicker" jsonschema_description:"finer follows more and weaker guesses: slower, for outlines that are small or look alike"`
	Views       []View    `json:"views,omitempty" jsonschema:"maxItems=20" jsonschema_description:"Further pictures of the same item, for where perspective or reflections change its outline; the best one wins"`
	Sensitivity float64   `json:"sensitivity,omitempty" jsonschema:"minimum=0,maximum=1,default=0.5" jsonschema_description:"How weak an edge still belongs to the outline: 0 only the strongest, 1 all"`
	AcceptScore float64   `json:"accept_score,omitempty" jsonschema:"minimum=0.2,maximum=1,default=0.6" jsonschema_description:"Least score at which the feature counts as found"`
}

// View is a further taught picture of the item: the same feature, upright as on the
// reference.
type View struct {
	Picture string        `json:"picture" jsonschema_description:"A picture file of the recipe"`
	Region  raster.Region `json:"region" jsonschema_description:"Round the same feature as on the reference picture"`
}

// Files implements check.Files.
func (s *OutlineSettings) Files() []string {
	var out []string
	for _, v := range s.Views {
		out = append(out, v.Picture)
	}
	return out
}

// Validate implements check.Validator.
func (s *OutlineSettings) Validate() error {
	if err := s.Region.Validate(); err != nil {
		return fmt.Errorf("region: %w", err)
	}
	if err := s.validate(); err != nil {
		return err
	}
	for i, v := range s.Views {
		if err := v.Region.Validate(); err != nil {
			return fmt.Errorf("views/%d/region: %w", i, err)
		}
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
	least, most := sizesOf(s.Size, 1, 1)
	o := &outline{
		s: *s, center: m.center, free: freedom{turn: s.Turn > 0, size: most > least}, effort: quicker,
		views: []view{{model: m}},
	}
	if s.Effort == "finer" {
		o.effort = finer
	}
	for i, v := range s.Views {
		pic, err := t.File(v.Picture)
		if err != nil {
			return nil, fmt.Errorf("views/%d: %w", i, err)
		}
		g := pic.Luma(new(raster.Gray))
		if out := v.Region.AreaOutside(raster.Identity(), g.W, g.H); out > 0 {
			return nil, fmt.Errorf("views/%d/region: %.0f %% of it lies outside %s; draw it inside", i, float64(out*100), v.Picture)
		}
		vm, err := learn(g, v.Region, s.Sensitivity)
		if err != nil {
			return nil, fmt.Errorf("views/%d: %w", i, err)
		}
		o.views = append(o.views, view{v.Picture, vm})
	}
	mark := check.Mark{Shape: check.Points, Role: check.RoleTaught}
	for _, p := range m.levels[0].points {
		mark.Points = append(mark.Points, raster.Point{X: m.center.X + p.x, Y: m.center.Y + p.y})
	}
	t.Marks = append(t.Marks, mark)
	o.warn(t)
	return o, nil
}

// view is one taught picture of the item.
type view struct {
	picture string // "" for the reference
	model   *model
}

type outline struct {
	s      OutlineSettings
	center raster.Point // of the taught region
	views  []view
	free   freedom
	effort effort
}

func (o *outline) NewJudge() check.Judge {
	return &outlineJudge{outline: o, seekers: make([]seeker, len(o.views))}
}

type outlineJudge struct {
	*outline
	seekers []seeker // by view
	place   raster.Transform
}

// seeker looks for one view. It keeps its memory.
type seeker struct {
	coarse coarse
	poses  []pose
	turns  turns
}

// turnSlack is how far in degrees a found turn may exceed the range, for the
// range ends between two pixels.
const turnSlack = 0.25

func (j *outlineJudge) Place() raster.Transform { return j.place }

func (j *outlineJudge) Judge(in *check.Input, out *check.Finding) {
	j.s.mark(in, out, j.s.Region)
	best, seen := pose{}, 0
	for i := range j.views {
		if p, found := j.find(in, i); found && p.score > best.score {
			best, seen = p, i
		}
	}
	if best.score < j.s.AcceptScore || best.score == 0 {
		notFound(out, best.score, j.s.AcceptScore)
		return
	}
	j.place = report(in, out, best, j.center, &j.s.Area, j.s.AcceptScore)
	if len(j.views) > 1 {
		name := j.views[seen].picture
		if name == "" {
			name = "reference"
		}
		out.Texts = append(out.Texts, check.Text{Name: "view", Value: name})
	}
	j.mark(out, best, j.views[seen].model)
}

// shownPoints is how many of the outline's points a finding draws.
const shownPoints = 120

func (j *outlineJudge) mark(out *check.Finding, p pose, m *model) {
	out.MarkOutline(j.s.Region, j.place, check.RoleFound)
	markPoints(out, p, m, check.RoleFound)
}

// markPoints draws the outline's points where the pose puts them.
func markPoints(out *check.Finding, p pose, m *model, role check.Role) {
	at := raster.Moving(raster.Point{}, raster.Pose{X: p.x, Y: p.y, Angle: p.angle, Size: p.size})
	points := m.levels[0].points
	mark := out.AddMark(check.Points, role, "")
	for i, n := 0, min(len(points), shownPoints); i < n; i++ {
		q := points[i*len(points)/n]
		mark.Points = append(mark.Points, at.Apply(raster.Point{X: q.x, Y: q.y}))
	}
}

// find returns the best pose of a view on the full picture; found is false where
// nothing came near.
func (j *outlineJudge) find(in *check.Input, view int) (best pose, found bool) {
	for _, p := range j.seek(in, view, j.effort) {
		if j.inRange(in, p) {
			return p, true
		}
	}
	return pose{}, false
}

// seek returns the poses that were followed to the full picture, best first.
func (j *outlineJudge) seek(in *check.Input, view int, e effort) []pose {
	k, m := &j.seekers[view], j.views[view].model
	top := len(m.levels) - 1
	l := &m.levels[top]
	g := in.Level(top)
	if g.W < 4 || g.H < 4 {
		return nil
	}
	least, most := sizesOf(j.s.Size, 1, 1)
	tries := k.turns.of(l.radius, turnAndSize{in.On.Angle(), in.On.Size()}, j.s.Turn, least, most)
	signed := j.s.Contrast != "either"
	hits := k.coarse.look(g, l, tries, j.s.searched(in, g, top), signed, float64(e.nearly*j.s.AcceptScore), e.guesses)
	k.poses = follow(k.poses, hits, tries, top, e, func(level int, p pose) pose {
		l, g := &m.levels[level], in.Level(level)
		p = l.fit(g, p, 2, 3, j.free, signed)
		p.score = l.score(g, p, signed)
		return p
	})
	return k.poses
}

// inRange reports whether the pose keeps the turn and size ranges and the search area.
func (j *outlineJudge) inRange(in *check.Input, p pose) bool {
	if math.Abs(raster.WrapAngle(p.angle-in.On.Angle())) > j.s.Turn+turnSlack {
		return false
	}
	least, most := sizesOf(j.s.Size, 1, 1)
	if s := p.size / in.On.Size(); s < least-0.01 || s > most+0.01 {
		return false
	}
	return j.s.allows(in, p.x, p.y)
}
