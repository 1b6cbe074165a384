// Package print has the checks of what is printed: codes, and what they say.
package print

import (
	"errors"
	"fmt"
	"regexp"
	"strconv"
	"strings"

	"ricetta/core/check"
)

// ExpectSettings say what a text must be. Without any of them every text will do.
type ExpectSettings struct {
	Expect  string `json:"expect,omitempty" jsonschema:"maxLength=2000" jsonschema_description:"What it must say. {lot} stands for the lot of the order, {expiry} for its expiry, and so on. {expiry:dd.MM.yyyy} writes a day of the order (2027-03-31) in that form, {date+18m:MM/yy} the day of production and 18 months more (d w m y), {DATE:dd MMM} in capitals. {gs} is the separator of GS1 codes, {{ a brace"`
	Pattern string `json:"pattern,omitempty" jsonschema:"maxLength=500" jsonschema_description:"A regular expression (RE2) that it must match as a whole, as in [A-Z]{2}[0-9]{6}"`
}

// expected is ExpectSettings made ready.
type expected struct {
	pieces  []piece // of Expect; nil where nothing fixed is expected
	pattern *regexp.Regexp
	source  string
}

// piece is a fixed text, or the name of one of the order's values. A value that is a day may
// be moved and written in a form.
type piece struct {
	text   string
	order  bool
	shifts []shift
	form   []dateField
	upper  bool
}

// valuePattern is what stands between braces: a name, by how much the day moves, its form.
var valuePattern = regexp.MustCompile(`^([A-Za-z][A-Za-z0-9_]*)((?:[+-][0-9]{1,4}[dwmy])*)(?::(.+))?$`)

// DefaultForm is how a day is written where only its move is said: as ISO 8601.
const defaultForm = "yyyy-MM-dd"

func pieceOf(inside string) (piece, error) {
	m := valuePattern.FindStringSubmatch(inside)
	if m == nil {
		return piece{}, fmt.Errorf("expect: {%s} is no value of the order; write {lot}, {expiry:dd.MM.yyyy} or {date+18m:MM/yy}", inside)
	}
	p := piece{text: m[1], order: true}
	for rest := m[2]; rest != ""; {
		end := strings.IndexAny(rest, "dwmy")
		n, err := strconv.Atoi(rest[:end])
		if err != nil {
			return piece{}, fmt.Errorf("expect: %s in {%s}: %w", rest[:end], inside, err)
		}
		p.shifts = append(p.shifts, shift{n, rest[end]})
		rest = rest[end+1:]
	}
	form := m[3]
	if form == "" && len(p.shifts) > 0 {
		form = defaultForm
	}
	if form == "" {
		return p, nil
	}
	var err error
	if p.form, err = parseDate(form); err != nil {
		return piece{}, fmt.Errorf("expect: %w", err)
	}
	if p.upper = p.text == strings.ToUpper(p.text); p.upper {
		p.text = strings.ToLower(p.text)
	}
	return p, nil
}

// value is what the piece says of an order.
func (p *piece) value(o check.Order) (string, error) {
	v, known := o[p.text]
	if !known {
		return "", fmt.Errorf("the order says nothing of %s; give it with the order, or take {%s} out of expect", p.text, p.text)
	}
	if p.form == nil {
		return v, nil
	}
	day, err := parseCivil(strings.TrimSpace(v))
	if err != nil {
		return "", fmt.Errorf("%s of the order: %w", p.text, err)
	}
	for _, s := range p.shifts {
		day = day.after(s)
	}
	v = day.format(p.form)
	if p.upper {
		v = strings.ToUpper(v)
	}
	return v, nil
}

func (s *ExpectSettings) ready() (*expected, error) {
	e := &expected{source: s.Pattern}
	if s.Pattern != "" {
		re, err := regexp.Compile(`^(?:` + s.Pattern + `)$`)
		if err != nil {
			return nil, fmt.Errorf("pattern: %w", err)
		}
		e.pattern = re
	}
	rest := s.Expect
	for rest != "" {
		i := strings.IndexByte(rest, '{')
		if i < 0 {
			e.pieces = append(e.pieces, piece{text: rest})
			break
		}
		if i > 0 {
			e.pieces = append(e.pieces, piece{text: rest[:i]})
		}
		rest = rest[i+1:]
		if strings.HasPrefix(rest, "{") {
			e.pieces, rest = append(e.pieces, piece{text: "{"}), rest[1:]
			continue
		}
		name, after, closed := strings.Cut(rest, "}")
		if !closed || name == "" {
			return nil, errors.New("expect: a brace is not closed, or holds nothing; write {lot}, or {{ for a brace")
		}
		if rest = after; name == "gs" {
			e.pieces = append(e.pieces, piece{text: "\x1d"})
		} else {
			p, err := pieceOf(name)
			if err != nil {
				return nil, err
			}
			e.pieces = append(e.pieces, p)
		}
	}
	return e, nil
}

// text is what is expected of this order; ok is false where nothing fixed is. The error
// tells of a value that the order does not give.
func (e *expected) text(o check.Order) (text string, ok bool, err error) {
	if e.pieces == nil {
		return "", false, nil
	}
	if len(e.pieces) == 1 && !e.pieces[0].order {
		return e.pieces[0].text, true, nil
	}
	var b strings.Builder
	for _, p := range e.pieces {
		if !p.order {
			b.WriteString(p.text)
			continue
		}
		v, err := p.value(o)
		if err != nil {
			return "", true, err
		}
		b.WriteString(v)
	}
	return b.String(), true, nil
}

// shown writes a text for a sentence: separators as ␝, and not without end.
func shown(s string) string {
	s = strings.ReplaceAll(s, "\x1d", "␝")
	const most = 60
	if r := []rune(s); len(r) > most {
		return string(r[:most-1]) + "…"
	}
	return s
}
