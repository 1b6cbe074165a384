package recipe

import (
	"crypto/sha256"
	"fmt"
	"math"
	"slices"
	"strings"

	"ricetta/core/check"
)

// Change is one difference between two recipes.
type Change struct {
	Check string `required:"true" json:"check" description:"Id of the check; empty for what concerns the whole recipe"`
	Field string `json:"field" required:"true" description:"As in limits/count/least; empty for the check as a whole"`
	From  string `json:"from" required:"true"`
	To    string `json:"to" required:"true"`
	// Text says it in words.
	Text string `json:"text" required:"true"`
}

// Diff says in words what leads from one recipe to another: trees as Tree gives them, and
// the files that they name. It is empty where both would give the same verdicts.
func Diff(a, b map[string]any, filesA, filesB map[string][]byte) []Change {
	d := &differences{}
	for _, name := range ordered(merged(a, b), rootOrder, nil) {
		if name == "checks" || name == "routes" || name == "picture" || name == "ricetta" {
			continue
		}
		d.value("", name, a[name], b[name])
	}
	d.fields("", "picture", asObject(a["picture"]), asObject(b["picture"]))
	d.checks(a, b)
	d.routes(a["routes"], b["routes"])
	var names []string
	for name := range filesA {
		if _, ok := filesB[name]; ok {
			names = append(names, name)
		}
	}
	slices.Sort(names)
	for _, name := range names {
		if sha256.Sum256(filesA[name]) != sha256.Sum256(filesB[name]) {
			d.add("", name, "", "", "the picture "+name+" is another one")
		}
	}
	return d.list
}

func merged(a, b object) object {
	out := object{}
	for _, m := range [2]object{a, b} {
		for k := range m {
			out[k] = nil
		}
	}
	return out
}

type differences struct{ list []Change }

func (d *differences) add(id, field, from, to, text string) {
	if id != "" {
		text = id + ": " + text
	}
	d.list = append(d.list, Change{id, field, from, to, text})
}

func (d *differences) value(id, field string, a, b any) {
	if same(a, b) {
		return
	}
	name := strings.ReplaceAll(field, "/", " ")
	switch {
	case a == nil:
		d.add(id, field, "", flow(b, nil), fmt.Sprintf("%s is set: %s", name, flow(b, nil)))
	case b == nil:
		d.add(id, field, flow(a, nil), "", fmt.Sprintf("%s is no longer set (it was %s)", name, flow(a, nil)))
	default:
		text := fmt.Sprintf("%s %s → %s", name, flow(a, nil), flow(b, nil))
		if words := moved(a, b); words != "" {
			text = name + " " + words
		}
		d.add(id, field, flow(a, nil), flow(b, nil), text)
	}
}

// fields compares two objects one level deep; limits go one deeper.
func (d *differences) fields(id, path string, a, b object) {
	for _, k := range ordered(merged(a, b), nil, nil) {
		x, xok := a[k].(object)
		y, yok := b[k].(object)
		field := strings.TrimPrefix(path+"/"+k, "/")
		if k == "limits" && (xok || yok) {
			for _, reading := range ordered(merged(x, y), nil, nil) {
				d.limits(id, reading, x[reading], y[reading])
			}
			continue
		}
		d.value(id, field, a[k], b[k])
	}
}

func (d *differences) limits(id, reading string, a, b any) {
	if same(a, b) {
		return
	}
	was, now := bandText(a), bandText(b)
	switch {
	case a == nil:
		d.add(id, "limits/"+reading, "", now, fmt.Sprintf("%s is limited: %s", reading, now))
	case b == nil:
		d.add(id, "limits/"+reading, was, "", fmt.Sprintf("%s is no longer limited (it was %s)", reading, was))
	default:
		d.add(id, "limits/"+reading, was, now, fmt.Sprintf("limits of %s: %s, before %s", reading, now, was))
	}
}

// bandText says limits as a person would.
func bandText(v any) string {
	var l check.Limits
	if o, ok := v.(object); !ok || into(o, &l) != nil {
		return flow(v, nil)
	}
	if l.Nominal != nil && l.Tolerance != nil {
		return string(append(check.AppendNumber(append(check.AppendNumber(nil, *l.Nominal), " ± "...), *l.Tolerance), ""...))
	}
	return l.Bounds().String()
}

func (d *differences) checks(a, b object) {
	before, after := IDs(a), IDs(b)
	for _, id := range before {
		if !slices.Contains(after, id) {
			c := findCheck(a, id)
			d.add(id, "", flow(c["kind"], nil), "", fmt.Sprintf("taken out (%s)", flow(c["kind"], nil)))
		}
	}
	for _, id := range after {
		was, now := findCheck(a, id), findCheck(b, id)
		if !slices.Contains(before, id) {
			where := "fixed in the frame"
			if on, ok := now["on"].(string); ok {
				where = "riding on " + on
			}
			d.add(id, "", "", flow(now["kind"], nil), fmt.Sprintf("new, a %s %s", flow(now["kind"], nil), where))
			continue
		}
		d.fields(id, "", was, now)
	}
	kept := func(ids, other []string) []string {
		return slices.DeleteFunc(slices.Clone(ids), func(id string) bool { return !slices.Contains(other, id) })
	}
	if x, y := kept(before, after), kept(after, before); !slices.Equal(x, y) {
		d.add("", "checks", strings.Join(x, ", "), strings.Join(y, ", "), "the checks have another order: "+strings.Join(y, ", "))
	}
}

func (d *differences) routes(a, b any) {
	x, _ := a.([]any)
	y, _ := b.([]any)
	for i := range max(len(x), len(y)) {
		var was, now any
		if i < len(x) {
			was = x[i]
		}
		if i < len(y) {
			now = y[i]
		}
		if same(was, now) {
			continue
		}
		say := func(v any) string {
			o := asObject(v)
			to, _ := o["to"].(string)
			when, _ := o["when"].(string)
			return to + " when " + when
		}
		field := fmt.Sprintf("routes/%d", i)
		switch {
		case was == nil:
			d.add("", field, "", say(now), "new route: "+say(now))
		case now == nil:
			d.add("", field, say(was), "", "route taken out: "+say(was))
		default:
			d.add("", field, say(was), say(now), fmt.Sprintf("route %d: %s, before %s", i+1, say(now), say(was)))
		}
	}
}

// moved says of two regions of the same form and size how the second lies against the
// first; "" for anything else.
func moved(a, b any) string {
	x, y := asObject(a), asObject(b)
	for _, form := range []string{"rect", "circle", "ring"} {
		p, pok := numbers(x[form])
		q, qok := numbers(y[form])
		if !pok || !qok || len(p) != len(q) || len(p) < 3 {
			continue
		}
		for k := range merged(x, y) {
			if k != form && !same(x[k], y[k]) {
				return ""
			}
		}
		var parts []string
		for i, words := range [2][2]string{{"left", "right"}, {"up", "down"}} {
			if by := q[i] - p[i]; by != 0 {
				word := words[0]
				if by > 0 {
					word = words[1]
				}
				parts = append(parts, number(check.Rounded(math.Abs(by), 10))+" px "+word)
			}
		}
		text := ""
		if len(parts) > 0 {
			text = "moved " + strings.Join(parts, ", ")
		}
		if !slices.Equal(p[2:], q[2:]) {
			if text != "" {
				text += " and "
			}
			was, now := make([]string, 0, 2), make([]string, 0, 2)
			for i := 2; i < len(p); i++ {
				was, now = append(was, number(p[i])), append(now, number(q[i]))
			}
			text += fmt.Sprintf("resized from %s to %s px", strings.Join(was, " × "), strings.Join(now, " × "))
		}
		return text
	}
	return ""
}

func numbers(v any) ([]float64, bool) {
	list, ok := v.([]any)
	out := make([]float64, len(list))
	for i, x := range list {
		switch x := x.(type) {
		case float64:
			out[i] = x
		case int64:
			out[i] = float64(x)
		default:
			return nil, false
		}
	}
	return out, ok
}
