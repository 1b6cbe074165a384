package print

import (
	"errors"
	"fmt"
	"strings"

	"ricetta/core/check"
	"ricetta/core/raster"
	"ricetta/core/reader"
)

// QualitySettings are the settings of print.quality.
type QualitySettings struct {
	Region  raster.Region   `json:"region" jsonschema_description:"Where the line of print is, with some ground round it"`
	Text    string          `json:"text" jsonschema:"minLength=1,maxLength=60" jsonschema_description:"What the line says on the reference picture: its characters are taught from there"`
	Taught  []Taught        `json:"taught,omitempty" jsonschema:"maxItems=20" jsonschema_description:"More lines of the same print, for characters that the reference picture has not"`
	Expect  string          `json:"expect,omitempty" jsonschema:"maxLength=200" jsonschema_description:"What it must say, as with print.text: {lot}, {date+18m:MM/yy}. The same as on the reference picture where it is left open"`
	Turn    float64         `json:"turn,omitempty" jsonschema:"minimum=0,maximum=30,default=10,title=deg" jsonschema_description:"How far from level the line may lie, in degrees to either side"`
	Ink     reader.Polarity `json:"ink,omitempty" jsonschema:"enum=dark,enum=light" jsonschema_description:"Whether the print is darker or lighter than its ground; either where it is left open"`
	Score   float64         `json:"score,omitempty" jsonschema:"minimum=0,maximum=100,default=70,title=%" jsonschema_description:"How like the taught character each must be at least; under it, it is wrong"`
	Broken  float64         `json:"broken,omitempty" jsonschema:"minimum=0,maximum=100,default=25,title=%" jsonschema_description:"How much of a character's ink may be missing; over it, it is broken"`
	Smeared float64         `json:"smeared,omitempty" jsonschema:"minimum=0,maximum=1000,default=12,title=%" jsonschema_description:"How much ink there may be beside a character, as a part of its own; over it, it is smeared"`
}

// Validate implements check.Validator.
func (s *QualitySettings) Validate() error {
	if err := s.Region.Validate(); err != nil {
		return fmt.Errorf("region: %w", err)
	}
	if strings.TrimSpace(s.Text) == "" {
		return errors.New("text: say what stands on the reference picture")
	}
	_, err := (&ExpectSettings{Expect: s.Expect}).ready()
	return err
}

// Files implements check.Files.
func (s *QualitySettings) Files() []string { return filesOf(s.Taught) }

// Quality is the kind print.quality: every character of a line is compared with the taught one
// and is sound, missing, broken, smeared or wrong.
var Quality = check.Define(check.Kind{
	Name: "print.quality",
	Doc:  "Compares every character of a line with the taught one.",
	Measures: []check.Measure{
		{Name: "score", Unit: "%", Doc: "How like the taught one the worst character is"},
		{Name: "missing", Doc: "Characters of which next to nothing is there", Whole: true},
		{Name: "broken", Doc: "Characters that lack ink", Whole: true},
		{Name: "smeared", Doc: "Characters with ink beside them", Whole: true},
		{Name: "wrong", Doc: "Characters that look like another one, or like none", Whole: true},
	},
	NeedsReference: true,
}, func() QualitySettings { return QualitySettings{Turn: 10, Score: 70, Broken: 25, Smeared: 12} }, teachQuality)

func teachQuality(t *check.Teaching, s *QualitySettings) (check.Taught, error) {
	if err := t.TaughtOutside("region", s.Region); err != nil {
		return nil, err
	}
	e, err := (&ExpectSettings{Expect: s.Expect}).ready()
	if err != nil {
		return nil, err
	}
	q := &quality{s: *s, expected: e}
	var r reader.Reader
	line, err := theLine(&r, t.Reference, s.Region, raster.Identity(), s.Turn, 0, s.Ink, s.Text)
	if err != nil {
		return nil, fmt.Errorf("region: %w in it on the reference picture; draw it round the print", err)
	}
	if err := q.glyphs.learn(&r, t.Reference, line, s.Text); err != nil {
		return nil, fmt.Errorf("text: on the reference picture %w", err)
	}
	if plain := even(line.Plain); plain != even(s.Text) {
		t.Warn("the print on the reference picture reads %s, and not %s: look whether that is what stands there", line.Plain, s.Text)
	}
	if err := q.glyphs.learnAll(t, s.Taught); err != nil {
		return nil, err
	}
	var strip reader.Strip
	strip.Take(t.Reference, line.Line, line.Light)
	if laid, ok := q.glyphs.lay(new(inked).take(&strip), []rune(even(s.Text))); ok {
		for i := range laid {
			box := q.glyphs.outline(&strip, &laid[i])
			t.Marks = append(t.Marks, check.Mark{Shape: check.Polygon, Role: check.RoleTaught, Points: box[:]})
		}
	}
	return q, nil
}

type quality struct {
	s        QualitySettings
	expected *expected
	glyphs   glyphs
}

func (q *quality) NewJudge() check.Judge { return &qualityJudge{quality: q} }

type qualityJudge struct {
	*quality
	reader reader.Reader
	strip  reader.Strip
	inked  inked
}

var qualityColumns = []check.Column{{Name: "character", Text: true}, {Name: "state", Text: true}, {Name: "score"}, {Name: "missing"}, {Name: "beside"}}

func (j *qualityJudge) Judge(in *check.Input, out *check.Finding) {
	out.MarkOutline(j.s.Region, in.On, check.RoleRegion)
	if !in.Covers(j.s.Region, out) {
		return
	}
	want, fixed, err := j.expected.text(in.Order)
	if err != nil {
		out.Fault(err.Error())
		return
	}
	if !fixed {
		want = j.s.Text
	}
	chars := []rune(even(want))
	if u := j.glyphs.unknown(chars); u != "" {
		out.Fault("it was not taught how " + u + " looks; give a line with it under taught")
		return
	}
	height := float64(j.glyphs.height * in.On.Size())
	line, err := theLine(&j.reader, in.Gray, j.s.Region, in.On, j.s.Turn, height, j.s.Ink, want)
	if err != nil {
		j.count(out, [5]int{1: len(chars)}, 0)
		out.Fail("there is no print, " + shown(want) + " expected")
		return
	}
	// As large as it was taught, and with room beside for what was smeared or lost.
	line.Line.Height = height
	line.Line = line.Line.Longer(height + height)
	j.strip.Take(in.Gray, line.Line, j.glyphs.light)
	laid, ok := j.glyphs.lay(j.inked.take(&j.strip), chars)
	if !ok {
		out.Fail("its characters do not fit into the region, " + shown(want) + " expected")
		j.count(out, [5]int{4: len(chars)}, 0)
		return
	}
	j.tell(out, chars, laid)
}

// The states of a character.
var states = [5]string{"sound", "missing", "broken", "smeared", "wrong"}

func (j *qualityJudge) count(out *check.Finding, n [5]int, score float64) {
	out.Read("score", "%", float64(score*100))
	for i, name := range states[1:] {
		out.Read(name, "", float64(n[i+1]))
	}
}

func (j *qualityJudge) tell(out *check.Finding, chars []rune, laid []lain) {
	out.Columns = qualityColumns
	var n [5]int
	worst, first := 1.0, ""
	for i := range laid {
		l := &laid[i]
		state := j.state(chars[i], l)
		n[state]++
		worst = min(worst, l.score)
		row := out.AddRow(len(qualityColumns))
		row[0].Text, row[1].Text = string(chars[i]), states[state]
		row[2].Number, row[3].Number, row[4].Number = float64(l.score*100), float64(l.missing*100), float64(l.too*100)
		role := check.RoleFound
		if state > 0 {
			role = check.RoleLeftOut
			if first == "" {
				first = fmt.Sprintf("character %d, %c, is %s", i+1, chars[i], states[state])
			}
		}
		m := out.AddMark(check.Polygon, role, "")
		box := j.glyphs.outline(&j.strip, l)
		m.Points = append(m.Points, box[:]...)
	}
	j.count(out, n, worst)
	bad := len(laid) - n[0]
	switch {
	case bad == 1:
		out.Fail(first)
	case bad > 1:
		out.Fail(fmt.Sprintf("%s, and %d more are not sound", first, bad-1))
	default:
		out.Sentence = fmt.Appendf(out.Sentence, "all %d characters are sound", len(laid))
	}
}

// state says what is wrong with a character: 0 for nothing.
func (j *qualityJudge) state(c rune, l *lain) int {
	const nothing = 0.8 // so much of the ink gone, and it is not there
	switch {
	case l.missing > nothing:
		return 1
	case j.other(c, l):
		return 4
	case float64(l.too*100) > j.s.Smeared:
		return 3
	case float64(l.missing*100) > j.s.Broken:
		return 2
	case float64(l.score*100) < j.s.Score:
		return 4
	}
	return 0
}

// other reports whether another taught character stands at that place: it fits well there, and
// clearly better. What is broken or smeared fits none well.
func (j *qualityJudge) other(c rune, l *lain) bool {
	const well, better = 0.85, 0.06
	for i := range j.glyphs.all {
		k := &j.glyphs.all[i]
		if k.char == c {
			continue
		}
		for d := -2; d <= 2; d++ {
			if v, _ := k.match(&j.inked, l.x+d); v > max(l.score+better, well) {
				return true
			}
		}
	}
	return false
}
