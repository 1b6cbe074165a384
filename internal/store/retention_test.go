package store

import (
	"context"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ricetta/core/recipe"
	"ricetta/internal/line"
)

// hourly records an item an hour with its package, every second one rejected with a picture.
func hourly(t *testing.T, s *Store, n int64) {
	for i := range n {
		it := item(i+1, []string{recipe.Pass, recipe.Reject}[i%2])
		it.Time = noon.Add(time.Duration(i) * time.Hour)
		require.NoError(t, record(t, s, it)[0])
		done := make(chan error)
		s.RecordPackage(&line.Package{Line: "l1", Seq: it.Seq, Route: it.Route, Time: it.Time}, func(err error) { done <- err })
		require.NoError(t, <-done)
	}
	require.Eventually(t, func() bool {
		kept, err := s.Items(Filter{Pictured: true}, 1000)
		return err == nil && int64(len(kept)) >= n/2
	}, 10*time.Second, 5*time.Millisecond)
}

func TestOldItemsGoAndTalliesStay(t *testing.T) {
	dir := t.TempDir()
	s := opened(t, Options{Dir: dir, PassShare: -1})
	hourly(t, s, 48)
	before, err := s.Tallies(Filter{}, []string{"hour", "route"})
	require.NoError(t, err)
	k, err := s.ItemOf("s1", 2)
	require.NoError(t, err)
	require.NoError(t, s.Review(k.ID, Review{Good: true, Time: noon}))
	now := noon.Add(47 * time.Hour)

	out, err := s.Sweep(context.Background(), Retention{Items: 20 * time.Hour, Pictures: 10 * time.Hour}, now)
	require.NoError(t, err)
	assert.EqualValues(t, 27, out.Items, "whole hours")
	assert.EqualValues(t, 27, out.Packages)
	assert.EqualValues(t, 18, out.Pictures)
	_, err = s.ItemOf("s1", 27)
	require.ErrorIs(t, err, ErrNoItem)
	_, err = s.ItemOf("s1", 28)
	require.NoError(t, err)
	_, err = s.Picture(k.PictureHash)
	require.ErrorIs(t, err, ErrNoPicture)
	figures := 0
	require.NoError(t, s.Figures(FigureFilter{Product: "tin", Role: "top"}, func(*Layout, Figures) bool { figures++; return true }))
	assert.Equal(t, 21, figures)

	after, err := s.Tallies(Filter{}, []string{"hour", "route"})
	require.NoError(t, err)
	assert.Equal(t, before, after, "tallies are kept for good")
	n, err := s.Reviewed(Filter{})
	require.NoError(t, err)
	assert.Equal(t, Reviewed{RejectedGood: 1}, n, "so is what people said")
	differs, err := s.CheckTallies()
	require.NoError(t, err)
	assert.Empty(t, differs)
	_, err = s.RebuildTallies(nil)
	require.NoError(t, err)
	after, err = s.Tallies(Filter{}, []string{"hour", "route"})
	require.NoError(t, err)
	assert.Equal(t, before, after, "counting anew leaves alone what cannot be counted any more")

	// However old the last item is, the next one is numbered by it.
	_, err = s.Sweep(context.Background(), Retention{Items: time.Hour}, now.AddDate(1, 0, 0))
	require.NoError(t, err)
	s.Close()
	s = opened(t, Options{Dir: dir})
	seq, err := s.LastSeq("s1")
	require.NoError(t, err)
	assert.EqualValues(t, 48, seq)
	seq, err = s.LastPackage("l1")
	require.NoError(t, err)
	assert.EqualValues(t, 48, seq)
	kept, err := s.Items(Filter{}, 10)
	require.NoError(t, err)
	assert.Len(t, kept, 1)
	left, err := s.LeftOver("l1")
	require.NoError(t, err)
	assert.Empty(t, left)
}

func TestTheDatabaseIsBounded(t *testing.T) {
	s := opened(t, Options{PassShare: -1})
	require.NoError(t, s.AddPast(func(yield func(Past) bool) {
		for i := range int64(4000) {
			it := item(i+1, recipe.Pass)
			it.Time = noon.Add(time.Duration(i) * time.Minute)
			yield(Past{Item: it})
		}
	}))
	now := noon.Add(4000 * time.Minute)
	used, err := s.used()
	require.NoError(t, err)
	out, err := s.Sweep(context.Background(), Retention{Bytes: used * 3 / 4}, now)
	require.NoError(t, err)
	assert.False(t, out.Full)
	assert.InDelta(t, 1000, out.Items, 400)
	is, err := s.used()
	require.NoError(t, err)
	assert.LessOrEqual(t, is, used*3/4)
	_, err = s.ItemOf("s1", 1)
	require.ErrorIs(t, err, ErrNoItem, "the oldest go")
	_, err = s.ItemOf("s1", 4000)
	require.NoError(t, err)

	out, err = s.Sweep(context.Background(), Retention{Bytes: 1}, now)
	require.NoError(t, err)
	assert.True(t, out.Full)
	kept, err := s.Items(Filter{}, 5000)
	require.NoError(t, err)
	assert.InDelta(t, 24*60, len(kept), 61, "those of the last day stay")

	ended, cancel := context.WithCancel(context.Background())
	cancel()
	_, err = s.Sweep(ended, Retention{Items: time.Hour}, now)
	assert.ErrorIs(t, err, context.Canceled)
}

func TestASnapshotIsWholeWhileItemsCome(t *testing.T) {
	s := opened(t, Options{})
	hourly(t, s, 10)
	stop, stopped := make(chan struct{}), make(chan struct{})
	go func() {
		defer close(stopped)
		for i := int64(11); ; i++ {
			select {
			case <-stop:
				return
			default:
				s.Record(item(i, recipe.Pass), func(error) {})
				time.Sleep(time.Millisecond)
			}
		}
	}()
	dir := t.TempDir()
	require.NoError(t, s.Snapshot(context.Background(), filepath.Join(dir, FileName)))
	close(stop)
	<-stopped
	copied := opened(t, Options{Dir: dir})
	ok, err := copied.Integrity()
	require.NoError(t, err)
	assert.Equal(t, "ok", ok)
	differs, err := copied.CheckTallies()
	require.NoError(t, err)
	assert.Empty(t, differs)
	seq, err := copied.LastSeq("s1")
	require.NoError(t, err)
	assert.GreaterOrEqual(t, seq, int64(10))
	assert.Error(t, s.Snapshot(context.Background(), filepath.Join(dir, FileName)), "never over another")
}
