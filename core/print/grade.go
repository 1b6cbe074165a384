package print

import (
	"errors"
	"fmt"
	"slices"

	"ricetta/core/check"
	"ricetta/core/raster"
	"ricetta/core/symbol"
)

// GradeSettings are the settings of print.grade.
type GradeSettings struct {
	Region      raster.Region      `json:"region" jsonschema_description:"Where the code is, with its light margins"`
	Symbologies []symbol.Symbology `json:"symbologies,omitempty" jsonschema:"uniqueItems=true,enum=ean-13,enum=ean-8,enum=upc-a,enum=upc-e,enum=code-128,enum=gs1-128,enum=itf-14,enum=code-39,enum=data-matrix,enum=qr" jsonschema_description:"What to look for; all kinds of codes if none are named"`
	White       float64            `json:"white,omitempty" jsonschema:"minimum=1,maximum=255,default=255" jsonschema_description:"Gray value of a white reference (full reflectance) under this light; what is there without one is compared with the camera's own white"`
	Black       float64            `json:"black,omitempty" jsonschema:"minimum=0,maximum=254,default=0" jsonschema_description:"Gray value of a black reference (no reflectance)"`
}

// Validate implements check.Validator.
func (s *GradeSettings) Validate() error {
	if err := s.Region.Validate(); err != nil {
		return fmt.Errorf("region: %w", err)
	}
	if s.White <= s.Black {
		return errors.New("white: it must be lighter than black")
	}
	return nil
}

// leastModule is how many pixels a module should have for a grade to say something of the
// print, and not of the camera: ISO/IEC 15415, 7.3.3 asks for five and more.
const leastModule = 5

// Grading is the kind print.grade: how well a code is printed, after ISO/IEC 15416 (linear) and
// 15415 (matrix).
var Grading = check.Define(check.Kind{
	Name: "print.grade",
	Doc:  "Grades how well a code is printed.",
	Measures: []check.Measure{
		{Name: "grade", Doc: "The overall grade: 4 is best, 0 fails"},
		{Name: "contrast", Unit: "%", Doc: "Symbol contrast, of full reflectance"},
		{Name: "module", Unit: "px", Doc: "Width of its narrowest element"},
	},
	Texts: []check.Named{
		{Name: "letter", Doc: "The grade as a letter, A to F"},
		{Name: "decides", Doc: "The parameter with the lowest grade"},
		{Name: "text", Doc: "What the code says"},
		{Name: "symbology", Doc: "What kind of code it is"},
	},
	NeedsReference: false,
}, func() GradeSettings { return GradeSettings{White: 255} }, teachGrade)

func teachGrade(t *check.Teaching, s *GradeSettings) (check.Taught, error) {
	if t.Reference != nil {
		var r symbol.Reader
		x0, y0, x1, y1 := s.Region.Bounds(raster.Identity())
		for _, c := range r.Read(t.Reference, symbol.Within(s.Symbologies, x0, y0, x1, y1)) {
			if g, err := r.Grade(t.Reference, &c, symbol.Reflectance{Black: s.Black, White: s.White}); err == nil && g.Module < leastModule {
				t.Warn("a module of the code has %.1f pixels; with fewer than %d the grade says more of the camera than of the print: take a longer lens, or come nearer", g.Module, leastModule)
				break
			}
		}
	}
	return &grading{*s}, nil
}

type grading struct{ s GradeSettings }

func (g *grading) NewJudge() check.Judge { return &gradingJudge{grading: g} }

type gradingJudge struct {
	*grading
	reader symbol.Reader
}

var gradeColumns = []check.Column{{Name: "parameter", Text: true}, {Name: "value"}, {Name: "unit", Text: true}, {Name: "grade"}}

func (j *gradingJudge) Judge(in *check.Input, out *check.Finding) {
	out.MarkOutline(j.s.Region, in.On, check.RoleRegion)
	if !in.Covers(j.s.Region, out) {
		return
	}
	x0, y0, x1, y1 := j.s.Region.Bounds(in.On)
	all := j.reader.Read(in.Gray, symbol.Within(j.s.Symbologies, x0, y0, x1, y1))
	at := slices.IndexFunc(all, func(s symbol.Symbol) bool { return j.s.Region.Contains(in.On, s.Center()) })
	if at < 0 {
		out.Read("grade", "", 0)
		out.Say("letter", "F")
		out.Say("decides", "decode")
		out.Fail("no code is read: grade 0, F")
		return
	}
	s := all[at]
	grade, err := j.reader.Grade(in.Gray, &s, symbol.Reflectance{Black: j.s.Black, White: j.s.White})
	if err != nil {
		out.Fault(err.Error())
		return
	}
	out.Read("grade", "", grade.Overall)
	out.Columns = gradeColumns
	for _, p := range grade.Parameters {
		if p.Name == "symbol contrast" {
			out.Read("contrast", "%", p.Value)
		}
		row := out.AddRow(len(gradeColumns))
		row[0].Text, row[1].Number, row[2].Text, row[3].Number = p.Name, p.Value, p.Unit, p.Grade
	}
	out.Read("module", "px", grade.Module)
	out.Say("letter", grade.Letter())
	out.Say("decides", grade.Decides)
	out.Say("text", s.Text)
	out.Say("symbology", string(s.Symbology))
	m := out.AddMark(check.Polygon, check.RoleFound, grade.Letter())
	m.Points = append(m.Points, s.Corners[:]...)
	for _, f := range grade.Flaws {
		as := FlawMark(f)
		m := out.AddMark(as.Shape, as.Role, "")
		m.Points = append(m.Points, as.Points...)
	}
	out.Sentence = fmt.Appendf(out.Sentence, "grade %.1f, %s", grade.Overall, grade.Letter())
	if grade.Decides != "" {
		out.Sentence = append(append(out.Sentence, ", by "...), grade.Decides...)
	}
}

// FlawMark draws what cost a grade: a module, or a scan line, which is left out where it got
// less than an A.
func FlawMark(f symbol.Flaw) check.Mark {
	m := check.Mark{Shape: check.Polygon, Role: check.RoleLeftOut, Points: f.Points}
	if len(f.Points) == 2 {
		if m.Shape = check.Line; f.Grade >= 3.5 {
			m.Role = check.RoleFound
		}
	}
	return m
}
