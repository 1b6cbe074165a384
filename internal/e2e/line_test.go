package e2e

import (
	"bufio"
	"fmt"
	"net"
	"slices"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ricetta/core/check"
	"ricetta/internal/client"
	"ricetta/internal/line"
)

// twoStations is a line on which two cameras look at each tin.
const twoStations = `site: Cartoleria Fiordaliso
pictures: {limit_mb: 64, pass_share: 3}
lines:
  - id: line1
    name: Line 1
    product: pencil-tin-12
    order: {lot: L4711}
    trigger: {by: encoder, every: 3000}
    ejectors:
      reject: {offset: 18000, pulse: 1600, confirm: 1200}
      rework: {offset: 24000, pulse: 1600}
    belt:
      plant: {seed: 40, speed_mm_s: 400, rates: {pencil missing: 0.2, two pencils swapped: 0.1, no tin: 0.1, tin wrong way round: 0.1}}
links:
  textline: {listen: "127.0.0.1:0", message: 'station + ";" + text(seq) + ";" + route + ";" + ("tips.count" in readings ? text(readings["tips.count"]) : "")'}
stations:
  - {id: line1-top, name: Tins above, line: line1, role: top, source: {timeout_ms: 3000}}
  - {id: line1-last, name: Tins before the ejector, line: line1, role: top, offset: 4200, source: {timeout_ms: 3000}}
`

// Packages are joined over the stations of a line; a changeover switches all of them between two
// packages and begins a run, which outlives the service.
func TestALineOfTwoStations(t *testing.T) {
	dir := t.TempDir()
	s := start(t, dir, twoStations)
	ctx := t.Context()
	eventually(t, "packages", func() bool {
		l, err := s.Line(ctx, "line1")
		return err == nil && l.Counters.Packages >= 12 && l.Counters.Routes["reject"] > 0
	})
	l, err := s.Line(ctx, "line1")
	require.NoError(t, err)
	assert.Equal(t, "running", l.Status)
	assert.Equal(t, []string{"line1-top", "line1-last"}, l.Stations)
	assert.Equal(t, check.Order{"lot": "L4711"}, l.Run.Order)
	first := l.Run.ID

	// A package is its items, and goes where the worst of them says.
	worst := func(a, b string) string {
		for _, r := range []string{"reject", "rework"} {
			if a == r || b == r {
				return r
			}
		}
		return "pass"
	}
	for seq := int64(1); seq <= 10; seq++ {
		p, err := s.Package(ctx, fmt.Sprintf("line1.%d", seq))
		require.NoError(t, err)
		require.Len(t, p.Items, 2, "package %d", seq)
		assert.Equal(t, worst(p.Items[0].Route, p.Items[1].Route), p.Route, "package %d: %+v", seq, p)
		assert.Equal(t, first, p.Run)
		assert.Empty(t, p.Fault, p.Sentence)
	}
	truth, err := s.Truth(ctx)
	require.NoError(t, err)
	assert.Zero(t, truth.LetThrough)
	assert.Zero(t, truth.FalseRejects)

	// Refused, and told; the line goes on.
	for product, say := range map[string]string{"crayon-box-6": "no revision of crayon-box-6/top is released", "": "no product is named"} {
		_, err = s.ChangeLine(ctx, "line1", product, nil, "Ada", "test")
		assert.Equal(t, 409, statusOf(t, err))
		assert.ErrorContains(t, err, say)
	}
	_, err = s.Line(ctx, "line9")
	assert.ErrorContains(t, err, "There is no line line9")
	_, err = s.TriggerLine(ctx, "line1")
	assert.ErrorContains(t, err, "triggered by encoder")
	_, err = s.Package(ctx, "line1.999999")
	assert.Equal(t, 404, statusOf(t, err))

	_, err = s.ChangeLine(ctx, "line1", "masking-tape-50", check.Order{"expiry": "soon"}, "Ada", "test")
	assert.ErrorContains(t, err, `expiry: "soon" is no day`)

	// The line controller changes over by a text line, and is told of every item.
	_, err = s.PrepareLine(ctx, "line1", "masking-tape-50")
	require.NoError(t, err)
	list, err := s.Links(ctx)
	require.NoError(t, err)
	plc, err := net.Dial("tcp", list.Links[0].Address)
	require.NoError(t, err)
	defer plc.Close()
	says := bufio.NewScanner(plc)
	ask := func(text string) string {
		_, err := plc.Write([]byte(text + "\n"))
		require.NoError(t, err)
		for says.Scan() {
			if a := says.Text(); strings.HasPrefix(a, "ok") || strings.HasPrefix(a, "no ") {
				return a
			}
		}
		t.Fatal("no answer")
		return ""
	}
	assert.Contains(t, ask("state line1"), "ok state=running product=pencil-tin-12")
	assert.Contains(t, ask("change line1 crayon-box-6"), "no station line1-top cannot judge crayon-box-6")
	assert.Equal(t, "ok", ask("watch line1-top"))
	require.True(t, says.Scan())
	assert.Regexp(t, `^line1-top;\d+;(pass;12|reject;\d*|rework;\d*)$`, says.Text())
	assert.Regexp(t, `^ok run=2 product=masking-tape-50$`, ask("change line1 masking-tape-50 lot=L9"))
	l, err = s.Line(ctx, "line1")
	require.NoError(t, err)
	assert.Equal(t, "text line", l.Run.By)
	assert.Equal(t, "masking-tape-50", l.Run.Product)
	eventually(t, "packages of the new run", func() bool {
		l, err = s.Line(ctx, "line1")
		return err == nil && l.Counters.Packages >= 4
	})
	assert.Zero(t, l.Counters.Routes["pass"], "tins are no rolls of tape")
	for _, id := range l.Stations {
		st, err := s.Station(ctx, id)
		require.NoError(t, err)
		assert.Equal(t, "masking-tape-50", st.Product)
		assert.Equal(t, check.Order{"lot": "L9"}, st.Order)
	}
	page, err := s.Items(ctx, client.Query("limit", "500"))
	require.NoError(t, err)
	revisions := map[int64]string{}
	for _, it := range page.Items {
		if was, ok := revisions[it.Seq]; ok {
			assert.Equal(t, was, it.Revision, "package %d is judged by one recipe at both stations", it.Seq)
		}
		revisions[it.Seq] = it.Revision
	}
	s.stop()

	s = start(t, dir, "")
	l, err = s.Line(ctx, "line1")
	require.NoError(t, err)
	assert.Equal(t, "masking-tape-50", l.Run.Product, "it goes on with what it packed")
	runs, err := s.Runs(ctx, "line1", nil)
	require.NoError(t, err)
	require.Len(t, runs.Runs, 2)
	assert.Equal(t, first, runs.Runs[1].ID)
	assert.NotNil(t, runs.Runs[1].End)
	assert.Equal(t, "text line", runs.Runs[0].By)
	left := int64(0)
	for seq := int64(1); ; seq++ {
		p, err := s.Package(ctx, fmt.Sprintf("line1.%d", seq))
		if err != nil {
			break
		}
		if p.Fault == "left_over" {
			left++
		}
	}
	assert.Positive(t, left, "what was on the belt when the service ended is told")
}

// The page of a line and its front display: changeover by hand, what is read from three meters.
func TestTheLineInTheConsole(t *testing.T) {
	ctx := browser(t, 1280, 800)
	s := start(t, t.TempDir(), twoStations)
	do(t, ctx, chromedp.Navigate(s.url+"/stations/line1-last"))
	shows(t, ctx, "The line: changeover and runs")
	do(t, ctx, chromedp.Navigate(s.url+"/lines/line1"))
	shows(t, ctx, "Packages of this run")
	shows(t, ctx, "Tins before the ejector")
	eventually(t, "a package that did not pass", func() bool {
		return eval[bool](t, ctx, `!!document.querySelector('section[aria-label="Last packages"] li')`)
	})
	look(t, ctx, "line")
	accessible(t, ctx)
	press(t, ctx, "Change over")
	present(t, ctx, `aside option[value="masking-tape-50"], aside option:nth-of-type(4)`)
	eval[bool](t, ctx, `(() => { const s = document.querySelector('aside select'); Object.getOwnPropertyDescriptor(HTMLSelectElement.prototype, "value").set.call(s, "masking-tape-50"); s.dispatchEvent(new Event("change", { bubbles: true })); return true })()`)
	shows(t, ctx, "Ready: the switch takes an instant.")
	setInput(t, ctx, `aside label:nth-of-type(3) input`, "L9")
	setInput(t, ctx, `aside label:last-of-type input`, "Ada")
	look(t, ctx, "changeover")
	accessible(t, ctx)
	press(t, ctx, "Pack masking-tape-50")
	eventually(t, "the line packs it", func() bool {
		l, err := s.Line(t.Context(), "line1")
		return err == nil && l.Run.Product == "masking-tape-50" && l.Run.Order["lot"] == "L9" && l.Run.Who == "Ada" && l.Run.By == "console"
	})
	shows(t, ctx, "masking-tape-50, lot L9, run 2")
	_, err := s.ChangeLine(t.Context(), "line1", "pencil-tin-12", nil, "", "test")
	require.NoError(t, err)

	do(t, ctx, chromedp.Navigate(s.url+"/lines/line1/front"))
	shows(t, ctx, "Packages")
	eventually(t, "a verdict to be read from afar", func() bool {
		return eval[bool](t, ctx, `[...document.querySelectorAll("main p")].some(p => /^(Pass|Reject|Rework)$/.test(p.innerText))`)
	})
	look(t, ctx, "front")
	accessible(t, ctx)
	_, err = s.StopLine(t.Context(), "line1")
	require.NoError(t, err)
	shows(t, ctx, "The line stands")
	shows(t, ctx, "Ricetta test")
	look(t, ctx, "front-stopped")
	accessible(t, ctx)
	do(t, ctx, chromedp.Navigate(s.url+"/lines/line9"))
	shows(t, ctx, "There is no line line9")

	// What goes over the links.
	list, err := s.Links(t.Context())
	require.NoError(t, err)
	require.Len(t, list.Links, 1)
	plc, err := net.Dial("tcp", list.Links[0].Address)
	require.NoError(t, err)
	defer plc.Close()
	_, err = plc.Write([]byte("state line1\r\nchange line1 crayon-box-6\r\n"))
	require.NoError(t, err)
	do(t, ctx, chromedp.Navigate(s.url+"/links"))
	shows(t, ctx, "ok state=stopped product=pencil-tin-12")
	shows(t, ctx, "no revision of crayon-box-6/top is released")
	look(t, ctx, "links")
	accessible(t, ctx)

	// Signals by hand, in set-up only.
	do(t, ctx, chromedp.Navigate(s.url+"/signals"))
	shows(t, ctx, "sees what left for reject")
	press(t, ctx, "Begin set-up")
	shows(t, ctx, "Keep clear of the ejectors.")
	eval[bool](t, ctx, `document.querySelector('[aria-label="rework by hand"] button').click(); true`)
	shows(t, ctx, "set by hand")
	look(t, ctx, "signals")
	accessible(t, ctx)
	_, err = s.StartLine(t.Context(), "line1", false)
	assert.ErrorContains(t, err, "the line is in set-up")
	press(t, ctx, "End set-up")
	eventually(t, "the ejector is given back", func() bool {
		b, err := s.Signals(t.Context(), "line1")
		require.NoError(t, err)
		i := slices.IndexFunc(b.Signals, func(x line.SignalState) bool { return x.Name == "rework" })
		return !b.Setup && !b.Signals[i].On
	})
	_, err = s.StartLine(t.Context(), "line1", false)
	require.NoError(t, err)
	on := true
	_, err = s.SetSignal(t.Context(), "line1", "rework", true, &on)
	assert.Equal(t, 409, statusOf(t, err), "a running line's ejectors are its own")
	_, err = s.Setup(t.Context(), "line1", true)
	assert.ErrorContains(t, err, "stop it before set-up")
}
