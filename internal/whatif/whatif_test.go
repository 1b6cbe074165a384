package whatif

import (
	"context"
	"os"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ricetta/core/inspect"
	"ricetta/core/raster"
	"ricetta/core/recipe"
	"ricetta/internal/folder"
	"ricetta/internal/plant"
	"ricetta/internal/station"
	"ricetta/internal/store"
)

var noon = time.Date(2026, 3, 2, 12, 30, 0, 0, time.UTC)

// past is records of a roll of tape each second, judged by the demo's recipe.
type past struct {
	*store.Store
	plan  *inspect.Plan
	text  string
	files map[string][]byte
}

const rolls = 12

func recorded(t *testing.T) past {
	dir := "../../demo/recipes/masking-tape-50"
	r, text, err := folder.RecipeDir(dir)
	require.NoError(t, err)
	plan, err := inspect.Prepare(r)
	require.NoError(t, err)
	s, err := store.Open(store.Options{Dir: t.TempDir(), PassShare: 2})
	require.NoError(t, err)
	t.Cleanup(s.Close)
	p := past{s, plan, string(text), r.Files}
	for i := range int64(rolls) {
		p.record(t, i, "", plan)
	}
	require.Eventually(t, func() bool {
		kept, err := s.Items(store.Filter{Pictured: true}, 100)
		return err == nil && len(kept) >= rolls/2
	}, 10*time.Second, 10*time.Millisecond)
	return p
}

// roll is a roll of tape; some have a flaw.
func roll(i int64) plant.Piece {
	return plant.DrawOf(plant.Rolls, 3, i, plant.Rates{plant.Bump: 0.15, plant.Notch: 0.15})
}

// shots are the pictures of the rolls, drawn once.
var shots = sync.OnceValue(func() (out []raster.Picture) {
	for i := range int64(rolls + 2) {
		out = append(out, roll(i).Picture())
	}
	return out
})

func (p past) record(t *testing.T, i int64, fault station.Fault, plan *inspect.Plan) {
	pic := shots()[i]
	r := plan.NewRunner().Inspect(pic).JSON()
	it := &station.Item{
		Station: "s1", Line: "l1", Role: "top", Seq: i + 1, Time: noon.Add(time.Duration(i) * time.Minute), Product: r.Product, Revision: r.Revision,
		Route: r.Route, Reason: r.Reason, Sentence: r.Sentence, Findings: r.Findings, Picture: pic, Fault: fault,
	}
	if fault != "" {
		it.Route, it.Reason = recipe.Reject, string(fault)
	}
	done := make(chan error)
	p.Record(it, func(err error) { done <- err })
	require.NoError(t, <-done)
}

// with is the plan with its text changed.
func (p past) with(t *testing.T, from, to string) *inspect.Plan {
	text := strings.Replace(p.text, from, to, 1)
	require.NotEqual(t, p.text, text)
	doc, err := inspect.Reader.Parse([]byte(text))
	require.NoError(t, err)
	r, err := recipe.New(doc, p.files)
	require.NoError(t, err)
	plan, err := inspect.Prepare(r)
	require.NoError(t, err)
	return plan
}

func (p past) recipeOf(revision string) (*inspect.Plan, error) {
	if revision == p.plan.Recipe.Revision {
		return p.plan, nil
	}
	return nil, os.ErrNotExist
}

// What is told from the readings must be what the pictures say.
func TestAskSaysWhatThePicturesWould(t *testing.T) {
	p := recorded(t)
	for name, to := range map[string]string{
		"as it is": "highest: {most: 1.2500001}", "nothing passes": "highest: {most: 0}", "most pass": "highest: {most: 30}", "a little": "highest: {most: 2}",
	} {
		t.Run(name, func(t *testing.T) {
			now := p.with(t, "highest: {most: 1.25}", to)
			a, err := Ask(context.Background(), p, p.recipeOf, Question{Plan: now, List: 100, Check: "rim", Reading: "highest"})
			require.NoError(t, err)
			was, is := p.plan.NewRunner(), now.NewRunner()
			before, after, changed := map[string]int{}, map[string]int{}, map[int64]string{}
			for i := range int64(rolls) {
				pic := shots()[i]
				x, y := was.Inspect(pic).Route, is.Inspect(pic).Route
				before[x]++
				after[y]++
				if x != y {
					changed[i+1] = y
				}
			}
			assert.Equal(t, before, a.Before)
			for route, n := range after {
				assert.Equal(t, n, a.After[route], route)
			}
			got, n, bars := map[int64]string{}, 0, 0
			for _, c := range a.List {
				got[c.Item.Seq] = c.To
			}
			for _, c := range a.Changes {
				n += c.N
			}
			for _, b := range a.Spread {
				bars += b.Passed + b.Rejected
			}
			assert.Equal(t, changed, got)
			assert.Equal(t, len(changed), n)
			assert.Equal(t, rolls, a.Items)
			assert.Positive(t, bars)
			if name == "as it is" {
				assert.Empty(t, a.Changes)
			}
		})
	}
}

func TestAskKnowsWhatItCannotTell(t *testing.T) {
	p := recorded(t)
	p.record(t, rolls, station.Fault("late"), p.plan)
	other := p.with(t, "height: 4", "height: 5")
	p.record(t, rolls+1, "", other)

	// A mark of a person counts with what has changed.
	now := p.with(t, "highest: {most: 1.25}", "highest: {most: 0}")
	kept, err := p.Items(store.Filter{Route: recipe.Pass, Revision: p.plan.Recipe.Revision}, 1)
	require.NoError(t, err)
	require.NoError(t, p.Review(kept[0].ID, store.Review{Good: true, Who: "Nora", Time: noon}))

	a, err := Ask(context.Background(), p, p.recipeOf, Question{Plan: now, List: 3})
	require.NoError(t, err)
	assert.Equal(t, 1, a.Faults, "a late verdict is late by any limit")
	assert.Equal(t, 1, a.Unclear, "another recipe has looked at it")
	assert.Equal(t, rolls+1, a.Items)
	require.Len(t, a.Changes, 1)
	assert.Equal(t, 1, a.Changes[0].Good)
	assert.Len(t, a.List, 3)
	assert.Greater(t, a.List[0].Item.ID, a.List[1].Item.ID, "newest first")
	assert.Contains(t, a.List[0].Sentence, "expected", "it says why")

	// Another span of shifts has nothing of it.
	a, err = Ask(context.Background(), p, p.recipeOf, Question{Plan: now, From: noon.AddDate(0, 0, 3)})
	require.NoError(t, err)
	assert.Zero(t, a.Items+a.Unclear)
	a, err = Ask(context.Background(), p, p.recipeOf, Question{Plan: now, From: noon, Until: noon.Add(time.Second)})
	require.NoError(t, err)
	assert.Equal(t, rolls+1, a.Items, "the shift is taken whole")

	// The pictures tell of both.
	steps := 0
	a, err = Rerun(context.Background(), p, Question{Plan: now, List: 100}, 1000, nil, func(int, int) { steps++ })
	require.NoError(t, err)
	assert.Equal(t, steps, a.Items+a.Unclear+a.Faults)
	assert.Empty(t, a.After[recipe.Pass])
	for _, c := range a.List {
		assert.Equal(t, recipe.Reject, c.To)
	}
}

// Rules that ask for texts or for the order are decided with what was read.
func TestAskReadsTexts(t *testing.T) {
	p := recorded(t)
	text := strings.Replace(p.text, "limits: {highest: {most: 1.25}}", "limits: {highest: {most: 0}}", 1) + "routes:\n  - {to: rework, when: '!(\"lot\" in order)'}\n"
	doc, err := inspect.Reader.Parse([]byte(text))
	require.NoError(t, err)
	r, err := recipe.New(doc, p.files)
	require.NoError(t, err)
	now, err := inspect.Prepare(r)
	require.NoError(t, err)
	require.True(t, now.AsksWords())
	a, err := Ask(context.Background(), p, p.recipeOf, Question{Plan: now})
	require.NoError(t, err)
	assert.Equal(t, map[string]int{recipe.Rework: rolls}, a.After)
}

func TestSpread(t *testing.T) {
	assert.Empty(t, spread(nil, nil))
	assert.Equal(t, []Bin{{2.5, 3.5, 1, 1}, {3.5, 4.5, 0, 0}, {4.5, 5.5, 1, 0}}, spread([]float64{3, 5, 3}, []bool{true, true, false}))
	b := spread([]float64{0, 0.5, 1}, []bool{true, false, true})
	assert.Len(t, b, barsOfSpread)
	assert.Equal(t, 1, b[barsOfSpread-1].Passed)
	assert.Equal(t, []Bin{{1.5, 2.5, 2, 0}}, spread([]float64{2, 2}, []bool{true, true}))
}
