package print

import (
	"fmt"
	"regexp"
	"slices"
	"strings"

	"ricetta/core/check"
	"ricetta/core/raster"
	"ricetta/core/reader"
)

// TextSettings are the settings of print.text.
type TextSettings struct {
	Region raster.Region   `json:"region" jsonschema_description:"Where the print is, with some ground round it"`
	Lines  int             `json:"lines,omitempty" jsonschema:"minimum=1,maximum=20,default=1" jsonschema_description:"How many lines are read at most, from the top down"`
	Turn   float64         `json:"turn,omitempty" jsonschema:"minimum=0,maximum=30,default=15,title=deg" jsonschema_description:"How far from level lines may lie, in degrees to either side"`
	Height float64         `json:"height,omitempty" jsonschema:"minimum=6,maximum=500,title=px" jsonschema_description:"How high capitals are, roughly, in pixels; found out where it is left open. Helps where other print or strokes lie near"`
	Ink    reader.Polarity `json:"ink,omitempty" jsonschema:"enum=dark,enum=light" jsonschema_description:"Whether the print is darker or lighter than its ground; either where it is left open"`
	Spaces bool            `json:"spaces,omitempty" jsonschema_description:"Spaces count in the comparison; without it they are left out of both texts"`
	Doubt  float64         `json:"doubt,omitempty" jsonschema:"minimum=0,maximum=100,default=20,title=%" jsonschema_description:"How near to the plain reading, as a part of its probability, what is expected must come to be read instead: 0 for O, 1 for l. 100 takes the plain reading always"`
	Taught []Taught        `json:"taught,omitempty" jsonschema:"maxItems=20" jsonschema_description:"For odd print: lines of it in picture files of the recipe. Then only the characters on them are read, by how they look there"`
	ExpectSettings
}

// Files implements check.Files.
func (s *TextSettings) Files() []string { return filesOf(s.Taught) }

// Validate implements check.Validator.
func (s *TextSettings) Validate() error {
	if err := s.Region.Validate(); err != nil {
		return fmt.Errorf("region: %w", err)
	}
	if _, err := s.ready(); err != nil {
		return err
	}
	if s.Pattern != "" {
		if _, err := reader.NewRule(s.Pattern, s.Spaces); err != nil {
			return fmt.Errorf("pattern: %w", err)
		}
	}
	return nil
}

// Text is the kind print.text: reads lines of print without being taught and compares them
// with what is expected. What is expected steers the reading only between characters that
// look alike: the plain reading is always told, and goes before what comes not near it.
var Text = check.Define(check.Kind{
	Name: "print.text",
	Doc:  "Reads lines of print, and compares what they say.",
	Measures: []check.Measure{
		{Name: "confidence", Unit: "%", Doc: "How probable it is that the whole text reads so; of several lines the least"},
		{Name: "weakest", Unit: "%", Doc: "How probable its least probable character is"},
		{Name: "length", Doc: "Characters read", Whole: true},
		{Name: "lines", Doc: "Lines read", Whole: true},
		{Name: "height", Unit: "px", Doc: "How high its capitals are, of the first line"},
		{Name: "angle", Unit: "deg", Doc: "How far the first line is turned, clockwise"},
	},
	Texts: []check.Named{{Name: "text", Doc: "What it says, lines one below the other"}, {Name: "plain", Doc: "What it says by itself, before what is expected was looked at"}},
}, func() TextSettings { return TextSettings{Lines: 1, Turn: 15, Doubt: 20} }, teachText)

func teachText(t *check.Teaching, s *TextSettings) (check.Taught, error) {
	e, err := s.ready()
	if err != nil {
		return nil, err
	}
	out := &text{s: *s, expected: e}
	if len(s.Taught) > 0 {
		out.glyphs = new(glyphs)
		if err := out.glyphs.learnAll(t, s.Taught); err != nil {
			return nil, err
		}
	}
	return out, nil
}

type text struct {
	s        TextSettings
	expected *expected
	glyphs   *glyphs // nil where nothing was taught
}

func (t *text) NewJudge() check.Judge { return &textJudge{text: t} }

type textJudge struct {
	*text
	reader reader.Reader
	strip  reader.Strip
	inked  inked

	rule   *reader.Rule // for what is expected of the order ruled
	ruled  string
	labels []string
}

var textColumns = []check.Column{{Name: "character", Text: true}, {Name: "confidence"}, {Name: "line"}, {Name: "x"}, {Name: "y"}}

func (j *textJudge) Judge(in *check.Input, out *check.Finding) {
	out.MarkOutline(j.s.Region, in.On, check.RoleRegion)
	if !in.Covers(j.s.Region, out) {
		return
	}
	want, fixed, err := j.expected.text(in.Order)
	if err != nil {
		out.Fault(err.Error())
		return
	}
	lines := j.reader.Read(in.Gray, reader.Options{
		Search: reader.Search{Region: j.s.Region, On: in.On, Turn: j.s.Turn, Height: float64(j.s.Height * in.On.Size())},
		Most:   max(j.s.Lines, 1), Polarity: j.s.Ink, Rule: j.ruleFor(want, fixed),
	})
	if j.glyphs != nil {
		lines = j.byGlyphs(in, lines)
	}
	if len(lines) == 0 {
		out.Read("confidence", "%", 0)
		out.Fail("no text is read")
		if fixed {
			out.Sentence = append(append(append(out.Sentence, ", "...), shown(want)...), " expected"...)
		}
		return
	}
	said, plain := j.say(lines)
	right := j.right(said, want, fixed)
	out.Say("text", said)
	out.Say("plain", plain)
	j.tell(lines, want, fixed, right, out)
	at := &lines[0].Line
	out.Read("height", "px", at.Height)
	out.Read("angle", "deg", raster.Atan2(at.To.Y-at.From.Y, at.To.X-at.From.X))
	switch {
	case right && said != plain && j.even(said) != j.even(plain):
		out.Sentence = append(append(append(append(out.Sentence, shown(said)...), " (by itself it reads "...), shown(plain)...), ')')
	case right:
		out.Sentence = append(out.Sentence, shown(said)...)
	case fixed:
		out.Fail("reads " + shown(said) + ", " + shown(want) + " expected")
	default:
		out.Fail("reads " + shown(said) + ", which is not as in " + j.expected.source)
	}
}

// byGlyphs reads the lines anew, with the taught characters.
func (j *textJudge) byGlyphs(in *check.Input, lines []reader.Text) []reader.Text {
	out := lines[:0]
	for _, l := range lines {
		// As large as it was taught, where the item is as large.
		line := l.Line
		line.Height = float64(j.glyphs.height * in.On.Size())
		j.strip.Take(in.Gray, line.Longer(line.Height), j.glyphs.light)
		if t := j.glyphs.say(&j.strip, j.glyphs.read(j.inked.take(&j.strip)), l.Line, j.glyphs.light); t.Plain != "" {
			out = append(out, t)
		}
	}
	return out
}

// ruleFor is what a line may say: one of those expected, or the pattern.
func (j *textJudge) ruleFor(want string, fixed bool) *reader.Rule {
	source := j.s.Pattern
	if fixed {
		lines := strings.Split(want, "\n")
		for i, l := range lines {
			lines[i] = regexp.QuoteMeta(j.even(l))
		}
		source = strings.Join(lines, "|")
	} else if j.s.Lines > 1 {
		return nil // a pattern is for the whole text
	}
	if source == "" {
		return nil
	}
	if j.rule == nil || j.ruled != source {
		j.ruled, j.rule = source, nil
		if r, err := reader.NewRule(source, j.s.Spaces); err == nil {
			j.rule = r
		}
	}
	return j.rule
}

// say is the text of the lines, and what they say by themselves. What is expected is taken for
// read where it comes near enough to the plain reading.
func (j *textJudge) say(lines []reader.Text) (said, plain string) {
	var a, b []string
	for i := range lines {
		l := &lines[i]
		t := l.Plain
		if l.Steered != "" && l.SteeredSure >= float64(l.Sure*float64(j.s.Doubt/100)) {
			t = l.Steered
		}
		a, b = append(a, t), append(b, l.Plain)
	}
	return strings.Join(a, "\n"), strings.Join(b, "\n")
}

// even is a text as it is compared.
func (j *textJudge) even(s string) string {
	if j.s.Spaces {
		return s
	}
	return strings.Map(func(r rune) rune {
		if r == ' ' || r == '\t' {
			return -1
		}
		return r
	}, s)
}

func (j *textJudge) right(said, want string, fixed bool) bool {
	if fixed && j.even(said) != j.even(strings.TrimRight(want, "\n")) {
		return false
	}
	return j.expected.pattern == nil || j.expected.pattern.MatchString(said) || j.expected.pattern.MatchString(j.even(said))
}

// tell lists the characters, and marks them where they lie. Those that are otherwise than
// expected are left out.
func (j *textJudge) tell(lines []reader.Text, want string, fixed, right bool, out *check.Finding) {
	out.Columns = textColumns
	sure, weakest, n := 1.0, 1.0, 0
	wanted := strings.Split(want, "\n")
	for i := range lines {
		l := &lines[i]
		sure = min(sure, l.Sure)
		var wrong []bool
		if fixed && !right {
			other := ""
			if i < len(wanted) {
				other = wanted[i]
			}
			wrong = otherwise(l.Letters, j.even(other), j.s.Spaces)
		}
		for k := range l.Letters {
			c := &l.Letters[k]
			n++
			if c.Rune != ' ' {
				weakest = min(weakest, c.Sure)
			}
			row := out.AddRow(len(textColumns))
			row[0].Text, row[1].Number, row[2].Number = j.label(c.Rune), float64(c.Sure*100), float64(i+1)
			row[3].Number, row[4].Number = (c.Box[0].X+c.Box[2].X)/2, (c.Box[0].Y+c.Box[2].Y)/2
			if c.Rune == ' ' {
				continue
			}
			role := check.RoleFound
			if wrong != nil && wrong[k] || wrong == nil && !right {
				role = check.RoleLeftOut
			}
			m := out.AddMark(check.Polygon, role, "")
			m.Points = append(m.Points, c.Box[:]...)
			// What was read stands above the character, which it would cover.
			above := out.AddMark(check.Line, role, j.label(c.Rune))
			above.Points = append(above.Points, c.Box[0], c.Box[1])
		}
	}
	out.Read("confidence", "%", float64(sure*100))
	out.Read("weakest", "%", float64(weakest*100))
	out.Read("length", "", float64(n))
	out.Read("lines", "", float64(len(lines)))
}

// label is a character as text, made once.
func (j *textJudge) label(r rune) string {
	if r < 0 || r > 127 {
		return string(r)
	}
	if j.labels == nil {
		j.labels = make([]string, 128)
	}
	if j.labels[r] == "" {
		j.labels[r] = string(r)
	}
	return j.labels[r]
}

// otherwise says which characters are not as in a text: those that the shortest way of changing
// one text into the other touches.
func otherwise(letters []reader.Letter, want string, spaces bool) []bool {
	w := []rune(want)
	var at []int // of letters compared
	for i := range letters {
		if spaces || letters[i].Rune != ' ' {
			at = append(at, i)
		}
	}
	n, m := len(at), len(w)
	cost := make([][]int, n+1)
	for i := range cost {
		cost[i] = make([]int, m+1)
		for k := range cost[i] {
			switch {
			case i == 0:
				cost[i][k] = k
			case k == 0:
				cost[i][k] = i
			default:
				same := 1
				if letters[at[i-1]].Rune == w[k-1] {
					same = 0
				}
				cost[i][k] = min(cost[i-1][k]+1, cost[i][k-1]+1, cost[i-1][k-1]+same)
			}
		}
	}
	out := make([]bool, len(letters))
	for i, k := n, m; i > 0; {
		same := 1
		if k > 0 && letters[at[i-1]].Rune == w[k-1] {
			same = 0
		}
		switch {
		case k > 0 && cost[i][k] == cost[i-1][k-1]+same:
			out[at[i-1]] = same == 1
			i, k = i-1, k-1
		case cost[i][k] == cost[i-1][k]+1:
			out[at[i-1]] = true
			i--
		default:
			k--
		}
	}
	// A character too few is shown at the one it should follow.
	if n > 0 && n < m && !slices.Contains(out, true) {
		out[at[n-1]] = true
	}
	return out
}
