package e2e

import (
	"context"
	"fmt"
	"html"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"

	"ricetta/internal/app"
	"ricetta/internal/store"
)

// TestScreenshots makes docs/screenshots from the demo plant. It runs for `make
// screenshots` only.
func TestScreenshots(t *testing.T) {
	if os.Getenv("SCREENSHOTS") == "" {
		t.Skip("runs with make screenshots")
	}
	dir := os.Getenv("SCREENSHOTS")
	data := t.TempDir()
	require.NoError(t, app.InstallDemo(data))
	_, err := app.InstallHistory(data, time.Now(), func() {})
	require.NoError(t, err)
	s := start(t, data, "")
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
	shot("line", "/lines/line2")
	shot("statistics", "/statistics?days=365&line=line5&by=lot&base=early")
	shot("report", "/report/shift")
	do(t, ctx, chromedp.Navigate(s.url+"/recipes/masking-tape-50/top/what-if"))
	shows(t, ctx, "would have gone elsewhere")
	eval[bool](t, ctx, `{ const i = document.querySelector('input[type=number]'); Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, 'value').set.call(i, '3.2'); i.dispatchEvent(new Event('input', {bubbles: true})); true }`)
	shows(t, ctx, "from reject to pass")
	time.Sleep(1500 * time.Millisecond)
	save(t, ctx, filepath.Join(dir, "what-if.png"))
	page, err = s.Items(t.Context(), map[string][]string{"not_passed": {"true"}, "pictured": {"true"}, "station": {"line2-top"}, "limit": {"24"}})
	require.NoError(t, err)
	for i, it := range page.Items {
		if i%3 == 0 {
			_, err := s.Review(t.Context(), it.ID, false, "Nora", "")
			require.NoError(t, err)
		}
	}
	shot("review", "/review?station=line2-top")
	_, err = s.KeepBoard(t.Context(), "Nora, morning", []store.Panel{
		{Kind: "picture", Station: "line1-top", W: 5, H: 4},
		{Kind: "counters", Station: "line1-top", W: 3, H: 2},
		{Kind: "counters", Station: "line2-top", W: 4, H: 2},
		{Kind: "reading", Station: "line5-top", Reading: "rim.highest", W: 7, H: 2},
		{Kind: "strip", Station: "line2-top", W: 12, H: 2},
		{Kind: "reasons", W: 6, H: 3},
		{Kind: "log", Station: "line1-top", W: 6, H: 3},
	}, "Nora", nil)
	require.NoError(t, err)
	shot("board", "/boards/Nora%2C%20morning", chromedp.Sleep(4*time.Second))
	shot("item", "/items/"+bad+"?not_passed=true")
	shot("workbench-checks", "/recipes/pencil-tin-12/top/checks?picture=sample%3Abad-tips-pencil-missing-1.jpg",
		chromedp.Click(`nav[aria-label="Checks"] li:nth-child(2) button`))
	shot("workbench-trial", "/recipes/masking-tape-50/top/trial")
	_, err = s.Stop(t.Context(), "line5-top")
	require.NoError(t, err)
	shot("camera", "/stations/line5-top/camera")
	// Another product than what lies on the belt: its rejects are told.
	_, err = s.ChangeLine(t.Context(), "line1", "masking-tape-50", nil, "Ada", "console")
	require.NoError(t, err)
	eventually(t, "rejects in a row", func() bool {
		list, err := s.StandingAlarms(t.Context())
		return err == nil && strings.Contains(fmt.Sprint(list.Alarms), "rejects_in_row")
	})
	shot("alarms", "/alarms")
	theme("dark")
	do(t, ctx, chromedp.Navigate(s.url+"/lines/line2/front"))
	eventually(t, "a verdict on the front display", func() bool {
		return eval[bool](t, ctx, `[...document.querySelectorAll("main p")].some(p => /^(Pass|Reject|Rework)$/.test(p.innerText))`)
	})
	save(t, ctx, filepath.Join(dir, "front.png"))
	theme("light")

	// What the terminal client prints, on a page of its own.
	bin := binary(t)
	t.Setenv("RICETTA_SERVER", s.url)
	do(t, ctx, chromedp.EmulateViewport(1280, 800))
	for name, commands := range map[string][]string{
		"terminal": {"inspect --recipe demo/recipes/pencil-tin-12 demo/pictures", "line list", "items list --not-passed --limit 4", "report shift"},
	} {
		var page strings.Builder
		for _, c := range commands {
			cmd := exec.Command(bin, strings.Fields(c)...)
			cmd.Dir = filepath.Join("..", "..")
			out, err := cmd.CombinedOutput()
			require.NoError(t, err, string(out))
			page.WriteString("<b>$ ricetta " + c + "</b>\n" + html.EscapeString(string(out)) + "\n")
		}
		text := page.String()
		for mark, color := range map[string]string{"✔ pass": "#5ad1c4", "✘ reject": "#ff8363", "↻ rework": "#a99bff", "⊘ fault": "#ff7ac6"} {
			text = strings.ReplaceAll(text, mark, `<span style="color:`+color+`">`+mark+"</span>")
		}
		file := filepath.Join(t.TempDir(), name+".html")
		require.NoError(t, os.WriteFile(file, []byte(`<meta charset="utf-8"><body style="margin:0;background:#181b22;color:#e9e5dc"><pre style="font:10.5px/1.16 'DejaVu Sans Mono',monospace;margin:0;padding:16px">`+text), 0o600))
		do(t, ctx, chromedp.Navigate("file://"+file))
		save(t, ctx, filepath.Join(dir, name+".png"))
	}
}

func save(t testing.TB, ctx context.Context, path string) {
	t.Helper()
	png, err := chromedp.Run(ctx, chromedp.CaptureScreenshot())
	require.NoError(t, err)
	require.NoError(t, os.MkdirAll(filepath.Dir(path), 0o755))
	require.NoError(t, os.WriteFile(path, png, 0o644))
}
