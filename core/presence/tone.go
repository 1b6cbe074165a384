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
// lies in a band, their number, and that relative to the reference picture.
var Tone = check.Define(check.Kind{
	Name: "presence.tone",
	Doc:  "Share of the pixels in a region that lie in a band of gray values.",
	Measures: []check.Measure{
		{Name: "share", Doc: "Part of the region's pixels in the band, 0 to 1"},
		{Name: "pixels", Doc: "How many of them there are", Whole: true},
		{Name: "relative", Doc: "How many against the reference picture, 1 = as many as there; not taken where that has none"},
	},
}, func() ToneSettings { return ToneSettings{} }, teachTone)

func teachTone(t *check.Teaching, s *ToneSettings) (check.Taught, error) {
	out := &tone{s: *s}
	if t.Reference != nil && s.Region.AreaOutside(raster.Identity(), t.Reference.W, t.Reference.H) == 0 {
		spans := s.Region.SpansInto(nil, raster.Identity(), t.Reference.W, t.Reference.H)
		lo, hi := s.Tone.Range()
		out.reference = t.Reference.CountIn(spans, lo, hi)
	}
	return out, nil
}

type tone struct {
	s         ToneSettings
	reference int // pixels in the band on the reference picture
}

func (t *tone) NewJudge() check.Judge { return &toneJudge{tone: t} }

type toneJudge struct {
	*tone
	spans raster.Spans
}

func (j *toneJudge) Judge(in *check.Input, out *check.Finding) {
	out.MarkOutline(j.s.Region, in.On, check.RoleRegion)
	if !in.Covers(j.s.Region, out) {
		return
	}
	j.spans = j.s.Region.SpansInto(j.spans, in.On, in.Gray.W, in.Gray.H)
	lo, hi := j.s.Tone.Range()
	within, total := in.Gray.CountIn(j.spans, lo, hi), j.spans.Pixels()
	if total == 0 {
		out.Fault(check.NoPixel)
		return
	}
	out.Read("share", "", float64(within)/float64(total))
	out.Read("pixels", "", float64(within))
	if j.reference > 0 {
		size := in.On.Size()
		out.Read("relative", "", float64(within)/float64(float64(j.reference)*float64(size*size)))
	}
}

// Selected implements check.Selector.
func (j *toneJudge) Selected(in *check.Input, dst *raster.Gray) {
	lo, hi := j.s.Tone.Range()
	for _, sp := range j.spans {
		row, out := in.Gray.Row(int(sp.Y)), dst.Row(int(sp.Y))
		for x := sp.X0; x < sp.X1; x++ {
			if v := row[x]; v >= lo && v <= hi {
				out[x] = 255
			}
		}
	}
}
