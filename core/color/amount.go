package color

import (
	"errors"
	"fmt"

	"ricetta/core/check"
	"ricetta/core/raster"
)

// AmountSettings are the settings of color.amount.
type AmountSettings struct {
	Region   raster.Region    `json:"region" jsonschema_description:"Where to look"`
	Color    *SetSettings     `json:"color,omitempty" jsonschema_description:"The color as bands of hue, saturation and brightness"`
	Picked   []raster.Region  `json:"picked,omitempty" jsonschema:"maxItems=50" jsonschema_description:"Instead of color: places on the reference picture that show it"`
	Unpicked []raster.Region  `json:"unpicked,omitempty" jsonschema:"maxItems=50" jsonschema_description:"With picked: places on the reference picture that must not be taken for it"`
	Margin   float64          `json:"margin,omitempty" jsonschema:"minimum=0,maximum=50,default=5" jsonschema_description:"With picked: by how much the bands are wider than what was picked, hue in degrees, the others in percent"`
	Tone     *raster.ToneBand `json:"tone,omitempty" jsonschema_description:"On gray pictures, instead of a color: which gray values count"`
	Relative string           `json:"relative,omitempty" jsonschema:"enum=reference,enum=region,default=reference" jsonschema_description:"reference: 1 is as much as on the reference picture; region: 1 is the whole region"`
}

// Validate implements check.Validator.
func (s *AmountSettings) Validate() error {
	if err := s.Region.Validate(); err != nil {
		return fmt.Errorf("region: %w", err)
	}
	if n := b2i(s.Color != nil) + b2i(s.Picked != nil) + b2i(s.Tone != nil); n != 1 {
		return fmt.Errorf("color: %d of color, picked and tone are given; give exactly one of them", n)
	}
	if s.Color != nil {
		if err := s.Color.Validate(); err != nil {
			return fmt.Errorf("color: %w", err)
		}
	}
	if s.Tone != nil {
		if err := s.Tone.Validate(); err != nil {
			return fmt.Errorf("tone: %w", err)
		}
	}
	if s.Unpicked != nil && s.Picked == nil {
		return errors.New("unpicked: it goes with picked; give places that show the color as well")
	}
	for i, r := range s.Picked {
		if err := r.Validate(); err != nil {
			return fmt.Errorf("picked/%d: %w", i, err)
		}
	}
	for i, r := range s.Unpicked {
		if err := r.Validate(); err != nil {
			return fmt.Errorf("unpicked/%d: %w", i, err)
		}
	}
	return nil
}

func b2i(b bool) int {
	if b {
		return 1
	}
	return 0
}

// Amount is the kind color.amount: how much of a color there is in a region, relative to
// the reference picture (two rings where one was taught give 2) or to the region. Where
// the reference shows none of the color, as of a forbidden one, it is relative to the
// region. On gray pictures a band of gray values takes the place of the color.
var Amount = check.Define(check.Kind{
	Name: "color.amount",
	Doc:  "How much of a color there is, compared with the reference.",
	Measures: []check.Measure{
		{Name: "amount", Doc: "Relative to the reference, 1 = as much as there, or to the region"},
		{Name: "share", Doc: "Part of the region's pixels that are of the color, 0 to 1"},
	},
}, func() AmountSettings { return AmountSettings{Margin: 5, Relative: "reference"} }, teachAmount)

func teachAmount(t *check.Teaching, s *AmountSettings) (check.Taught, error) {
	a := &amount{s: *s}
	w, h := t.Picture.Size()
	switch {
	case s.Color != nil:
		a.set = NewSet(*s.Color)
	case s.Tone != nil:
		a.set = &Set{tone: true}
		a.set.tone0, a.set.tone1 = s.Tone.Range()
	default:
		set, err := growFrom(t, s)
		if err != nil {
			return nil, err
		}
		a.set = set
	}
	if s.Relative == "region" {
		return a, nil
	}
	if t.Picture.Kind() == "" {
		return nil, errors.New("relative: there is no reference picture to compare with; name one, or set relative: region")
	}
	if err := a.set.fits(t.Picture); err != nil {
		return nil, err
	}
	if err := t.TaughtOutside("region", s.Region); err != nil {
		return nil, err
	}
	a.reference = a.set.Count(t.Picture, s.Region.SpansInto(nil, raster.Identity(), w, h))
	if a.reference == 0 {
		t.Warn("the reference picture shows nothing of the color in the region, so amounts are shares of the region; set relative: region if that is meant")
	}
	return a, nil
}

func growFrom(t *check.Teaching, s *AmountSettings) (*Set, error) {
	if t.Picture.Kind() == "" {
		return nil, errors.New("picked: there is no reference picture to pick from; name one, or give the color as bands")
	}
	w, h := t.Picture.Size()
	spans := func(regions []raster.Region) raster.Spans {
		var out raster.Spans
		for _, r := range regions {
			out = append(out, r.SpansInto(nil, raster.Identity(), w, h)...)
		}
		return out
	}
	set, lost, left, err := Grow(t.Picture, spans(s.Picked), spans(s.Unpicked), s.Margin)
	if err != nil {
		return nil, fmt.Errorf("picked: %w", err)
	}
	if lost > 0.1 {
		t.Warn("%.0f %% of the picked pixels are left out to shut out the un-picked ones; the two look alike: pick purer places", float64(lost*100))
	}
	if left > 0.02 {
		t.Warn("%.0f %% of the un-picked pixels are taken for the color all the same; pick purer places, or tell them apart by their place", float64(left*100))
	}
	return set, nil
}

// fits reports a picture without colors for a set of colors, and the other way round.
func (s *Set) fits(p raster.Picture) error {
	if (p.RGB == nil) == s.tone {
		return nil
	}
	if s.tone {
		return errors.New("tone: the pictures are in color; give color or picked")
	}
	return errors.New("color: the pictures are gray; give tone")
}

type amount struct {
	s         AmountSettings
	set       *Set
	reference int // pixels of the color on the reference picture
}

// Learned implements check.Learner: the bands that were grown from the picked pixels.
func (a *amount) Learned() map[string]any {
	if a.s.Picked == nil {
		return nil
	}
	return map[string]any{"color": a.set.Settings(), "picked": nil, "unpicked": nil, "margin": nil}
}

func (a *amount) NewJudge() check.Judge { return &amountJudge{amount: a} }

type amountJudge struct {
	*amount
	spans raster.Spans
}

func (j *amountJudge) Judge(in *check.Input, out *check.Finding) {
	out.MarkOutline(j.s.Region, in.On, check.RoleRegion)
	if !in.Covers(j.s.Region, out) {
		return
	}
	if err := j.set.fits(in.Picture); err != nil {
		out.Fault(err.Error())
		return
	}
	j.spans = j.s.Region.SpansInto(j.spans, in.On, in.Gray.W, in.Gray.H)
	total := j.spans.Pixels()
	if total == 0 {
		out.Fault(check.NoPixel)
		return
	}
	n := float64(j.set.Count(in.Picture, j.spans))
	share := n / float64(total)
	size := in.On.Size()
	value := share
	if j.reference > 0 {
		value = n / float64(float64(j.reference)*float64(size*size))
	}
	out.Read("amount", "", value)
	out.Read("share", "", share)
}

// Selected implements check.Selector.
func (j *amountJudge) Selected(in *check.Input, dst *raster.Gray) {
	one := make(raster.Spans, 1)
	for _, sp := range j.spans {
		out := dst.Row(int(sp.Y))
		for x := sp.X0; x < sp.X1; x++ {
			one[0] = raster.Span{Y: sp.Y, X0: x, X1: x + 1}
			if j.set.Count(in.Picture, one) > 0 {
				out[x] = 255
			}
		}
	}
}
