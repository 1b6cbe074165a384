package e2e

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"image/png"
	"net/http"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ricetta/core/check"
	"ricetta/core/inspect"
	"ricetta/core/raster"
	"ricetta/internal/api"
	"ricetta/internal/app"
	"ricetta/internal/client"
	"ricetta/internal/folder"
	"ricetta/internal/workbench"
)

// A real picture in, a reject out, seen at every place where it should be seen.
func TestAPictureInARejectOut(t *testing.T) {
	s := start(t, t.TempDir(), oneLine)
	ctx := t.Context()
	eventually(t, "items of all kinds are there", func() bool {
		st, err := s.Station(ctx, "line1-top")
		return err == nil && st.Counters.Routes["reject"] >= 3 && st.Counters.Routes["rework"] >= 1 && st.Counters.Inspected >= 25
	})
	st, err := s.Stop(ctx, "line1-top")
	require.NoError(t, err)
	assert.Equal(t, "stopped", st.Status)
	eventually(t, "what was under way is judged and told", func() bool {
		now, _ := s.Station(ctx, "line1-top")
		defer func() { st = now }()
		return now.Counters.Inspected == st.Counters.Inspected && now.Counters.Inspected == now.Last.Seq
	})

	var page api.ItemPage
	eventually(t, "pictures follow their records", func() bool {
		page, err = s.Items(ctx, client.Query("not_passed", "true", "limit", "500"))
		return err == nil && len(page.Items) > 0 && !slices.ContainsFunc(page.Items, func(it api.Item) bool { return !it.Picture })
	})
	tally, err := s.Tally(ctx, client.Query("by", "route"))
	require.NoError(t, err)
	assert.Equal(t, st.Counters.Inspected, tally.Total, "the tallies count what the station counted")
	notPassed := int64(0)
	for _, x := range tally.Tallies {
		assert.Equal(t, st.Counters.Routes[x.Key["route"]], x.Count)
		if x.Key["route"] != "pass" {
			notPassed += x.Count
		}
	}
	assert.EqualValues(t, notPassed, len(page.Items))

	// The kept picture, judged again, gives the verdict that was recorded, to the bit.
	r, _, err := folder.RecipeDir(filepath.Join(s.dir, workbench.DraftsDir, "pencil-tin-12"))
	require.NoError(t, err)
	plan, err := inspect.Prepare(r)
	require.NoError(t, err)
	runner := plan.NewRunner()
	for _, it := range page.Items {
		require.True(t, it.Picture, "the picture of what did not pass is kept: %s", it.Sentence)
		res, body := s.get(t, "/api/v1/items/"+it.ID+"/picture")
		require.Equal(t, 200, res.StatusCode)
		pic, err := raster.Decode([]byte(body), ".png", raster.DefaultDecodeLimits)
		require.NoError(t, err)
		detail, err := s.Item(ctx, it.ID)
		require.NoError(t, err)
		again := runner.Inspect(pic).JSON()
		assert.Equal(t, it.Revision, again.Revision)
		assert.Equal(t, it.Route, again.Route)
		assert.Equal(t, it.Sentence, again.Sentence)
		want, err := json.Marshal(again.Findings)
		require.NoError(t, err)
		got, err := json.Marshal(detail.Findings)
		require.NoError(t, err)
		assert.JSONEq(t, string(want), string(got))
	}
	truth, err := s.Truth(ctx)
	require.NoError(t, err)
	assert.Zero(t, truth.LetThrough)
	assert.Zero(t, truth.FalseRejects)
}

// After a restart the records are there, the numbers go on, and nothing is doubled.
func TestASecondStartKeepsItsData(t *testing.T) {
	dir := t.TempDir()
	s := start(t, dir, oneLine)
	eventually(t, "some items", func() bool {
		st, err := s.Station(t.Context(), "line1-top")
		return err == nil && st.Counters.Inspected >= 4
	})
	s.stop()
	begin := time.Now()
	s = start(t, dir, "")
	assert.Less(t, time.Since(begin), 20*time.Second)
	before, err := s.Items(t.Context(), client.Query("limit", "500"))
	require.NoError(t, err)
	highest := before.Items[0].Seq
	eventually(t, "the next item", func() bool {
		page, err := s.Items(t.Context(), client.Query("limit", "500"))
		return err == nil && page.Items[0].Seq > highest
	})
	page, err := s.Items(t.Context(), client.Query("limit", "500"))
	require.NoError(t, err)
	for i, it := range page.Items {
		assert.EqualValues(t, len(page.Items)-i, it.Seq, "the numbers have no gap")
	}
}

func TestTheInterfaceRefusesInWords(t *testing.T) {
	s := start(t, t.TempDir(), oneLine)
	ctx := t.Context()
	for _, tc := range []struct {
		path   string
		status int
		say    string
	}{
		{"/api/v1/stations/nowhere", 404, "There is no station nowhere; see /api/v1/stations"},
		{"/api/v1/items/line1-top.999999", 404, "there is no such item"},
		{"/api/v1/items/nonsense", 404, "ids are a station and a number"},
		{"/api/v1/items?limit=9999", 400, "ask for 1 to 500 items"},
		{"/api/v1/items?limit=many", 400, "limit"},
		{"/api/v1/items?cursor=!!", 400, "Take the cursor from the field next"},
		{"/api/v1/items?from=yesterday", 400, "write it as in 2026-03-02T06:00:00Z"},
		{"/api/v1/tally?by=weather", 400, `weather\"; choose from hour, shift`},
		{"/api/v1/recipes/none/top", 404, "No recipe for none in the role top is released"},
		{"/api/v1/recipes/none/top/draft", 404, "there is no such recipe; see the list of recipes"},
		{"/api/v1/nothing", 404, "There is nothing at /api/v1/nothing"},
		{"/api/v1/items/line1-top.1/picture?size=huge", 400, "Ask for full, preview or thumb"},
	} {
		res, body := s.get(t, tc.path)
		assert.Equal(t, tc.status, res.StatusCode, tc.path)
		assert.Equal(t, "application/problem+json", res.Header.Get("Content-Type"), tc.path)
		assert.Contains(t, body, tc.say, tc.path)
	}
	_, err := s.Start(ctx, "nowhere")
	var p *api.Problem
	require.ErrorAs(t, err, &p)
	assert.Equal(t, 404, p.Status)
	res, err := http.Post(s.url+"/api/v1/recipes/check", "text/yaml", strings.NewReader("ricetta: 1\nproduct: x\n"))
	require.NoError(t, err)
	defer res.Body.Close()
	var checked api.CheckedRecipe
	require.NoError(t, json.NewDecoder(res.Body).Decode(&checked))
	assert.False(t, checked.OK)
	assert.Contains(t, checked.Problems[0].What, "missing: role, picture, checks")
	res, err = http.Post(s.url+"/api/v1/recipes/check", "text/yaml", bytes.NewReader(make([]byte, 2<<20)))
	require.NoError(t, err)
	res.Body.Close()
	assert.Equal(t, http.StatusRequestEntityTooLarge, res.StatusCode)
	for path, want := range map[string]string{"/healthz": "ok\n", "/readyz": "ready\n", "/metrics": `ricetta_station_running{station="line1-top"} 1`} {
		_, body := s.get(t, path)
		assert.Contains(t, body, want, path)
	}
}

// A listener who was away goes on where it was: no item is missed and none comes twice.
func TestTheLiveStreamGoesOnWhereItWas(t *testing.T) {
	s := start(t, t.TempDir(), oneLine)
	read := func(lastID string, until int) (ids []string, seqs []int64, first string) {
		ctx, cancel := context.WithTimeout(t.Context(), 30*time.Second)
		defer cancel()
		req, err := http.NewRequestWithContext(ctx, "GET", s.url+"/api/v1/live", nil)
		require.NoError(t, err)
		if lastID != "" {
			req.Header.Set("Last-Event-ID", lastID)
		}
		res, err := http.DefaultClient.Do(req)
		require.NoError(t, err)
		defer res.Body.Close()
		var kind, id string
		buf := make([]byte, 1)
		var line strings.Builder
		for len(seqs) < until {
			if _, err := res.Body.Read(buf); err != nil {
				t.Fatal(err)
			}
			if buf[0] != '\n' {
				line.WriteByte(buf[0])
				continue
			}
			field, value, _ := strings.Cut(line.String(), ": ")
			line.Reset()
			switch field {
			case "event":
				kind = value
				if first == "" {
					first = kind
				}
			case "id":
				id = value
			case "data":
				ids = append(ids, id)
				if kind == "item" {
					var e api.Event
					require.NoError(t, json.Unmarshal([]byte(value), &e))
					seqs = append(seqs, e.Item.Seq)
				}
			}
		}
		return ids, seqs, first
	}
	ids, seqs, first := read("", 2)
	assert.Equal(t, "reset", first, "a new listener is told to ask for the state")
	time.Sleep(1200 * time.Millisecond) // two tins go by meanwhile
	_, more, first := read(ids[len(ids)-1], 4)
	assert.NotEqual(t, "reset", first)
	assert.Equal(t, seqs[1]+1, more[0], "it goes on with the item after the last one seen")
	for i := 1; i < len(more); i++ {
		assert.Equal(t, more[i-1]+1, more[i])
	}
	_, _, first = read("other-12", 1)
	assert.Equal(t, "reset", first, "an id of another start")
}

// binary builds the program once for the tests that call it.
func binary(t testing.TB) string {
	path := filepath.Join(t.TempDir(), "ricetta")
	out, err := exec.Command("go", "build", "-o", path, "ricetta/cmd/ricetta").CombinedOutput()
	require.NoError(t, err, string(out))
	return path
}

type called struct {
	out, err string
	status   int
}

func call(t testing.TB, bin string, args ...string) called {
	var out, errs bytes.Buffer
	c := exec.Command(bin, args...)
	c.Stdout, c.Stderr = &out, &errs
	err := c.Run()
	var exit *exec.ExitError
	if err != nil && !errors.As(err, &exit) {
		t.Fatal(err)
	}
	return called{out.String(), errs.String(), c.ProcessState.ExitCode()}
}

func TestTheTerminalClient(t *testing.T) {
	bin := binary(t)
	s := start(t, t.TempDir(), oneLine)
	eventually(t, "a reject", func() bool {
		page, err := s.Items(t.Context(), url.Values{"not_passed": {"true"}})
		return err == nil && len(page.Items) > 0
	})
	server := []string{"--server", s.url}
	for _, tc := range []struct {
		args string
		say  string
	}{
		{"station list", "line1-top"},
		{"station show line1-top", "running since"},
		{"line list", "pencil-tin-12"},
		{"line show line1", "packages between trigger and last ejector"},
		{"line runs line1", "goes on"},
		{"line signals line1", "heartbeat"},
		{"recipe list", "pencil-tin-12"},
		{"recipe show pencil-tin-12/top", "kind: locate.outline"},
		{"items list --limit 3", "line1-top."},
		{"items show line1-top.1", "color.order"},
		{"tally --by route", "items"},
		{"watch --count 1", "line1-top."},
		{"station stop line1-top", "stopped since"},
		{"station start line1-top", "running since"},
	} {
		got := call(t, bin, append(strings.Fields(tc.args), server...)...)
		assert.Equal(t, 0, got.status, "%s: %s", tc.args, got.err)
		assert.Contains(t, got.out, tc.say, tc.args)
		if !strings.HasPrefix(tc.args, "watch") {
			got = call(t, bin, append(strings.Fields(tc.args), append(server, "--json")...)...)
			assert.True(t, json.Valid([]byte(got.out)), "%s --json", tc.args)
		}
	}
	t.Setenv("RICETTA_SERVER", s.url)
	for _, tc := range []struct {
		args   string
		status int
		say    string
	}{
		{"station show nowhere", 1, "There is no station nowhere"},
		{"line change line1", 2, "line change wants the id of a line and the code of a product"},
		{"line change line1 crayon-box-6", 1, "no revision of crayon-box-6/top is released"},
		{"line force line1 rework on", 1, "signals are set by hand in set-up only"},
		{"line setup line1 perhaps", 2, "neither on nor off"},
		{"station show", 2, "station show wants the id of a station"},
		{"station shwo x", 2, "did you mean show?"},
		{"stations", 2, "did you mean station?"},
		{"items list --limit 900", 2, "give 1 to 500"},
		{"items list --form x", 2, "flag provided but not defined"},
		{"items list --from yesterday", 2, "write it as in"},
		{"recipe show pencil-tin-12", 2, "names no role"},
	} {
		got := call(t, bin, strings.Fields(tc.args)...)
		assert.Equal(t, tc.status, got.status, "%s: %s%s", tc.args, got.out, got.err)
		assert.Contains(t, got.err, tc.say, tc.args)
		assert.NotContains(t, got.err, "goroutine", tc.args)
	}
	got := call(t, bin, "station", "list", "--server", "http://127.0.0.1:1")
	assert.Equal(t, 1, got.status)
	assert.Contains(t, got.err, "no Ricetta answers at http://127.0.0.1:1; start it with ricetta demo")
	got = call(t, bin, "serve", "--data", t.TempDir())
	assert.Equal(t, 1, got.status)
	assert.Contains(t, got.err, "there is no site.yaml")
	got = call(t, bin, "demo", "--data", t.TempDir(), "--listen", "0.0.0.0:0")
	assert.Equal(t, 1, got.status)
	assert.Contains(t, got.err, "there are no accounts yet")
	got = call(t, bin, "completion", "bash")
	assert.Contains(t, got.out, "ricetta")
}

// The demo stops by itself after the time given and says what became of the tins.
func TestTheDemoEndsWithItsScore(t *testing.T) {
	bin := binary(t)
	dir := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(dir, app.SiteFile), []byte(oneLine), 0o600))
	got := call(t, bin, "demo", "--data", dir, "--listen", "127.0.0.1:0", "--for", "9s")
	assert.Equal(t, 0, got.status, got.err)
	assert.Contains(t, got.out, "Look at   http://127.0.0.1:")
	assert.Regexp(t, `[1-9]\d* pieces: 0 of \d+ bad ones let through, 0 of \d+ good ones rejected`, got.out)
	got = call(t, bin, "demo", "--score", "--tins", "5", "--json")
	assert.Equal(t, 0, got.status, got.err)
	var truth api.Truth
	require.NoError(t, json.Unmarshal([]byte(got.out), &truth))
	assert.GreaterOrEqual(t, truth.Tins, int64(10))
}

func TestInspectJudgesFilesWithoutAService(t *testing.T) {
	bin := binary(t)
	recipe, pictures := "../../demo/recipes/pencil-tin-12", "../../demo/pictures"
	drawings := t.TempDir()
	got := call(t, bin, "inspect", "--recipe", recipe, "--draw", drawings, pictures)
	assert.Equal(t, 0, got.status, got.err)
	drawn, err := filepath.Glob(filepath.Join(drawings, "*.png"))
	require.NoError(t, err)
	assert.Len(t, drawn, 13, "each picture is drawn, those of one name under names of their own")
	assert.Contains(t, got.out, "13 pictures: 5 pass, 1 rework, 7 reject, 0 fault")

	// Bad files are told one by one, and the others go on.
	dir := t.TempDir()
	whole, err := os.ReadFile(filepath.Join(pictures, "good-2.jpg"))
	require.NoError(t, err)
	var gray bytes.Buffer
	require.NoError(t, png.Encode(&gray, raster.Picture{Gray: raster.NewGray(1280, 960)}.Image()))
	for name, data := range map[string][]byte{
		"a-good.jpg": whole, "b-cut.jpg": whole[:9000], "c-empty.png": {}, "d-mislabeled.png": whole,
		"e-text.bmp": []byte("no picture at all"), "f-gray.png": gray.Bytes(), "z-good.jpg": whole,
	} {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), data, 0o600))
	}
	got = call(t, bin, "inspect", "--recipe", recipe, "--json", filepath.Join(dir, "*"), filepath.Join(dir, "gone.png"))
	assert.Equal(t, 1, got.status, "some could not be judged")
	type verdict struct {
		Picture, Revision, Route, Reason, Sentence, Error string
		MS                                                float64
		Findings                                          []check.FindingJSON
	}
	var lines []verdict
	for l := range strings.Lines(got.out) {
		var v verdict
		require.NoError(t, json.Unmarshal([]byte(l), &v), l)
		lines = append(lines, v)
	}
	require.Len(t, lines, 8, "one line a picture, in order")
	for i, want := range []string{"", "broken", "empty", "it holds a JPEG picture but ends in .png", "not a PNG, JPEG, BMP or TIFF picture", "it is a gray picture, and the recipe is for color ones", "", "no such file"} {
		assert.Contains(t, lines[i].Error, want, lines[i].Picture)
		assert.True(t, strings.HasPrefix(lines[i].Revision, "sha256:"))
		if want == "" {
			assert.Equal(t, "pass", lines[i].Route)
			assert.Len(t, lines[i].Findings, 4)
			assert.Positive(t, lines[i].MS)
		} else {
			assert.Equal(t, "reject", lines[i].Route, "what cannot be judged never passes")
		}
	}
	assert.Equal(t, 2, call(t, bin, "inspect", "--recipe", recipe).status, "no picture named")
	assert.Equal(t, 2, call(t, bin, "inspect", pictures).status, "no recipe named")
	got = call(t, bin, "inspect", "--recipe", dir, pictures)
	assert.Equal(t, 2, got.status)
	assert.Contains(t, got.err, "there is no recipe.yaml in "+dir)

	bad := t.TempDir()
	text, err := os.ReadFile(filepath.Join(recipe, "recipe.yaml"))
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(filepath.Join(bad, "recipe.yaml"), bytes.Replace(text, []byte("kind: count.spots"), []byte("kind: count.spot"), 1), 0o600))
	got = call(t, bin, "recipe", "check", bad)
	assert.Equal(t, 2, got.status)
	assert.Contains(t, got.err, "recipe.yaml:")
	assert.Contains(t, got.err, "did you mean count.spots?")
	got = call(t, bin, "recipe", "check", recipe)
	assert.Equal(t, 0, got.status)
	assert.Contains(t, got.out, "is in order: 4 checks, 1 route, revision")
}

// Print from the terminal: what is wrong with a stick is named, codes are graded and reported.
func TestPrintFromTheTerminal(t *testing.T) {
	bin := binary(t)
	got := call(t, bin, "inspect", "--recipe", "../../demo/recipes/glue-stick-20", "--json", "../../demo/pictures/glue-stick-20")
	assert.Equal(t, 0, got.status, got.err)
	reasons := map[string]string{}
	for line := range strings.Lines(got.out) {
		var v struct{ Picture, Route, Reason string }
		require.NoError(t, json.Unmarshal([]byte(line), &v))
		reasons[filepath.Base(v.Picture)] = strings.TrimSpace(v.Route + " " + v.Reason)
	}
	assert.Equal(t, map[string]string{
		"good.jpg": "pass", "cap-missing.jpg": "reject cap", "cap-raised.jpg": "reject gap", "code-scratched.jpg": "reject code",
		"date-missing.jpg": "reject date", "date-smeared.jpg": "reject sharp", "wrong-date.jpg": "reject same_date", "wrong-lot.jpg": "reject same_lot",
	}, reasons)

	pdf := filepath.Join(t.TempDir(), "grades.pdf")
	got = call(t, bin, "grade", "--white", "240", "--pdf", pdf, "--json", "../../demo/pictures/codes")
	assert.Equal(t, 0, got.status, got.err)
	assert.Equal(t, 4, strings.Count(got.out, `"letter":`), "one line a code")
	assert.Contains(t, got.out, `"letter":"A"`)
	assert.Contains(t, got.out, `"name":"unused error correction"`)
	report, err := os.ReadFile(pdf)
	require.NoError(t, err)
	assert.True(t, bytes.HasPrefix(report, []byte("%PDF-")))
	got = call(t, bin, "grade", "../../demo/pictures/good-1.png")
	assert.Equal(t, 1, got.status)
	assert.Contains(t, got.out, "no code is read: grade 0, F")
	assert.NotZero(t, call(t, bin, "grade", "--white", "10", "--black", "20", "../../demo/pictures/codes/lid-good.png").status)
	assert.NotZero(t, call(t, bin, "grade").status)
}
