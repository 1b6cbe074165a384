package trial

import (
	"context"
	"errors"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ricetta/core/inspect"
	"ricetta/core/raster"
	"ricetta/core/recipe"
)

// plate is a recipe that wants a mean gray value of 80 or more and one dark dot.
const plate = `ricetta: 1
product: plate
role: top
picture: {kind: gray}
checks:
  - {id: mean, kind: presence.level, region: {rect: [10, 10, 100, 40]}, limits: {mean: {least: 80}}}
  - {id: dots, kind: count.spots, region: {rect: [10, 60, 100, 30]}, tone: {most: 40}, limits: {count: {least: 1, most: 1}}}
routes:
  - {to: rework, when: dots.count > 1.5}
`

func ready(t testing.TB) *inspect.Plan {
	d, err := inspect.Reader.Parse([]byte(plate))
	require.NoError(t, err)
	r, err := recipe.New(d, nil)
	require.NoError(t, err)
	p, err := inspect.Prepare(r)
	require.NoError(t, err)
	return p
}

// plateOf draws a plate of that tone with dots.
func plateOf(tone uint8, dots int) raster.Picture {
	g := raster.NewGray(120, 100)
	for i := range g.Pix {
		g.Pix[i] = tone
	}
	var p raster.Painter
	for i := range dots {
		x := 20 + 20*float64(i)
		p.Fill(g, []raster.Point{{X: x, Y: 65}, {X: x + 10, Y: 65}, {X: x + 10, Y: 75}, {X: x, Y: 75}}, 10)
	}
	return raster.Picture{Gray: g}
}

func sampleOf(t testing.TB, name, label string, tone uint8, dots int) Sample {
	l, err := ParseLabel(label)
	require.NoError(t, err)
	return Sample{name, l, func() (raster.Picture, error) { return plateOf(tone, dots), nil }}
}

func TestLabels(t *testing.T) {
	for text, want := range map[string]Label{
		"good": {"pass", ""}, "bad": {"reject", ""}, "bad: tips": {"reject", "tips"}, "rework": {"rework", ""},
		"unlabeled": {}, "": {}, "second:dots": {"second", "dots"},
	} {
		got, err := ParseLabel(text)
		require.NoError(t, err, text)
		assert.Equal(t, want, got, text)
		again, err := ParseLabel(got.String())
		require.NoError(t, err)
		assert.Equal(t, got, again)
	}
	for _, text := range []string{"good: tips", "unlabeled: tips", "not a label", "a/b"} {
		_, err := ParseLabel(text)
		assert.Error(t, err, text)
	}
}

func TestTrialTellsRightFromWrong(t *testing.T) {
	samples := []Sample{
		sampleOf(t, "g1", "good", 100, 1), sampleOf(t, "g2", "good", 104, 1), sampleOf(t, "g3", "good", 90, 1),
		sampleOf(t, "dark", "bad: mean", 70, 1), sampleOf(t, "darker", "bad", 50, 1),
		sampleOf(t, "none", "bad: dots", 100, 0), sampleOf(t, "two", "rework", 100, 2),
		sampleOf(t, "fine", "bad: dots", 100, 1), sampleOf(t, "too dark", "good", 60, 1), sampleOf(t, "new", "unlabeled", 200, 1),
		sampleOf(t, "else", "bad: dots", 60, 1),
		{"broken", Label{Route: "pass"}, func() (raster.Picture, error) { return raster.Picture{}, errors.New("it is cut short") }},
	}
	done := 0
	r, err := Run(context.Background(), ready(t), samples, Options{Each: func(n, of int) { done = n; assert.Equal(t, len(samples), of) }})
	require.NoError(t, err)
	assert.Equal(t, len(samples), done)
	assert.Equal(t, []int{3, 1, 1, 1}, []int{r.Wrong, r.LetThrough, r.Unlabeled, r.Broken}, "wrong: fine, too dark, broken; fine is let through")
	by := map[string]*Result{}
	for i := range r.Results {
		assert.Equal(t, samples[i].Name, r.Results[i].Name, "in the order of the samples")
		by[r.Results[i].Name] = &r.Results[i]
	}
	assert.True(t, by["else"].Right() && by["else"].OtherReason(), "rejected, but for the mean and not for the dots")
	assert.False(t, by["none"].OtherReason())
	assert.Equal(t, "picture: it is cut short", by["broken"].Sentence)
	assert.True(t, by["fine"].LetThrough())
	assert.Equal(t, []Confusion{
		{"good", map[string]int{"pass": 3, "reject": 1, "fault": 1}},
		{"rework", map[string]int{"rework": 1}},
		{"bad", map[string]int{"pass": 1, "reject": 4}},
		{"unlabeled", map[string]int{"pass": 1}},
	}, r.Confusion)

	limits := map[string]Limit{}
	for _, l := range r.Limits {
		limits[l.Check+"."+l.Reading] = l
	}
	mean := limits["mean.mean"]
	assert.Equal(t, "limits/mean", mean.Setting)
	assert.Nil(t, mean.Most)
	assert.Len(t, mean.Points, 11)
	assert.Equal(t, -20.0, mean.Least.GoodRoom, "a good one lies 20 below")
	assert.True(t, math.IsNaN(mean.Least.Proposed), "good and bad overlap: %s", mean.Least.Why)
	assert.Negative(t, mean.Least.Margin)
	assert.Equal(t, "mean", r.Limits[0].Check, "thinnest first")

	ctx, stop := context.WithCancel(context.Background())
	stop()
	_, err = Run(ctx, ready(t), samples, Options{})
	assert.ErrorIs(t, err, context.Canceled)
}

func TestProposedLimitsLieInTheGap(t *testing.T) {
	samples := []Sample{
		sampleOf(t, "g1", "good", 120, 1), sampleOf(t, "g2", "good", 128, 1), sampleOf(t, "g3", "good", 140, 1),
		sampleOf(t, "b1", "bad: mean", 60, 1), sampleOf(t, "b2", "bad: mean", 50, 1), sampleOf(t, "b3", "bad: dots", 125, 0),
	}
	r, err := Run(context.Background(), ready(t), samples, Options{})
	require.NoError(t, err)
	assert.Zero(t, r.Wrong)
	alone, err := Run(context.Background(), ready(t), samples, Options{Hands: 1})
	require.NoError(t, err)
	assert.Equal(t, r.JSON(), alone.JSON(), "whatever the number of hands")
	for _, l := range r.Limits {
		switch l.Check {
		case "mean":
			assert.Equal(t, 90.0, l.Least.Proposed)
			assert.Equal(t, 40.0, l.Least.GoodRoom)
			assert.Equal(t, 20.0, l.Least.BadRoom)
			assert.InDelta(t, 20.0/(128-60), l.Least.Margin, 1e-9, "of the way from the usual good to the usual bad reading")
		case "dots":
			assert.Equal(t, 1.0, l.Least.Proposed, "a count ends with the last good one")
			assert.Equal(t, 1.0, l.Most.Proposed)
			assert.Equal(t, 0.5, l.Least.GoodRoom)
			assert.Nil(t, l.Most.Bad, "none has too many")
		}
	}
	assert.NotEmpty(t, r.JSON().Limits, "and NaN has no place in JSON")
}

func TestStressFindsTheEnvelope(t *testing.T) {
	samples := []Sample{sampleOf(t, "bright", "good", 120, 1), sampleOf(t, "gray", "good", 104, 1), sampleOf(t, "dark", "bad: mean", 75, 1), sampleOf(t, "wrong", "good", 20, 1)}
	pictures := 0
	list, used, err := Stress(context.Background(), ready(t), samples, Options{Each: func(done, of int) {
		pictures = done
		assert.Equal(t, 3*len(Disturbances), of)
	}})
	require.NoError(t, err)
	assert.Equal(t, 3, used, "what is judged wrong as it is says nothing")
	assert.Equal(t, 3*len(Disturbances), pictures)
	by := map[string]Envelope{}
	for _, e := range list {
		by[e.Disturbance] = e
	}
	dark := by["darker"]
	assert.Equal(t, 20.0, dark.Holds, "104 less 20 %% is 83, less 30 %% is 73")
	assert.Equal(t, "mean", dark.First)
	assert.Equal(t, "gray", dark.Sample)
	assert.Equal(t, Step{30, 1, 0}, dark.Steps[4])
	assert.Equal(t, Step{40, 2, 0}, dark.Steps[5])
	light := by["lighter"]
	assert.Equal(t, 5.0, light.Holds, "75 more 10 %% is 82: let through")
	assert.Equal(t, 1, light.Steps[1].LetThrough)
	assert.True(t, by["noisier"].All || by["noisier"].Holds > 0)
	assert.Equal(t, "dots", by["shifted up"].First, "the dot leaves its region")
}

func TestDisturbancesDoWhatTheySay(t *testing.T) {
	p := plateOf(100, 2)
	c := raster.NewRGB(120, 100)
	copy(c.R, p.Gray.Pix)
	copy(c.G, p.Gray.Pix)
	for _, d := range Disturbances {
		for _, a := range d.Steps {
			gray, color := d.Altered(p, a), d.Altered(raster.Picture{RGB: c}, a)
			require.NotEqual(t, p.Gray.Pix, gray.Gray.Pix, "%s by %v", d.Name, a)
			require.Equal(t, gray.Gray.Pix, color.RGB.R, "%s: the first channel is altered as a gray picture is", d.Name)
		}
	}
	assert.Equal(t, plateOf(100, 2).Gray.Pix, p.Gray.Pix, "the picture itself stays")

	right := moved(p, 7, 0, 0, 1).Gray
	assert.Equal(t, p.Gray.Row(70)[20], right.Row(70)[27])
	turned := moved(p, 0, 0, 90, 1).Gray // about (60, 50): (25, 70) goes to (40, 15)
	assert.Equal(t, uint8(10), turned.Row(15)[40], "clockwise as seen")

	flat := plateOf(100, 0)
	sum := 0.0
	for _, v := range noisier(flat, 8).Gray.Pix {
		sum += (float64(v) - 100) * (float64(v) - 100)
	}
	assert.InDelta(t, 8, math.Sqrt(sum/12000), 0.3)
	edge := raster.NewGray(60, 5)
	for y := range 5 {
		for x := 30; x < 60; x++ {
			edge.Row(y)[x] = 255
		}
	}
	soft := blurred(raster.Picture{Gray: edge}, 3).Gray.Row(2)
	assert.InDelta(t, 255*0.798, float64(soft[32]), 3, "2.5 pixels beyond the step, of a deviation of 3")
}
