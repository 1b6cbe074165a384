package e2e

import (
	"fmt"
	"image/png"
	"math/rand/v2"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ricetta/core/raster"
	"ricetta/internal/api"
	"ricetta/internal/drawn"
	"ricetta/internal/workbench"
)

// A station without a line: pictures from a folder, and from an address, are judged,
// recorded, looked at and measured in millimeters.
func TestPicturesFromAFolderAndAnAddress(t *testing.T) {
	dir, inbox := t.TempDir(), t.TempDir()
	samples := "../../demo/recipes/masking-tape-50/samples"
	for _, name := range []string{"bad-rim-bump-in-the-rim-1.jpg", "good-1.jpg", "good-2.jpg"} {
		data, err := os.ReadFile(filepath.Join(samples, name))
		require.NoError(t, err)
		require.NoError(t, os.WriteFile(filepath.Join(inbox, name), data, 0o600))
	}
	require.NoError(t, os.WriteFile(filepath.Join(inbox, "good-1b.jpg"), []byte("\xff\xd8\xff broken"), 0o600))
	silent, grid := false, false
	var round [][]raster.Point // dots 40 pixels apart
	for y := 40.0; y < 600; y += 40 {
		for x := 40.0; x < 800; x += 40 {
			round = append(round, drawn.Round(x, y, 9))
		}
	}
	dots := raster.Picture{Gray: drawn.Outlines(840, 640, 210, 40, 1, rand.New(rand.NewPCG(1, 1)), round...)}
	camera := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if silent {
			w.WriteHeader(http.StatusServiceUnavailable)
			return
		}
		if grid {
			_ = png.Encode(w, dots.Image())
			return
		}
		http.ServeFile(w, r, filepath.Join(samples, "good-3.jpg"))
	}))
	defer camera.Close()
	s := start(t, dir, fmt.Sprintf(`site: Cartoleria Fiordaliso
pictures: {limit_mb: 200, pass_share: 1}
stations:
  - {id: bench, name: Test bench, line: bench1, role: top, product: masking-tape-50, every: 400, source: {folder: {path: %s}}}
  - {id: webcam, name: Camera at an address, line: bench2, role: top, product: masking-tape-50, every: 400, source: {http: {address: "%s/snapshot.jpg"}, timeout_ms: 5000}}
`, inbox, camera.URL))
	ctx := t.Context()
	of := func(id string) []api.Item {
		page, err := s.Items(ctx, map[string][]string{"station": {id}, "limit": {"100"}})
		require.NoError(t, err)
		return page.Items
	}
	eventually(t, "all files of the folder", func() bool { return len(of("bench")) == 4 })
	got := map[int64]string{}
	for _, it := range of("bench") {
		got[it.Seq] = it.Route + " " + it.Reason + " " + it.Fault
	}
	assert.Equal(t, map[int64]string{1: "reject rim ", 2: "pass  ", 3: "reject no_picture no_picture", 4: "pass  "}, got, "in the order of their names; the broken one is a fault")
	eventually(t, "pictures from the address", func() bool { return len(of("webcam")) >= 2 })
	assert.Equal(t, "pass", of("webcam")[0].Route)
	silent = true
	eventually(t, "a camera that fails is told", func() bool { return of("webcam")[0].Fault == "no_picture" })
	assert.Contains(t, of("webcam")[0].Sentence, "503 Service Unavailable")
	silent = false

	// There is nothing to set, but something to look at, and to calibrate by.
	_, err := s.Camera(ctx, "bench")
	assert.Equal(t, 404, statusOf(t, err))
	look, err := s.Look(ctx, "bench")
	require.NoError(t, err)
	assert.Equal(t, [2]int{1280, 960}, [2]int{look.Width, look.Height})
	length := map[string]any{"length_mm": 50, "from": []float64{300, 480}, "to": []float64{800, 480}}
	found, err := s.FindCalibration(ctx, "bench", length)
	require.NoError(t, err)
	assert.InDelta(t, 0.1, found.Calibration.MMPerPx, 1e-9)
	_, err = s.FindCalibration(ctx, "bench", map[string]any{"grid_mm": 5})
	assert.ErrorContains(t, err, "show the whole grid")
	grid = true
	_, err = s.Look(ctx, "webcam")
	require.NoError(t, err)
	onGrid, err := s.FindCalibration(ctx, "webcam", map[string]any{"grid_mm": 5})
	require.NoError(t, err)
	assert.InDelta(t, 0.125, onGrid.Calibration.MMPerPx, 1e-4)
	assert.Greater(t, onGrid.Grid.Dots, 200)
	_, err = s.FindCalibration(ctx, "bench", map[string]any{"length_mm": 5})
	assert.ErrorContains(t, err, "Give length_mm with from and to")
	_, err = s.SetCalibration(ctx, "bench", &found.Calibration)
	assert.Equal(t, 409, statusOf(t, err), "not while it runs")
	_, err = s.Stop(ctx, "bench")
	require.NoError(t, err)
	_, err = s.SetCalibration(ctx, "bench", &api.Calibration{MMPerPx: -1})
	assert.Equal(t, 422, statusOf(t, err))
	st, err := s.SetCalibration(ctx, "bench", &found.Calibration)
	require.NoError(t, err)
	require.NotNil(t, st.Calibration)

	// What was looked at becomes the reference of a recipe, and then of another draft.
	k := workbench.Key{Product: "roll-b", Role: "top"}
	d, err := s.BeginAt(ctx, k, "bench")
	require.NoError(t, err)
	assert.Equal(t, []string{"reference.png"}, d.Pictures)
	taken, err := s.TakePicture(ctx, k, api.Which{Look: "webcam"})
	require.NoError(t, err)
	again, err := s.TakePicture(ctx, k, api.Which{Look: "webcam"})
	require.NoError(t, err)
	assert.Equal(t, taken, again, "the same pixels have the same name")
	_, err = s.TakePicture(ctx, k, api.Which{})
	assert.Equal(t, 422, statusOf(t, err))
	_, err = s.TakePicture(ctx, k, api.Which{File: "../site.yaml"})
	assert.Error(t, err)

	// The scale is kept over a restart; forgotten, the configuration's counts again.
	s.stop()
	s = start(t, dir, "")
	st, err = s.Station(ctx, "bench")
	require.NoError(t, err)
	require.NotNil(t, st.Calibration)
	assert.InDelta(t, 0.1, st.Calibration.MMPerPx, 1e-9)
	_, err = s.Stop(ctx, "bench")
	require.NoError(t, err)
	st, err = s.SetCalibration(ctx, "bench", nil)
	require.NoError(t, err)
	assert.Nil(t, st.Calibration)
}
