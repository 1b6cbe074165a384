// Package e2e drives the real thing: the service on loopback, through its client,
// its HTTP interface and, in headless Chromium, its console.
package e2e

import (
	"context"
	"encoding/json"
	"log/slog"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"

	"ricetta/internal/app"
	"ricetta/internal/client"
)

// oneLine is a site with one line that packs badly, so that tests need not wait long
// for a reject.
const oneLine = `site: Cartoleria Fiordaliso
pictures: {limit_mb: 64, pass_share: 3}
stations:
  - id: line1-top
    name: Tins, top view
    line: line1
    role: top
    product: pencil-tin-12
    every: 3000
    ejectors:
      reject: {offset: 10500, pulse: 1600, confirm: 1200}
      rework: {offset: 16500, pulse: 1600}
    source:
      plant: {seed: 40, speed_mm_s: 600, rates: {pencil missing: 0.2, two pencils swapped: 0.1, no tin: 0.1, tin wrong way round: 0.1}}
`

// service is a running service and a client of it.
type service struct {
	*client.Client
	app  *app.App
	url  string
	dir  string
	stop func()
}

// start runs the service in a data folder, which keeps between starts of one test.
func start(t testing.TB, dir, site string) *service {
	if site != "" {
		require.NoError(t, os.WriteFile(filepath.Join(dir, app.SiteFile), []byte(site), 0o600))
	}
	require.NoError(t, app.InstallDemo(dir))
	return startBare(t, dir, "")
}

// startBare does so without the demo's recipes.
func startBare(t testing.TB, dir, site string) *service {
	if site != "" {
		require.NoError(t, os.WriteFile(filepath.Join(dir, app.SiteFile), []byte(site), 0o600))
	}
	a, err := app.New(app.Options{DataDir: dir, Listen: "127.0.0.1:0", Version: "test", Log: slog.New(slog.NewTextHandler(testLog{t}, &slog.HandlerOptions{Level: slog.LevelWarn}))})
	require.NoError(t, err)
	ctx, cancel := context.WithCancel(context.Background())
	done := make(chan error, 1)
	go func() { done <- a.Run(ctx) }()
	s := &service{app: a, url: "http://" + a.Addr(), dir: dir}
	stopped := false
	s.stop = func() {
		if stopped {
			return
		}
		stopped = true
		cancel()
		select {
		case err := <-done:
			require.NoError(t, err)
		case <-time.After(20 * time.Second):
			t.Error("the service did not stop")
		}
	}
	t.Cleanup(s.stop)
	s.Client, err = client.New(s.url)
	require.NoError(t, err)
	return s
}

// testLog shows the service's warnings with the test that caused them.
type testLog struct{ t testing.TB }

func (l testLog) Write(p []byte) (int, error) {
	l.t.Log(strings.TrimSpace(string(p)))
	return len(p), nil
}

// eventually waits until f holds.
func eventually(t testing.TB, what string, f func() bool) {
	t.Helper()
	require.Eventually(t, f, time.Minute, 50*time.Millisecond, what)
}

// get fetches a path and returns status, headers and body.
func (s *service) get(t testing.TB, path string) (*http.Response, string) {
	t.Helper()
	res, err := http.Get(s.url + path)
	require.NoError(t, err)
	defer res.Body.Close()
	var b strings.Builder
	buf := make([]byte, 32<<10)
	for {
		n, err := res.Body.Read(buf)
		b.Write(buf[:n])
		if err != nil {
			break
		}
	}
	return res, b.String()
}

// browser opens headless Chromium. Where there is none, the test is skipped loudly,
// but fails under CI, for a silent skip would hide it.
func browser(t testing.TB, width, height int) context.Context {
	path, err := exec.LookPath("chromium")
	if err != nil {
		if os.Getenv("CI") != "" {
			t.Fatal("chromium is not installed; run make chromium")
		}
		t.Skip("BROWSER TESTS SKIPPED: chromium is not installed; run make chromium as root")
	}
	if _, err := os.Stat(filepath.Join("..", "..", "web", "dist", "app", "index.html")); err != nil {
		if os.Getenv("CI") != "" {
			t.Fatal("the console is not built; run make web")
		}
		t.Skip("BROWSER TESTS SKIPPED: the console is not built; run make web")
	}
	opts := append(chromedp.DefaultExecAllocatorOptions[:],
		chromedp.ExecPath(path), chromedp.NoSandbox, chromedp.UserDataDir(t.TempDir()),
		chromedp.Flag("disable-gpu", true), chromedp.Flag("disable-quic", true), chromedp.Flag("no-first-run", true),
		chromedp.Flag("disable-background-networking", true), chromedp.Flag("disable-component-update", true), chromedp.Flag("disable-sync", true),
	)
	alloc, cancelAlloc := chromedp.NewExecAllocator(context.Background(), opts...)
	ctx, cancel := chromedp.NewContext(alloc)
	t.Cleanup(func() { cancel(); cancelAlloc() })
	ctx, cancelTime := context.WithTimeout(ctx, 5*time.Minute)
	t.Cleanup(cancelTime)
	require.NoError(t, chromedp.Do(ctx, chromedp.EmulateViewport(int64(width), int64(height))))
	return ctx
}

func do(t testing.TB, ctx context.Context, steps ...chromedp.Action[chromedp.Void]) {
	t.Helper()
	require.NoError(t, chromedp.Do(ctx, steps...))
}

// eval runs JavaScript in the page and returns its value.
func eval[T any](t testing.TB, ctx context.Context, js string) T {
	t.Helper()
	v, err := chromedp.Run(ctx, chromedp.Evaluate[T](js, chromedp.EvalAwaitPromise))
	require.NoError(t, err, js)
	return v
}

// shows waits until the page's text contains s.
func shows(t testing.TB, ctx context.Context, s string) {
	t.Helper()
	eventually(t, "the page shows "+s, func() bool {
		text, err := chromedp.Run(ctx, chromedp.Evaluate[string](`document.body.innerText`))
		return err == nil && strings.Contains(text, s)
	})
}

// replaced replaces a text that must be there.
func replaced(t testing.TB, in, old, fresh string) string {
	require.Contains(t, in, old)
	return strings.Replace(in, old, fresh, 1)
}

// getJSON fetches a path that answers with JSON.
func getJSON(t testing.TB, s *service, path string, to any) {
	t.Helper()
	res, body := s.get(t, path)
	require.Equal(t, 200, res.StatusCode, body)
	require.NoError(t, json.Unmarshal([]byte(body), to))
}
