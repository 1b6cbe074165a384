package store

import (
	"math"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ricetta/core/check"
	"ricetta/core/recipe"
	"ricetta/internal/station"
)

func TestReviewsCountWhatPeopleSaid(t *testing.T) {
	s := opened(t, Options{})
	piece := item(5, recipe.Pass)
	piece.Challenge = 3
	for _, err := range record(t, s, item(1, recipe.Pass), item(2, recipe.Pass), item(3, recipe.Reject), item(4, recipe.Reject), piece) {
		require.NoError(t, err)
	}
	say := func(seq int64, good bool) {
		k, err := s.ItemOf("s1", seq)
		require.NoError(t, err)
		require.NoError(t, s.Review(k.ID, Review{Good: good, Who: "Nora", Time: noon}))
	}
	say(1, true)
	say(2, true)
	say(2, false) // the last word counts
	say(3, true)
	say(4, false)
	n, err := s.Reviewed(Filter{})
	require.NoError(t, err)
	assert.Equal(t, Reviewed{PassedGood: 1, PassedBad: 1, RejectedGood: 1, RejectedBad: 1}, n)
	n, err = s.Reviewed(Filter{Reason: "tips", Shift: "2026-03-02/early", From: noon, Until: noon.Add(time.Hour)})
	require.NoError(t, err)
	assert.Equal(t, Reviewed{RejectedGood: 1, RejectedBad: 1}, n)
	n, err = s.Reviewed(Filter{Shift: "2026-03-02/late"})
	require.NoError(t, err)
	assert.Zero(t, n)

	k, err := s.ItemOf("s1", 3)
	require.NoError(t, err)
	said, err := s.Reviews([]ID{k.ID, 99})
	require.NoError(t, err)
	assert.Equal(t, map[ID]Review{k.ID: {Good: true, Who: "Nora", Time: noon}}, said)
	require.NoError(t, s.Unreview(k.ID))
	said, err = s.Reviews([]ID{k.ID})
	require.NoError(t, err)
	assert.Empty(t, said)

	assert.ErrorIs(t, s.Review(99, Review{Good: true}), ErrNoItem)
	k, err = s.ItemOf("s1", 5)
	require.NoError(t, err)
	assert.ErrorContains(t, s.Review(k.ID, Review{}), "test piece")
}

// Readings that come later get columns of their own, and older items do not have them.
func TestFiguresAreTheReadings(t *testing.T) {
	dir := t.TempDir()
	s := opened(t, Options{Dir: dir})
	first := item(1, recipe.Pass)
	first.Findings = append(first.Findings, check.FindingJSON{Check: "tin", Outcome: check.Failed, Itself: true})
	second := item(2, recipe.Reject)
	second.Findings[0].Outcome = check.Failed
	second.Findings[0].Readings = map[string]check.ReadingJSON{"count": {Value: 11}, "area": {Value: 0.125, Unit: "px"}}
	other := item(3, recipe.Pass)
	other.Revision = "sha256:def"
	late := item(4, recipe.Reject)
	late.Fault, late.Findings = "late", nil
	record(t, s, first)
	record(t, s, second, other)
	s.Close()
	s = opened(t, Options{Dir: dir})
	record(t, s, late)

	type told struct {
		seq         int64
		route       string
		tips, tin   check.Outcome
		itself      bool
		count, area float64
		fault       bool
	}
	var got []told
	require.NoError(t, s.Figures(FigureFilter{Product: "tin", Role: "top"}, func(l *Layout, x Figures) bool {
		k, err := s.ItemsByID([]ID{x.Item})
		require.NoError(t, err)
		require.Equal(t, k[0].Revision, l.Revision)
		v := told{seq: k[0].Seq, route: l.Routes[x.Route()], fault: x.Fault(), area: -1}
		v.tips, _ = x.Outcome(slices.Index(l.Checks, "tips"))
		if i := slices.Index(l.Checks, "tin"); i >= 0 {
			v.tin, v.itself = x.Outcome(i)
		}
		for i, c := range l.Columns {
			switch c.Name {
			case "count":
				v.count = x.Value(i)
			case "area":
				if v.area = x.Value(i); math.IsNaN(v.area) {
					v.area = -2
				}
				assert.Equal(t, "px", c.Unit)
			}
		}
		if math.IsNaN(v.count) {
			v.count = -1
		}
		got = append(got, v)
		return true
	}))
	assert.Equal(t, []told{
		{1, "pass", check.OK, check.Failed, true, 12, -2, false},
		{2, "reject", check.Failed, check.NotJudged, false, 11, 0.125, false},
		{4, "reject", check.NotJudged, check.NotJudged, false, -1, -2, true},
		{3, "pass", check.OK, check.NotJudged, false, 12, -1, false},
	}, got)
}

// Items of the past are as if they had been recorded.
func TestAddPastIsAsRecorded(t *testing.T) {
	a, b := opened(t, Options{}), opened(t, Options{})
	items := []*station.Item{item(1, recipe.Pass), item(2, recipe.Reject), item(3, recipe.Pass)}
	items[1].Time = noon.Add(5 * time.Hour)
	items[2].Time = noon.Add(9 * time.Hour)
	record(t, a, items...)
	require.NoError(t, b.AddPast(func(yield func(Past) bool) {
		for _, it := range items {
			yield(Past{Item: it})
		}
	}))
	for _, by := range [][]string{{"hour"}, {"shift", "route"}, {"reason", "day"}} {
		x, err := a.Tallies(Filter{}, by)
		require.NoError(t, err)
		y, err := b.Tallies(Filter{}, by)
		require.NoError(t, err)
		assert.Equal(t, x, y)
		assert.NotEmpty(t, y)
	}
	differs, err := b.CheckTallies()
	require.NoError(t, err)
	assert.Empty(t, differs)
	n := 0
	require.NoError(t, b.Figures(FigureFilter{Product: "tin", Role: "top", From: noon.Add(4 * time.Hour)}, func(*Layout, Figures) bool { n++; return true }))
	assert.Equal(t, 2, n, "of the late and the night shift")
	record(t, b, item(4, recipe.Pass))
	k, err := b.ItemOf("s1", 4)
	require.NoError(t, err)
	assert.Equal(t, ID(4), k.ID, "what comes next goes on")
}

// Sums of shifts answer as the hours do, whatever the span cuts.
func TestSumsOfShiftsAreThoseOfTheirHours(t *testing.T) {
	s := opened(t, Options{})
	var items []*station.Item
	for i := range int64(72) {
		it := item(i+1, []string{recipe.Pass, recipe.Reject}[i%2])
		it.Time = noon.Add(time.Duration(i) * time.Hour)
		items = append(items, it)
	}
	record(t, s, items...)
	for _, span := range [][2]time.Duration{{0, 72}, {1, 71}, {3, 20}, {10, 12}, {18, 42}, {50, 500}} {
		f := Filter{From: noon.Add(span[0] * time.Hour), Until: noon.Add(span[1] * time.Hour)}
		hours, err := s.Tallies(f, []string{"hour", "shift", "route"})
		require.NoError(t, err)
		want := map[string]int64{}
		for _, x := range hours {
			want[x.Key["shift"]+x.Key["route"]] += x.Count
		}
		shifts, err := s.Tallies(f, []string{"shift", "route"})
		require.NoError(t, err)
		got := map[string]int64{}
		total := int64(0)
		for _, x := range shifts {
			got[x.Key["shift"]+x.Key["route"]] += x.Count
			total += x.Count
		}
		assert.Equal(t, want, got, span)
		all, err := s.Tallies(f, nil)
		require.NoError(t, err)
		assert.Equal(t, total, all[0].Count, span)
	}
	require.NoError(t, s.write.Exec("UPDATE shift_counts SET n = n + 1 WHERE shift = 1").Error)
	differs, err := s.CheckTallies()
	require.NoError(t, err)
	require.NotEmpty(t, differs)
	_, err = s.RebuildTallies(nil)
	require.NoError(t, err)
	differs, err = s.CheckTallies()
	require.NoError(t, err)
	assert.Empty(t, differs)
}

// A day and a week choose the same by their tallies as by their items.
func TestDaysAndWeeksChooseShifts(t *testing.T) {
	s := opened(t, Options{})
	var items []*station.Item
	for i := range int64(40) {
		it := item(i+1, recipe.Pass)
		it.Time = time.Date(2025, 12, 26, 3, 0, 0, 0, time.UTC).Add(time.Duration(i) * 6 * time.Hour)
		items = append(items, it)
	}
	record(t, s, items...)
	for f, want := range map[Filter]int{
		{Day: "2025-12-27"}: 4, {Week: "2025-W52"}: 13, {Week: "2026-W01"}: 27, {Week: "2026-W1x"}: 27, {Week: "soon"}: 0, {Day: "2025-12-25"}: 1,
		{Day: "2025-12-27", Week: "2025-W52"}: 4, {Day: "2025-12-27", Week: "2026-W01"}: 0, {Shift: "2025-12-26/early", Day: "2025-12-26"}: 1, {Shift: "2025-12-26/early", Day: "2025-12-27"}: 0,
	} {
		kept, err := s.Items(f, 100)
		require.NoError(t, err)
		assert.Len(t, kept, want, "%+v", f)
		n := int64(0)
		for _, by := range [][]string{{"day", "shift_name"}, {"hour"}, nil} {
			list, err := s.Tallies(f, by)
			require.NoError(t, err)
			n = 0
			for _, x := range list {
				n += x.Count
			}
			assert.EqualValues(t, want, n, "%+v by %v", f, by)
		}
	}
}

func TestABoardIsNotOverwrittenBySomebodyElse(t *testing.T) {
	s := opened(t, Options{})
	b := Board{Name: "Hall", Who: "Nora", Panels: []Panel{{Kind: "picture", Station: "s1", W: 6, H: 5}}, Time: noon}
	require.NoError(t, s.KeepBoard(b, time.Time{}))
	assert.ErrorIs(t, s.KeepBoard(b, time.Time{}), ErrBoardChanged, "one of that name is there")
	got, err := s.Board("Hall")
	require.NoError(t, err)
	assert.Equal(t, b, got)
	b.Time, b.Who = noon.Add(time.Minute), "Ugo"
	require.NoError(t, s.KeepBoard(b, got.Time))
	assert.ErrorIs(t, s.KeepBoard(b, got.Time), ErrBoardChanged)
	list, err := s.Boards()
	require.NoError(t, err)
	assert.Equal(t, []Board{b}, list)
	require.NoError(t, s.DropBoard("Hall"))
	assert.ErrorIs(t, s.DropBoard("Hall"), ErrNoBoard)
	_, err = s.Board("Hall")
	assert.ErrorIs(t, err, ErrNoBoard)
	assert.ErrorIs(t, s.KeepBoard(b, noon), ErrBoardChanged, "it was deleted meanwhile")
}

// A chart of a reading has the newest items that have it, in the order of time, over revisions.
func TestReadingsComeInOrder(t *testing.T) {
	s := opened(t, Options{})
	most := 12.0
	var items []*station.Item
	for i := range int64(10) {
		it := item(i+1, recipe.Pass)
		it.Findings[0].Readings = map[string]check.ReadingJSON{"count": {Value: float64(i), Unit: "spots", Most: &most}}
		switch i {
		case 3:
			it.Findings[0].Readings = map[string]check.ReadingJSON{"other": {Value: 1}}
		case 4, 5:
			it.Revision = "sha256:def"
		case 6:
			it.Station = "s2"
		case 7:
			it.Challenge = 4
		}
		items = append(items, it)
	}
	record(t, s, items...)
	values := func(f Filter, name string, limit int) (out []float64) {
		list, err := s.Readings(f, name, limit)
		require.NoError(t, err)
		for i, r := range list {
			out = append(out, r.Value.Value)
			assert.Equal(t, "spots", r.Value.Unit)
			assert.Equal(t, i == len(list)-1, r.Value.Most != nil, "the newest has its limits")
		}
		return out
	}
	assert.Equal(t, []float64{0, 1, 2, 4, 5, 8, 9}, values(Filter{Station: "s1"}, "tips.count", 100))
	assert.Equal(t, []float64{5, 8, 9}, values(Filter{Station: "s1"}, "tips.count", 3))
	assert.Equal(t, []float64{0, 1, 2, 4, 5, 6, 8, 9}, values(Filter{Product: "tin"}, "tips.count", 100))
	assert.Equal(t, []float64{4, 5}, values(Filter{Revision: "sha256:def"}, "tips.count", 100))
	for _, name := range []string{"tips.nothing", "nothing.count", "tips", ""} {
		assert.Empty(t, values(Filter{}, name, 100), name)
	}
}
