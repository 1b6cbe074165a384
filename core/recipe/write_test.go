package recipe_test

import (
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ricetta/core/inspect"
	"ricetta/core/recipe"
)

func demoTrees(t *testing.T) map[string]map[string]any {
	files, err := filepath.Glob("../../demo/recipes/*/recipe.yaml")
	require.NoError(t, err)
	require.Len(t, files, 5)
	out := map[string]map[string]any{}
	for _, f := range files {
		text, err := os.ReadFile(f)
		require.NoError(t, err)
		out[filepath.Base(filepath.Dir(f))], err = recipe.Tree(text)
		require.NoError(t, err)
	}
	return out
}

func asJSON(t *testing.T, v any) string {
	data, err := json.Marshal(v)
	require.NoError(t, err)
	return string(data)
}

// What is written reads as what it was made from, whatever its texts are.
func TestWrittenRecipesReadTheSame(t *testing.T) {
	for name, tree := range demoTrees(t) {
		text := inspect.Reader.Write(tree)
		again, err := recipe.Tree(text)
		require.NoError(t, err, "%s:\n%s", name, text)
		assert.JSONEq(t, asJSON(t, tree), asJSON(t, again), name)
		assert.Equal(t, string(text), string(inspect.Reader.Write(again)), "once more changes nothing")
		_, err = inspect.Reader.Parse(text)
		require.NoError(t, err, "%s:\n%s", name, text)
	}
	for _, s := range []string{"", " ", "yes", "on", "No", "null", "~", "1", "1e3", "-", "a: b", "a #b", "#a", "[x", "{", "x,y", "tab\there", "line\nbreak", `quo"te`, "it's", "ü", "&a", "*a", "!x", "%x", "@x", "`x", "a b", "2026-11-23", "0x1f", ".5", "a <b> & c", "trailing ", "\u2028"} {
		tree := map[string]any{"ricetta": 1, "note": s, "checks": []any{map[string]any{"id": s, s: []any{s, 1.5, nil, true, map[string]any{"k": s}}}}}
		text := inspect.Reader.Write(tree)
		again, err := recipe.Tree(text)
		require.NoError(t, err, "%q:\n%s", s, text)
		assert.JSONEq(t, asJSON(t, tree), asJSON(t, again), "%q:\n%s", s, text)
	}
}

const variant24 = `ricetta: 1
product: pencil-tin-24
role: top
base: pencil-tin-12
note: Two layers.
change:
  tips/limits/count: {least: 24, most: 24}
  tips/region/rect: [386, 214, 650, 60]
  colors/inner: null
  picture/mm_per_px: 0.3
`

func TestVariantsTakeTheRestFromTheirBase(t *testing.T) {
	base := demoTrees(t)["pencil-tin-12"]
	before := asJSON(t, base)
	whole, err := recipe.Resolve([]byte(variant24), base)
	require.NoError(t, err)
	assert.Equal(t, before, asJSON(t, base), "the base stays as it is")
	d, err := inspect.Reader.Parse(inspect.Reader.Write(whole))
	require.NoError(t, err)
	assert.Equal(t, "pencil-tin-24", d.Product)
	assert.Equal(t, "Two layers.", d.Note)
	assert.InDelta(t, 0.3, d.Picture.MMPerPx, 0)
	tips := d.Find("tips")
	assert.InDelta(t, 24, *tips.Limits["count"].Least, 0)
	assert.NotEmpty(t, d.Routes, "and the routes are the base's")
	name, ok := recipe.IsVariant([]byte(variant24))
	assert.True(t, ok)
	assert.Equal(t, "pencil-tin-12", name)

	for text, want := range map[string]string{
		"change: {tipps/limits/count: {least: 1}}":       "recipe.yaml:4: change/tipps/limits/count: the base has no check tipps; did you mean tips?",
		"change: {tips/kind: count.edges}":               "a variant has the checks of its base",
		"change: {tips: 3}":                              "it names no value",
		"change: {tips/note/x: 3, tips/tone/least/x: 4}": "least has no fields",
		"checks: []":  "a variant takes it from its base",
		"change: [a]": "it holds no fields",
	} {
		_, err := recipe.Resolve([]byte("ricetta: 1\nproduct: p\nbase: pencil-tin-12\n"+text), base)
		assert.ErrorContains(t, err, want, text)
	}
	_, err = recipe.Resolve([]byte("ricetta: 1\nrole: side\nbase: pencil-tin-12\n"), base)
	assert.ErrorContains(t, err, "has the role of its base, top")
}

func TestDiffSaysItInWords(t *testing.T) {
	base := demoTrees(t)["pencil-tin-12"]
	assert.Empty(t, recipe.Diff(base, base, nil, nil))
	edited := strings.NewReplacer(
		"most: 12}", "most: 13}", "rect: [386, 214, 650, 52]", "rect: [390, 214, 650, 50]", "turn: 180", "turn: 20",
		"to: rework", "to: reject", "- id: way_up", "- id: caps\n    kind: presence.level\n    region: {rect: [1, 2, 3, 4]}\n  - id: way_up", "inner: 0.4", "measure_only: true",
	)
	text, err := os.ReadFile("../../demo/recipes/pencil-tin-12/recipe.yaml")
	require.NoError(t, err)
	after, err := recipe.Tree([]byte(edited.Replace(string(text))))
	require.NoError(t, err)
	var words []string
	for _, c := range recipe.Diff(base, after, map[string][]byte{"reference.png": {1}, "gone.png": {1}}, map[string][]byte{"reference.png": {2}}) {
		words = append(words, c.Text)
	}
	assert.Equal(t, []string{
		"tin: turn 180 → 20",
		"tips: limits of count: 12 to 13, before 12",
		"tips: region moved 4 px right and resized from 650 × 52 to 650 × 50 px",
		"colors: inner is no longer set (it was 0.4)",
		"colors: measure_only is set: true",
		"caps: new, a presence.level fixed in the frame",
		"route 1: reject when tin.ok && !way_up.ok && !tips.failed, before rework when tin.ok && !way_up.ok && !tips.failed",
		"the picture reference.png is another one",
	}, words)
}

func TestSwitchedOffChecksAreLeftOut(t *testing.T) {
	text, err := os.ReadFile("../../demo/recipes/pencil-tin-12/recipe.yaml")
	require.NoError(t, err)
	off := func(id string) string {
		return strings.Replace(string(text), "- id: "+id, "- off: true\n    id: "+id, 1)
	}
	d, err := inspect.Reader.Parse([]byte(off("colors")))
	require.NoError(t, err)
	assert.Nil(t, d.Find("colors"))
	assert.Len(t, d.Checks, 3)
	_, err = inspect.Reader.Parse([]byte(off("tin")))
	assert.ErrorContains(t, err, "tin is switched off; switch it on, or let this check ride on another")
	_, err = inspect.Reader.Parse([]byte(off("way_up")))
	assert.ErrorContains(t, err, "it asks for way_up, which is switched off")
	_, err = inspect.Reader.Parse([]byte(strings.Replace(off("colors"), "off: true", "off: perhaps", 1)))
	assert.Error(t, err)
}
