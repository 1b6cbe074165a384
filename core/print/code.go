package print

import (
	"fmt"
	"strconv"
	"strings"

	"ricetta/core/check"
	"ricetta/core/raster"
	"ricetta/core/symbol"
)

// CodeSettings are the settings of print.code.
type CodeSettings struct {
	Region      raster.Region      `json:"region" jsonschema_description:"Where to look; codes count whose middle lies in it"`
	Symbologies []symbol.Symbology `json:"symbologies,omitempty" jsonschema:"uniqueItems=true,enum=ean-13,enum=ean-8,enum=upc-a,enum=upc-e,enum=code-128,enum=gs1-128,enum=itf-14,enum=code-39,enum=data-matrix,enum=qr" jsonschema_description:"What to look for; all kinds of codes if none are named. The fewer, the quicker, and the less is taken for what it is not"`
	Most        int                `json:"most,omitempty" jsonschema:"minimum=1,maximum=100,default=1" jsonschema_description:"How many codes are told at most: those that say what is expected first, then from the top down"`
	ExpectSettings
}

// Validate implements check.Validator.
func (s *CodeSettings) Validate() error {
	if err := s.Region.Validate(); err != nil {
		return fmt.Errorf("region: %w", err)
	}
	_, err := s.ready()
	return err
}

// Code is the kind print.code: reads bar codes and matrix codes and compares what they say
// with what is expected. The element strings of a GS1 code are texts of their own. It fails
// where no code is read, or where all of them say something else.
var Code = check.Define(check.Kind{
	Name: "print.code",
	Doc:  "Reads bar codes and matrix codes, and compares what they say.",
	Measures: []check.Measure{
		{Name: "count", Doc: "Codes read in the region", Whole: true},
		{Name: "length", Doc: "Characters of the first one", Whole: true},
		{Name: "angle", Unit: "deg", Doc: "How far the first one is turned, clockwise"},
	},
	Texts: codeTexts(),
}, func() CodeSettings { return CodeSettings{Most: 1} }, teachCode)

func codeTexts() []check.Named {
	out := []check.Named{{Name: "text", Doc: "What the first code says"}, {Name: "symbology", Doc: "What kind of code it is"}}
	for _, n := range symbol.PartNames {
		out = append(out, check.Named{Name: n, Doc: "Of a GS1 code: its " + strings.ReplaceAll(n, "_", " ")})
	}
	return out
}

func teachCode(_ *check.Teaching, s *CodeSettings) (check.Taught, error) {
	e, err := s.ready()
	if err != nil {
		return nil, err
	}
	return &code{s: *s, expected: e}, nil
}

type code struct {
	s        CodeSettings
	expected *expected
}

func (c *code) NewJudge() check.Judge { return &codeJudge{code: c} }

type codeJudge struct {
	*code
	reader symbol.Reader
	good   []int
}

var codeColumns = []check.Column{{Name: "text", Text: true}, {Name: "symbology", Text: true}, {Name: "x"}, {Name: "y"}, {Name: "angle"}, {Name: "corrected"}}

func (j *codeJudge) Judge(in *check.Input, out *check.Finding) {
	out.MarkOutline(j.s.Region, in.On, check.RoleRegion)
	if !in.Covers(j.s.Region, out) {
		return
	}
	want, fixed, err := j.expected.text(in.Order)
	if err != nil {
		out.Fault(err.Error())
		return
	}
	x0, y0, x1, y1 := j.s.Region.Bounds(in.On)
	all := j.reader.Read(in.Gray, symbol.Within(j.s.Symbologies, x0, y0, x1, y1))
	right := func(s *symbol.Symbol) bool {
		return (!fixed || s.Text == want) && (j.expected.pattern == nil || j.expected.pattern.MatchString(s.Text))
	}
	// Those that say what is expected come first.
	j.good = j.good[:0]
	rights := 0
	for _, pass := range [2]bool{true, false} {
		for i := range all {
			s := &all[i]
			if j.s.Region.Contains(in.On, s.Center()) && right(s) == pass {
				j.good = append(j.good, i)
				if pass {
					rights++
				}
			}
		}
	}
	out.Columns = codeColumns
	out.Read("count", "", float64(len(j.good)))
	if len(j.good) == 0 {
		out.Fail("no code is read")
		if fixed {
			out.Sentence = append(append(append(out.Sentence, ", "...), shown(want)...), " expected"...)
		}
		return
	}
	for n, i := range j.good[:min(len(j.good), j.s.Most)] {
		s := &all[i]
		at, angle := s.Center(), s.Angle()
		row := out.AddRow(len(codeColumns))
		row[0].Text, row[1].Text = s.Text, string(s.Symbology)
		row[2].Number, row[3].Number, row[4].Number, row[5].Number = at.X, at.Y, angle, float64(s.Corrected)
		role := check.RoleFound
		if !right(s) {
			role = check.RoleLeftOut
		}
		label := ""
		if len(j.good) > 1 {
			label = numbers[n]
		}
		m := out.AddMark(check.Polygon, role, label)
		m.Points = append(m.Points, s.Corners[:]...)
		if n == 0 {
			out.Read("length", "", float64(len([]rune(s.Text))))
			out.Read("angle", "deg", angle)
			j.say(s, out)
		}
	}
	first := shown(all[j.good[0]].Text)
	switch {
	case rights > 0:
		out.Sentence = append(append(append(out.Sentence, string(all[j.good[0]].Symbology)...), ' '), first...)
	case fixed:
		out.Fail("says " + first + ", " + shown(want) + " expected")
	default:
		out.Fail("says " + first + ", which is not as in " + j.expected.source)
	}
}

// numbers tell several codes apart where they are drawn, as many as are told at most.
var numbers = func() (s [100]string) {
	for i := range s {
		s[i] = strconv.Itoa(i + 1)
	}
	return s
}()

// say adds the texts of the first code.
func (j *codeJudge) say(s *symbol.Symbol, out *check.Finding) {
	out.Say("text", s.Text)
	out.Say("symbology", string(s.Symbology))
	if gtin := s.GTIN(); gtin != "" {
		out.Say("gtin", gtin)
	}
	if !s.GS1 {
		return
	}
	parts, _ := symbol.Parts(s.Text) // what is understood of it
	for _, p := range parts {
		if p.Name != "" {
			if _, twice := out.TextOf(p.Name); !twice {
				out.Say(p.Name, p.Value)
			}
		}
	}
}
