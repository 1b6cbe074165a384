package locate

import (
	"errors"
	"fmt"
	"math"

	"ricetta/core/check"
	"ricetta/core/raster"
	"ricetta/core/symbol"
)

// CodeSettings are the settings of locate.code.
type CodeSettings struct {
	Region      raster.Region      `json:"region" jsonschema_description:"Round the code on the reference picture"`
	Symbologies []symbol.Symbology `json:"symbologies,omitempty" jsonschema:"uniqueItems=true,enum=ean-13,enum=ean-8,enum=upc-a,enum=upc-e,enum=code-128,enum=gs1-128,enum=itf-14,enum=code-39,enum=data-matrix,enum=qr" jsonschema_description:"What to look for; the kind of the taught code if none are named"`
	Area
	Turn float64   `json:"turn,omitempty" jsonschema:"minimum=0,maximum=180,default=180" jsonschema_description:"How far the item may be turned to either side in degrees"`
	Size []float64 `json:"size,omitempty" jsonschema:"minItems=2,maxItems=2" jsonschema_description:"Least and most size relative to the taught one, between 0.5 and 2; 0.8 to 1.25 if absent"`
}

// Validate implements check.Validator.
func (s *CodeSettings) Validate() error {
	if err := s.Region.Validate(); err != nil {
		return fmt.Errorf("region: %w", err)
	}
	if err := s.validate(); err != nil {
		return err
	}
	return validSizes(s.Size)
}

// Code is the kind locate.code: a code that is read tells where the item lies, how it is
// turned and how large it is. What it says may differ from item to item. Its score is 1
// where it is read.
var Code = check.Define(check.Kind{
	Name:           "locate.code",
	Doc:            "Finds the item by a bar code or matrix code that is read.",
	Datum:          true,
	NeedsReference: true,
	Measures:       measures,
	Texts:          []check.Named{{Name: "text", Doc: "What the code says"}},
}, func() CodeSettings { return CodeSettings{Turn: 180} }, teachCode)

func teachCode(t *check.Teaching, s *CodeSettings) (check.Taught, error) {
	if err := t.TaughtOutside("region", s.Region); err != nil {
		return nil, err
	}
	o := &code{s: *s}
	var r symbol.Reader
	x0, y0, x1, y1 := s.Region.Bounds(raster.Identity())
	for _, found := range r.Read(t.Reference, symbol.Within(s.Symbologies, x0, y0, x1, y1)) {
		if s.Region.Contains(raster.Identity(), found.Center()) {
			o.taught = found
			break
		}
	}
	if o.taught.Text == "" {
		return nil, errors.New("region: no code is read there on the reference picture; draw it round one with its light margin")
	}
	if len(s.Symbologies) == 0 {
		o.s.Symbologies = []symbol.Symbology{o.taught.Symbology}
	}
	if o.linear() {
		t.Warn("a bar code tells its place along its bars only roughly, within a few pixels; take a matrix code or another datum where that matters")
	}
	m := check.Mark{Shape: check.Polygon, Role: check.RoleTaught, Points: o.taught.Corners[:]}
	t.Marks = append(t.Marks, m)
	return o, nil
}

type code struct {
	s      CodeSettings
	taught symbol.Symbol
}

// linear reports whether the taught code has bars.
func (o *code) linear() bool {
	return o.taught.Symbology != symbol.DataMatrix && o.taught.Symbology != symbol.QR
}

// length is what the size is told by: how long a linear code is, how wide and high a matrix.
func (o *code) length(s *symbol.Symbol) float64 {
	c := &s.Corners
	side := func(i, j int) float64 { return raster.Hypot(c[i].X-c[j].X, c[i].Y-c[j].Y) }
	across := (side(0, 1) + side(3, 2)) / 2
	if o.linear() {
		return across
	}
	return (across + (side(0, 3)+side(1, 2))/2) / 2
}

func (o *code) NewJudge() check.Judge { return &codeJudge{code: o} }

type codeJudge struct {
	*code
	reader symbol.Reader
	place  raster.Transform
}

func (j *codeJudge) Place() raster.Transform { return j.place }

func (j *codeJudge) Judge(in *check.Input, out *check.Finding) {
	x0, y0, x1, y1 := 0.0, 0.0, float64(in.Gray.W), float64(in.Gray.H)
	if j.s.Search != nil {
		out.MarkOutline(*j.s.Search, in.On, check.RoleRegion)
		x0, y0, x1, y1 = j.s.Search.Bounds(in.On)
	}
	found := j.reader.Read(in.Gray, symbol.Within(j.s.Symbologies, x0, y0, x1, y1))
	// The one that says what the taught one says, else the one nearest to its place.
	best, near := -1, math.Inf(1)
	home := in.On.Apply(j.taught.Center())
	for i := range found {
		s := &found[i]
		at := s.Center()
		if !j.s.allows(in, at.X, at.Y) {
			continue
		}
		d := raster.Hypot(at.X-home.X, at.Y-home.Y)
		if s.Text == j.taught.Text && s.Symbology == j.taught.Symbology {
			d -= 1e6
		}
		if d < near {
			best, near = i, d
		}
	}
	if best < 0 {
		readScore(out, 0, 1)
		out.Fail("not found (no code is read)")
		return
	}
	s := &found[best]
	at := s.Center()
	p := pose{x: at.X, y: at.Y, angle: raster.WrapAngle(s.Angle() - j.taught.Angle()), size: j.length(s) / j.length(&j.taught), score: 1}
	least, most := sizesOf(j.s.Size, 0.8, 1.25)
	base := in.On.Size()
	role := check.RoleFound
	wrong := ""
	switch {
	case p.size < float64((least-0.01)*base) || p.size > float64((most+0.01)*base):
		wrong = "not found (the code has not its size)"
	case math.Abs(raster.WrapAngle(p.angle-in.On.Angle())) > j.s.Turn+turnSlack:
		wrong = "not found (the code is turned too far)"
	}
	if wrong == "" {
		j.place = report(in, out, p, j.taught.Center(), &j.s.Area, 1)
	} else {
		readScore(out, 0, 1)
		out.Fail(wrong)
		role = check.RoleLeftOut
	}
	m := out.AddMark(check.Polygon, role, "")
	m.Points = append(m.Points, s.Corners[:]...)
	out.Say("text", s.Text)
}
