// Package print has the checks of what is printed: codes, and what they say.
package print

import (
	"errors"
	"fmt"
	"regexp"
	"strings"

	"ricetta/core/check"
)

// ExpectSettings say what a text must be. Without any of them every text will do.
type ExpectSettings struct {
	Expect  string `json:"expect,omitempty" jsonschema:"maxLength=2000" jsonschema_description:"What it must say. {lot} stands for the lot of the order, {expiry} for its expiry, and so on; {gs} for the separator of GS1 codes; {{ for a brace"`
	Pattern string `json:"pattern,omitempty" jsonschema:"maxLength=500" jsonschema_description:"A regular expression (RE2) that it must match as a whole, as in [A-Z]{2}[0-9]{6}"`
}

// expected is ExpectSettings made ready.
type expected struct {
	pieces  []piece // of Expect; nil where nothing fixed is expected
	pattern *regexp.Regexp
	source  string
}

// piece is a fixed text, or the name of one of the order's values.
type piece struct {
	text  string
	order bool
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
			e.pieces = append(e.pieces, piece{text: name, order: true})
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
		v, known := o[p.text]
		if !known {
			return "", true, fmt.Errorf("the order says nothing of %s; give it with the order, or take {%s} out of expect", p.text, p.text)
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
