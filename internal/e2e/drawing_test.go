package e2e

import (
	"context"
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ricetta/internal/workbench"
)

// look keeps a picture of the page where LOOK names a folder, for whoever works on it.
func look(t testing.TB, ctx context.Context, name string) {
	if dir := os.Getenv("LOOK"); dir != "" {
		time.Sleep(300 * time.Millisecond)
		save(t, ctx, filepath.Join(dir, name+".png"))
	}
}

// hold presses a key with the Control key held.
func hold(t testing.TB, ctx context.Context, key string) {
	t.Helper()
	eval[bool](t, ctx, fmt.Sprintf(`window.dispatchEvent(new KeyboardEvent("keydown", { key: %q, ctrlKey: true, bubbles: true })); true`, key))
}

// checkIn reads a check of the draft as it is edited; it is saved first.
func checkIn(t testing.TB, ctx context.Context, s *service, k workbench.Key, id string) map[string]any {
	t.Helper()
	do(t, ctx, chromedp.KeyEvent("s"))
	eventually(t, "the draft is saved", func() bool {
		return eval[string](t, ctx, `document.querySelector('[data-testid="draft-state"]').innerText`) != "changed, not saved"
	})
	d, err := s.Draft(t.Context(), k)
	require.NoError(t, err)
	for _, c := range d.Whole["checks"].([]any) {
		if c := c.(map[string]any); c["id"] == id {
			return c
		}
	}
	t.Fatalf("there is no check %s", id)
	return nil
}

func text(t testing.TB, v any) string {
	data, err := json.Marshal(v)
	require.NoError(t, err)
	return string(data)
}

// What is drawn and chosen with the mouse: colors, several checks at once, grids, another
// reference, variants, revisions side by side.
func TestDrawing(t *testing.T) {
	ctx := browser(t, 1280, 800)
	s := start(t, t.TempDir(), tapeLine)
	tray, tape := workbench.Key{Product: "watercolor-tray-12", Role: "top"}, workbench.Key{Product: "masking-tape-50", Role: "top"}
	open := func(k workbench.Key, tab string) {
		do(t, ctx, chromedp.Navigate(s.url+"/recipes/"+k.Product+"/top/"+tab))
		shows(t, ctx, k.Product)
	}
	choose := func(id string) {
		eventually(t, "the check "+id, func() bool {
			return eval[bool](t, ctx, fmt.Sprintf(`(() => { const b = [...document.querySelectorAll('nav[aria-label="Checks"] li button')].find(b => b.innerText.startsWith(%q)); b?.click(); return !!b })()`, id))
		})
	}

	// Bands of a color, by keys on the chart.
	open(tray, "checks")
	choose("brush")
	shows(t, ctx, "Drag the edges of what counts.")
	accessible(t, ctx)
	look(t, ctx, "bands")
	eval[bool](t, ctx, `document.querySelector('[aria-label="Saturation at least"]').focus(); true`)
	do(t, ctx, chromedp.KeyEvent(kb.ArrowUp))
	assert.Equal(t, `{"hue":[355,45],"saturation":{"least":26,"most":100}}`, text(t, checkIn(t, ctx, s, tray, "brush")["color"]))

	// A color picked on the picture, and its bands taken over.
	addCheck(t, ctx, "amount")
	shows(t, ctx, "The bands that were learned from the picked places.")
	press(t, ctx, "Pick on the picture")
	shows(t, ctx, "Press or stroke on the color.")
	dragTo(t, ctx, `[data-testid="canvas"]`, 640, 470)
	accessible(t, ctx)
	look(t, ctx, "picking")
	press(t, ctx, "Done")
	places := checkIn(t, ctx, s, tray, "amount")["picked"].([]any)
	assert.Greater(t, len(places), 1, "a press or a stroke adds places")
	press(t, ctx, "Set the bands by hand")
	shows(t, ctx, "Drag the edges of what counts.")
	amount := checkIn(t, ctx, s, tray, "amount")
	assert.Contains(t, amount, "color")
	assert.NotContains(t, amount, "picked")

	// Two checks chosen together are moved, copied, and pasted into another recipe.
	choose("warm")
	eval[bool](t, ctx, `[...document.querySelectorAll('nav[aria-label="Checks"] li button')].find(b => b.innerText.startsWith("cool")).dispatchEvent(new MouseEvent("click", { bubbles: true, shiftKey: true })); true`)
	shows(t, ctx, "2 checks chosen")
	accessible(t, ctx)
	look(t, ctx, "several")
	do(t, ctx, chromedp.KeyEvent(kb.ArrowRight))
	assert.Equal(t, `[390,255,636,82]`, text(t, checkIn(t, ctx, s, tray, "warm")["region"].(map[string]any)["rect"]))
	assert.Equal(t, `[390,361,636,82]`, text(t, checkIn(t, ctx, s, tray, "cool")["region"].(map[string]any)["rect"]))
	hold(t, ctx, "c")
	hold(t, ctx, "v")
	shows(t, ctx, "warm_2, cool_2")
	assert.Equal(t, "tray", checkIn(t, ctx, s, tray, "cool_2")["on"])
	open(tape, "checks")
	shows(t, ctx, "Paste 2 checks")
	press(t, ctx, "Paste 2 checks")
	shows(t, ctx, "warm, cool")
	assert.NotContains(t, checkIn(t, ctx, s, tape, "warm"), "on", "there is no tray to ride on")
	press(t, ctx, "Take out")
	eventually(t, "they are gone", func() bool {
		return eval[int](t, ctx, `document.querySelectorAll('nav[aria-label="Checks"] li').length`) == 3
	})

	// Framed with the Shift key; a drag of one moves all.
	from, to := placeOf(t, ctx, 280, 90), placeOf(t, ctx, 990, 900)
	shift := chromedp.ButtonModifiers(chromedp.ModifierShift)
	mouse := func(kind input.DispatchMouseEventType, at []float64, more ...chromedp.MouseOption) {
		do(t, ctx, chromedp.MouseEvent(kind, at[0], at[1], append([]chromedp.MouseOption{chromedp.ButtonLeft, chromedp.ClickCount(1)}, more...)...))
	}
	mouse(input.DispatchMouseEventTypeMousePressed, from, shift)
	mouse(input.DispatchMouseEventTypeMouseMoved, to, shift)
	mouse(input.DispatchMouseEventTypeMouseReleased, to, shift)
	shows(t, ctx, "3 checks chosen")
	before := eval[float64](t, ctx, `document.querySelectorAll('[data-shape]').length`)
	assert.InDelta(t, 3, before, 0)
	grip := placeOf(t, ctx, 640, 470-300)
	mouse(input.DispatchMouseEventTypeMousePressed, grip)
	over := placeOf(t, ctx, 660, 470-290)
	mouse(input.DispatchMouseEventTypeMouseMoved, over)
	mouse(input.DispatchMouseEventTypeMouseReleased, over)
	for _, id := range []string{"roll", "rim", "outer"} {
		ring := checkIn(t, ctx, s, tape, id)["region"].(map[string]any)["ring"].([]any)
		assert.InDelta(t, 660, ring[0], 1.5, id)
		assert.InDelta(t, 480, ring[1], 1.5, id)
	}
	do(t, ctx, chromedp.KeyEvent("u"))
	assert.Equal(t, `[640,470,100,132]`, text(t, checkIn(t, ctx, s, tape, "roll")["region"].(map[string]any)["ring"]), "one step of undo")

	// A grid, set with the mouse.
	addCheck(t, ctx, "tone")
	eval[bool](t, ctx, `[...document.querySelectorAll("details > summary")].find(s => s.innerText === "More settings").click(); true`)
	eval[bool](t, ctx, `[...document.querySelectorAll("label")].find(l => l.innerText.startsWith("Again in rows")).querySelector("input").click(); true`)
	setInputOf(t, ctx, "Columns", "3")
	setInputOf(t, ctx, "Rows", "2")
	eventually(t, "the copies with their handle", func() bool { return eval[bool](t, ctx, `!!document.querySelector('[data-handle="last copy"]')`) })
	dragTo(t, ctx, `[data-handle="last copy"]`, 640+200, 480+90)
	look(t, ctx, "grid")
	accessible(t, ctx)
	copies := checkIn(t, ctx, s, tape, "tone")["copies"].(map[string]any)
	assert.InDelta(t, 100, copies["step"].([]any)[0], 1.5)
	assert.InDelta(t, 90, copies["step"].([]any)[1], 1.5)
	do(t, ctx, chromedp.KeyEvent(kb.Delete))
	checkIn(t, ctx, s, tape, "roll")

	// What lies on the belt now, kept as a sample, whether its picture was kept or not.
	eventually(t, "a picture from the belt", func() bool {
		press(t, ctx, "From the belt")
		return eval[bool](t, ctx, `document.querySelector('section[aria-label="Picture"] select').value.startsWith("item:")`)
	})
	press(t, ctx, "Keep as sample")
	shows(t, ctx, "It is the sample line5-top.")
	accessible(t, ctx)
	look(t, ctx, "kept")

	// Another reference: what it changes is said before, and the regions go with the item.
	do(t, ctx, chromedp.Navigate(s.url+"/recipes/masking-tape-50/top/checks?picture=sample%3Agood-2.jpg"))
	press(t, ctx, "As reference…")
	shows(t, ctx, "px elsewhere in it: move all regions with it")
	accessible(t, ctx)
	look(t, ctx, "reference")
	press(t, ctx, "Take it as reference")
	eventually(t, "the regions lie on the roll again", func() bool {
		return eval[bool](t, ctx, `document.querySelector('section[aria-label="Picture"] select').value === "reference" && document.querySelector('section[aria-label="Picture"] [role="status"]').innerText.startsWith("pass")`)
	})
	roll := checkIn(t, ctx, s, tape, "roll")["region"].(map[string]any)["ring"].([]any)
	assert.Greater(t, roll[0].(float64)-640, -60.0)
	assert.NotEqual(t, 640.0, roll[0])
	d, err := s.Draft(t.Context(), tape)
	require.NoError(t, err)
	assert.NotEqual(t, "reference.png", d.Whole["picture"].(map[string]any)["reference"])

	// The draft beside what is released, on one picture.
	open(tape, "revisions")
	shows(t, ctx, "See both on a picture")
	eval[bool](t, ctx, `[...document.querySelectorAll("summary")].find(s => s.innerText === "See both on a picture").click(); true`)
	eventually(t, "both are judged", func() bool {
		return eval[bool](t, ctx, `document.querySelectorAll('section[aria-label="Both on one picture"] svg[role="group"]').length === 2 && (!!document.querySelector('[data-testid="differences"]') || document.body.innerText.includes("both say the same"))`)
	})
	accessible(t, ctx)
	look(t, ctx, "compare")

	// A variant in the form: what is its own is marked and goes back.
	v := workbench.Key{Product: "masking-tape-30", Role: "top"}
	_, err = s.CopyRecipe(t.Context(), tape, v, true)
	require.NoError(t, err)
	open(v, "checks")
	choose("outer")
	shows(t, ctx, "All as in the base.")
	eventually(t, "its limits", func() bool {
		return eval[bool](t, ctx, `!!document.querySelector('input[aria-label="diameter at most"]')`)
	})
	setInput(t, ctx, `input[aria-label="diameter at most"]`, "152")
	shows(t, ctx, "What is marked is this variant's own")
	accessible(t, ctx)
	look(t, ctx, "variant")
	checkIn(t, ctx, s, v, "outer")
	d, err = s.Draft(t.Context(), v)
	require.NoError(t, err)
	assert.Equal(t, `{"outer/limits/diameter":{"least":149,"most":152}}`, text(t, d.Tree["change"]))
	press(t, ctx, "As the base")
	shows(t, ctx, "All as in the base.")
	checkIn(t, ctx, s, v, "outer")
	d, err = s.Draft(t.Context(), v)
	require.NoError(t, err)
	assert.Equal(t, `{}`, text(t, d.Tree["change"]))

	// The scale of a station, by a known length.
	_, err = s.Stop(t.Context(), "line5-top")
	require.NoError(t, err)
	do(t, ctx, chromedp.Navigate(s.url+"/stations/line5-top/camera"))
	press(t, ctx, "Draw it on the picture")
	eventually(t, "the arrow", func() bool { return eval[bool](t, ctx, `!!document.querySelector('[data-handle="begin"]')`) })
	dragTo(t, ctx, `[data-handle="begin"]`, 340, 480)
	dragTo(t, ctx, `[data-handle="end"]`, 940, 480)
	setInputOf(t, ctx, "Drag the arrow", "150")
	press(t, ctx, "Find the scale")
	shows(t, ctx, "One pixel would be 0.2")
	accessible(t, ctx)
	look(t, ctx, "scale")
	press(t, ctx, "Keep it")
	shows(t, ctx, "One pixel is 0.2")
	st, err := s.Station(t.Context(), "line5-top")
	require.NoError(t, err)
	require.NotNil(t, st.Calibration)
	assert.InDelta(t, 0.25, st.Calibration.MMPerPx, 0.002)

	// And a recipe begun with what its camera sees.
	eval[bool](t, ctx, `[...document.querySelectorAll("a")].find(a => a.innerText === "Begin a recipe with this picture").click(); true`)
	shows(t, ctx, "What the camera of a station sees now")
	accessible(t, ctx)
	do(t, ctx, chromedp.SendKeys(`input[placeholder^="as in"]`, "tape-seen"))
	press(t, ctx, "Begin")
	shows(t, ctx, "No checks yet")
}

// setInputOf types a value into the field under a label that begins so.
func setInputOf(t testing.TB, ctx context.Context, label, value string) {
	t.Helper()
	eventually(t, "the field "+label, func() bool {
		return eval[bool](t, ctx, fmt.Sprintf(`(() => { const s = [...document.querySelectorAll("label")].find(l => l.innerText.trim().startsWith(%q))?.querySelector("input");
		if (!s) return false;
		Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, "value").set.call(s, %q);
		s.dispatchEvent(new Event("input", { bubbles: true })); return true })()`, label, value))
	})
}

// placeOf is where a place of the picture lies on the page.
func placeOf(t testing.TB, ctx context.Context, x, y float64) []float64 {
	t.Helper()
	present(t, ctx, `[data-testid="canvas"] > svg`)
	return eval[[]float64](t, ctx, fmt.Sprintf(`(() => { const m = document.querySelector('[data-testid="canvas"] > svg').getScreenCTM(); const p = new DOMPoint(%g, %g).matrixTransform(m); return [p.x, p.y] })()`, x, y))
}
