package presence

import (
	"fmt"

	"ricetta/core/check"
	"ricetta/core/raster"
)

// ToneSettings are the settings of presence.tone.
type ToneSettings struct {
	Region raster.Region   `json:"region" jsonschema_description:"Where to look"`
	Tone   raster.ToneBand `json:"tone" jsonschema_description:"Which gray values count"`
}

// Validate implements check.Validator.
func (s *ToneSettings) Validate() error {
	if err := s.Region.Validate(); err != nil {
		return fmt.Errorf("region: %w", err)
	}
	if err := s.Tone.Validate(); err != nil {
		return fmt.Errorf("tone: %w", err)
	}
	return nil
}

// Tone is the kind presence.tone: the share of a region's pixels whose gray value
// lies in a band. Its reading share is 0…1.
var Tone = check.Define(check.Kind{
	Name:     "presence.tone",
	Doc:      "Share of the pixels in a region that lie in a band of gray values.",
	Measures: []check.Measure{{Name: "share", Doc: "Part of the region's pixels in the band, 0 to 1"}},
}, func() ToneSettings { return ToneSettings{} }, teachTone)

func teachTone(_ *check.Teaching, s *ToneSettings) (check.Taught, error) {
	return &tone{s: *s}, nil
}

type tone struct{ s ToneSettings }

func (t *tone) NewJudge() check.Judge { return &toneJudge{s: t.s} }

type toneJudge struct {
	s     ToneSettings
	spans raster.Spans
}

func (j *toneJudge) Judge(in *check.Input, out *check.Finding) {
	out.MarkOutline(j.s.Region, in.On, check.RoleRegion)
	if !in.Covers(j.s.Region, out) {
		return
	}
	lo, hi := j.s.Tone.Range()
	j.spans = j.s.Region.SpansInto(j.spans, in.On, in.Gray.W, in.Gray.H)
	total, within := 0, 0
	for _, s := range j.spans {
		within += raster.BandCount(in.Gray.Row(int(s.Y))[s.X0:s.X1], lo, hi)
		total += int(s.X1 - s.X0)
	}
	if total == 0 {
		out.Fault(check.NoPixel)
		return
	}
	out.Read("share", "", float64(within)/float64(total))
}
