package e2e

import (
	"context"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// The way of someone who looks what was rejected, from the floor to the reason, with
// mouse and keyboard.
func TestTheConsole(t *testing.T) {
	ctx := browser(t, 1280, 800)
	s := start(t, t.TempDir(), oneLine)
	eventually(t, "a count that is wrong", func() bool {
		page, err := s.Items(t.Context(), map[string][]string{"reason": {"tips"}})
		return err == nil && len(page.Items) > 0
	})
	eval[bool](t, ctx, `window.faults = []; window.addEventListener("error", e => faults.push(String(e.message))); true`)

	do(t, ctx, chromedp.Navigate(s.url))
	shows(t, ctx, "1 of 1 stations running")
	accessible(t, ctx)
	do(t, ctx, chromedp.Click(`a[href="/stations/line1-top"]`))
	shows(t, ctx, "Line 1 · Tins, top view")
	eventually(t, "the live picture comes with its overlay", func() bool {
		return eval[int](t, ctx, `document.querySelectorAll('[data-testid="overlay"] path').length`) > 10
	})
	accessible(t, ctx)

	// Live: the item number in the corner moves on by itself; frozen, it stands still.
	item := func() string {
		return eval[string](t, ctx, `document.querySelector('[aria-label="Counters"] p.text-right').innerText`)
	}
	was := item()
	eventually(t, "the next item shows", func() bool { return item() != was })
	do(t, ctx, chromedp.KeyEvent("f"))
	shows(t, ctx, "Frozen at")
	was = item()
	next := func() int64 { st, _ := s.Station(t.Context(), "line1-top"); return st.Counters.Inspected }
	n := next()
	eventually(t, "production goes on", func() bool { return next() >= n+3 })
	assert.Equal(t, was, item(), "the frozen picture keeps its readings")
	do(t, ctx, chromedp.KeyEvent("f"))
	do(t, ctx, chromedp.KeyEvent("o"))
	assert.Equal(t, 0, eval[int](t, ctx, `document.querySelectorAll('[data-testid="overlay"]').length`), "overlays are off")
	do(t, ctx, chromedp.KeyEvent("o"))

	// Stop asks first, and says what will happen; then the belt stands.
	do(t, ctx, chromedp.KeyEvent("s"))
	shows(t, ctx, "The belt stops.")
	do(t, ctx, chromedp.KeyEvent(kb.Enter))
	eventually(t, "still running after Go back", func() bool { return eval[bool](t, ctx, `!document.querySelector('[role="alertdialog"]')`) })
	st, err := s.Station(t.Context(), "line1-top")
	require.NoError(t, err)
	assert.Equal(t, "running", st.Status, "the first button goes back")
	do(t, ctx, chromedp.KeyEvent("s"))
	shows(t, ctx, "The belt stops.")
	eval[bool](t, ctx, `[...document.querySelectorAll('[role="alertdialog"] button')].at(-1).click(); true`)
	shows(t, ctx, "Stopped")
	eventually(t, "the station stands", func() bool {
		st, err := s.Station(t.Context(), "line1-top")
		return err == nil && st.Status == "stopped"
	})

	// Items: filter, open one, see why.
	eventually(t, "the question is gone", func() bool { return eval[bool](t, ctx, `!document.querySelector('[role="alertdialog"]')`) })
	do(t, ctx, chromedp.KeyEvent("3"))
	eventually(t, "the items and their filters", func() bool {
		return eval[bool](t, ctx, `document.querySelectorAll("form select").length === 3 && document.querySelectorAll("form select")[2].options.length > 1 && document.querySelectorAll("tbody tr").length > 0`)
	})
	eval[bool](t, ctx, `(() => { const s = document.querySelectorAll("form select")[2];
		Object.getOwnPropertyDescriptor(HTMLSelectElement.prototype, "value").set.call(s, "tips");
		s.dispatchEvent(new Event("change", { bubbles: true })); return true })()`)
	eventually(t, "only items with that reason", func() bool {
		return eval[bool](t, ctx, `location.search.includes("reason=tips") && !document.body.innerText.includes("4 checks ok") && document.querySelectorAll("tbody tr").length > 0`)
	})
	accessible(t, ctx)
	do(t, ctx, chromedp.KeyEvent(kb.ArrowDown))
	do(t, ctx, chromedp.KeyEvent(kb.Enter))
	shows(t, ctx, "tips: 11 spots, 12 expected")
	shows(t, ctx, "found, 11 counted")
	eventually(t, "its picture with the failed check marked", func() bool {
		return eval[bool](t, ctx, `[...document.querySelectorAll('[data-testid="overlay"] text')].some(t => t.textContent === "tips")`)
	})
	accessible(t, ctx)
	do(t, ctx, chromedp.KeyEvent(kb.Escape)) // Escape: one step back, with the filter
	eventually(t, "back in the list", func() bool {
		return eval[bool](t, ctx, `location.pathname === "/items" && location.search.includes("reason=tips")`)
	})

	do(t, ctx, chromedp.Navigate(s.url+"/no/such/place"))
	shows(t, ctx, "There is nothing at this address")
	do(t, ctx, chromedp.Navigate(s.url+"/items/line1-top.99999"))
	shows(t, ctx, "there is no such item")
	do(t, ctx, chromedp.Navigate(s.url+"/items?station=none"))
	shows(t, ctx, "No item fits these filters")

	// Pages that were left do not hold on to their streams: browsers share few
	// connections among all pages of a service.
	for range 8 {
		do(t, ctx, chromedp.Navigate(s.url+"/floor"))
		shows(t, ctx, "Floor")
	}
	shows(t, ctx, "Line 1")
	eventually(t, "the verdict's picture loads", func() bool {
		return eval[bool](t, ctx, `[...document.images].some(i => i.src.includes("/picture") && i.naturalWidth > 0)`)
	})

	// In dark colors and on a tablet the pages stay readable.
	eval[bool](t, ctx, `localStorage.setItem("theme", "dark"); true`)
	do(t, ctx, chromedp.EmulateViewport(820, 1180), chromedp.Navigate(s.url+"/stations/line1-top"))
	shows(t, ctx, "Stopped")
	accessible(t, ctx)
	assert.LessOrEqual(t, eval[int](t, ctx, `document.documentElement.scrollWidth`), 820, "nothing sticks out at the side")

	// Without the service, the page says so.
	s.stop()
	shows(t, ctx, "The service does not answer.")
}

// accessible runs axe-core over the page and fails on any finding of WCAG A and AA.
func accessible(t testing.TB, ctx context.Context) {
	t.Helper()
	axe, err := os.ReadFile(filepath.Join("..", "..", "web", "node_modules", "axe-core", "axe.min.js"))
	require.NoError(t, err, "run make web")
	eval[bool](t, ctx, string(axe)+"; true")
	found := eval[[]string](t, ctx, `axe.run(document, { runOnly: ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa"] }).then(r =>
		r.violations.map(v => v.id + ": " + v.help + " at " + v.nodes.map(n => n.target.join(" ") + " (" + n.any.map(a => a.message).join(", ") + ")").slice(0, 3).join("; ")))`)
	assert.Empty(t, strings.Join(found, "\n"), "accessibility of %s", eval[string](t, ctx, `location.pathname`))
}
