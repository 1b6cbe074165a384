package locate

import (
	"errors"
	"fmt"
	"math"

	"ricetta/core/check"
	"ricetta/core/raster"
)

// PatchSettings are the settings of locate.patch.
type PatchSettings struct {
	Region raster.Region `json:"region" jsonschema_description:"Round the patch to find, on the reference picture"`
	Area
	Turn        float64 `json:"turn,omitempty" jsonschema:"minimum=0,maximum=180,default=20" jsonschema_description:"How far the item may be turned to either side in degrees"`
	Effort      string  `json:"effort,omitempty" jsonschema:"enum=quicker,enum=finer,default=quicker" jsonschema_description:"finer follows more and weaker guesses: slower, for patches that look alike"`
	AcceptScore float64 `json:"accept_score,omitempty" jsonschema:"minimum=0.2,maximum=1,default=0.6" jsonschema_description:"Least correlation at which the patch counts as found"`
}

// Validate implements check.Validator.
func (s *PatchSettings) Validate() error {
	if err := s.Region.Validate(); err != nil {
		return fmt.Errorf("region: %w", err)
	}
	return s.validate()
}

// Patch is the kind locate.patch: it finds a taught patch by normalized correlation, so
// that gain and offset of the light do not matter; for texture and print without clean
// edges. Its score is the correlation, 0…1; what hangs out of the picture counts as not
// agreeing. Its size is that of the datum below.
var Patch = check.Define(check.Kind{
	Name:           "locate.patch",
	Doc:            "Finds a taught patch of texture or print by correlation.",
	Datum:          true,
	NeedsReference: true,
	Measures:       measures,
}, func() PatchSettings { return PatchSettings{Turn: 20, AcceptScore: 0.6} }, teachPatch)

// leastContrast is the deviation of the gray values that a patch must have.
const leastContrast = 4

func teachPatch(t *check.Teaching, s *PatchSettings) (check.Taught, error) {
	if err := t.TaughtOutside("region", s.Region); err != nil {
		return nil, err
	}
	m, contrast := learnPatch(t.Reference, s.Region)
	if len(m.levels[0].texels) < fewestTexels {
		return nil, fmt.Errorf("region: it holds only %d pixels to learn, %d needed; make it larger", len(m.levels[0].texels), fewestTexels)
	}
	if contrast < leastContrast {
		return nil, fmt.Errorf("region: its gray values hardly differ (deviation %.1f, %d needed); choose a patch with texture or print", contrast, leastContrast)
	}
	p := &patch{s: *s, model: m, effort: quicker}
	if s.Effort == "finer" {
		p.effort = finer
	}
	var f check.Finding
	f.MarkOutline(s.Region, raster.Identity(), check.RoleTaught)
	t.Marks = append(t.Marks, f.Marks...)
	var in check.Input
	in.Reset(raster.Picture{Gray: t.Reference})
	if p.NewJudge().(*patchJudge).tooMuch(&in) {
		return nil, errors.New("region: " + tooMuch)
	}
	p.warnSecond(t)
	return p, nil
}

// tooMuch is said of a search that would take seconds.
const tooMuch = "it is so narrow for its length, and may be turned so far, that the search would take seconds; choose a more compact patch, or bound the search area or the turn"

// mostWork bounds the products of a first look: a second or so without vector kernels.
const mostWork = 3e9

// tooMuch reports whether the first look at a picture would take too long.
func (j *patchJudge) tooMuch(in *check.Input) bool {
	top := len(j.model.levels) - 1
	l := &j.model.levels[top]
	b := j.s.searched(in, in.Level(top), top)
	places := float64(float64(max(b.x1-b.x0, 0)) * float64(max(b.y1-b.y0, 0)))
	turns := float64(len(orientations(l.radius, 0, j.s.Turn, 1, 1)))
	return float64(places*float64(turns*float64(len(l.weights)))) > mostWork
}

// warnSecond looks for another place on the reference picture that could be taken for
// the taught one.
func (p *patch) warnSecond(t *check.Teaching) {
	j := p.NewJudge().(*patchJudge)
	var in check.Input
	in.Reset(raster.Picture{Gray: t.Reference})
	first := 0.0
	for _, q := range j.seek(&in, finer) {
		off, turned := raster.Hypot(q.x-p.model.center.X, q.y-p.model.center.Y), math.Abs(raster.WrapAngle(q.angle))
		switch {
		case off < 3 && turned < 5:
			first = max(first, q.score)
		case first > 0 && q.score >= float64(nearlyBest*first) && j.inRange(&in, q) && (off > 5 || turned > 15):
			t.Warn("there is a second place that looks nearly alike: at %.0f, %.0f, turned %.0f°, it scores %.2f, the taught one %.2f; choose a patch that is unique, or bound the search area or the turn",
				q.x, q.y, q.angle, q.score, first)
			var f check.Finding
			f.MarkOutline(p.s.Region, raster.Moving(p.model.center, raster.Pose{X: q.x, Y: q.y, Angle: q.angle, Size: 1}), check.RoleLeftOut)
			t.Marks = append(t.Marks, f.Marks...)
			return
		}
	}
}

type patch struct {
	s      PatchSettings
	model  *patchModel
	effort effort
}

func (p *patch) NewJudge() check.Judge { return &patchJudge{patch: p} }

type patchJudge struct {
	*patch
	first  correlator
	fitter fitter
	poses  []pose
	turns  turns
	place  raster.Transform
	size   [2]int // of the picture for which long was worked out
	long   bool   // the search would take too long
}

func (j *patchJudge) Place() raster.Transform { return j.place }

func (j *patchJudge) Judge(in *check.Input, out *check.Finding) {
	if j.size != [2]int{in.Gray.W, in.Gray.H} { // the same for all pictures of a camera
		j.size, j.long = [2]int{in.Gray.W, in.Gray.H}, j.tooMuch(in)
	}
	if j.long {
		out.Fault("the patch cannot be sought: " + tooMuch)
		return
	}
	j.s.mark(in, out, j.s.Region)
	best := pose{}
	for _, p := range j.seek(in, j.effort) {
		if j.inRange(in, p) {
			best = p
			break
		}
	}
	if best.score < j.s.AcceptScore || best.score == 0 {
		notFound(out, best.score, j.s.AcceptScore)
		return
	}
	j.place = report(in, out, best, j.model.center, &j.s.Area, j.s.AcceptScore)
	out.MarkOutline(j.s.Region, j.place, check.RoleFound)
}

// seek returns the poses that were followed to the full picture, best first.
func (j *patchJudge) seek(in *check.Input, e effort) []pose {
	m := j.model
	top := len(m.levels) - 1
	l := &m.levels[top]
	g := in.Level(top)
	if g.W < 4 || g.H < 4 {
		return nil
	}
	tries := j.turns.of(l.radius, turnAndSize{in.On.Angle(), in.On.Size()}, j.s.Turn, 1, 1)
	// On the coarse level place and turn are off by half a step, which costs a patch of
	// fine texture much of its correlation.
	hits := j.first.look(g, l, tries, j.s.searched(in, g, top), float64(0.8*e.nearly*j.s.AcceptScore), e.guesses)
	j.poses = follow(j.poses, hits, tries, top, e, func(level int, p pose) pose {
		l, g := &m.levels[level], in.Level(level)
		p = j.fitter.fit(l, g, p, 5, j.s.Turn > 0)
		p.score = j.fitter.score(l, g, p)
		return p
	})
	return j.poses
}

func (j *patchJudge) inRange(in *check.Input, p pose) bool {
	return math.Abs(raster.WrapAngle(p.angle-in.On.Angle())) <= j.s.Turn+turnSlack && j.s.allows(in, p.x, p.y)
}
