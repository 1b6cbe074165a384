package e2e

import (
	"context"
	"fmt"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ricetta/core/check"
	"ricetta/internal/workbench"
)

var stickLine = strings.NewReplacer("line5", "line4", "Masking tape", "Glue sticks", "masking-tape-50", "glue-stick-20").Replace(tapeLine)

// What is printed, in the workbench: what a text says is taken for what it must say, held
// against the order, against a code; the station is told what it packs.
func TestPrint(t *testing.T) {
	ctx := browser(t, 1280, 800)
	s := start(t, t.TempDir(), stickLine)
	stick := workbench.Key{Product: "glue-stick-20", Role: "top"}
	do(t, ctx, chromedp.Navigate(s.url+"/recipes/glue-stick-20/top/checks"))
	choose := func(id string) {
		eventually(t, "the check "+id, func() bool {
			return eval[bool](t, ctx, fmt.Sprintf(`(() => { const b = [...document.querySelectorAll('nav[aria-label="Checks"] li button')].find(b => b.innerText.startsWith(%q)); b?.click(); return !!b })()`, id))
		})
	}
	choose("lot")
	shows(t, ctx, "L4711")
	look(t, ctx, "text")
	accessible(t, ctx)
	press(t, ctx, "Expect just this")
	assert.Equal(t, "L4711", checkIn(t, ctx, s, stick, "lot")["expect"])

	// A value of the order: first nobody has said it, then another, then the right one.
	setLabeled(t, ctx, "expect", "{lot}")
	shows(t, ctx, "the order says nothing of lot")
	packed := func(lot string) {
		eval[bool](t, ctx, `(() => { const d = [...document.querySelectorAll("details")].find(d => d.innerText.startsWith("What is packed")); d.open = true; d.scrollIntoView(); return true })()`)
		setInput(t, ctx, `[aria-label="Value of lot"]`, lot)
		press(t, ctx, "Take over")
	}
	packed("L4712")
	shows(t, ctx, "reads L4711, L4712 expected")
	look(t, ctx, "packed")
	accessible(t, ctx)
	packed("L4711")
	eventually(t, "it is right", func() bool {
		return !strings.Contains(eval[string](t, ctx, `document.body.innerText`), "L4712 expected")
	})
	// A day of the order in the form of the print.
	choose("date")
	shows(t, ctx, "31.12.27")
	setLabeled(t, ctx, "expect", "{expiry:dd.MM.yy}")
	shows(t, ctx, "the order says nothing of expiry")

	// What print is compared with is offered by name.
	choose("same_lot")
	shows(t, ctx, "both say L4711")
	assert.Zero(t, eval[int](t, ctx, `document.querySelectorAll("[data-handle]").length`), "it has no region to take hold of")
	look(t, ctx, "agree")
	offered := eval[[]string](t, ctx, `[...document.querySelectorAll("datalist option")].map(o => o.value)`)
	assert.Subset(t, offered, []string{"date.text", "lot.text", "code.lot", "code.expiry", "order.lot"})

	// A grade and a comparison with taught characters, on the same print.
	addCheck(t, ctx, "grade")
	setRegion(t, ctx, s, stick, "grade", []float64{570, 405, 134, 130})
	shows(t, ctx, "grade ")
	shows(t, ctx, "unused error correction")
	look(t, ctx, "grade")
	accessible(t, ctx)
	addCheck(t, ctx, "quality")
	setRegion(t, ctx, s, stick, "quality", []float64{420, 466, 164, 44})
	setLabeled(t, ctx, "text", "L4711")
	shows(t, ctx, "all 5 characters are sound")
	look(t, ctx, "quality")
	accessible(t, ctx)
	more, err := filepath.Abs(filepath.Join("..", "..", "demo", "pictures", "glue-stick-20", "good.jpg"))
	require.NoError(t, err)
	upload(t, ctx, `[data-testid="taught-picture"]`, more)
	eventually(t, "the picture is taught from", func() bool {
		return eval[bool](t, ctx, `!!document.querySelector('[aria-label="Leave out good.jpg"]')`)
	})
	assert.Contains(t, text(t, checkIn(t, ctx, s, stick, "quality")), "good.jpg")

	// The station is told what it packs.
	do(t, ctx, chromedp.Navigate(s.url+"/stations/line4-top"))
	shows(t, ctx, "What is packed")
	packed("L4713")
	eventually(t, "the station knows", func() bool {
		list, err := s.Stations(t.Context())
		require.NoError(t, err)
		return assert.ObjectsAreEqual(check.Order{"lot": "L4713"}, list.Stations[0].Order)
	})
	look(t, ctx, "station")
	accessible(t, ctx)
}

// setLabeled types into the text field of that label and leaves it.
func setLabeled(t testing.TB, ctx context.Context, label, value string) {
	t.Helper()
	eventually(t, "the field "+label, func() bool {
		return eval[bool](t, ctx, fmt.Sprintf(`(() => { const l = [...document.querySelectorAll("label")].find(l => l.textContent.trim() === %q); const s = l && document.getElementById(l.htmlFor);
		if (!s) return false;
		for (let d = s.closest("details"); d; d = d.parentElement.closest("details")) d.open = true;
		Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, "value").set.call(s, %q);
		s.dispatchEvent(new Event("input", { bubbles: true }));
		s.dispatchEvent(new FocusEvent("focusout", { bubbles: true })); return true })()`, label, value))
	})
}

// setRegion puts the rectangle of a check where it belongs, through the interface, and opens
// the workbench on that.
func setRegion(t testing.TB, ctx context.Context, s *service, k workbench.Key, id string, rect []float64) {
	t.Helper()
	checkIn(t, ctx, s, k, id)
	d, err := s.Draft(t.Context(), k)
	require.NoError(t, err)
	for _, c := range d.Whole["checks"].([]any) {
		if c := c.(map[string]any); c["id"] == id {
			c["region"] = map[string]any{"rect": rect}
			delete(c, "on")
		}
	}
	_, err = s.SaveDraft(t.Context(), k, d.Whole, d.Tag, "e2e")
	require.NoError(t, err)
	do(t, ctx, chromedp.Navigate(s.url+"/recipes/"+k.Product+"/"+k.Role+"/checks"))
	eventually(t, "the check "+id, func() bool {
		return eval[bool](t, ctx, fmt.Sprintf(`(() => { const b = [...document.querySelectorAll('nav[aria-label="Checks"] li button')].find(b => b.innerText.startsWith(%q)); b?.click(); return !!b })()`, id))
	})
}
