package print

import (
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strings"

	"ricetta/core/check"
	"ricetta/core/symbol"
)

// Source says which text is compared, and what of it.
type Source struct {
	Of      string `json:"of" jsonschema:"minLength=3,maxLength=100,pattern=^[a-z][a-z0-9_]*\\.[A-Za-z0-9_]+$" jsonschema_description:"Whose text: that of a check as in label.text or code.lot, or a value of the order as in order.lot"`
	Pattern string `json:"pattern,omitempty" jsonschema:"maxLength=500" jsonschema_description:"What of it is taken: the first group of this regular expression (RE2), or all that it matches, as in LOT ([0-9]+)"`
	Part    string `json:"part,omitempty" jsonschema:"maxLength=20" jsonschema_description:"What of a GS1 message is taken: gtin, lot, expiry, …, or the value of an application identifier as in 21"`
	From    int    `json:"from,omitempty" jsonschema:"minimum=1,maximum=1000" jsonschema_description:"The first character taken, counted from 1"`
	Length  int    `json:"length,omitempty" jsonschema:"minimum=1,maximum=1000" jsonschema_description:"How many characters are taken"`
	Day     string `json:"day,omitempty" jsonschema:"maxLength=40" jsonschema_description:"It is a day, written so: dd.MM.yyyy. Days compare whatever their forms; one without a day of the month by its month"`

	pattern *regexp.Regexp
	day     []dateField
}

// ready checks and compiles.
func (s Source) ready(field string) (Source, error) {
	var err error
	if s.Pattern != "" {
		if s.pattern, err = regexp.Compile(s.Pattern); err != nil {
			return s, fmt.Errorf("%s.pattern: %w", field, err)
		}
	}
	if s.Day != "" {
		if s.day, err = parseDate(s.Day); err != nil {
			return s, fmt.Errorf("%s.day: %w", field, err)
		}
		if slices.ContainsFunc(s.day, func(f dateField) bool { return f.letter == 'w' || f.letter == 'Y' || f.letter == 'e' }) {
			return s, fmt.Errorf("%s.day: weeks cannot be compared with days; take d, M, y or D", field)
		}
	}
	return s, nil
}

// expression asks for the text, so that what it names is known to exist.
func (s *Source) expression() string { return s.Of + ` == ""` }

// AgreeSettings are the settings of print.agree.
type AgreeSettings struct {
	First  Source `json:"first" jsonschema_description:"One text"`
	Second Source `json:"second" jsonschema_description:"The text that it must be like"`
	Spaces bool   `json:"spaces,omitempty" jsonschema_description:"Spaces count; without it they are left out of both"`
	Case   bool   `json:"case,omitempty" jsonschema_description:"Capitals and small letters are told apart"`
}

// Expressions tells the recipe's validation what the check asks of others.
func (s *AgreeSettings) Expressions() map[string]string {
	return map[string]string{"first.of": s.First.expression(), "second.of": s.Second.expression()}
}

// Validate implements check.Validator.
func (s *AgreeSettings) Validate() error {
	for field, src := range map[string]Source{"first": s.First, "second": s.Second} {
		if _, err := src.ready(field); err != nil {
			return err
		}
	}
	return nil
}

// Agree is the kind print.agree: two texts, or parts of them, must be the same. It is not
// judged where a check that it asks was not, and fails where a text, or the part of it that is
// to be taken, is not there.
var Agree = check.Define(check.Kind{
	Name:  "print.agree",
	Doc:   "Compares two texts: read with read, or with what the order says.",
	Texts: []check.Named{{Name: "first", Doc: "What was taken of the first text"}, {Name: "second", Doc: "What was taken of the second"}},
}, func() AgreeSettings { return AgreeSettings{} }, teachAgree)

func teachAgree(t *check.Teaching, s *AgreeSettings) (check.Taught, error) {
	a := &agree{s: *s}
	var err error
	for field, src := range map[string]*Source{"first": &a.s.First, "second": &a.s.Second} {
		if *src, err = src.ready(field); err != nil {
			return nil, err
		}
		if _, err := t.Expressions.CompileBool(src.expression()); err != nil {
			return nil, fmt.Errorf("%s.of: %w", field, err)
		}
	}
	return a, nil
}

type agree struct{ s AgreeSettings }

func (a *agree) NewJudge() check.Judge { return a } // it keeps nothing between pictures

func (a *agree) Judge(in *check.Input, out *check.Finding) {
	var took [2]string
	for i, s := range [2]*Source{&a.s.First, &a.s.Second} {
		whole, err := s.find(in)
		if err == nil {
			took[i], err = s.take(whole)
		}
		switch {
		case errors.Is(err, check.ErrNotJudged):
			out.Outcome = check.NotJudged
			out.Sentence = append(out.Sentence, "not judged, because "+s.Of+" was not read"...)
			return
		case errors.Is(err, errOrder):
			out.Fault(err.Error())
			return
		case err != nil:
			out.Fail(err.Error())
			return
		}
	}
	out.Say("first", took[0])
	out.Say("second", took[1])
	x, y := a.even(took[0]), a.even(took[1])
	if a.s.First.day != nil || a.s.Second.day != nil {
		// A month agrees with each of its days.
		if n := min(len(x), len(y)); n == len("2027-03") {
			x, y = x[:n], y[:n]
		}
	}
	if x == y {
		out.Sentence = append(append(out.Sentence, "both say "...), shown(took[0])...)
		return
	}
	out.Fail(a.s.First.Of + " says " + shown(took[0]) + ", " + a.s.Second.Of + " says " + shown(took[1]))
}

// even is a text as it is compared.
func (a *agree) even(s string) string {
	if !a.s.Spaces {
		s = even(s)
	}
	if !a.s.Case {
		s = strings.ToLower(s)
	}
	return s
}

var errOrder = errors.New("the order does not say what is compared")

// find is the whole text.
func (s *Source) find(in *check.Input) (string, error) {
	who, name, _ := strings.Cut(s.Of, ".")
	if who == "order" {
		v, ok := in.Order[name]
		if !ok {
			return "", fmt.Errorf("%w: it has no %s; give it with the order", errOrder, name)
		}
		return v, nil
	}
	for _, f := range in.Findings {
		if f.Check != who {
			continue
		}
		if v, ok := f.TextOf(name); ok {
			return v, nil
		}
		if f.Outcome == check.NotJudged || f.Outcome == check.Fault {
			return "", check.ErrNotJudged
		}
		return "", fmt.Errorf("%s read no %s", who, name)
	}
	return "", check.ErrNotJudged
}

// take is the part of the text that is compared.
func (s *Source) take(v string) (string, error) {
	if s.Part != "" {
		parts, _ := symbol.Parts(v)
		i := slices.IndexFunc(parts, func(p symbol.Part) bool { return p.Name == s.Part || p.AI == s.Part })
		if i < 0 {
			return "", fmt.Errorf("%s, %s, has no part %s", s.Of, shown(v), s.Part)
		}
		v = parts[i].Value
	}
	if s.pattern != nil {
		m := s.pattern.FindStringSubmatch(v)
		if m == nil {
			return "", fmt.Errorf("%s, %s, has nothing as in %s", s.Of, shown(v), s.Pattern)
		}
		v = m[min(1, len(m)-1)]
	}
	if s.From > 0 || s.Length > 0 {
		r := []rune(v)
		from := max(s.From, 1) - 1
		to := len(r)
		if s.Length > 0 {
			to = from + s.Length
		}
		if to > len(r) || from > len(r) {
			return "", fmt.Errorf("%s, %s, is too short", s.Of, shown(v))
		}
		v = string(r[from:to])
	}
	if s.day != nil {
		d, err := readDate(s.day, v)
		if err != nil && !strings.Contains(s.Day, " ") {
			d, err = readDate(s.day, even(v))
		}
		if err != nil {
			return "", fmt.Errorf("%s: %w: %s", s.Of, err, s.Day)
		}
		v = d
	}
	return v, nil
}
