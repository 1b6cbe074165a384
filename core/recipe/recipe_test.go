package recipe_test

import (
	"encoding/json"
	"errors"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ricetta/core/count"
	"ricetta/core/inspect"
	"ricetta/core/measure"
	"ricetta/core/presence"
	"ricetta/core/recipe"
)

const good = `ricetta: 1
product: pencil-tin-12
role: top
picture: {kind: color, reference: reference.png, mm_per_px: 0.12}
checks:
  - id: tin
    kind: locate.outline
    region: {rect: [210, 140, 860, 620]}
    turn: 180
  - id: tips   # the pale wood
    kind: count.spots
    on: tin
    region: {rect: [240, 180, 800, 60]}
    tone: {least: 170}
    keep: {area: {least: 120, most: 900}, roundness: {least: 0.6}}
    limits: {count: {least: 12, most: 12}}
  - id: way_up
    kind: logic.rule
    when: 'abs(tin.angle) < 90'
routes:
  - {to: rework, when: 'tin.ok && !way_up.ok'}
  - {to: reject, when: 'failed'}
`

func TestParseFillsInEverything(t *testing.T) {
	d, err := inspect.Reader.Parse([]byte(good))
	require.NoError(t, err)
	assert.Equal(t, "pencil-tin-12", d.Product)
	assert.Equal(t, 0.12, d.Picture.MMPerPx)
	require.Len(t, d.Checks, 3)
	s := d.Find("tips").Settings.(*count.SpotSettings)
	assert.Equal(t, 170, *s.Tone.Least)
	assert.Equal(t, 900.0, *s.Keep.Area.Most)
	assert.Equal(t, "rework", d.Routes[0].To)
	assert.Equal(t, []int{0, 1, 2}, d.Order())
}

// Each fault is reported at its line, with its field and a remedy.
func TestParseSaysWhatWhereAndTheRemedy(t *testing.T) {
	for _, tc := range []struct{ name, old, new, want string }{
		{"a mistyped field", "turn: 180", "trun: 180", "recipe.yaml:9: checks/0/trun: there is no such field here; did you mean turn?"},
		{"a mistyped kind", "count.spots", "count.spot", "recipe.yaml:11: checks/1/kind: count.spot is not known; did you mean count.spots?"},
		{"a number out of bounds", "turn: 180", "turn: 400", "recipe.yaml:9: checks/0/turn: is too large; give at most 180"},
		{"a text for a number", "turn: 180", "turn: far", "recipe.yaml:9: checks/0/turn: is a string; give a number"},
		{"something missing", "    region: {rect: [240, 180, 800, 60]}\n", "", "missing: region; add it"},
		{"no way to tell spots", "    tone: {least: 170}\n", "", "checks/1/tone: nothing says what belongs to a spot; give tone"},
		{"a later format", "ricetta: 1", "ricetta: 2", "recipe.yaml:1: ricetta: this is format version 2"},
		{"a region without extent", "[210, 140, 860, 620]", "[210, 140, 0, 620]", "recipe.yaml:8: checks/0/region: rect has no extent; give a width and a height above 0"},
		{"limits that exclude all", "{least: 12, most: 12}", "{least: 13, most: 12}", "recipe.yaml:16: checks/1/limits/count: least is above most, so nothing could pass; exchange them"},
		{"limits of a reading that is not taken", "limits: {count:", "limits: {cuont:", "recipe.yaml:16: checks/1/limits/cuont: there is no such field here; did you mean count?"},
		{"a datum that is not there", "on: tin", "on: tim", "recipe.yaml:12: checks/1/on: there is no check tim; did you mean tin?"},
		{"a datum that finds no place", "    when: 'abs", "    on: tips\n    when: 'abs", "tips is a count.spots, which finds no place to ride on; name a locate check"},
		{"a datum riding on itself", "turn: 180", "on: tin", "the datums ride on each other in a circle"},
		{"two of one id", "id: way_up", "id: tips", "another check is called tips already; give each check its own id"},
		{"an id with a meaning", "id: way_up", "id: ok", "ok has a meaning of its own in rules; choose another id"},
		{"a rule on nothing", "abs(tin.angle)", "abs(tin.angel)", "recipe.yaml:19: checks/2/when: at character 8: tin.angel is not known; did you mean tin.angle?"},
		{"a rule that is no question", "'failed'", "'tips.count'", "routes/1/when: the rule gives a double; write something that is true or false"},
		{"a rule to pass", "to: reject", "to: pass", "recipe.yaml:22: routes/1/to: a rule cannot send items to pass; items pass when no check"},
		{"no reference", ", reference: reference.png", "", "there is no reference picture, but tin is taught on one; name it: reference: FILE"},
		{"a path for a file", "reference.png", "../reference.png", "picture/reference: \"../reference.png\" is not a name"},
		{"a field twice", "    on: tin\n", "    on: tin\n    on: tin\n", "on"},
		{"an alias", "turn: 180", "turn: &t 180", "anchors and aliases are not used in recipes"},
		{"no YAML", "checks:\n", "checks: [\n", "not readable as YAML"},
		{"an empty file", good, "", "the file holds"},
		{"a file of nesting", good, strings.Repeat("[", 5000), "brackets are nested too deeply"},
	} {
		require.Contains(t, good, tc.old, tc.name)
		_, err := inspect.Reader.Parse([]byte(strings.Replace(good, tc.old, tc.new, 1)))
		var p recipe.Problems
		require.ErrorAs(t, err, &p, tc.name)
		assert.Contains(t, err.Error(), tc.want, tc.name)
	}
}

func TestParseReportsAllFaultsInOrder(t *testing.T) {
	bad := strings.NewReplacer("turn: 180", "turn: 400", "tone: {least: 170}", "tone: {least: 300}").Replace(good)
	_, err := inspect.Reader.Parse([]byte(bad))
	var p recipe.Problems
	require.True(t, errors.As(err, &p))
	require.Len(t, p, 2)
	assert.Equal(t, 9, p[0].Line)
	assert.Equal(t, 14, p[1].Line)
}

func TestRevisionFollowsTheContentOnly(t *testing.T) {
	files := map[string][]byte{"reference.png": []byte("pixels")}
	revision := func(text string, files map[string][]byte) string {
		d, err := inspect.Reader.Parse([]byte(text))
		require.NoError(t, err)
		r, err := recipe.New(d, files)
		require.NoError(t, err)
		return r.Revision
	}
	base := revision(good, files)
	assert.Equal(t, base, revision(strings.Replace(good, "# the pale wood", "# other words", 1), files), "comments do not count")
	assert.Equal(t, base, revision(strings.Replace(good, "turn: 180", "turn: 180\n    accept_score: 0.6", 1), files), "a default written out is the same")
	assert.NotEqual(t, base, revision(strings.Replace(good, "least: 170", "least: 171", 1), files))
	assert.NotEqual(t, base, revision(good, map[string][]byte{"reference.png": []byte("Pixels")}), "the picture counts")
	d, _ := inspect.Reader.Parse([]byte(good))
	_, err := recipe.New(d, nil)
	assert.ErrorContains(t, err, "the file reference.png is not in the recipe's folder")
}

// The shipped schema is the one that the types make. Run with -update to renew it.
func TestShippedSchemaIsCurrent(t *testing.T) {
	path := filepath.Join("..", "..", "docs", "recipe.schema.json")
	want := recipe.Schema(inspect.Kinds)
	if os.Getenv("UPDATE") != "" {
		require.NoError(t, os.MkdirAll(filepath.Dir(path), 0o755))
		require.NoError(t, os.WriteFile(path, want, 0o644))
	}
	got, err := os.ReadFile(path)
	require.NoError(t, err)
	assert.True(t, json.Valid(got))
	assert.True(t, string(want) == string(got), "the schema is not that of the types; run UPDATE=1 go test ./core/recipe")
}

func FuzzParse(f *testing.F) {
	f.Add([]byte(good))
	f.Add([]byte("ricetta: 1\nchecks: [{id: a, kind: logic.rule, when: '1 < 2'}]"))
	f.Add([]byte("a: &b [*b, *b]"))
	f.Add([]byte("- - - - -"))
	f.Fuzz(func(t *testing.T, data []byte) {
		d, err := inspect.Reader.Parse(data)
		if err != nil {
			var p recipe.Problems
			if !errors.As(err, &p) || len(p) == 0 {
				t.Fatalf("an error that is no list of problems: %v", err)
			}
			return
		}
		// What was accepted can be hashed and ordered whole.
		if len(d.Order()) != len(d.Checks) {
			t.Fatal("a check is never run")
		}
	})
}

// A check in a grid is as many checks, each with its own place; what they share is kept.
func TestCopiesInAGrid(t *testing.T) {
	doc, err := inspect.Reader.Parse([]byte(`ricetta: 1
product: tray
role: top
picture: {kind: gray}
checks:
  - {id: pan, kind: presence.level, region: {circle: [100, 80, 20], without: [{rect: [95, 75, 10, 10]}]}, limits: {spread: {least: 5}}, copies: {columns: 3, rows: 2, step: [50, 60]}}
  - {id: cap, kind: measure.gap, from: {arrow: [10, 20, 40, 20]}, to: {arrow: [60, 20, 90, 20]}, copies: {columns: 2, step: [100, 0]}}
  - {id: tooth, kind: count.edges, arc: [100, 100, 50, 0, 90], copies: {rows: 2, step: [0, 7]}}
  - {id: all, kind: logic.rule, when: pan_6.ok && cap_2.ok}
`))
	require.NoError(t, err)
	require.Len(t, doc.Checks, 11)
	last := doc.Find("pan_6").Settings.(*presence.LevelSettings).Region
	assert.Equal(t, []float64{200, 140, 20}, last.Circle)
	assert.Equal(t, []float64{195, 135, 10, 10}, last.Without[0].Rect)
	assert.Equal(t, []float64{100, 80, 20}, doc.Find("pan_1").Settings.(*presence.LevelSettings).Region.Circle)
	assert.Contains(t, doc.Find("pan_4").Limits, "spread")
	gap := doc.Find("cap_2").Settings.(*measure.GapSettings)
	assert.Equal(t, []float64{110, 20, 140, 20}, gap.From.Arrow)
	assert.Equal(t, []float64{160, 20, 190, 20}, gap.To.Arrow)
	assert.Equal(t, []float64{100, 107, 50, 0, 90}, doc.Find("tooth_2").Settings.(*count.EdgesSettings).Arc)
	for want, copies := range map[string]string{"are too many": "{columns: 100, rows: 90, step: [5, 5]}", "missing: step": "{columns: 2}"} {
		_, err := inspect.Reader.Parse([]byte("ricetta: 1\nproduct: t\nrole: top\npicture: {kind: gray}\nchecks: [{id: a, kind: presence.level, region: {rect: [0, 0, 5, 5]}, copies: " + copies + "}]\n"))
		assert.ErrorContains(t, err, want)
	}
}
