package inspect

import (
	"bytes"
	"encoding/json"
	"fmt"
	"image/png"
	"math"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ricetta/core/check"
	"ricetta/core/raster"
	"ricetta/core/recipe"
)

const text = `ricetta: 1
product: card
role: top
picture: {kind: gray, reference: reference.png}
checks:
  - {id: card, kind: locate.outline, region: {rect: [90, 60, 220, 180]}, turn: 180}
  - id: dots
    kind: count.spots
    on: card
    region: {rect: [110, 80, 180, 60]}
    tone: {least: 180}
    keep: {area: {least: 60, most: 400}}
    limits: {count: {least: 4, most: 4}}
  - {id: bar, kind: presence.tone, on: card, region: {rect: [120, 190, 160, 20]}, tone: {most: 90}, limits: {share: {least: 0.8}}}
  - {id: way_up, kind: logic.rule, when: abs(card.angle) < 90}
routes:
  - {to: rework, when: card.ok && !way_up.ok && !dots.failed}
`

// card draws a card with a bar and dots at a pose.
func card(dots int, bar bool, at raster.Pose) *raster.Gray {
	g := raster.NewGray(400, 320)
	for i := range g.Pix {
		g.Pix[i] = uint8(60 + i%400/20 + (i*7919)%5) // a slope and a fixed noise
	}
	m := raster.Moving(raster.Point{X: 200, Y: 150}, at)
	var p raster.Painter
	fill := func(r raster.Region, tone uint8) { p.Fill(g, r.Outline(m, nil), tone) }
	fill(raster.Rect(100, 70, 200, 160), 130)
	fill(raster.Polygon([2]float64{100, 70}, [2]float64{130, 70}, [2]float64{100, 100}), 40)
	for i := range dots {
		fill(raster.Circle(135+40*float64(i), 110, 8), 220)
	}
	if bar {
		fill(raster.Rect(118, 188, 164, 24), 30)
	}
	g.Blur(2)
	return g
}

var home = raster.Pose{X: 200, Y: 150, Size: 1}

func pngOf(t testing.TB, g *raster.Gray) []byte {
	var b bytes.Buffer
	require.NoError(t, png.Encode(&b, raster.Picture{Gray: g}.Image()))
	return b.Bytes()
}

func plan(t testing.TB, yaml string) *Plan {
	d, err := Reader.Parse([]byte(yaml))
	require.NoError(t, err)
	r, err := recipe.New(d, map[string][]byte{"reference.png": pngOf(t, card(4, true, home))})
	require.NoError(t, err)
	p, err := Prepare(r)
	require.NoError(t, err)
	return p
}

func TestVerdicts(t *testing.T) {
	r := plan(t, text).NewRunner()
	moved := raster.Pose{X: 215, Y: 160, Angle: -8, Size: 1}
	over := raster.Pose{X: 195, Y: 165, Angle: 172, Size: 1}
	for _, tc := range []struct {
		name, route, reason, sentence string
		pic                           *raster.Gray
	}{
		{"as taught", "pass", "", "4 checks ok", card(4, true, home)},
		{"moved and turned", "pass", "", "4 checks ok", card(4, true, moved)},
		{"one dot less", "reject", "dots", "dots: 3 spots, 4 expected", card(3, true, moved)},
		{"no bar", "reject", "bar", "bar: share 0, at least 0.8 expected", card(4, false, moved)},
		{"both: the first check is the reason", "reject", "dots", "dots: 3 spots, 4 expected", card(3, false, home)},
		{"the wrong way round", "rework", "way_up", "way_up: does not hold: abs(card.angle) < 90", card(4, true, over)},
		{"the wrong way round and a dot less", "reject", "dots", "dots: 3 spots, 4 expected", card(3, true, over)},
		{"nothing there", "reject", "card", "card: not found (nothing comes near it; a score of at least 0.6 wanted)", raster.NewGray(400, 320)},
	} {
		got := r.Inspect(raster.Picture{Gray: tc.pic})
		assert.Equal(t, tc.route, got.Route, tc.name)
		assert.Equal(t, tc.reason, got.Reason, tc.name)
		assert.Equal(t, tc.sentence, got.Sentence, tc.name)
		assert.False(t, got.Fault, tc.name)
	}
	got := r.Inspect(raster.Picture{Gray: raster.NewGray(400, 320)})
	assert.Equal(t, check.NotJudged, got.Findings[1].Outcome, "no made-up failures of the riders")
	assert.Equal(t, check.NotJudged, got.Findings[3].Outcome)
	assert.Contains(t, string(got.Findings[1].Sentence), "see card")
}

type breaking struct{ how func(out *check.Finding) }

func (b breaking) NewJudge() check.Judge                    { return b }
func (b breaking) Judge(_ *check.Input, out *check.Finding) { b.how(out) }
func breakCheck(p *Plan, id string, how func(*check.Finding)) *Runner {
	q := *p
	q.steps = append([]step(nil), p.steps...)
	for i := range q.steps {
		if q.steps[i].doc.ID == id {
			q.steps[i].taught = breaking{how}
		}
	}
	return q.NewRunner()
}

// Every way in which judging can go wrong ends in reject.
func TestNothingThatGoesWrongPasses(t *testing.T) {
	p := plan(t, text)
	good := raster.Picture{Gray: card(4, true, home)}
	cases := map[string]struct {
		r   *Runner
		pic raster.Picture
		say string
	}{
		"no picture":        {p.NewRunner(), raster.Picture{}, "there is no picture"},
		"a color picture":   {p.NewRunner(), raster.Picture{RGB: raster.NewRGB(400, 320)}, "it is a color picture, and the recipe is for gray ones"},
		"a tiny picture":    {p.NewRunner(), raster.Picture{Gray: raster.NewGray(1, 1)}, "not found"},
		"a check panics":    {breakCheck(p, "dots", func(*check.Finding) { panic("index out of range") }), good, "dots: the check broke down (index out of range)"},
		"a datum panics":    {breakCheck(p, "card", func(*check.Finding) { panic("boom") }), good, "card: the check broke down (boom)"},
		"a reading is NaN":  {breakCheck(p, "dots", func(f *check.Finding) { f.Read("count", "", math.NaN()) }), good, "dots: count NaN, 4 expected"},
		"a reading missing": {breakCheck(p, "dots", func(*check.Finding) {}), good, "dots: a reading that has limits was not taken"},
		"a check is silent": {breakCheck(p, "bar", func(f *check.Finding) { f.Outcome = check.NotJudged }), good, "bar: "},
	}
	for name, tc := range cases {
		got := tc.r.Inspect(tc.pic)
		assert.Equal(t, recipe.Reject, got.Route, name)
		assert.NotEmpty(t, got.Reason, name)
		assert.Contains(t, got.Sentence, tc.say, name)
	}
	again := breakCheck(p, "dots", func(*check.Finding) { panic("once") })
	again.Inspect(good)
	assert.True(t, again.Inspect(good).Fault, "a fault is a fault each time")
}

func TestRulesThatCannotBeWorkedOutAreFaults(t *testing.T) {
	for name, rule := range map[string]string{
		"division by zero":  "1 / int(dots.count - 4.0) > 0",
		"more than allowed": "[1,2,3,4,5,6,7,8,9].all(a, [1,2,3,4,5,6,7,8,9].all(b, [1,2,3,4,5,6,7,8,9].all(c, [1,2,3,4,5,6,7,8,9].all(d, [1,2,3,4,5,6,7,8,9].all(e, a+b+c+d+e > 0)))))",
	} {
		p := plan(t, strings.Replace(text, "abs(card.angle) < 90", "'"+rule+"'", 1))
		got := p.NewRunner().Inspect(raster.Picture{Gray: card(4, true, home)})
		assert.True(t, got.Fault, name)
		assert.Equal(t, recipe.Reject, got.Route, name)
		p = plan(t, strings.Replace(text, "card.ok && !way_up.ok && !dots.failed", "'"+rule+"'", 1))
		got = p.NewRunner().Inspect(raster.Picture{Gray: card(4, true, home)})
		assert.True(t, got.Fault, "route: "+name)
		assert.Equal(t, recipe.Reject, got.Route, name)
		assert.Equal(t, "routes", got.Reason, name)
	}
}

func TestMeasureOnlyDoesNotDecide(t *testing.T) {
	p := plan(t, strings.Replace(text, "id: dots\n", "id: dots\n    measure_only: true\n", 1))
	got := p.NewRunner().Inspect(raster.Picture{Gray: card(2, true, home)})
	assert.Equal(t, recipe.Pass, got.Route)
	assert.Equal(t, check.Failed, got.Findings[1].Outcome)
	all := strings.NewReplacer("id: dots\n", "id: dots\n    measure_only: true\n", "kind: presence.tone", "kind: presence.tone, measure_only: true",
		"kind: locate.outline", "kind: locate.outline, measure_only: true", "kind: logic.rule", "kind: logic.rule, measure_only: true").Replace(text)
	got = plan(t, all).NewRunner().Inspect(raster.Picture{Gray: card(4, true, home)})
	assert.Equal(t, recipe.Reject, got.Route, "a recipe that decides nothing lets nothing pass")
}

func TestPrepareSaysWhatCannotBeTaught(t *testing.T) {
	d, err := Reader.Parse([]byte(text))
	require.NoError(t, err)
	for want, ref := range map[string][]byte{
		"card cannot be taught: only 0 edge points": pngOf(t, raster.NewGray(400, 320)),
		"reference.png: the file is empty":          {},
		"reference.png: not a PNG, JPEG, BMP":       []byte("GIF89a"),
	} {
		r, err := recipe.New(d, map[string][]byte{"reference.png": ref})
		require.NoError(t, err)
		_, err = Prepare(r)
		assert.ErrorContains(t, err, want)
	}
}

// allKinds are checks of every kind, on the card.
const allKinds = `  - {id: level, kind: presence.level, on: card, region: {circle: [200, 150, 60]}}
  - {id: detail, kind: presence.detail, on: card, region: {ring: [200, 150, 20, 70]}}
  - {id: shade, kind: color.shade, on: card, region: {polygon: [[120, 90], [280, 100], [200, 220]]}, color: "#806040"}
  - {id: gap, kind: measure.gap, on: card, from: {arrow: [80, 150, 120, 150], width: 20}, to: {arrow: [280, 150, 320, 150], width: 20}}
  - {id: size, kind: measure.size, on: card, region: {rect: [80, 50, 240, 200]}}
  - {id: angle, kind: measure.angle, on: card, first: {arrow: [200, 50, 200, 90], width: 100}, second: {arrow: [320, 150, 280, 150], width: 100}}
  - {id: circle, kind: measure.circle, on: card, region: {ring: [135, 110, 1, 14]}, rays: 36}
  - {id: rim, kind: measure.rim, on: card, region: {ring: [135, 110, 1, 14]}, against: taught}
  - {id: patch, kind: locate.patch, region: {rect: [100, 70, 200, 160]}, turn: 180}
  - {id: disc, kind: locate.disc, on: card, region: {ring: [135, 110, 1, 14]}}
  - {id: spot, kind: locate.spot, region: {rect: [110, 180, 180, 40]}, tone: {most: 60}}
  - {id: edges, kind: locate.edges, on: card, edges: [{arrow: [200, 50, 200, 90], width: 120}, {arrow: [80, 170, 120, 170], width: 80}]}
  - {id: like, kind: presence.likeness, on: patch, region: {rect: [118, 98, 160, 24]}}
  - {id: reps, kind: count.repeats, on: card, region: {rect: [120, 95, 30, 30]}}
  - {id: teeth, kind: count.edges, on: card, arrow: [115, 110, 285, 110]}
  - {id: round, kind: count.edges, on: card, arc: [200, 150, 45, -170, 120]}
  - {id: amount, kind: color.amount, on: card, region: {rect: [118, 98, 160, 24]}, tone: {least: 180}}
  - {id: order, kind: color.order, on: card, region: {rect: [115, 100, 160, 20]}, expect: [a, b, c, d]}
  - {id: local, kind: count.spots, on: card, region: {rect: [110, 90, 180, 40]}, local: {than: lighter}, split: 0.8}
  - {id: auto, kind: count.spots, on: card, region: {rect: [110, 90, 180, 40]}, auto: lighter, neighbors: 4}
`

// The verdict is the same to the last bit on every machine and build: the golden
// file was written on amd64 with AVX2; the tests also run without SIMD, with
// GOAMD64=v3 (fused multiply-add) and on arm64.
func TestVerdictsAreTheSameToTheLastBit(t *testing.T) {
	r := plan(t, strings.Replace(text, "routes:", allKinds+"routes:", 1)).NewRunner()
	var b strings.Builder
	for i := range 12 {
		at := raster.Pose{X: 200 + float64(i)*1.37, Y: 150 - float64(i)*0.61, Angle: float64(i*33) - 170.3, Size: 1}
		got := r.Inspect(raster.Picture{Gray: card(3+i%3, i%4 != 0, at)})
		fmt.Fprintf(&b, "%d %s %s\n", i, got.Route, got.Sentence)
		for _, f := range got.Findings {
			fmt.Fprintf(&b, " %s %s: %s\n", f.Check, f.Outcome, f.Sentence)
			for _, rd := range f.Readings {
				fmt.Fprintf(&b, "  %s.%s %x\n", f.Check, rd.Name, math.Float64bits(rd.Value))
			}
			for _, row := range f.Rows {
				for k, c := range row {
					fmt.Fprintf(&b, "  %s %x %s\n", f.Columns[k].Name, math.Float64bits(c.Number), c.Text)
				}
			}
		}
	}
	path := filepath.Join("testdata", "verdicts.golden")
	if os.Getenv("UPDATE") != "" {
		require.NoError(t, os.MkdirAll("testdata", 0o755))
		require.NoError(t, os.WriteFile(path, []byte(b.String()), 0o644))
	}
	want, err := os.ReadFile(path)
	require.NoError(t, err)
	got := strings.Split(b.String(), "\n")
	for i, line := range strings.Split(string(want), "\n") {
		require.Equal(t, line, got[min(i, len(got)-1)], "line %d", i+1)
	}
}

func TestResultJSONHasTheDocumentedForm(t *testing.T) {
	got := plan(t, text).NewRunner().Inspect(raster.Picture{Gray: card(3, true, home)}).Clone()
	data, err := json.Marshal(got.JSON())
	require.NoError(t, err)
	var out map[string]any
	require.NoError(t, json.Unmarshal(data, &out))
	assert.Equal(t, "reject", out["route"])
	assert.True(t, strings.HasPrefix(out["revision"].(string), "sha256:"))
	dots := out["findings"].([]any)[1].(map[string]any)
	assert.Equal(t, "failed", dots["outcome"])
	assert.Equal(t, map[string]any{"value": 3.0, "unit": "", "least": 4.0, "most": 4.0}, dots["readings"].(map[string]any)["count"])
	row := dots["rows"].([]any)[0].(map[string]any)
	assert.Equal(t, "", row["missed"])
	assert.InDelta(t, 200, row["area"].(float64), 40)
	assert.Contains(t, dots["marks"].([]any)[0], "points")
}

// A brush mask and a hole ride with their datum as every other form does.
func TestMasksFollowTheirDatum(t *testing.T) {
	brush := raster.NewGray(400, 320)
	var paint raster.Painter
	paint.Fill(brush, raster.Rect(125, 192, 150, 16).Outline(raster.Identity(), nil), 255)
	files := map[string][]byte{"reference.png": pngOf(t, card(4, true, home)), "bar.png": pngOf(t, brush)}
	d, err := Reader.Parse([]byte(strings.Replace(text, "routes:", `  - {id: painted, kind: presence.level, on: card, region: {mask: bar.png}}
  - {id: ground, kind: presence.level, on: card, region: {rect: [115, 186, 170, 28], without: [{rect: [112, 182, 176, 34]}, {mask: bar.png}]}, outside: judge}
routes:`, 1)))
	require.NoError(t, err)
	_, err = recipe.New(d, map[string][]byte{"reference.png": files["reference.png"]})
	assert.ErrorContains(t, err, "the file bar.png is not in the recipe's folder")
	_, err = recipe.New(d, map[string][]byte{"reference.png": files["reference.png"], "bar.png": pngOf(t, raster.NewGray(9, 9))})
	assert.ErrorContains(t, err, "has no light pixel")
	r, err := recipe.New(d, files)
	require.NoError(t, err)
	p, err := Prepare(r)
	require.NoError(t, err)
	for _, at := range []raster.Pose{home, {X: 190, Y: 160, Angle: 33, Size: 1}, {X: 205, Y: 150, Angle: -120, Size: 1}} {
		got := p.NewRunner().Inspect(raster.Picture{Gray: card(4, true, at)})
		mean, ok := got.Findings[4].Value("mean")
		require.True(t, ok)
		assert.InDelta(t, 30, mean, 2, "nothing but the bar at %+v", at)
		assert.Equal(t, check.Fault, got.Findings[5].Outcome, "a region that is all hole is no region")
	}
}

func TestOutsideIsFaultFailureOrJudged(t *testing.T) {
	over := raster.Pose{X: 200, Y: 268, Size: 1} // the bar hangs out below
	for setting, want := range map[string]check.Outcome{"": check.Fault, "outside: fail, ": check.Failed, "outside: judge, ": check.OK} {
		p := plan(t, strings.Replace(text, "kind: presence.tone, ", "kind: presence.tone, "+setting, 1))
		got := p.NewRunner().Inspect(raster.Picture{Gray: card(4, true, over)})
		assert.Equal(t, want, got.Findings[2].Outcome, "%q: %s", setting, got.Findings[2].Sentence)
		if want != check.OK {
			assert.Contains(t, string(got.Findings[2].Sentence), "% outside the picture")
			assert.Equal(t, recipe.Reject, got.Route)
		}
	}
}

// In steady state a runner lives on the memory it has.
func TestInspectDoesNotAllocate(t *testing.T) {
	r := plan(t, strings.Split(text, "  - {id: way_up")[0]).NewRunner()
	pic := raster.Picture{Gray: card(4, true, home)}
	r.Inspect(pic)
	assert.LessOrEqual(t, testing.AllocsPerRun(20, func() { r.Inspect(pic) }), 4.0)
}

func TestLengthsInMillimeters(t *testing.T) {
	gap := `  - {id: gap, kind: measure.gap, unit: mm, on: card, from: {arrow: [80, 150, 120, 150], width: 20}, to: {arrow: [280, 150, 320, 150], width: 20}, limits: {distance: {nominal: 20, tolerance: 0.1}}}
routes:`
	pic := raster.Picture{Gray: card(4, true, home)}
	value := func(r *Runner) (float64, *check.Finding) {
		f := r.Inspect(pic).Findings[4]
		v, _ := f.Value("distance")
		return v, f
	}
	r := plan(t, strings.Replace(text, "routes:", gap, 1)).NewRunner()
	_, f := value(r)
	assert.Equal(t, check.Fault, f.Outcome)
	assert.Contains(t, string(f.Sentence), "calibrate the station, or give picture.mm_per_px")
	r.Calibrate(raster.Calibration{MMPerPx: 0.1})
	v, f := value(r)
	assert.InDelta(t, 20, v, 0.01)
	assert.Equal(t, "mm", f.Readings[0].Unit)
	assert.Equal(t, check.OK, f.Outcome)
	r = plan(t, strings.Replace(strings.Replace(text, "routes:", gap, 1), "{kind: gray", "{mm_per_px: 0.2, kind: gray", 1)).NewRunner()
	v, f = value(r)
	assert.InDelta(t, 40, v, 0.02, "the recipe's own scale")
	assert.Equal(t, check.Failed, f.Outcome)
	r.Calibrate(raster.Calibration{MMPerPx: 0.1})
	v, _ = value(r)
	assert.InDelta(t, 20, v, 0.01, "the station's calibration goes before it")
}

// A small datum far from what rides on it is warned of, and the readings of the
// reference picture are there to set limits from.
func TestPrepareWarnsAndProposes(t *testing.T) {
	p := plan(t, text)
	assert.Empty(t, p.Warnings)
	on := p.OnReference()
	require.NotNil(t, on)
	n, _ := on.Findings[1].Value("count")
	assert.Equal(t, 4.0, n)
	far := `  - {id: dot, kind: locate.disc, region: {ring: [135, 110, 1, 14]}}
  - {id: there, kind: presence.level, on: dot, region: {rect: [330, 250, 40, 40]}}
routes:`
	p = plan(t, strings.Replace(text, "routes:", far, 1))
	require.Len(t, p.Warnings, 1)
	assert.Regexp(t, `^there reaches 29\d px away from it, and it is only 1\d px wide: .* shifts there by 0.5 px`, p.Warnings[0].Text)
}

// Which pixels count can be shown: as many as the reading says, and nothing of checks that
// do not go by single pixels.
func TestSelectedPixelsAreThoseThatCount(t *testing.T) {
	r := plan(t, strings.Replace(text, "routes:", "  - {id: light, kind: color.amount, on: card, region: {rect: [118, 98, 160, 24]}, tone: {least: 180}, relative: region}\nroutes:", 1)).NewRunner()
	v := r.Inspect(raster.Picture{Gray: card(4, true, raster.Pose{X: 210, Y: 150, Angle: 25, Size: 1})})
	for _, id := range []string{"bar", "light"} {
		sel := r.Selected(id)
		require.NotNil(t, sel, id)
		n := 0
		for _, p := range sel.Pix {
			n += int(p) / 255
		}
		for _, f := range v.Findings {
			if f.Check != id {
				continue
			}
			share, _ := f.Value("share")
			area := map[string]float64{"bar": 160 * 20, "light": 160 * 24}[id]
			assert.InDelta(t, share*area, n, 0.02*area, id)
			assert.Positive(t, n)
		}
	}
	assert.Nil(t, r.Selected("dots"))
	r.Inspect(raster.Picture{Gray: raster.NewGray(400, 320)})
	assert.Nil(t, r.Selected("bar"), "not judged")
}
