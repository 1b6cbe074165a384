package count

import (
	"fmt"
	"strconv"

	"ricetta/core/check"
	"ricetta/core/locate"
	"ricetta/core/raster"
)

// RepeatsSettings are the settings of count.repeats.
type RepeatsSettings struct {
	Region      raster.Region  `json:"region" jsonschema_description:"Round one of the features on the reference picture"`
	Search      *raster.Region `json:"search,omitempty" jsonschema_description:"Where the centers of the features are counted; the whole picture if absent"`
	By          string         `json:"by,omitempty" jsonschema:"enum=outline,enum=patch,default=outline" jsonschema_description:"outline: by the directions of its edges; patch: by its texture or print"`
	Turn        float64        `json:"turn,omitempty" jsonschema:"minimum=0,maximum=180,default=20" jsonschema_description:"How far each may be turned to either side in degrees"`
	Distance    float64        `json:"distance,omitempty" jsonschema:"minimum=0,maximum=10000,default=0" jsonschema_description:"Least distance between two in pixels; if absent half the shorter side of the region"`
	AcceptScore float64        `json:"accept_score,omitempty" jsonschema:"minimum=0.2,maximum=1,default=0.6" jsonschema_description:"Least score at which one counts"`
}

// Validate implements check.Validator.
func (s *RepeatsSettings) Validate() error {
	if err := s.Region.Validate(); err != nil {
		return fmt.Errorf("region: %w", err)
	}
	if s.Search != nil {
		if err := s.Search.Validate(); err != nil {
			return fmt.Errorf("search: %w", err)
		}
	}
	return nil
}

// Repeats is the kind count.repeats: how often a taught feature is there. Rows list
// where, best first: x, y (center of the taught region), angle (degrees, against the
// datum) and score.
var Repeats = check.Define(check.Kind{
	Name:           "count.repeats",
	Doc:            "Counts all places of a taught feature.",
	NeedsReference: true,
	Measures: []check.Measure{
		{Name: "count", Doc: "Places where the feature is", Whole: true},
		{Name: "score_least", Doc: "Least score of those counted; 0 where there are none"},
	},
}, func() RepeatsSettings { return RepeatsSettings{By: "outline", Turn: 20, AcceptScore: 0.6} }, teachRepeats)

func teachRepeats(t *check.Teaching, s *RepeatsSettings) (check.Taught, error) {
	r := &repeats{s: *s, least: s.Distance}
	if r.least == 0 {
		x0, y0, x1, y1 := s.Region.Bounds(raster.Identity())
		r.least = min(x1-x0, y1-y0) / 2
	}
	area := locate.Area{Search: s.Search}
	kind, settings := locate.Outline, any(&locate.OutlineSettings{
		Region: s.Region, Area: area, Turn: s.Turn, Contrast: "same", Sensitivity: 0.5, AcceptScore: s.AcceptScore,
	})
	if s.By == "patch" {
		kind, settings = locate.Patch, &locate.PatchSettings{Region: s.Region, Area: area, Turn: s.Turn, AcceptScore: s.AcceptScore}
	}
	// What a datum is warned of, a second place, is what is wanted here.
	own := *t
	own.Marks, own.Warnings = nil, nil
	var err error
	if r.taught, err = kind.Teach(&own, settings); err != nil {
		return nil, err
	}
	t.Marks = append(t.Marks, own.Marks[0])
	return r, nil
}

type repeats struct {
	s      RepeatsSettings
	taught check.Taught
	least  float64
}

func (r *repeats) NewJudge() check.Judge {
	return &repeatsJudge{repeats: r, finder: locate.RepeatsOf(r.taught)}
}

type repeatsJudge struct {
	*repeats
	finder *locate.Repeats
}

var repeatColumns = []check.Column{{Name: "x"}, {Name: "y"}, {Name: "angle"}, {Name: "score"}}

func (j *repeatsJudge) Judge(in *check.Input, out *check.Finding) {
	if j.s.Search != nil {
		out.MarkOutline(*j.s.Search, in.On, check.RoleRegion)
		if !in.Covers(*j.s.Search, out) {
			return
		}
	}
	found, err := j.finder.Find(in, float64(j.least*in.On.Size()))
	if err != nil {
		out.Fault(err.Error())
		return
	}
	out.Columns = repeatColumns
	center, least := j.s.Region.Center(), 0.0
	for i, f := range found {
		least = f.Score
		if i < mostRows {
			row := out.AddRow(len(repeatColumns))
			row[0].Number, row[1].Number, row[2].Number, row[3].Number = f.X, f.Y, f.Angle, f.Score
		}
		if i < mostMarks {
			at := raster.Pose{X: f.X, Y: f.Y, Angle: f.Angle + in.On.Angle(), Size: float64(f.Size * in.On.Size())}
			out.MarkOutline(j.s.Region, raster.Moving(center, at), check.RoleFound)
		}
	}
	out.Read("count", "", float64(len(found)))
	out.Read("score_least", "", least)
	out.Sentence = append(strconv.AppendInt(out.Sentence, int64(len(found)), 10), " found"...)
}
