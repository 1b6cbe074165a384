package e2e

import (
	"bytes"
	"context"
	"net/http"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ricetta/internal/api"
	"ricetta/internal/workbench"
)

// tapeLine is a site with the demo's line of masking tape.
const tapeLine = `site: Cartoleria Fiordaliso
pictures: {limit_mb: 200, pass_share: 5}
stations:
  - id: line5-top
    name: Masking tape
    line: line5
    role: top
    product: masking-tape-50
    every: 3000
    ejectors:
      reject: {offset: 10500, pulse: 1600, confirm: 1200}
      rework: {offset: 16500, pulse: 1600}
    source:
      plant: {seed: 7, product: masking-tape-50, speed_mm_s: 60}
`

func statusOf(t *testing.T, err error) int {
	var p *api.Problem
	require.ErrorAs(t, err, &p)
	return p.Status
}

// A recipe's day over the interface: edited by two, tried, refused, released, run on a
// running line, gone back from, packed and taken in elsewhere.
func TestWorkbenchOverTheInterface(t *testing.T) {
	s := start(t, t.TempDir(), tapeLine)
	ctx := context.Background()
	k := workbench.Key{Product: "masking-tape-50", Role: "top"}
	d, err := s.Draft(ctx, k)
	require.NoError(t, err)
	first := d.Released
	require.NotEmpty(t, first)
	assert.Equal(t, first, d.Revision)

	// Tried before it is saved: the reference, a sample, the belt.
	limits := func(most float64) map[string]any {
		now, err := s.Draft(ctx, k)
		require.NoError(t, err)
		for _, c := range now.Tree["checks"].([]any) {
			if c := c.(map[string]any); c["id"] == "rim" {
				c["limits"] = map[string]any{"highest": map[string]any{"most": most}}
			}
		}
		return now.Tree
	}
	tried, err := s.Try(ctx, k, map[string]any{"tree": limits(0.01)})
	require.NoError(t, err)
	assert.Equal(t, "reject", tried.Route)
	assert.Equal(t, "rim", tried.Reason)
	tried, err = s.Try(ctx, k, map[string]any{"sample": "bad-rim-bump-in-the-rim-1.jpg"})
	require.NoError(t, err)
	assert.Equal(t, "reject", tried.Route)
	require.Eventually(t, func() bool {
		tried, err = s.Try(ctx, k, map[string]any{"station": "line5-top"})
		return err == nil
	}, 20*time.Second, 100*time.Millisecond)
	assert.NotEmpty(t, tried.Findings)
	broken := limits(1)
	broken["checks"].([]any)[1].(map[string]any)["on"] = "nothing"
	tried, err = s.Try(ctx, k, map[string]any{"tree": broken})
	require.NoError(t, err)
	require.NotEmpty(t, tried.Problems)
	assert.Equal(t, "checks/1/on", tried.Problems[0].Field, "so that a form can show it in its place")

	// Two people.
	mine, err := s.SaveDraft(ctx, k, limits(1.2), d.Tag, "Nora")
	require.NoError(t, err)
	_, err = s.SaveDraft(ctx, k, limits(9), d.Tag, "Ugo")
	assert.Equal(t, http.StatusPreconditionFailed, statusOf(t, err))
	_, err = s.SaveDraft(ctx, k, limits(9), "", "Ugo")
	assert.Equal(t, http.StatusPreconditionRequired, statusOf(t, err), "nobody saves blindly")
	now, err := s.Draft(ctx, k)
	require.NoError(t, err)
	assert.Equal(t, mine.Text, now.Text)
	assert.Len(t, now.Kept, 2, "the one saved over, and the one that was not saved")

	// Samples, among them what is none.
	whole, err := os.ReadFile("../../demo/pictures/masking-tape-50/good.jpg")
	require.NoError(t, err)
	_, err = s.AddSample(ctx, k, "good/new.jpg", "", whole)
	require.NoError(t, err)
	_, err = s.AddSample(ctx, k, "again.jpg", "good", whole)
	assert.Equal(t, http.StatusConflict, statusOf(t, err))
	_, err = s.AddSample(ctx, k, "cut.jpg", "good", whole[:4000])
	assert.Equal(t, http.StatusUnprocessableEntity, statusOf(t, err))
	giant := []byte("\x89PNG\r\n\x1a\n\x00\x00\x00\rIHDR\x00\x00\x80\x00\x00\x00\x80\x00\x08\x02\x00\x00\x00")
	_, err = s.AddSample(ctx, k, "giant.png", "good", giant)
	assert.ErrorContains(t, err, "giant.png")
	_, err = s.AddSample(ctx, k, "huge.bmp", "good", make([]byte, 65<<20))
	assert.Equal(t, http.StatusRequestEntityTooLarge, statusOf(t, err))
	list, err := s.Samples(ctx, k)
	require.NoError(t, err)
	assert.Len(t, list.Samples, 15)
	steps := 0
	p, err := s.Trial(ctx, k, func(int, int) { steps++ })
	require.NoError(t, err)
	assert.Zero(t, p.Report.Wrong)
	assert.Positive(t, steps, "progress is told on the way")

	// Refused, and released all the same with a reason.
	now, err = s.SaveDraft(ctx, k, limits(50), now.Tag, "Nora")
	require.NoError(t, err)
	_, err = s.Release(ctx, k, workbench.Wish{Who: "Nora"})
	require.ErrorContains(t, err, "4 of 15 samples are judged wrong, 4 of them let through")
	assert.Equal(t, http.StatusConflict, statusOf(t, err))
	st, err := s.Station(ctx, "line5-top")
	require.NoError(t, err)
	assert.Equal(t, first, st.Revision)
	assert.Equal(t, "running", st.Status)
	second, err := s.Release(ctx, k, workbench.Wish{Who: "Nora", Note: "trial run", Reason: "only for the fair"})
	require.NoError(t, err)
	assert.Equal(t, 4, second.Wrong)
	st, err = s.Station(ctx, "line5-top")
	require.NoError(t, err)
	assert.Equal(t, first, st.Revision, "a release does not touch what runs")
	st, err = s.Use(ctx, "line5-top", "")
	require.NoError(t, err)
	assert.Equal(t, second.Revision, st.Revision)
	assert.Equal(t, "running", st.Status)
	_, err = s.Use(ctx, "line5-top", "pencil-tin-12")
	assert.Equal(t, http.StatusConflict, statusOf(t, err), "another product is a changeover")
	changes, err := s.Diff(ctx, k, first, second.Revision)
	require.NoError(t, err)
	require.Len(t, changes.Changes, 1)
	assert.Equal(t, "rim: limits of highest: at most 50, before at most 1.25", changes.Changes[0].Text)
	back, err := s.Restore(ctx, k, first, "Nora", "the fair is over")
	require.NoError(t, err)
	assert.Equal(t, first, back.Revision)

	// Packed, and taken in as another product's.
	var archive bytes.Buffer
	require.NoError(t, s.Export(ctx, k, &archive))
	_, err = s.Import(ctx, archive.Bytes())
	assert.Equal(t, http.StatusConflict, statusOf(t, err), "it is there already")
	_, err = s.Import(ctx, archive.Bytes()[:archive.Len()/2])
	assert.Equal(t, http.StatusUnprocessableEntity, statusOf(t, err))
	v, err := s.CopyRecipe(ctx, k, workbench.Key{Product: "masking-tape-25", Role: "top"}, true)
	require.NoError(t, err)
	assert.Equal(t, "masking-tape-50", v.Base)
	require.NoError(t, s.DeleteRecipe(ctx, workbench.Key{Product: "masking-tape-25", Role: "top"}))
	left, err := filepath.Glob(filepath.Join(s.dir, workbench.DraftsDir, ".*"))
	require.NoError(t, err)
	assert.Empty(t, left, "nothing half done lies about")

	// The same from the terminal.
	bin := binary(t)
	got := call(t, bin, "recipe", "history", "--server", s.url, k.String())
	assert.Contains(t, got.out, "only for the fair")
	got = call(t, bin, "trial", "--server", s.url, "--of", k.String())
	assert.Equal(t, 1, got.status, "the limit is far too wide still")
	assert.Contains(t, got.out, "15 samples: 11 of 15 labeled ones judged rightly; 4 let through that should not pass")
	got = call(t, bin, "sample", "label", "--server", s.url, "--of", k.String(), "rework", "new.jpg")
	assert.Equal(t, 0, got.status, got.err)
	assert.Contains(t, call(t, bin, "sample", "list", "--server", s.url, "--of", k.String()).out, "rework")
	assert.Equal(t, 0, call(t, bin, "sample", "remove", "--server", s.url, "--of", k.String(), "new.jpg").status)
	assert.Equal(t, 2, call(t, bin, "trial", "--of", k.String(), "--recipe", "x").status)
	got = call(t, bin, "station", "camera", "--server", s.url, "--focus", "10", "line5-top")
	assert.Equal(t, 1, got.status)
	assert.Contains(t, got.err, "stop it before its camera is set")
	assert.Contains(t, call(t, bin, "station", "camera", "--server", s.url, "line5-top").out, "exposure, ms")
	got = call(t, bin, "recipe", "release", "--server", s.url, "--who", "Nora", k.String())
	assert.Equal(t, 1, got.status)
	assert.Contains(t, got.err, "--reason TEXT")
	file := filepath.Join(t.TempDir(), "tape.ricetta")
	assert.Equal(t, 0, call(t, bin, "recipe", "pull", "--server", s.url, k.String(), file).status)
	assert.FileExists(t, file)
}
