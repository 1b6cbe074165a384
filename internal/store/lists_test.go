package store

import (
	"cmp"
	"fmt"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ricetta/core/recipe"
)

// Whatever way the records are looked through, a list is all that fits, the newest first, each once.
func TestListsAreWhatFitsNewestFirst(t *testing.T) {
	s := opened(t, Options{})
	require.NoError(t, s.AddPast(func(yield func(Past) bool) {
		for i := range int64(300) {
			it := item(i/3+1, []string{recipe.Pass, recipe.Pass, recipe.Reject, recipe.Rework}[i%4])
			it.Station = fmt.Sprintf("s%d", i%3)
			// Stations commit by turns: numbers are not quite in the order of time.
			it.Time = noon.Add(time.Duration(i)*10*time.Minute - time.Duration(i%3)*20*time.Second)
			yield(Past{Item: it})
		}
	}))
	all, err := s.Items(Filter{}, 1000)
	require.NoError(t, err)
	require.Len(t, all, 300)
	day := noon.Add(24 * time.Hour)
	for _, f := range []Filter{
		{},
		{Station: "s1"},
		{Station: "s1", NotPassed: true},
		{Station: "s2", Route: recipe.Reject},
		{Station: "s0", Reason: "tips"},
		{NotPassed: true, From: day},
		{Station: "s1", From: day},
		{Station: "s1", Until: day},
		{Station: "s1", From: day, Until: day.Add(3 * time.Hour)},
		{From: day, Until: day.Add(90 * time.Second)},
		{From: day, Until: day.Add(10 * time.Minute)},
		{Station: "s2", Route: recipe.Reject, Until: day},
		{Station: "s9"},
		{Station: "s1", From: noon.AddDate(1, 0, 0)},
		{Until: noon.AddDate(-1, 0, 0)},
		{Station: "s0", Shift: "2026-03-03/early"},
	} {
		var want []ID
		for _, k := range all {
			if (f.Station == "" || k.Station == f.Station) && (f.Route == "" || k.Route == f.Route) && (f.Reason == "" || k.Reason == f.Reason) && (!f.NotPassed || k.Route != recipe.Pass) &&
				(f.From.IsZero() || !k.Time.Before(f.From)) && (f.Until.IsZero() || k.Time.Before(f.Until)) && (f.Shift == "" || s.opts.Calendar.At(k.Time).Key == f.Shift) {
				want = append(want, k.ID)
			}
		}
		slices.SortFunc(want, func(a, b ID) int { return cmp.Compare(b, a) })
		var got []ID
		for page := f; ; {
			list, err := s.Items(page, 7)
			require.NoError(t, err)
			for _, k := range list {
				got = append(got, k.ID)
			}
			if len(list) < 7 {
				break
			}
			page.Before = list[6].ID
		}
		assert.Equal(t, want, got, "%+v", f)
		n, err := s.CountItems(f)
		require.NoError(t, err)
		assert.EqualValues(t, len(want), n)
		// The place where a list is gone on from may be deleted meanwhile.
		if len(want) > 20 && f.Station != "" {
			f.Before = want[10]
			require.NoError(t, s.write.Exec("DELETE FROM items WHERE id = ?", want[10]).Error)
			list, err := s.Items(f, 3)
			require.NoError(t, err)
			assert.Equal(t, want[11], list[0].ID)
			all = slices.DeleteFunc(all, func(k Kept) bool { return k.ID == want[10] })
		}
	}
}
