package presence

import (
	"fmt"
	"math"

	"ricetta/core/check"
	"ricetta/core/raster"
)

// LevelSettings are the settings of presence.level.
type LevelSettings struct {
	Region raster.Region `json:"region" jsonschema_description:"Where to look"`
}

// Validate implements check.Validator.
func (s *LevelSettings) Validate() error {
	if err := s.Region.Validate(); err != nil {
		return fmt.Errorf("region: %w", err)
	}
	return nil
}

// Level is the kind presence.level: the mean gray value of a region and its spread,
// the standard deviation over its pixels. Both are gray values, 0…255 and 0…127.5.
var Level = check.Define(check.Kind{
	Name: "presence.level",
	Doc:  "Mean gray value of a region and how far its pixels spread round it.",
	Measures: []check.Measure{
		{Name: "mean", Doc: "Mean gray value of the region's pixels, 0 to 255"},
		{Name: "spread", Doc: "Standard deviation of the region's pixels, 0 to 127.5: an empty pocket has little"},
	},
}, func() LevelSettings { return LevelSettings{} }, func(_ *check.Teaching, s *LevelSettings) (check.Taught, error) {
	return &level{*s}, nil
})

type level struct{ s LevelSettings }

func (l *level) NewJudge() check.Judge { return &levelJudge{s: l.s} }

type levelJudge struct {
	s     LevelSettings
	spans raster.Spans
}

func (j *levelJudge) Judge(in *check.Input, out *check.Finding) {
	out.MarkOutline(j.s.Region, in.On, check.RoleRegion)
	if !in.Covers(j.s.Region, out) {
		return
	}
	j.spans = j.s.Region.SpansInto(j.spans, in.On, in.Gray.W, in.Gray.H)
	// Exact integers: 50 million pixels of 255² stay far below 2^63.
	var n, sum, squares int64
	for _, s := range j.spans {
		row := in.Gray.Row(int(s.Y))[s.X0:s.X1]
		n += int64(len(row))
		for _, v := range row {
			sum += int64(v)
			squares += int64(v) * int64(v)
		}
	}
	if n == 0 {
		out.Fault(check.NoPixel)
		return
	}
	mean := float64(sum) / float64(n)
	variance := float64(squares)/float64(n) - float64(mean*mean)
	out.Read("mean", "", mean)
	out.Read("spread", "", math.Sqrt(max(variance, 0)))
	b := check.AppendNumber(append(out.Sentence, "mean "...), check.Rounded(mean, 10))
	out.Sentence = check.AppendNumber(append(b, ", spread "...), check.Rounded(out.Readings[1].Value, 10))
}
