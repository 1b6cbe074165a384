package e2e

import (
	"os"
	"path/filepath"
	"strings"
	"syscall"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A disk that is really full: everything is rejected and told, the line goes on, and so do the
// records when there is room again.
func TestAFullDiskRejectsAndTells(t *testing.T) {
	dir := t.TempDir()
	if err := syscall.Mount("tmpfs", dir, "tmpfs", 0, "size=16m"); err != nil {
		t.Skip("NO DISK FILLED: mounting a small one needs root: " + err.Error())
	}
	t.Cleanup(func() { assert.NoError(t, syscall.Unmount(dir, 0)) })
	s := startBare(t, dir, strings.Replace(cards(t, dir), "pictures: {limit_mb: 64", "disk: {free_mb: 2}\npictures: {limit_mb: 1", 1))
	c := t.Context()
	eventually(t, "production", func() bool {
		l, err := s.Line(c, "line1")
		return err == nil && l.Counters.Routes["pass"] > 10
	})
	ballast := filepath.Join(dir, "ballast")
	f, err := os.Create(ballast)
	require.NoError(t, err)
	for block := make([]byte, 64<<10); err == nil; {
		_, err = f.Write(block)
	}
	require.NoError(t, f.Close())
	eventually(t, "items that cannot be recorded", func() bool {
		st, err := s.Station(c, "first")
		return err == nil && st.Counters.NotRecorded > 10
	})
	st, err := s.Station(c, "first")
	require.NoError(t, err)
	assert.Contains(t, st.Why, "records cannot be written, so every item is rejected")
	eventually(t, "it is told", func() bool {
		list, err := s.StandingAlarms(c)
		kinds := map[string]bool{}
		for _, a := range list.Alarms {
			kinds[a.Kind] = a.Gone == nil
		}
		return err == nil && kinds["disk"] && kinds["records"]
	})
	l, err := s.Line(c, "line1")
	require.NoError(t, err)
	assert.Equal(t, "running", l.Status)
	passed := l.Counters.Routes["pass"]

	require.NoError(t, os.Remove(ballast))
	eventually(t, "work goes on by itself", func() bool {
		l, err := s.Line(c, "line1")
		st, serr := s.Station(c, "first")
		return err == nil && serr == nil && l.Counters.Routes["pass"] > passed+10 && st.Why == ""
	})
	eventually(t, "the causes are gone, and the alarms on disk", func() bool {
		page, err := s.Alarms(c, nil)
		kinds := map[string]bool{}
		for _, a := range page.Alarms {
			kinds[a.Kind] = a.Gone != nil
		}
		return err == nil && kinds["disk"] && kinds["records"]
	})
}
