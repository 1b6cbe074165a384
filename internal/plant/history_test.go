package plant

import (
	"os"
	"path/filepath"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ricetta/core/recipe"
)

// What is said to have gone wrong must be what the recipes of the demo can find.
func TestHistorySpeaksOfWhatTheRecipesFind(t *testing.T) {
	ids := map[string][]string{}
	for _, l := range Lines() {
		text, err := os.ReadFile(filepath.Join("..", "..", "demo", "recipes", l.Product, recipe.FileName))
		require.NoError(t, err)
		tree, err := recipe.Tree(text)
		require.NoError(t, err)
		ids[l.Product] = recipe.IDs(tree)
	}
	until := time.Date(2026, 11, 27, 6, 0, 0, 0, time.UTC)
	works := func(h time.Time) (string, bool) {
		return []string{"night", "early", "late"}[h.Hour()/8], h.Weekday() != time.Sunday
	}
	rate := map[string][2]int64{}
	add := func(name string, p Past) {
		r := rate[name]
		if r[1] += p.N; p.Route == recipe.Reject {
			r[0] += p.N
		}
		rate[name] = r
	}
	var last time.Time
	total := int64(0)
	History(until, 365, works, func(p Past) {
		total += p.N
		require.False(t, p.Hour.Before(last), "hours come in order")
		last = p.Hour
		if p.Reason != "" && !p.Fault {
			require.True(t, slices.Contains(ids[p.Product], p.Reason), "%s has no check %s", p.Product, p.Reason)
		}
		shift, _ := works(p.Hour)
		ago := int(until.Sub(p.Hour).Hours() / 24)
		switch {
		case p.Line == "line2":
			add("line2 "+shift, p)
		case p.Line == "line5" && ago >= 110 && ago < 125:
			add("line5 worn", p)
		case p.Line == "line5" && ago < 100:
			add("line5 mended", p)
		case p.Line == "line4" && ago >= 30 && ago < 33:
			add("line4 no dates", p)
		case p.Line == "line4" && ago < 20:
			add("line4 since", p)
		case p.Line == "line3" && ago > 141 && ago < 153:
			add("line3 strict", p)
			assert.True(t, p.Old)
		}
	})
	share := func(name string) float64 { return float64(rate[name][0]) / float64(rate[name][1]) }
	assert.Greater(t, total, int64(10_000_000))
	assert.Greater(t, share("line2 night"), 1.3*share("line2 early"))
	assert.Greater(t, share("line5 worn"), 2.5*share("line5 mended"))
	assert.Greater(t, share("line4 no dates"), 4*share("line4 since"))
	assert.Greater(t, share("line3 strict"), 0.07)
}
