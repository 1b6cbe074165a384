package links

import (
	"context"
	"errors"
	"fmt"
	"math"
	"slices"
	"strings"
	"sync"
	"time"

	"ricetta/core/check"
	"ricetta/core/recipe"
	"ricetta/internal/line"
	"ricetta/internal/station"
)

// Tag gives something a name by which every link knows it: a reading, a text, a verdict, a
// counter or a limit.
type Tag struct {
	Name string `yaml:"name"`
	// Station has the reading, text or limit, Line the counter; the verdict is that of whichever
	// is given.
	Station string `yaml:"station,omitempty"`
	Line    string `yaml:"line,omitempty"`
	// One of these. Reading and Text are CHECK.NAME of the last item; Verdict is route, reason
	// or seq; Counter is packages, faults, unconfirmed, unexpected or a route; Limit is
	// CHECK.READING.BOUND, whose bound is least, most, nominal or tolerance.
	Reading string `yaml:"reading,omitempty"`
	Text    string `yaml:"text,omitempty"`
	Verdict string `yaml:"verdict,omitempty"`
	Counter string `yaml:"counter,omitempty"`
	Limit   string `yaml:"limit,omitempty"`
	// Write allows a limit to be written from outside, within these bounds.
	Write *Bounds `yaml:"write,omitempty"`
	// Modbus says where it stands among the registers; nil: nowhere.
	Modbus *Register `yaml:"modbus,omitempty"`
}

// Bounds are what may be written.
type Bounds struct {
	Least float64 `yaml:"least" json:"least"`
	Most  float64 `yaml:"most" json:"most"`
}

// Register is a pair of registers.
type Register struct {
	At uint16 `yaml:"at"`
	// As is float32, the usual, or int32.
	As string `yaml:"as,omitempty"`
}

// Value is what a tag is now.
type Value struct {
	Name string `json:"name" required:"true"`
	What string `json:"what" required:"true" description:"What it is the name of"`
	// Valid is false before there is anything, and where the last item has no such reading.
	Valid  bool       `json:"valid" required:"true"`
	Number float64    `json:"number" required:"true" description:"0 for texts but the route: 1 pass, 2 rework, 3 reject, 4 any other"`
	Text   string     `json:"text" required:"true" description:"The text, or the number in words"`
	Time   *time.Time `json:"time,omitempty" description:"When it came"`
	Write  *Bounds    `json:"write,omitempty" description:"It may be written within these"`
}

// Limits is where limits of released recipes are.
type Limits interface {
	// Limit returns a limit of what a station runs.
	Limit(stationID, checkID, reading, bound string) (float64, error)
	// SetLimit makes a revision that differs by it alone, releases it, and lets the stations
	// run it: it is refused while a sample is judged wrong by it.
	SetLimit(ctx context.Context, stationID, checkID, reading, bound string, v float64, who string) error
}

// Tags know all tags of a site and what they are now. They may be used concurrently.
type Tags struct {
	Deaf
	tags   []Tag
	limits Limits

	mu     sync.Mutex
	values []Value
}

// The parts of a limit's name.
func limitOf(t Tag) (checkID, reading, bound string) {
	a := strings.Split(t.Limit, ".")
	return strings.Join(a[:len(a)-2], "."), a[len(a)-2], a[len(a)-1]
}

// Bounds of a limit's name.
var boundNames = []string{"least", "most", "nominal", "tolerance"}

// NewTags returns the tags of a site.
func NewTags(tags []Tag, lines []line.Config, limits Limits) (*Tags, error) {
	t := &Tags{tags: tags, limits: limits}
	seen := map[string]bool{}
	for _, g := range tags {
		if err := g.validate(lines); err != nil {
			return nil, fmt.Errorf("tag %q: %w", g.Name, err)
		}
		if seen[g.Name] {
			return nil, fmt.Errorf("two tags are called %s; give each its own name", g.Name)
		}
		seen[g.Name] = true
		t.values = append(t.values, Value{Name: g.Name, What: g.what(), Write: g.Write})
	}
	return t, nil
}

func (t Tag) what() string {
	of := t.Station
	if of == "" {
		of = t.Line
	}
	for _, x := range []struct{ word, name string }{{"reading", t.Reading}, {"text", t.Text}, {"verdict", t.Verdict}, {"counter", t.Counter}, {"limit", t.Limit}} {
		if x.name != "" {
			return fmt.Sprintf("%s %s of %s", x.word, x.name, of)
		}
	}
	return ""
}

func (t Tag) validate(lines []line.Config) error {
	if t.Name == "" || strings.ContainsAny(t.Name, " \t/#+=\"") {
		return errors.New("give it a name without spaces, / # + = and quotes")
	}
	given := 0
	for _, s := range []string{t.Reading, t.Text, t.Verdict, t.Counter, t.Limit} {
		if s != "" {
			given++
		}
	}
	if given != 1 {
		return errors.New("give it one of reading, text, verdict, counter and limit")
	}
	stationKnown := slices.ContainsFunc(lines, func(l line.Config) bool {
		return slices.ContainsFunc(l.Stations, func(s station.Config) bool { return s.ID == t.Station })
	})
	lineKnown := slices.ContainsFunc(lines, func(l line.Config) bool { return l.ID == t.Line })
	switch {
	case t.Station != "" && t.Line != "":
		return errors.New("give it a station or a line")
	case t.Station != "" && !stationKnown:
		return fmt.Errorf("there is no station %s", t.Station)
	case t.Line != "" && !lineKnown:
		return fmt.Errorf("there is no line %s", t.Line)
	case t.Counter != "" && t.Line == "":
		return errors.New("a counter is one of a line; give it line")
	case t.Counter == "" && t.Verdict == "" && t.Station == "":
		return errors.New("it is one of a station; give it station")
	case t.Verdict != "" && t.Station == "" && t.Line == "":
		return errors.New("a verdict is one of a station or a line; give it one of them")
	case t.Verdict != "" && !slices.Contains([]string{"route", "reason", "seq"}, t.Verdict):
		return fmt.Errorf("its verdict is %q; give route, reason or seq", t.Verdict)
	case t.Limit != "" && (strings.Count(t.Limit, ".") < 2 || !slices.Contains(boundNames, t.Limit[strings.LastIndexByte(t.Limit, '.')+1:])):
		return errors.New("its limit is CHECK.READING.BOUND, as in tips.count.least; a bound is least, most, nominal or tolerance")
	case t.Write != nil && t.Limit == "":
		return errors.New("only limits can be written from outside; take write out")
	case t.Write != nil && (t.Write.Least >= t.Write.Most || math.IsNaN(t.Write.Least+t.Write.Most)):
		return errors.New("what may be written has no bounds; give least below most")
	case t.Modbus != nil && t.Modbus.As != "" && t.Modbus.As != "float32" && t.Modbus.As != "int32":
		return fmt.Errorf("it stands in registers as %q; give float32 or int32", t.Modbus.As)
	case t.Modbus != nil && (t.Text != "" || t.Verdict == "reason"):
		return errors.New("registers hold numbers; take modbus out")
	}
	return nil
}

// All returns what all tags are now, in the order of the site.
func (t *Tags) All() []Value {
	t.mu.Lock()
	out := slices.Clone(t.values)
	t.mu.Unlock()
	for i, g := range t.tags {
		if g.Limit != "" {
			t.fill(g, &out[i])
		}
	}
	return out
}

// Len returns how many tags there are.
func (t *Tags) Len() int { return len(t.tags) }

// fill asks for a limit.
func (t *Tags) fill(g Tag, v *Value) {
	c, r, b := limitOf(g)
	n, err := t.limits.Limit(g.Station, c, r, b)
	v.Valid, v.Number, v.Text = err == nil, n, plain(n)
	if err != nil {
		v.Number, v.Text = 0, ""
	}
}

// Tag returns a tag with what it is now.
func (t *Tags) Tag(name string) (Tag, Value, error) {
	i := slices.IndexFunc(t.tags, func(g Tag) bool { return g.Name == name })
	if i < 0 {
		return Tag{}, Value{}, fmt.Errorf("there is no tag %s", name)
	}
	return t.tags[i], t.At(i), nil
}

// At returns what the tag at a place of the site's order is now.
func (t *Tags) At(i int) Value {
	t.mu.Lock()
	v := t.values[i]
	t.mu.Unlock()
	if g := t.tags[i]; g.Limit != "" {
		t.fill(g, &v)
	}
	return v
}

// List returns the tags.
func (t *Tags) List() []Tag { return t.tags }

// Write writes a tag from outside; who says who did, and by what link.
func (t *Tags) Write(ctx context.Context, name string, v float64, who string) error {
	g, _, err := t.Tag(name)
	switch {
	case err != nil:
		return err
	case g.Write == nil:
		return fmt.Errorf("tag %s may not be written; give it write bounds in site.yaml", name)
	case math.IsNaN(v) || v < g.Write.Least || v > g.Write.Most:
		return fmt.Errorf("%s is out of bounds for %s; it may be %s to %s", plain(v), name, plain(g.Write.Least), plain(g.Write.Most))
	}
	c, r, b := limitOf(g)
	return t.limits.SetLimit(ctx, g.Station, c, r, b, v, who)
}

// set needs the lock.
func (t *Tags) set(i int, valid bool, n float64, text string, at time.Time) {
	v := &t.values[i]
	at = at.UTC()
	v.Valid, v.Number, v.Text, v.Time = valid, n, text, &at
}

// Item implements Listener.
func (t *Tags) Item(it *station.Item) {
	t.mu.Lock()
	defer t.mu.Unlock()
	for i, g := range t.tags {
		if g.Station != it.Station {
			continue
		}
		switch {
		case g.Reading != "":
			v, ok := reading(it, g.Reading)
			t.set(i, ok, v, plain(v), it.Time)
		case g.Text != "":
			v, ok := TextOf(it, g.Text)
			t.set(i, ok, 0, v, it.Time)
		case g.Verdict != "":
			t.verdict(i, g.Verdict, it.Route, it.Reason, it.Seq, it.Time)
		}
	}
}

// Package implements Listener.
func (t *Tags) Package(p *line.Package) {
	t.mu.Lock()
	defer t.mu.Unlock()
	for i, g := range t.tags {
		if g.Line == p.Line && g.Verdict != "" {
			t.verdict(i, g.Verdict, p.Route, p.Reason, p.Seq, p.Time)
		}
	}
}

func (t *Tags) verdict(i int, what, route, reason string, seq int64, at time.Time) {
	switch what {
	case "route":
		t.set(i, true, float64(RouteCode(route)), route, at)
	case "reason":
		t.set(i, true, 0, reason, at)
	case "seq":
		t.set(i, true, float64(seq), plain(float64(seq)), at)
	}
}

// Line implements Listener.
func (t *Tags) Line(s line.State) {
	t.mu.Lock()
	defer t.mu.Unlock()
	for i, g := range t.tags {
		if g.Line != s.Config.ID || g.Counter == "" {
			continue
		}
		n := s.Counters
		var v int64
		switch g.Counter {
		case "packages":
			v = n.Packages
		case "faults":
			v = n.Faults
		case "unconfirmed":
			v = n.Unconfirmed
		case "unexpected":
			v = n.Unexpected
		default:
			v = n.Routes[g.Counter]
		}
		if old := t.values[i]; old.Valid && old.Number == float64(v) {
			continue
		}
		t.set(i, true, float64(v), plain(float64(v)), time.Now())
	}
}

// RouteCode is the number of a route: 1 pass, 2 rework, 3 reject, 4 any other, 0 none.
func RouteCode(route string) uint16 {
	switch route {
	case "":
		return 0
	case recipe.Pass:
		return 1
	case recipe.Rework:
		return 2
	case recipe.Reject:
		return 3
	}
	return 4
}

// plain writes a number without an exponent.
func plain(v float64) string {
	s := fmt.Sprintf("%.6f", v)
	return strings.TrimSuffix(strings.TrimRight(s, "0"), ".")
}

// ByName returns the readings and texts of an item by CHECK.NAME.
func ByName(it *station.Item) (readings map[string]float64, texts map[string]string) {
	readings, texts = map[string]float64{}, map[string]string{}
	for _, f := range it.Findings {
		for n, r := range f.Readings {
			readings[f.Check+"."+n] = r.Value
		}
		for n, t := range f.Texts {
			texts[f.Check+"."+n] = t
		}
	}
	return readings, texts
}

func find(it *station.Item, name string) (check.FindingJSON, string, bool) {
	i := strings.LastIndexByte(name, '.')
	if i < 0 {
		return check.FindingJSON{}, "", false
	}
	for _, f := range it.Findings {
		if f.Check == name[:i] {
			return f, name[i+1:], true
		}
	}
	return check.FindingJSON{}, "", false
}

func reading(it *station.Item, name string) (float64, bool) {
	f, r, ok := find(it, name)
	v, has := f.Readings[r]
	return v.Value, ok && has
}

// TextOf returns a text of an item by CHECK.NAME.
func TextOf(it *station.Item, name string) (string, bool) {
	f, r, ok := find(it, name)
	v, has := f.Texts[r]
	return v, ok && has
}
