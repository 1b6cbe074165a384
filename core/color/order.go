package color

import (
	"errors"
	"fmt"
	"strings"

	"ricetta/core/check"
	"ricetta/core/raster"
)

// OrderSettings are the settings of color.order.
type OrderSettings struct {
	Region raster.Region     `json:"region" jsonschema_description:"A rectangle along the row of things"`
	Expect []string          `json:"expect" jsonschema:"minItems=1,maxItems=100" jsonschema_description:"The names of their colors in order, from the rectangle's left (of an upright one: from its top) end"`
	Colors map[string]string `json:"colors,omitempty" jsonschema_description:"The color of each name as #rrggbb in sRGB; a name that is absent is taught from the reference picture, where the row lies as expected"`
	Inner  float64           `json:"inner,omitempty" jsonschema:"minimum=0.05,maximum=1,default=0.5" jsonschema_description:"Part of each place that is looked at, about its middle"`
	DeltaE float64           `json:"delta_e,omitempty" jsonschema:"exclusiveMinimum=0,maximum=100,default=20" jsonschema_description:"A color farther than this from every taught one (CIEDE2000) is unknown"`
}

// Validate implements check.Validator.
func (s *OrderSettings) Validate() error {
	if err := s.Region.Validate(); err != nil {
		return fmt.Errorf("region: %w", err)
	}
	if s.Region.Rect == nil || s.Region.Without != nil {
		return errors.New("region: it is no row; give a rect, without holes")
	}
	known := map[string]bool{}
	for i, name := range s.Expect {
		if strings.TrimSpace(name) == "" || name == unknown {
			return fmt.Errorf("expect/%d: %q is no name for a color; give another", i, name)
		}
		known[name] = true
	}
	for name, c := range s.Colors {
		if _, ok := parse(c); !ok {
			return fmt.Errorf("colors: %s is not a color; write it as #rrggbb", c)
		}
		if strings.TrimSpace(name) == "" || name == unknown {
			return fmt.Errorf("colors: %q is no name for a color; give another", name)
		}
	}
	return nil
}

// unknown is the name of a color near none of the taught ones.
const unknown = "unknown"

// Order is the kind color.order: the colors along a row against their expected order.
// Each place is given the name of the nearest taught color. The check fails by itself
// where a place has another name than expected, unless its limits say otherwise. The
// text order lists the names; rows tell each place: name, expected and delta_e, the
// distance to the color of its name. On a gray picture only lightness is compared.
var Order = check.Define(check.Kind{
	Name:  "color.order",
	Doc:   "The colors along a row against the order they should have.",
	Texts: []check.Named{{Name: "order", Doc: "The names of the colors found, with commas between"}},
	Measures: []check.Measure{
		{Name: "wrong", Doc: "Places whose color is not the expected one; at most 0 unless its limits say otherwise", Whole: true},
		{Name: "delta_e", Doc: "Greatest distance (CIEDE2000) of a place from the color of its name"},
	},
}, func() OrderSettings { return OrderSettings{Inner: 0.5, DeltaE: 20} }, teachOrder)

func teachOrder(t *check.Teaching, s *OrderSettings) (check.Taught, error) {
	o := &order{s: *s}
	at := map[string]int{}
	add := func(name string, c Lab) {
		at[name] = len(o.names)
		o.names, o.colors = append(o.names, name), append(o.colors, c)
	}
	for _, name := range sortedNames(s.Colors) {
		rgb, _ := parse(s.Colors[name])
		add(name, FromSRGB(rgb[0], rgb[1], rgb[2]))
	}
	w, h := t.Picture.Size()
	for i, name := range s.Expect {
		k, known := at[name]
		if !known {
			if t.Picture.Kind() == "" {
				return nil, fmt.Errorf("colors: %s has no color, and there is no reference picture to learn it from; give either", name)
			}
			if err := t.TaughtOutside("region", s.Region); err != nil {
				return nil, err
			}
			c, ok := MeanOf(t.Picture, o.cell(i).SpansInto(nil, raster.Identity(), w, h))
			if !ok {
				return nil, fmt.Errorf("region: place %d holds no pixel; make the region larger", i+1)
			}
			k = len(o.names)
			add(name, c)
		}
		o.expect = append(o.expect, k)
	}
	for i, a := range o.colors {
		for k := range i {
			if d := DeltaE(a, o.colors[k]); d < 5 {
				t.Warn("%s and %s are only %.1f apart (CIEDE2000), so that they may be taken for each other", o.names[k], o.names[i], d)
			}
		}
	}
	return o, nil
}

type order struct {
	s      OrderSettings
	names  []string
	colors []Lab
	expect []int // indices of names
}

// cell returns the part of place i that is looked at.
func (o *order) cell(i int) raster.Region {
	r := o.s.Region.Rect
	n := float64(len(o.s.Expect))
	out := raster.Region{Shape: raster.Shape{Turn: o.s.Region.Turn}}
	c := o.s.Region.Center()
	x, y := c.X, c.Y
	sin, cos := raster.SinCos(o.s.Region.Turn)
	w, h := r[2], r[3]
	if w >= h {
		off := float64((float64(i)+0.5)*(w/n)) - w/2
		x, y = x+float64(off*cos), y+float64(off*sin)
		w /= n
	} else {
		off := float64((float64(i)+0.5)*(h/n)) - h/2
		x, y = x-float64(off*sin), y+float64(off*cos)
		h /= n
	}
	w, h = float64(w*o.s.Inner), float64(h*o.s.Inner)
	out.Rect = []float64{x - w/2, y - h/2, w, h}
	return out
}

func (o *order) NewJudge() check.Judge {
	j := &orderJudge{order: o}
	for i := range o.expect {
		j.cells = append(j.cells, o.cell(i))
	}
	return j
}

type orderJudge struct {
	*order
	cells []raster.Region
	spans raster.Spans
	text  []byte
	last  string // the text before, mostly the same
}

var orderColumns = []check.Column{{Name: "name", Text: true}, {Name: "expected", Text: true}, {Name: "delta_e"}, {Name: "x"}, {Name: "y"}}

func (j *orderJudge) Judge(in *check.Input, out *check.Finding) {
	out.MarkOutline(j.s.Region, in.On, check.RoleRegion)
	if !in.Covers(j.s.Region, out) {
		return
	}
	wrong, worst, first := 0, 0.0, -1
	j.text = j.text[:0]
	out.Columns = orderColumns
	for i := range j.cells {
		j.spans = j.cells[i].SpansInto(j.spans, in.On, in.Gray.W, in.Gray.H)
		c, ok := MeanOf(in.Picture, j.spans)
		if !ok {
			out.Fault(check.NoPixel)
			return
		}
		name, d := j.nearest(c)
		expected := j.names[j.expect[i]]
		role := check.RoleFound
		if name != expected {
			role = check.RoleLeftOut
			if wrong++; first < 0 {
				first = i
			}
		}
		worst = max(worst, d)
		if i > 0 {
			j.text = append(j.text, ", "...)
		}
		j.text = append(j.text, name...)
		row := out.AddRow(len(orderColumns))
		row[0].Text, row[1].Text, row[2].Number = name, expected, d
		p := in.On.Apply(j.cells[i].Center())
		row[3].Number, row[4].Number = p.X, p.Y
		m := out.AddMark(check.Polygon, role, name)
		m.Points = j.cells[i].Outline(in.On, m.Points)
	}
	if j.last != string(j.text) {
		j.last = string(j.text)
	}
	out.Texts = append(out.Texts, check.Text{Name: "order", Value: j.last})
	out.Read("wrong", "", float64(wrong))
	out.Read("delta_e", "", worst)
	out.Readings[0].Limits.Most = 0
	if first < 0 {
		out.Sentence = append(out.Sentence, "all colors in order"...)
	} else {
		row := out.Rows[first]
		b := append(check.AppendNumber(out.Sentence, float64(wrong)), " wrong (place "...)
		b = append(check.AppendNumber(b, float64(first+1)), ": "...)
		b = append(append(append(b, row[0].Text...), " where "...), row[1].Text...)
		out.Sentence = append(b, " belongs)"...)
	}
}

func (j *orderJudge) nearest(c Lab) (name string, d float64) {
	best := -1
	for i, k := range j.colors {
		if e := DeltaE(c, k); best < 0 || e < d {
			best, d = i, e
		}
	}
	if d > j.s.DeltaE {
		return unknown, d
	}
	return j.names[best], d
}
