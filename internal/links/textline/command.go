package textline

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"ricetta/core/check"
	"ricetta/core/recipe"
	"ricetta/internal/line"
	"ricetta/internal/links"
)

// mostLine bounds what one line may be, in bytes.
const mostLine = 4096

// fields takes a line apart at spaces; between double quotes spaces count, and "" is a quote.
func fields(text string) ([]string, error) {
	var out []string
	var b strings.Builder
	word, quoted := false, false
	r := []rune(text)
	for i := 0; i < len(r); i++ {
		switch c := r[i]; {
		case c == '"' && quoted && i+1 < len(r) && r[i+1] == '"':
			b.WriteRune(c)
			i++
		case c == '"':
			quoted, word = !quoted, true
		case (c == ' ' || c == '\t') && !quoted:
			if word {
				out = append(out, b.String())
				b.Reset()
			}
			word = false
		default:
			b.WriteRune(c)
			word = true
		}
	}
	if quoted {
		return nil, errors.New("a quote is not closed")
	}
	if word {
		out = append(out, b.String())
	}
	return out, nil
}

// quoted writes a word so that fields reads it back.
func quoted(s string) string {
	s = strings.Map(func(r rune) rune {
		if r < ' ' || r == 0x7f {
			return ' '
		}
		return r
	}, s)
	if s == "" || strings.ContainsAny(s, " \t\"") {
		return `"` + strings.ReplaceAll(s, `"`, `""`) + `"`
	}
	return s
}

// asked is what a command works with.
type asked struct {
	links.Lines
	tags *links.Tags
	peer string
}

// command is what can be asked: how many words follow at least, and what answers.
type command struct {
	usage string
	least int
	do    func(l asked, a []string) (string, error)
}

// commands by name. Those that concern the connection itself are in conn.go.
var commands = map[string]command{
	"lines": {"lines", 0, func(l asked, _ []string) (string, error) {
		var ids []string
		for _, s := range l.States() {
			ids = append(ids, s.Config.ID)
		}
		return strings.Join(ids, " "), nil
	}},
	"state": {"state LINE", 1, func(l asked, a []string) (string, error) { return state(l, a[0]) }},
	"start": {"start LINE [cleared]", 1, func(l asked, a []string) (string, error) {
		if len(a) > 2 || len(a) == 2 && a[1] != "cleared" {
			return "", errors.New("write start LINE, or start LINE cleared")
		}
		if err := l.Start(a[0], len(a) == 2); err != nil {
			return "", err
		}
		return state(l, a[0])
	}},
	"stop": {"stop LINE", 1, func(l asked, a []string) (string, error) {
		if err := l.Stop(a[0]); err != nil {
			return "", err
		}
		return state(l, a[0])
	}},
	"trigger": {"trigger LINE", 1, func(l asked, a []string) (string, error) {
		return "", l.Trigger(a[0])
	}},
	"acknowledge": {"acknowledge NUMBER NAME", 2, func(l asked, a []string) (string, error) {
		id, err := strconv.ParseInt(a[0], 10, 64)
		if err != nil {
			return "", fmt.Errorf("%q is not the number of an alarm", a[0])
		}
		return "", l.Acknowledge(id, a[1], "by text line")
	}},
	"tags": {"tags", 0, func(l asked, _ []string) (string, error) {
		var names []string
		for _, t := range l.tags.List() {
			names = append(names, t.Name)
		}
		return strings.Join(names, " "), nil
	}},
	"get": {"get TAG [TAG …]", 1, func(l asked, a []string) (string, error) {
		var out []string
		for _, name := range a {
			_, v, err := l.tags.Tag(name)
			if err != nil {
				return "", err
			}
			value := "-"
			if v.Valid {
				value = quoted(v.Text)
			}
			out = append(out, name+"="+value)
		}
		return strings.Join(out, " "), nil
	}},
	"set": {"set TAG VALUE", 2, func(l asked, a []string) (string, error) {
		v, err := strconv.ParseFloat(a[1], 64)
		if err != nil {
			return "", fmt.Errorf("%q is not a number", a[1])
		}
		if err := l.tags.Write(context.Background(), a[0], v, "text line "+l.peer); err != nil {
			return "", err
		}
		_, now, err := l.tags.Tag(a[0])
		return a[0] + "=" + now.Text, err
	}},
	"change": {"change LINE PRODUCT [NAME=VALUE …]", 2, change},
}

// change changes a line over: order data as NAME=VALUE.
func change(l asked, a []string) (string, error) {
	order := check.Order{}
	for _, f := range a[2:] {
		name, value, ok := strings.Cut(f, "=")
		if !ok || name == "" {
			return "", fmt.Errorf("%q is not NAME=VALUE, as in lot=L4711", f)
		}
		order[name] = value
	}
	r, err := l.Change(a[0], line.Run{Product: a[1], Order: order, By: "text line"})
	if err != nil {
		return "", err
	}
	return fmt.Sprintf("run=%d product=%s", r.ID, quoted(r.Product)), nil
}

// state is how a line stands, in one line.
func state(l asked, id string) (string, error) {
	all := l.States()
	i := slices.IndexFunc(all, func(s line.State) bool { return s.Config.ID == id })
	if i < 0 {
		var ids []string
		for _, s := range all {
			ids = append(ids, s.Config.ID)
		}
		return "", fmt.Errorf("there is no line %s; there are %s", id, strings.Join(ids, ", "))
	}
	s := all[i]
	n := s.Counters
	out := fmt.Sprintf("state=%s product=%s run=%d packages=%d pass=%d rework=%d reject=%d faults=%d underway=%d", s.Status, quoted(s.Run.Product), s.Run.ID,
		n.Packages, n.Routes[recipe.Pass], n.Routes[recipe.Rework], n.Routes[recipe.Reject], n.Faults, s.Underway)
	if lot := s.Run.Order["lot"]; lot != "" {
		out += " lot=" + quoted(lot)
	}
	if s.Why != "" {
		out += " why=" + quoted(s.Why)
	}
	return out, nil
}

func usages() string {
	var out []string
	for _, c := range commands {
		out = append(out, c.usage)
	}
	out = append(out, "watch [STATION]", "quiet", "bye")
	slices.Sort(out)
	return strings.Join(out, "; ")
}
