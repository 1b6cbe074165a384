package app

import (
	"log/slog"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ricetta/core/recipe"
	"ricetta/internal/line"
	"ricetta/internal/shift"
	"ricetta/internal/station"
	"ricetta/internal/store"
)

// Each shift and run that is over is reported once, also when the service stood when it ended.
func TestReportsAreWrittenOnce(t *testing.T) {
	dir := t.TempDir()
	site := &Site{Name: "Hall 3", Reports: []ReportConfig{{Of: "shift", Folder: "reports", Formats: []string{"pdf", "csv"}}, {Of: "run", Folder: "reports", Formats: []string{"xlsx"}}}}
	require.NoError(t, site.validateReports())
	calendar, err := shift.New(shift.Config{})
	require.NoError(t, err)
	s, err := store.Open(store.Options{Dir: dir, Calendar: calendar})
	require.NoError(t, err)
	defer s.Close()
	a := &App{opts: Options{DataDir: dir, Version: "1", Log: slog.New(slog.DiscardHandler)}, site: site, store: s, calendar: calendar}
	noon := time.Date(2026, 3, 2, 12, 0, 0, 0, time.UTC)
	run, err := s.BeginRun(line.Run{Line: "l1", Product: "tin", Begin: noon})
	require.NoError(t, err)
	require.NoError(t, s.AddPast(func(yield func(store.Past) bool) {
		for i := range int64(60) {
			yield(store.Past{Item: &station.Item{Station: "s", Line: "l1", Seq: i + 1, Time: noon.Add(time.Duration(i) * 30 * time.Minute), Product: "tin", Revision: "r", Route: recipe.Pass, Run: run}})
		}
	}))
	names := func() (out []string) {
		entries, err := os.ReadDir(filepath.Join(dir, "reports"))
		if !os.IsNotExist(err) {
			require.NoError(t, err)
		}
		for _, e := range entries {
			out = append(out, e.Name())
		}
		return out
	}
	require.NoError(t, a.reportsDue(noon))
	assert.Empty(t, names(), "what was before it was asked for is not reported")
	require.NoError(t, a.reportsDue(noon.Add(time.Hour)))
	assert.Empty(t, names(), "the shift goes on")
	require.NoError(t, a.reportsDue(noon.Add(3*time.Hour)))
	assert.Equal(t, []string{"shift-2026-03-02-early.csv", "shift-2026-03-02-early.pdf"}, names())
	require.NoError(t, os.Remove(filepath.Join(dir, "reports", "shift-2026-03-02-early.csv")))
	_, err = s.BeginRun(line.Run{Line: "l1", Product: "tin", Begin: noon.Add(20 * time.Hour)})
	require.NoError(t, err)
	require.NoError(t, a.reportsDue(noon.Add(21*time.Hour)))
	assert.Equal(t, []string{"run-1-l1-tin.xlsx", "shift-2026-03-02-early.pdf", "shift-2026-03-02-late.csv", "shift-2026-03-02-late.pdf", "shift-2026-03-02-night.csv", "shift-2026-03-02-night.pdf"}, names(), "two shifts and a run meanwhile; what somebody took away is not written again")

	for _, c := range []ReportConfig{{Of: "moon"}, {Of: "shift", Folder: "x"}, {Of: "shift", Formats: []string{"pdf"}}, {Of: "run", Folder: "x", Formats: []string{"doc"}}} {
		assert.Error(t, c.validate(), "%+v", c)
	}
}
