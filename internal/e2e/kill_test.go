package e2e

import (
	"bufio"
	"context"
	"encoding/json"
	"fmt"
	"image"
	"image/color"
	"image/png"
	"log/slog"
	"net"
	"net/http"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ricetta/internal/api"
	"ricetta/internal/app"
	"ricetta/internal/client"
)

// childEnv makes the test binary the service itself, so that it can be killed as a process.
const childEnv = "RICETTA_TEST_SERVES"

func TestMain(m *testing.M) {
	if dir := os.Getenv(childEnv); dir != "" {
		a, err := app.New(app.Options{DataDir: dir, Listen: "127.0.0.1:0", Version: "child", Log: slog.New(slog.DiscardHandler)})
		if err != nil {
			fmt.Println("no", err)
			os.Exit(1)
		}
		fmt.Println("http://" + a.Addr())
		if err := a.Run(context.Background()); err != nil {
			os.Exit(1)
		}
		os.Exit(0)
	}
	os.Exit(m.Run())
}

// serveApart runs the service in a process of its own.
func serveApart(t *testing.T, dir string) (cmd *exec.Cmd, at string) {
	cmd = exec.Command(os.Args[0])
	cmd.Env = append(os.Environ(), childEnv+"="+dir)
	out, err := cmd.StdoutPipe()
	require.NoError(t, err)
	require.NoError(t, cmd.Start())
	t.Cleanup(func() { _ = cmd.Process.Kill(); _, _ = cmd.Process.Wait() })
	line, err := bufio.NewReader(out).ReadString('\n')
	require.NoError(t, err)
	at = strings.TrimSpace(line)
	require.Contains(t, at, "http://", "the service says where it is")
	return cmd, at
}

// told takes down what the live stream tells, until it breaks.
type told struct {
	mu       sync.Mutex
	items    map[string]bool
	packages map[string]bool
	twice    []string
}

func (l *told) listen(at string, done chan<- struct{}) {
	defer close(done)
	res, err := http.Get(at + "/api/v1/live")
	if err != nil {
		return
	}
	defer res.Body.Close()
	lines := bufio.NewScanner(res.Body)
	lines.Buffer(nil, 1<<20)
	for lines.Scan() {
		data, ok := strings.CutPrefix(lines.Text(), "data: ")
		var e api.Event
		if !ok || json.Unmarshal([]byte(data), &e) != nil {
			continue
		}
		l.mu.Lock()
		switch {
		case e.Item != nil:
			if l.items[e.Item.ID] {
				l.twice = append(l.twice, e.Item.ID)
			}
			l.items[e.Item.ID] = true
		case e.Package != nil:
			if l.packages[e.Package.ID] {
				l.twice = append(l.twice, e.Package.ID)
			}
			l.packages[e.Package.ID] = true
		}
		l.mu.Unlock()
	}
}

func (l *told) counts() (items, packages int) {
	l.mu.Lock()
	defer l.mu.Unlock()
	return len(l.items), len(l.packages)
}

// fullProduction is a line of two stations that takes 25 packages a second, from a folder of
// small pictures.
const fullProduction = `site: Cartoleria Fiordaliso
pictures: {limit_mb: 64, pass_share: 10}
lines:
  - id: line1
    name: Line 1
    product: card
    trigger: {by: encoder, every: 40}
    ejectors:
      reject: {offset: 600, pulse: 20}
stations:
  - {id: first, name: First, line: line1, role: top, source: {folder: {path: CARDS, repeat: true}}}
  - {id: last, name: Last, line: line1, role: top, offset: 100, source: {folder: {path: CARDS, repeat: true}}}
`

// cards makes pictures, one in three of them dark, and the recipe that tells them apart in a data
// folder; it returns the site that packs them.
func cards(t *testing.T, dir string) string {
	pictures := t.TempDir()
	for i := range 6 {
		g := image.NewGray(image.Rect(0, 0, 200, 200))
		for k := range g.Pix {
			g.Pix[k] = 200
			if i%3 == 2 {
				g.Pix[k] = 20
			}
		}
		g.SetGray(i, i, color.Gray{Y: 77})
		f, err := os.Create(filepath.Join(pictures, fmt.Sprintf("%d.png", i)))
		require.NoError(t, err)
		require.NoError(t, png.Encode(f, g))
		require.NoError(t, f.Close())
	}
	recipe := filepath.Join(dir, "recipes", "card")
	require.NoError(t, os.MkdirAll(recipe, 0o750))
	require.NoError(t, os.WriteFile(filepath.Join(recipe, "recipe.yaml"), []byte("ricetta: 1\nproduct: card\nrole: top\npicture: {kind: gray}\nchecks:\n  - {id: light, kind: presence.tone, region: {rect: [0, 0, 200, 200]}, tone: {least: 100}, limits: {share: {least: 0.5}}}\n"), 0o600))
	return strings.ReplaceAll(fullProduction, "CARDS", pictures)
}

// The service is killed in full production, again and again. What it told is on disk, nothing is
// there twice, and the counters are the records.
func TestAKilledServiceLosesAndDoublesNothing(t *testing.T) {
	dir := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(dir, app.SiteFile), []byte(cards(t, dir)), 0o600))
	heard := &told{items: map[string]bool{}, packages: map[string]bool{}}
	for round := range 4 {
		cmd, at := serveApart(t, dir)
		done := make(chan struct{})
		before, _ := heard.counts()
		go heard.listen(at, done)
		eventually(t, "production", func() bool { n, p := heard.counts(); return n >= before+80 && p > 0 })
		time.Sleep(time.Duration(37*round) * time.Millisecond)
		require.NoError(t, cmd.Process.Signal(syscall.SIGKILL))
		_ = cmd.Wait()
		<-done
	}
	assert.Empty(t, heard.twice)

	a, err := app.New(app.Options{DataDir: dir, Listen: "127.0.0.1:0", Version: "test", Hold: true, Log: slog.New(slog.DiscardHandler)})
	require.NoError(t, err)
	ctx, cancel := context.WithCancel(context.Background())
	over := make(chan error, 1)
	go func() { over <- a.Run(ctx) }()
	defer func() { cancel(); require.NoError(t, <-over) }()
	c, err := client.New("http://" + a.Addr())
	require.NoError(t, err)

	kept := map[string]bool{}
	faults := int64(0)
	q := url.Values{"limit": {"500"}}
	for {
		page, err := c.Items(t.Context(), q)
		require.NoError(t, err)
		for _, it := range page.Items {
			assert.False(t, kept[it.ID], "%s is there twice", it.ID)
			kept[it.ID] = true
			if it.Fault != "" {
				faults++
			}
		}
		if page.Next == "" {
			break
		}
		q.Set("cursor", page.Next)
	}
	for id := range heard.items {
		assert.True(t, kept[id], "%s was told and is not on disk", id)
	}
	tally, err := c.Tally(t.Context(), url.Values{})
	require.NoError(t, err)
	sum := int64(0)
	for _, x := range tally.Tallies {
		sum += x.Count
	}
	assert.EqualValues(t, len(kept), sum, "tallies are the records")

	l, err := c.Line(t.Context(), "line1")
	require.NoError(t, err)
	last := int64(0)
	for id := range kept {
		var seq int64
		_, err := fmt.Sscanf(id[strings.IndexByte(id, '.')+1:], "%d", &seq)
		require.NoError(t, err)
		last = max(last, seq)
	}
	counted, left := map[string]int64{}, 0
	for seq := int64(1); seq <= last; seq++ {
		p, err := c.Package(t.Context(), fmt.Sprintf("line1.%d", seq))
		if err != nil {
			continue // it was on its way to the first record when the service was killed
		}
		assert.Equal(t, l.Run.ID, p.Run)
		counted[p.Route]++
		if p.Fault == "left_over" {
			left++
		}
		delete(heard.packages, p.ID)
	}
	assert.Empty(t, heard.packages, "every package that was told is on disk")
	assert.Equal(t, counted, l.Counters.Routes, "the line's counters are the records")
	assert.GreaterOrEqual(t, left, 4, "what was on the belt is told as left over")
	t.Logf("4 kills: %d items kept, %d told, %d packages left over, %d faults", len(kept), len(heard.items), left, faults)
}

// A station that is stuck, and a line whose camera is gone, do not slow another line down.
func TestAStuckStationDoesNotSlowTheOthers(t *testing.T) {
	stuck := make(chan struct{})
	camera := newCamera(t, func(w http.ResponseWriter, r *http.Request) {
		select {
		case <-stuck:
		case <-r.Context().Done():
		}
	})
	defer close(stuck)
	dir := t.TempDir()
	site := strings.Replace(cards(t, dir), "stations:\n", fmt.Sprintf(`stations:
  - {id: hangs, name: Hangs, line: line2, role: top, product: card, every: 200, source: {http: {address: "%s"}, timeout_ms: 300}}
  - {id: gone, name: Gone, line: line3, role: top, product: card, every: 200, source: {http: {address: "http://127.0.0.1:1/"}, timeout_ms: 300}}
`, camera), 1)
	s := start(t, dir, site)
	c := t.Context()
	eventually(t, "faults of those that are stuck", func() bool {
		for _, id := range []string{"line2", "line3"} {
			l, err := s.Line(c, id)
			if err != nil || l.Counters.Faults < 8 || l.Counters.Routes["pass"] > 0 {
				return false
			}
		}
		return true
	})
	l, err := s.Line(c, "line1")
	require.NoError(t, err)
	assert.Greater(t, l.Counters.Routes["pass"], int64(20), "it goes on")
	assert.Zero(t, l.Counters.Faults)
	page, err := s.Items(c, client.Query("station", "last", "limit", "100"))
	require.NoError(t, err)
	slow := 0
	for _, it := range page.Items {
		if it.DelayMS > 150 {
			slow++
		}
	}
	assert.Less(t, slow, len(page.Items)/10, "its verdicts come as fast as before")
	eventually(t, "the lost cameras are told", func() bool {
		list, err := s.StandingAlarms(c)
		n := 0
		for _, a := range list.Alarms {
			if a.Kind == "no_picture" && (a.Station == "hangs" || a.Station == "gone") {
				n++
			}
		}
		return err == nil && n == 2
	})
}

// newCamera is an address that answers as the test says.
func newCamera(t *testing.T, f http.HandlerFunc) string {
	s := &http.Server{Handler: f, ReadHeaderTimeout: time.Second}
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	go func() { _ = s.Serve(l) }()
	t.Cleanup(func() { _ = s.Close() })
	return "http://" + l.Addr().String() + "/"
}
