package e2e

import (
	"bytes"
	"fmt"
	"image"
	"image/color"
	"image/png"
	"math/rand/v2"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"

	"ricetta/internal/workbench"
)

// What the browser needs from frame to frame while 40 regions lie on a picture of five
// megapixels: one dragged, all dragged, the picture moved, zoomed. Headless Chromium draws
// without a graphics card, so that this is the worst case.
//
//	go test ./internal/e2e -run '^$' -bench Frames -benchtime 1x
func BenchmarkFrames(b *testing.B) {
	const w, h = 2448, 2048
	ctx := browser(b, 1280, 800)
	s := start(b, b.TempDir(), tapeLine)
	_, err := s.Stop(b.Context(), "line5-top")
	require.NoError(b, err)
	g := image.NewNRGBA(image.Rect(0, 0, w, h))
	rng := rand.New(rand.NewPCG(1, 2))
	for y := range h {
		for x := range w {
			v := uint8(90 + (x/40+y/40)%2*60 + rng.IntN(20))
			g.SetNRGBA(x, y, color.NRGBA{v, v, uint8(255 - int(v)), 255})
		}
	}
	var file bytes.Buffer
	require.NoError(b, (&png.Encoder{CompressionLevel: png.BestSpeed}).Encode(&file, g))
	k := workbench.Key{Product: "forty", Role: "top"}
	d, err := s.UploadRecipe(b.Context(), k, "reference.png", file.Bytes())
	require.NoError(b, err)
	var checks []any
	for i := range 40 {
		checks = append(checks, map[string]any{
			"id": fmt.Sprintf("c%d", i), "kind": "presence.tone", "tone": map[string]any{"most": 100},
			"region": map[string]any{"rect": []any{100 + i%8*280, 120 + i/8*360, 200, 240}},
		})
	}
	d.Tree["checks"] = checks
	_, err = s.SaveDraft(b.Context(), k, d.Tree, d.Tag, "")
	require.NoError(b, err)
	do(b, ctx, chromedp.Navigate(s.url+"/recipes/forty/top/checks"))
	eventually(b, "all regions", func() bool { return eval[int](b, ctx, `document.querySelectorAll('[data-shape]').length`) == 40 })
	shows(b, ctx, "40 checks ok")

	// Each frame gives the next move; how far apart the frames come is what is counted.
	const moved = `(async (press, move, up, n) => {
		const next = () => new Promise(requestAnimationFrame), times = [];
		if (press) press(); await next(); await next();
		for (let i = 0; i < n; i++) { const t = performance.now(); move(i); await next(); times.push(performance.now() - t); }
		if (up) up(); times.sort((a, b) => a - b);
		return [times.reduce((a, b) => a + b) / n, times[Math.floor(n * 0.95)]] })`
	const hand = `const svg = document.querySelector('[data-testid="canvas"] > svg'); const at = (el) => { const r = el.getBoundingClientRect(); return [r.x + r.width / 2, r.y + r.height / 2] };
		const ev = (el, type, x, y, more) => el.dispatchEvent(new PointerEvent(type, { bubbles: true, clientX: x, clientY: y, button: 0, ...more }));
		const dragged = (el, x, y) => ` + moved + `(() => ev(el, "pointerdown", x, y), (i) => ev(window, "pointermove", x + 40 * Math.sin(i / 9), y + 30 * Math.sin(i / 7)), () => ev(window, "pointerup", x, y), 120);`
	for _, m := range []struct{ name, js string }{
		{"one dragged", `const el = document.querySelectorAll('[data-shape]')[39]; dragged(el, ...at(el))`},
		{"picture moved", `const r = svg.getBoundingClientRect(); dragged(svg, r.x + 5, r.y + 5)`},
		{"zoomed", moved + `(null, (i) => svg.dispatchEvent(new WheelEvent("wheel", { bubbles: true, cancelable: true, deltaY: i % 60 < 30 ? -60 : 60, clientX: 600, clientY: 400 })), null, 120)`},
		{"all dragged", `window.dispatchEvent(new KeyboardEvent("keydown", { key: "a", ctrlKey: true, bubbles: true })); await new Promise(r => setTimeout(r, 500)); const el = document.querySelectorAll('[data-shape]')[5]; dragged(el, ...at(el))`},
	} {
		b.Run(m.name, func(b *testing.B) {
			for b.Loop() {
				js := `(async () => { ` + hand + ` return await (async () => { ` + asReturn(m.js) + ` })() })()`
				t := eval[[]float64](b, ctx, js)
				b.ReportMetric(t[0], "ms/frame")
				b.ReportMetric(t[1], "ms/frame-p95")
			}
		})
	}
}

// asReturn makes the last statement of js what it returns.
func asReturn(js string) string {
	i := bytes.LastIndexByte([]byte(js), ';')
	if i < 0 || js[0] == '(' {
		return "return await " + js
	}
	return js[:i+1] + " return await " + js[i+1:]
}
