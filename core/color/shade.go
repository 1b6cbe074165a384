package color

import (
	"fmt"
	"maps"
	"slices"
	"strconv"

	"ricetta/core/check"
	"ricetta/core/raster"
)

// ShadeSettings are the settings of color.shade.
type ShadeSettings struct {
	Region raster.Region `json:"region" jsonschema_description:"Where to look"`
	Color  string        `json:"color,omitempty" jsonschema:"pattern=^#[0-9a-fA-F]{6}$" jsonschema_description:"The color wanted as #rrggbb in sRGB; if absent it is that of the region on the reference picture"`
}

// Validate implements check.Validator.
func (s *ShadeSettings) Validate() error {
	if err := s.Region.Validate(); err != nil {
		return fmt.Errorf("region: %w", err)
	}
	return nil
}

// Shade is the kind color.shade: how far the mean color of a region is from the one
// wanted, as ΔE00 of CIEDE2000. The mean is taken of the light, not of the sRGB
// values. On a gray picture only the lightness can differ.
var Shade = check.Define(check.Kind{
	Name: "color.shade",
	Doc:  "How far the mean color of a region is from the color wanted.",
	Measures: []check.Measure{
		{Name: "delta_e", Doc: "Color difference CIEDE2000; 1 is about what a trained eye sees"},
		{Name: "l", Doc: "Lightness of the mean color, 0 to 100"},
		{Name: "a", Doc: "Green (below 0) to red of the mean color, CIELAB"},
		{Name: "b", Doc: "Blue (below 0) to yellow of the mean color, CIELAB"},
	},
}, func() ShadeSettings { return ShadeSettings{} }, teachShade)

func teachShade(t *check.Teaching, s *ShadeSettings) (check.Taught, error) {
	out := &shade{region: s.Region}
	if s.Color != "" {
		c, ok := parse(s.Color)
		if !ok {
			return nil, fmt.Errorf("color: %s is not a color; write it as #rrggbb", s.Color)
		}
		out.want = FromSRGB(c[0], c[1], c[2])
		return out, nil
	}
	w, h := t.Picture.Size()
	if t.Picture.Kind() == "" {
		return nil, fmt.Errorf("there is nothing to compare with; give a color, or the recipe a reference picture")
	}
	if err := t.TaughtOutside("region", s.Region); err != nil {
		return nil, err
	}
	want, ok := MeanOf(t.Picture, s.Region.SpansInto(nil, raster.Identity(), w, h))
	if !ok {
		return nil, fmt.Errorf("region: it holds no pixel; make it larger")
	}
	out.want = want
	return out, nil
}

// parse reads a color written as #rrggbb.
func parse(s string) (rgb [3]uint8, ok bool) {
	if len(s) != 7 || s[0] != '#' {
		return rgb, false
	}
	v, err := strconv.ParseUint(s[1:], 16, 32)
	return [3]uint8{uint8(v >> 16), uint8(v >> 8), uint8(v)}, err == nil
}

// sortedNames lists the keys in order.
func sortedNames(m map[string]string) []string {
	return slices.Sorted(maps.Keys(m))
}

type shade struct {
	region raster.Region
	want   Lab
}

func (s *shade) NewJudge() check.Judge { return &shadeJudge{shade: s} }

type shadeJudge struct {
	*shade
	spans raster.Spans
}

func (j *shadeJudge) Judge(in *check.Input, out *check.Finding) {
	out.MarkOutline(j.region, in.On, check.RoleRegion)
	if !in.Covers(j.region, out) {
		return
	}
	j.spans = j.region.SpansInto(j.spans, in.On, in.Gray.W, in.Gray.H)
	got, ok := MeanOf(in.Picture, j.spans)
	if !ok {
		out.Fault(check.NoPixel)
		return
	}
	out.Read("delta_e", "", DeltaE(j.want, got))
	out.Read("l", "", got.L)
	out.Read("a", "", got.A)
	out.Read("b", "", got.B)
	b := append(out.Sentence, "color difference "...)
	out.Sentence = check.AppendNumber(b, check.Rounded(out.Readings[0].Value, 100))
}

// MeanOf returns the mean color of the pixels, by their light; ok is false where
// there are none.
func MeanOf(p raster.Picture, spans raster.Spans) (mean Lab, ok bool) {
	var sums [3]uint64
	n := uint64(0)
	add := func(plane []uint8, stride int) (sum uint64) {
		for _, s := range spans {
			o := int(s.Y) * stride
			for _, v := range plane[o+int(s.X0) : o+int(s.X1)] {
				sum += uint64(linear16[v])
			}
		}
		return sum
	}
	n = uint64(spans.Pixels())
	if n == 0 {
		return Lab{}, false
	}
	if p.RGB != nil {
		sums = [3]uint64{add(p.RGB.R, p.RGB.Stride), add(p.RGB.G, p.RGB.Stride), add(p.RGB.B, p.RGB.Stride)}
	} else {
		g := add(p.Gray.Pix, p.Gray.Stride)
		sums = [3]uint64{g, g, g}
	}
	whole := float64(n * 65535)
	return fromLinear(float64(sums[0])/whole, float64(sums[1])/whole, float64(sums[2])/whole), true
}
