package e2e

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ricetta/internal/station"
	"ricetta/internal/workbench"
)

// The day a new product comes: from a picture file to a line that runs it, by mouse and
// keyboard in a browser.
func TestTheWorkday(t *testing.T) {
	ctx := browser(t, 1280, 800)
	s := start(t, t.TempDir(), tapeLine)
	k := workbench.Key{Product: "tape-roll-a", Role: "top"}
	eval[bool](t, ctx, `window.faults = []; window.addEventListener("error", e => faults.push(String(e.message))); true`)

	// The picture first: a dark one is set up by one press, which a running line refuses.
	do(t, ctx, chromedp.Navigate(s.url+"/stations/line5-top/camera"))
	shows(t, ctx, "Stop it to set exposure, gain, light and focus.")
	_, err := s.SetCamera(t.Context(), "line5-top", station.CameraSettings{ExposureMS: 0.3, Light: 100, Focus: 50})
	assert.Equal(t, 409, statusOf(t, err))
	press(t, ctx, "Stop the station")
	shows(t, ctx, "The belt stops while its camera is set.")
	eval[bool](t, ctx, `[...document.querySelectorAll('[role="alertdialog"] button')].at(-1).click(); true`)
	eventually(t, "the camera can be set", func() bool { return eval[bool](t, ctx, `!document.querySelector('#knob-gain_db').disabled`) })
	_, err = s.SetCamera(t.Context(), "line5-top", station.CameraSettings{ExposureMS: 0.3, Light: 100, Focus: 50})
	require.NoError(t, err)
	_, err = s.SetCamera(t.Context(), "line5-top", station.CameraSettings{ExposureMS: 300, Light: 100, Focus: 50})
	assert.ErrorContains(t, err, "out of the camera's range")
	accessible(t, ctx)
	press(t, ctx, "Find exposure")
	eventually(t, "the exposure is found", func() bool {
		c, err := s.Camera(t.Context(), "line5-top")
		return err == nil && c.Settings.ExposureMS > 1 && !eval[bool](t, ctx, `document.body.innerText.includes("Looking…")`)
	})
	_, err = s.Start(t.Context(), "line5-top")
	require.NoError(t, err)

	// Begin with the picture of a good item.
	do(t, ctx, chromedp.Navigate(s.url+"/recipes"))
	shows(t, ctx, "masking-tape-50")
	accessible(t, ctx)
	press(t, ctx, "New recipe")
	shows(t, ctx, "It begins with")
	accessible(t, ctx)
	do(t, ctx, chromedp.SendKeys(`input[placeholder^="as in"]`, k.Product))
	reference, err := filepath.Abs("../../demo/recipes/masking-tape-50/reference.png")
	require.NoError(t, err)
	upload(t, ctx, `input[data-testid="reference-file"]`, reference)
	press(t, ctx, "Begin")
	shows(t, ctx, "No checks yet")
	accessible(t, ctx)

	// A datum, drawn round the hole; the ring is dragged to its place and size.
	addCheck(t, ctx, "disc")
	eventually(t, "the ring with its handles", func() bool {
		return eval[int](t, ctx, `document.querySelectorAll('[data-handle]').length`) == 2
	})
	dragTo(t, ctx, `[data-handle="outer radius"]`, 640+150, 480)
	dragTo(t, ctx, `[data-handle="inner radius"]`, 640+85, 480)
	shows(t, ctx, "found at 640, 470")
	ring := eval[string](t, ctx, `document.querySelector('[data-testid="draft-state"]').innerText`)
	assert.Equal(t, "changed, not saved", ring)

	// Undo and redo go through every step.
	do(t, ctx, chromedp.KeyEvent("u"), chromedp.KeyEvent("u"), chromedp.KeyEvent("u"))
	shows(t, ctx, "No checks yet")
	eval[bool](t, ctx, `for (let i = 0; i < 3; i++) document.querySelector('button[aria-label="Redo"]').click(); true`)
	shows(t, ctx, "found at 640, 470")

	// Two more checks, riding on it; one by its form.
	addCheck(t, ctx, "rim")
	eventually(t, "the rim rides on the disc", func() bool {
		return eval[string](t, ctx, `document.querySelector('form[aria-label="Settings of rim"] select')?.value ?? ""`) == "disc"
	})
	dragTo(t, ctx, `[data-handle="outer radius"]`, 640+335, 480)
	dragTo(t, ctx, `[data-handle="inner radius"]`, 640+265, 480)
	setInput(t, ctx, `input[aria-label="highest at most"]`, "40")
	addCheck(t, ctx, "level")
	shows(t, ctx, "Mean gray value")

	// A hole is painted into its region with the brush; what is read changes.
	reading := func() string {
		return eval[string](t, ctx, `document.querySelector('button[aria-label^="Expect mean"]')?.innerText ?? ""`)
	}
	eventually(t, "a reading", func() bool { return reading() != "" })
	before := reading()
	press(t, ctx, "Paint a hole")
	shows(t, ctx, "Paint what is left out")
	accessible(t, ctx)
	dragTo(t, ctx, `[data-testid="brush"]`, 560, 420)
	press(t, ctx, "Use it")
	eventually(t, "the hole counts", func() bool { return reading() != "" && reading() != before })

	// A corner of a polygon is taken away by a double press.
	handles := func() int { return eval[int](t, ctx, `document.querySelectorAll('[data-handle^="corner"]').length`) }
	eval[bool](t, ctx, `(() => { const s = [...document.querySelectorAll('form[aria-label="Settings of level"] select')].find(s => [...s.options].some(o => o.value === "polygon"));
		Object.getOwnPropertyDescriptor(HTMLSelectElement.prototype, "value").set.call(s, "polygon");
		s.dispatchEvent(new Event("change", { bubbles: true })); return true })()`)
	eventually(t, "four corners", func() bool { return handles() == 4 })
	at := middle(t, ctx, `[data-handle="corner 3"]`)
	do(t, ctx, chromedp.MouseClickXY(at[0], at[1]), chromedp.MouseClickXY(at[0], at[1], chromedp.ClickCount(2)))
	eventually(t, "three corners", func() bool { return handles() == 3 })
	do(t, ctx, chromedp.KeyEvent("s"))
	eventually(t, "the draft is saved", func() bool {
		return eval[string](t, ctx, `document.querySelector('[data-testid="draft-state"]').innerText`) == "never released"
	})
	accessible(t, ctx)

	draft, err := s.Draft(t.Context(), k)
	require.NoError(t, err)
	assert.Len(t, draft.Pictures, 2, "the reference and the painted mask")
	assert.Contains(t, draft.Text, "without: [{mask: level-region-")

	// Samples, many at once, one of them broken; their names label them.
	do(t, ctx, chromedp.Click(`a[href="/recipes/tape-roll-a/top/samples"]`))
	shows(t, ctx, "No samples yet")
	files, err := filepath.Glob("../../demo/recipes/masking-tape-50/samples/*.jpg")
	require.NoError(t, err)
	require.Len(t, files, 14)
	for i := range files {
		files[i], err = filepath.Abs(files[i])
		require.NoError(t, err)
	}
	cut := filepath.Join(t.TempDir(), "good-cut.jpg")
	data, err := os.ReadFile(files[0])
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(cut, data[:9000], 0o600))
	upload(t, ctx, `input[data-testid="sample-files"]`, append(files, cut)...)
	shows(t, ctx, "One picture was left out; the others are added.")
	shows(t, ctx, "good-8.jpg")
	shows(t, ctx, "bad: rim")
	accessible(t, ctx)

	// The trial: bumps pass, for the limit is far too wide; dragged, the verdicts follow.
	do(t, ctx, chromedp.Click(`a[href="/recipes/tape-roll-a/top/trial"]`))
	shows(t, ctx, "let through that should not pass")
	accessible(t, ctx)
	eventually(t, "a proposal where the limit would be best", func() bool {
		return eval[bool](t, ctx, `document.querySelector('[data-testid="plot-rim-highest"]').innerText.includes("would be best")`)
	})
	dragBy(t, ctx, `[data-testid="plot-rim-highest"] [role="slider"]`, `(() => {
		const plot = document.querySelector('[data-testid="plot-rim-highest"] svg').getBoundingClientRect();
		const good = Math.max(...[...document.querySelectorAll('[data-testid="plot-rim-highest"] circle')].map(c => c.getBoundingClientRect().x));
		const bad = Math.min(...[...document.querySelectorAll('[data-testid="plot-rim-highest"] path')].map(c => c.getBoundingClientRect().x));
		return (good + bad) / 2 })()`)
	shows(t, ctx, "14 of 14 samples judged rightly")
	shows(t, ctx, "All as labeled")

	// Signed and released; then the station runs it after its changeover.
	do(t, ctx, chromedp.Click(`a[href="/recipes/tape-roll-a/top/revisions"]`))
	shows(t, ctx, "Nothing is released yet.")
	accessible(t, ctx)
	do(t, ctx, chromedp.SendKeys(`input[autocomplete="name"]`, "Nora"), chromedp.SendKeys(`textarea`, "first revision"))
	press(t, ctx, "Release")
	shows(t, ctx, "first revision")
	shows(t, ctx, "Released as it is")
	list, err := s.Releases(context.Background(), k)
	require.NoError(t, err)
	require.Len(t, list.Releases, 1)
	assert.Equal(t, "Nora", list.Releases[0].Who)
	assert.Zero(t, list.Releases[0].Wrong)
	_, err = s.Stop(context.Background(), "line5-top")
	require.NoError(t, err)
	st, err := s.Use(context.Background(), "line5-top", k.Product)
	require.NoError(t, err)
	assert.Equal(t, list.Releases[0].Revision, st.Revision)
	_, err = s.Start(context.Background(), "line5-top")
	require.NoError(t, err)
	eventually(t, "items judged by it", func() bool {
		page, err := s.Items(context.Background(), map[string][]string{"route": {"pass"}})
		if err != nil || len(page.Items) == 0 {
			return false
		}
		return page.Items[0].Revision == st.Revision && page.Items[0].Product == k.Product
	})

	// Somebody else saves meanwhile: nobody is overwritten.
	do(t, ctx, chromedp.Click(`a[href="/recipes/tape-roll-a/top/checks"]`))
	shows(t, ctx, "found at 640, 470")
	d, err := s.Draft(context.Background(), k)
	require.NoError(t, err)
	tree := d.Tree
	tree["note"] = "from another desk"
	_, err = s.SaveDraft(context.Background(), k, tree, d.Tag, "Ugo")
	require.NoError(t, err)
	addCheck(t, ctx, "tone")
	do(t, ctx, chromedp.KeyEvent("s"))
	shows(t, ctx, "Somebody else has saved this draft")
	accessible(t, ctx)
	press(t, ctx, "Take theirs")
	eventually(t, "theirs is shown", func() bool {
		return !eval[bool](t, ctx, `document.body.innerText.includes("Somebody else")`) && eval[int](t, ctx, `document.querySelectorAll('nav[aria-label="Checks"] li').length`) == 3
	})

	// In dark colors and on a tablet.
	eval[bool](t, ctx, `localStorage.setItem("theme", "dark"); true`)
	for _, tab := range []string{"checks", "samples", "trial", "revisions"} {
		do(t, ctx, chromedp.EmulateViewport(820, 1180), chromedp.Navigate(s.url+"/recipes/masking-tape-50/top/"+tab))
		shows(t, ctx, "masking-tape-50")
		time.Sleep(500 * time.Millisecond)
		accessible(t, ctx)
		assert.LessOrEqual(t, eval[int](t, ctx, `document.documentElement.scrollWidth`), 820, "nothing sticks out at the side of %s", tab)
	}
}

// press clicks the button with that text.
func press(t testing.TB, ctx context.Context, text string) {
	t.Helper()
	eventually(t, "the button "+text, func() bool {
		return eval[bool](t, ctx, fmt.Sprintf(`(() => { const b = [...document.querySelectorAll("button")].find(b => b.innerText.trim() === %q && !b.disabled); if (b) b.click(); return !!b })()`, text))
	})
}

// addCheck adds a check of a kind from the menu.
func addCheck(t testing.TB, ctx context.Context, kind string) {
	t.Helper()
	do(t, ctx, chromedp.Click(`nav[aria-label="Checks"] button`))
	eventually(t, "the menu of kinds", func() bool { return eval[bool](t, ctx, `!!document.querySelector('[role="menu"]')`) })
	at := eval[[]float64](t, ctx, fmt.Sprintf(`(() => { const i = [...document.querySelectorAll('[role="menuitem"]')].find(i => i.innerText.startsWith(%q)); i.scrollIntoView({ block: "center" }); const b = i.getBoundingClientRect(); return [b.x + 40, b.y + b.height / 2] })()`, kind+" "))
	do(t, ctx, chromedp.MouseClickXY(at[0], at[1]))
	eventually(t, "the menu is gone", func() bool { return !eval[bool](t, ctx, `!!document.querySelector('[role="menu"]')`) })
}

// upload chooses files in an input.
func upload(t testing.TB, ctx context.Context, selector string, files ...string) {
	t.Helper()
	do(t, ctx, chromedp.SetUploadFiles(selector, files))
}

// setInput types a value into a field as React sees it.
func setInput(t testing.TB, ctx context.Context, selector, value string) {
	t.Helper()
	present(t, ctx, selector)
	eval[bool](t, ctx, fmt.Sprintf(`(() => { const s = document.querySelector(%q);
		Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, "value").set.call(s, %q);
		s.dispatchEvent(new Event("input", { bubbles: true })); return true })()`, selector, value))
}

// dragTo drags what the selector names to a place in the picture.
func dragTo(t testing.TB, ctx context.Context, selector string, x, y float64) {
	t.Helper()
	to := placeOf(t, ctx, x, y)
	drag(t, ctx, selector, to[0], to[1])
}

// dragBy drags what the selector names sideways, to the x that the expression gives.
func dragBy(t testing.TB, ctx context.Context, selector, toX string) {
	t.Helper()
	eval[bool](t, ctx, fmt.Sprintf(`document.querySelector(%q).scrollIntoView({ block: "center" }); true`, selector))
	x := eval[float64](t, ctx, toX)
	from := middle(t, ctx, selector)
	drag(t, ctx, selector, x, from[1])
}

func middle(t testing.TB, ctx context.Context, selector string) []float64 {
	t.Helper()
	present(t, ctx, selector)
	return eval[[]float64](t, ctx, fmt.Sprintf(`(() => { const b = document.querySelector(%q).getBoundingClientRect(); return [b.x + b.width / 2, b.y + b.height / 2] })()`, selector))
}

// present waits until the page has what the selector names.
func present(t testing.TB, ctx context.Context, selector string) {
	t.Helper()
	eventually(t, "there is "+selector, func() bool { return eval[bool](t, ctx, fmt.Sprintf(`!!document.querySelector(%q)`, selector)) })
}

func drag(t testing.TB, ctx context.Context, selector string, x, y float64) {
	t.Helper()
	at := middle(t, ctx, selector)
	left := chromedp.ButtonLeft
	do(t, ctx, chromedp.MouseEvent(input.DispatchMouseEventTypeMousePressed, at[0], at[1], left, chromedp.ClickCount(1)))
	for i := 1.0; i <= 4; i++ {
		do(t, ctx, chromedp.MouseEvent(input.DispatchMouseEventTypeMouseMoved, at[0]+(x-at[0])*i/4, at[1]+(y-at[1])*i/4, left))
	}
	do(t, ctx, chromedp.MouseEvent(input.DispatchMouseEventTypeMouseReleased, x, y, left, chromedp.ClickCount(1)))
}
