package e2e

import (
	"context"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"
)

// TestScreenshots makes docs/screenshots from the demo plant. It runs for `make
// screenshots` only.
func TestScreenshots(t *testing.T) {
	if os.Getenv("SCREENSHOTS") == "" {
		t.Skip("runs with make screenshots")
	}
	dir := os.Getenv("SCREENSHOTS")
	s := start(t, t.TempDir(), "")
	require.Eventually(t, func() bool {
		list, err := s.Stations(t.Context())
		return err == nil && list.Stations[0].Counters.Inspected >= 90 && list.Stations[0].Counters.Routes["reject"] >= 1 && list.Stations[1].Counters.Routes["reject"] >= 3
	}, 5*time.Minute, time.Second)
	page, err := s.Items(t.Context(), map[string][]string{"not_passed": {"true"}, "reason": {"tips"}})
	require.NoError(t, err)
	require.NotEmpty(t, page.Items)
	bad := page.Items[0].ID

	ctx := browser(t, 1280, 800)
	shot := func(name, path string, before ...chromedp.Action[chromedp.Void]) {
		do(t, ctx, chromedp.Navigate(s.url+path))
		time.Sleep(1500 * time.Millisecond)
		do(t, ctx, before...)
		save(t, ctx, filepath.Join(dir, name+".png"))
	}
	theme := func(name string) { eval[bool](t, ctx, `localStorage.setItem("theme", "`+name+`"); true`) }
	do(t, ctx, chromedp.Navigate(s.url))
	theme("light")
	shot("floor", "/floor")
	shot("station", "/stations/line2-top")
	shot("items", "/items?not_passed=true")
	shot("item", "/items/"+bad+"?not_passed=true")
	theme("dark")
	shot("station-dark", "/stations/line1-top")
	theme("light")
	do(t, ctx, chromedp.EmulateViewport(820, 1180))
	shot("station-tablet", "/stations/line2-top")
}

func save(t testing.TB, ctx context.Context, path string) {
	t.Helper()
	png, err := chromedp.Run(ctx, chromedp.CaptureScreenshot())
	require.NoError(t, err)
	require.NoError(t, os.MkdirAll(filepath.Dir(path), 0o755))
	require.NoError(t, os.WriteFile(path, png, 0o644))
}
