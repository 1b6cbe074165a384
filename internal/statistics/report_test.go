package statistics

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ricetta/core/check"
	"ricetta/core/recipe"
	"ricetta/internal/alarm"
	"ricetta/internal/line"
	"ricetta/internal/station"
	"ricetta/internal/store"
)

// A month in which a tenth is rejected, and a night in which a third is, on one of two stations.
func badNight(t *testing.T) (*store.Store, int64) {
	s, err := store.Open(store.Options{Dir: t.TempDir()})
	require.NoError(t, err)
	t.Cleanup(s.Close)
	begin := time.Date(2026, 3, 1, 6, 0, 0, 0, time.UTC)
	run, err := s.BeginRun(line.Run{Line: "l1", Product: "tin", Order: check.Order{"lot": "L1"}, Who: "Nora", Begin: begin})
	require.NoError(t, err)
	require.NoError(t, s.AddPast(func(yield func(store.Past) bool) {
		for i := range int64(20 * 24 * 6) {
			at := begin.Add(time.Duration(i) * 10 * time.Minute)
			for _, st := range []string{"a", "b"} {
				route, reason := recipe.Pass, ""
				every := int64(10)
				if st == "a" && at.Day() == 20 && at.Hour() >= 22 || st == "a" && at.Day() == 21 && at.Hour() < 6 {
					every = 3
				}
				if i%every == 0 {
					route, reason = recipe.Reject, "tips"
				}
				yield(store.Past{Item: &station.Item{Station: st, Line: "l1", Role: "top", Seq: i + 1, Time: at, Product: "tin", Revision: "r", Run: run, Route: route, Reason: reason}})
			}
		}
	}))
	for i, at := range []time.Time{time.Date(2026, 3, 20, 23, 0, 0, 0, time.UTC), time.Date(2026, 3, 21, 7, 0, 0, 0, time.UTC)} {
		require.NoError(t, s.KeepAlarm(alarm.Alarm{ID: int64(i + 1), Line: "l1", Station: "a", Kind: "row", Text: "five in a row", Raised: at, Holds: true, Who: "Ugo"}))
	}
	return s, run
}

func TestAReportOfAShift(t *testing.T) {
	s, run := badNight(t)
	kept, err := s.Items(store.Filter{Shift: "2026-03-20/night", Reason: "tips"}, 1)
	require.NoError(t, err)
	require.NoError(t, s.Review(kept[0].ID, store.Review{Good: true, Time: time.Now()}))
	r, err := Make(s, Ask{Of: OfShift, Shift: "2026-03-20/night"})
	require.NoError(t, err)
	assert.Equal(t, "Shift 2026-03-20 night", r.Title)
	assert.EqualValues(t, 96, r.Total.Counts.Inspected)
	assert.EqualValues(t, 20, r.Total.Counts.Rejected, "16 of a, 4 of b")
	assert.Equal(t, "higher", r.Total.Verdict)
	require.Len(t, r.Stations, 2)
	assert.Equal(t, "higher", r.Stations[0].Verdict)
	assert.Equal(t, "chance", r.Stations[1].Verdict)
	assert.InDelta(t, float64(r.Before.Inspected)/10, r.Before.Rejected, 3)
	require.Len(t, r.Reasons, 1)
	assert.InDelta(t, 1, r.Reasons[0].Sum, 0)
	assert.Equal(t, "hour", r.Step)
	assert.Len(t, r.Trend, 8)
	require.Len(t, r.Runs, 1)
	assert.Equal(t, run, r.Runs[0].ID)
	assert.Equal(t, r.Total.Counts, r.Runs[0].Counts)
	assert.Nil(t, r.Runs[0].End)
	require.Len(t, r.Alarms, 1, "the other one was raised after it")
	assert.Equal(t, "Ugo", r.Alarms[0].Who)
	assert.EqualValues(t, 1, r.FalseRejects.N)
	assert.EqualValues(t, 1, r.FalseRejects.Of)
	assert.Empty(t, r.Shifts)
}

func TestReportsOfRunsAndStations(t *testing.T) {
	s, run := badNight(t)
	now := time.Date(2026, 3, 21, 6, 0, 0, 0, time.UTC)
	r, err := Make(s, Ask{Of: OfRun, Run: run, Now: now})
	require.NoError(t, err)
	assert.EqualValues(t, 2*20*24*6, r.Total.Counts.Inspected)
	assert.Equal(t, "day", r.Step)
	assert.Equal(t, now, r.Until, "it still goes on")
	assert.Len(t, r.Shifts, 60)
	assert.Equal(t, "too_few", r.Total.Verdict, "there was nothing before")
	require.Len(t, r.Alarms, 1)

	r, err = Make(s, Ask{Of: OfStation, Station: "a", From: now.AddDate(0, 0, -7), Until: now})
	require.NoError(t, err)
	assert.EqualValues(t, 7*24*6, r.Total.Counts.Inspected)
	assert.Equal(t, "shift", r.Step)
	assert.Len(t, r.Shifts, 21)

	for _, a := range []Ask{
		{Of: OfShift, Shift: "2026-03-20/noon"}, {Of: OfRun, Run: 99}, {Of: OfStation, Station: "c", From: now.AddDate(0, 0, -7), Until: now},
	} {
		_, err = Make(s, a)
		assert.ErrorIs(t, err, ErrNoReport, "%+v", a)
	}
	for _, a := range []Ask{{Of: "moon"}, {Of: OfStation, Station: "a"}, {Of: OfStation, Station: "a", From: now, Until: now}} {
		_, err = Make(s, a)
		require.Error(t, err)
		assert.NotErrorIs(t, err, ErrNoReport)
	}
}
