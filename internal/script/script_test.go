// Package script runs the inspection scripts in testdata/scripts: drawn pictures, a
// recipe, belt and signal events in; findings, routes, output pulses and counters
// out. The language is described in testdata/scripts/README.md.
package script

import (
	"fmt"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"golang.org/x/tools/txtar"

	"ricetta/core/check"
	"ricetta/core/inspect"
	"ricetta/core/raster"
	"ricetta/core/recipe"
	"ricetta/internal/folder"
	"ricetta/internal/line"
	"ricetta/internal/plant"
	"ricetta/internal/station"
)

func TestScripts(t *testing.T) {
	files, err := filepath.Glob("../../testdata/scripts/*.txtar")
	require.NoError(t, err)
	require.NotEmpty(t, files)
	for _, f := range files {
		t.Run(strings.TrimSuffix(filepath.Base(f), ".txtar"), func(t *testing.T) {
			a, err := txtar.ParseFile(f)
			require.NoError(t, err)
			if err := newRun(a).all(string(a.Comment)); err != nil {
				t.Fatal(err)
			}
		})
	}
}

// A script that expects something else must fail, or it proves nothing.
func TestScriptsCanFail(t *testing.T) {
	a, err := txtar.ParseFile("../../testdata/scripts/tracking.txtar")
	require.NoError(t, err)
	for old, new := range map[string]string{
		"expect pulse reject 520-580":        "expect pulse reject 520-590",
		"expect item 2 reject":               "expect item 2 pass",
		"expect counters":                    "expect counters inspected=99",
		"expect pulses rework":               "expect pulses rework 900-960",
		"expect sentence light: share 0,":    "expect sentence light: share 1,",
		"expect reading light.share 0 ± 0.1": "expect reading light.share 0.5 ± 0.1",
	} {
		text := string(a.Comment)
		require.Contains(t, text, old)
		require.Error(t, newRun(a).all(strings.Replace(text, old, new, 1)), new)
	}
	require.ErrorContains(t, newRun(a).all("dance"), "line 1: there is no command dance")
}

// run is the state of a script.
type run struct {
	files    map[string][]byte
	pictures map[string]raster.Picture
	last     *raster.Gray // being drawn
	runner   *inspect.Runner
	result   *inspect.Result

	cfg     line.Config
	tracker *line.Tracker
	queue   []coming
	due     []verdict
	on      map[string]int64
	pulses  map[string][]string
	routes  map[int64]string
	faults  map[int64]string
	missed  []int64
	count   int64
}

// coming is an item that will lie under the camera.
type coming struct {
	picture string
	after   int64 // counts from the trigger to the verdict
}

type verdict struct {
	at, seq int64
	route   string
	fault   string
}

func newRun(a *txtar.Archive) *run {
	r := &run{files: map[string][]byte{}, pictures: map[string]raster.Picture{}, on: map[string]int64{}, pulses: map[string][]string{}, routes: map[int64]string{}, faults: map[int64]string{}}
	for _, f := range a.Files {
		r.files[f.Name] = f.Data
	}
	return r
}

func (r *run) all(text string) error {
	n := 0
	for text := range strings.Lines(text) {
		n++
		text, _, _ = strings.Cut(text, "#")
		f := strings.Fields(text)
		if len(f) == 0 {
			continue
		}
		if err := r.command(f[0], f[1:]); err != nil {
			return fmt.Errorf("line %d: %w", n, err)
		}
	}
	return nil
}

func (r *run) command(name string, args []string) error {
	commands := map[string]func([]string) error{
		"picture": r.picture, "rect": r.shape, "disc": r.shape, "recipe": r.recipe, "demo": r.demo, "inspect": r.inspect,
		"station": r.station, "start": r.start, "stop": r.stop, "item": r.item, "belt": r.belt, "confirm": r.confirm, "expect": r.expect,
	}
	f, ok := commands[name]
	if !ok {
		return fmt.Errorf("there is no command %s", name)
	}
	if name == "rect" || name == "disc" {
		args = append([]string{name}, args...)
	}
	return f(args)
}

func numbers(args []string) ([]float64, error) {
	out := make([]float64, len(args))
	for i, a := range args {
		v, err := strconv.ParseFloat(a, 64)
		if err != nil {
			return nil, fmt.Errorf("%q is not a number", a)
		}
		out[i] = v
	}
	return out, nil
}

// picture NAME WIDTH HEIGHT TONE, or picture NAME tin SEED DEFECT…
func (r *run) picture(args []string) error {
	if len(args) >= 4 && args[1] == "tin" {
		seed, err := strconv.ParseUint(args[2], 10, 64)
		if err != nil {
			return err
		}
		d := plant.Defect(strings.Join(args[3:], " "))
		if !slices.Contains(plant.Defects, d) {
			return fmt.Errorf("tins have no defect %q; there are %v", d, plant.Defects)
		}
		r.pictures[args[0]] = plant.Draw(seed, 1, plant.Rates{d: 1}).Picture()
		return nil
	}
	if len(args) != 4 {
		return fmt.Errorf("picture wants a name, width, height and tone")
	}
	v, err := numbers(args[1:])
	if err != nil {
		return err
	}
	r.last = raster.NewGray(int(v[0]), int(v[1]))
	for i := range r.last.Pix {
		r.last.Pix[i] = uint8(v[2])
	}
	r.pictures[args[0]] = raster.Picture{Gray: r.last}
	return nil
}

// rect X Y W H TONE, disc X Y R TONE: on the picture begun last.
func (r *run) shape(args []string) error {
	v, err := numbers(args[1:])
	if err != nil {
		return err
	}
	var g raster.Region
	switch {
	case args[0] == "rect" && len(v) == 5:
		g = raster.Rect(v[0], v[1], v[2], v[3])
	case args[0] == "disc" && len(v) == 4:
		g = raster.Circle(v[0], v[1], v[2])
	default:
		return fmt.Errorf("%s wants its place, extent and tone", args[0])
	}
	var p raster.Painter
	p.Fill(r.last, g.Outline(raster.Identity(), nil), uint8(v[len(v)-1]))
	return nil
}

// recipe FILE: the recipe in the archive.
func (r *run) recipe(args []string) error {
	doc, err := inspect.Reader.Parse(r.files[args[0]])
	if err != nil {
		return err
	}
	rec, err := recipe.New(doc, r.files)
	if err != nil {
		return err
	}
	return r.prepare(rec)
}

// demo NAME: a recipe of the demo plant.
func (r *run) demo(args []string) error {
	rec, _, err := folder.RecipeDir(filepath.Join("../../demo/recipes", args[0]))
	if err != nil {
		return err
	}
	return r.prepare(rec)
}

func (r *run) prepare(rec *recipe.Recipe) error {
	p, err := inspect.Prepare(rec)
	if err != nil {
		return err
	}
	r.runner = p.NewRunner()
	return nil
}

// inspect PICTURE: judge it, apart from any belt.
func (r *run) inspect(args []string) error {
	p, ok := r.pictures[args[0]]
	if !ok {
		return fmt.Errorf("there is no picture %s", args[0])
	}
	r.result = r.runner.Inspect(p).Clone()
	return nil
}

// station every=N ROUTE=OFFSET/PULSE[/CONFIRM] …
func (r *run) station(args []string) error {
	r.cfg = line.Config{ID: "script", Trigger: line.Trigger{By: line.Encoder}, Ejectors: map[string]line.Ejector{}, Stations: []station.Config{{ID: "script"}}}
	for _, a := range args {
		key, value, _ := strings.Cut(a, "=")
		v, err := numbers(strings.Split(value, "/"))
		if err != nil {
			return err
		}
		if key == "every" {
			r.cfg.Trigger.Every = int64(v[0])
			continue
		}
		e := line.Ejector{Offset: int64(v[0]), Pulse: int64(v[1])}
		if len(v) > 2 {
			e.Confirm = int64(v[2])
		}
		r.cfg.Ejectors[key] = e
	}
	r.tracker = line.NewTracker(r.cfg, 0)
	return r.cfg.Validate()
}

// start [FIRST]: the first picture FIRST counts on, by default one distance.
func (r *run) start(args []string) error {
	first := r.cfg.Trigger.Every
	if len(args) > 0 {
		v, err := numbers(args)
		if err != nil {
			return err
		}
		first = int64(v[0])
	}
	r.tracker.Start(r.count, first, false)
	return nil
}

func (r *run) stop([]string) error { r.tracker.Stop(); return nil }

// item PICTURE|none [after COUNTS|never]: what will lie under the camera next.
func (r *run) item(args []string) error {
	c := coming{picture: args[0]}
	if len(args) == 3 && args[1] == "after" {
		if args[2] == "never" {
			c.after = 1 << 40
		} else {
			v, err := numbers(args[2:])
			if err != nil {
				return err
			}
			c.after = int64(v[0])
		}
	}
	r.queue = append(r.queue, c)
	return nil
}

// belt TO: move it there, count by count.
func (r *run) belt(args []string) error {
	v, err := numbers(args)
	if err != nil {
		return err
	}
	for r.count < int64(v[0]) {
		r.count++
		for _, a := range r.tracker.Advance(r.count) {
			if err := r.act(a); err != nil {
				return err
			}
		}
		r.due = slices.DeleteFunc(r.due, func(d verdict) bool {
			if d.at > r.count {
				return false
			}
			route, late := r.tracker.Decide(d.seq, 0, d.route)
			r.routes[d.seq] = route
			if r.faults[d.seq] = d.fault; late {
				r.faults[d.seq] = "late"
			}
			return true
		})
	}
	return nil
}

func (r *run) act(a line.Action) error {
	switch a.Kind {
	case line.TakePicture:
		if len(r.queue) == 0 {
			return fmt.Errorf("at %d an item comes, but no item line is left", a.At)
		}
		c := r.queue[0]
		r.queue = r.queue[1:]
		d := verdict{at: a.At + c.after, seq: a.Seq, route: recipe.Reject, fault: "no_picture"}
		if c.picture != "none" {
			p, ok := r.pictures[c.picture]
			if !ok {
				return fmt.Errorf("there is no picture %s", c.picture)
			}
			v := r.runner.Inspect(p)
			d.route, d.fault = v.Route, ""
			if v.Fault {
				d.fault = "check"
			}
		}
		r.due = append(r.due, d)
	case line.OutputOn:
		r.on[a.Route] = a.At
	case line.OutputOff:
		r.pulses[a.Route] = append(r.pulses[a.Route], fmt.Sprintf("%d-%d", r.on[a.Route], a.At))
	case line.Settled:
		if a.Late {
			r.routes[a.Seq], r.faults[a.Seq] = recipe.Reject, "late"
		}
	case line.NotConfirmed:
		r.missed = append(r.missed, a.Seq)
	}
	return nil
}

// confirm ROUTE: the sensor sees an item leave.
func (r *run) confirm(args []string) error {
	if !r.tracker.Confirm(args[0]) {
		return fmt.Errorf("nobody expected a confirmation")
	}
	return nil
}

func (r *run) expect(args []string) error {
	what, rest := args[0], args[1:]
	got, want := "", strings.Join(rest, " ")
	switch what {
	case "route":
		got = r.result.Route
	case "reason":
		got = r.result.Reason
	case "fault":
		got, want = strconv.FormatBool(r.result.Fault), "true"
	case "sentence":
		got = r.result.Sentence
		if strings.HasPrefix(got, want) {
			return nil
		}
	case "outcome":
		f, err := r.finding(rest[0])
		if err != nil {
			return err
		}
		got, want = f.Outcome.String(), rest[1]
	case "reading":
		return r.expectReading(rest)
	case "item":
		seq, err := strconv.ParseInt(rest[0], 10, 64)
		if err != nil {
			return err
		}
		got, want = strings.TrimSpace(r.routes[seq]+" "+r.faults[seq]), strings.Join(rest[1:], " ")
	case "pulse":
		if slices.Contains(r.pulses[rest[0]], rest[1]) {
			return nil
		}
		got, want = strings.Join(r.pulses[rest[0]], " "), rest[1]
	case "pulses":
		got, want = strings.Join(r.pulses[rest[0]], " "), strings.Join(rest[1:], " ")
	case "unconfirmed":
		got = strings.Trim(fmt.Sprint(r.missed), "[]")
	case "counters":
		got = r.counters(rest)
	default:
		return fmt.Errorf("expect knows no %s", what)
	}
	if got != want {
		return fmt.Errorf("expected %s %q, got %q", what, want, got)
	}
	return nil
}

func (r *run) finding(id string) (*check.Finding, error) {
	for _, f := range r.result.Findings {
		if f.Check == id {
			return f, nil
		}
	}
	return nil, fmt.Errorf("there is no check %s", id)
}

// expectReading CHECK.NAME VALUE [± TOLERANCE]
func (r *run) expectReading(args []string) error {
	id, name, _ := strings.Cut(args[0], ".")
	f, err := r.finding(id)
	if err != nil {
		return err
	}
	got, ok := f.Value(name)
	if !ok {
		return fmt.Errorf("%s has no reading %s", id, name)
	}
	v, err := numbers([]string{args[1]})
	if err != nil {
		return err
	}
	tolerance := 0.0
	if len(args) == 4 && args[2] == "±" {
		t, err := numbers(args[3:])
		if err != nil {
			return err
		}
		tolerance = t[0]
	}
	if d := got - v[0]; !(d <= tolerance && d >= -tolerance) {
		return fmt.Errorf("expected %s %v ± %v, got %v", args[0], v[0], tolerance, got)
	}
	return nil
}

// counters NAME=N …: only the named ones are compared.
func (r *run) counters(want []string) string {
	n := map[string]int{"inspected": len(r.routes)}
	for seq, route := range r.routes {
		n[route]++
		if r.faults[seq] != "" {
			n["faults"]++
		}
	}
	var got []string
	for _, w := range want {
		key, _, _ := strings.Cut(w, "=")
		got = append(got, fmt.Sprintf("%s=%d", key, n[key]))
	}
	return strings.Join(got, " ")
}
