package inspect

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ricetta/core/check"
	"ricetta/core/raster"
)

// What is judged anew from readings must be what another recipe would have said of the picture.
func TestAgainSaysWhatThePictureWould(t *testing.T) {
	old := plan(t, text)
	for name, changed := range map[string]string{
		"fewer dots":       strings.Replace(text, "count: {least: 4, most: 4}", "count: {least: 3, most: 4}", 1),
		"no limit of dots": strings.Replace(text, "limits: {count: {least: 4, most: 4}}", "limits: {threshold: {least: 0}}", 1),
		"a lighter bar":    strings.Replace(text, "share: {least: 0.8}", "share: {least: 0.01}", 1),
		"never a bar":      strings.Replace(text, "share: {least: 0.8}", "share: {most: 0.5}", 1),
		"bar is measured":  strings.Replace(text, "tone: {most: 90}, limits: {share: {least: 0.8}}", "tone: {most: 90}, measure_only: true, limits: {share: {least: 0.8}}", 1),
		"another rule":     strings.Replace(text, "abs(card.angle) < 90", "dots.count > 3.0 && bar.share < 2.0", 1),
		"another route":    strings.Replace(text, "card.ok && !way_up.ok && !dots.failed", "dots.failed", 1),
	} {
		t.Run(name, func(t *testing.T) {
			require.NotEqual(t, text, changed)
			now := plan(t, changed)
			require.True(t, old.SameLook(now))
			require.False(t, now.AsksWords())
			before, after, again := old.NewRunner(), now.NewRunner(), now.Again()
			for dots := range 6 {
				for _, at := range []raster.Pose{home, {X: 190, Y: 160, Angle: 20, Size: 1}, {X: 200, Y: 150, Angle: 180, Size: 1}, {X: 800, Y: 800, Size: 1}} {
					for _, bar := range []bool{true, false} {
						pic := raster.Picture{Gray: card(dots, bar, at)}
						want := after.Inspect(pic)
						was := before.Inspect(pic).Clone()
						got := again.Judge(was.Findings, nil)
						says := fmt.Sprintf("%d dots, bar %v, %+v", dots, bar, at)
						assert.Equal(t, want.Route, got.Route, says)
						assert.Equal(t, want.Reason, got.Reason, says)
						assert.Equal(t, want.Fault, got.Fault, says)
						for i, f := range want.Findings {
							assert.Equal(t, f.Outcome, got.Findings[i].Outcome, says+": "+f.Check)
							assert.Equal(t, f.Itself, got.Findings[i].Itself, says+": "+f.Check)
						}
					}
				}
			}
		})
	}
}

func TestOnlyThePictureTells(t *testing.T) {
	old := plan(t, text)
	for _, changed := range []string{
		strings.Replace(text, "tone: {least: 180}", "tone: {least: 170}", 1),
		strings.Replace(text, "turn: 180", "turn: 90", 1),
		strings.Replace(text, "id: bar,", "id: beam,", 1),
	} {
		require.NotEqual(t, text, changed)
		assert.False(t, old.SameLook(plan(t, changed)))
	}
	assert.True(t, plan(t, strings.Replace(text, "abs(card.angle) < 90", `'order["lot"] == "1"'`, 1)).AsksWords())
	assert.Equal(t, check.Band{Least: 4, Most: 4}, old.Limits("dots")["count"])
}
