package station

import (
	"bytes"
	"image"
	"image/png"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ricetta/core/inspect"
	"ricetta/core/raster"
	"ricetta/core/recipe"
)

// striped is a picture with stripes of two tones, soft where it is out of focus.
func striped(dark, light uint8, soft bool) raster.Picture {
	g := raster.NewGray(80, 80)
	for y := range 80 {
		for x := range 80 {
			v := dark
			if x/10%2 == 1 {
				v = light
			}
			if soft && x%10 >= 8 || soft && x%10 < 2 {
				v = uint8((int(dark) + int(light)) / 2)
			}
			g.Row(y)[x] = v
		}
	}
	return raster.Picture{Gray: g}
}

func watchedPlan(t *testing.T, ref raster.Picture) *inspect.Plan {
	d, err := inspect.Reader.Parse([]byte(strings.Replace(lightItems, "{kind: gray}", "{kind: gray, reference: ref.png}", 1)))
	require.NoError(t, err)
	var file bytes.Buffer
	require.NoError(t, png.Encode(&file, &image.Gray{Pix: ref.Gray.Pix, Stride: ref.Gray.Stride, Rect: image.Rect(0, 0, ref.Gray.W, ref.Gray.H)}))
	r, err := recipe.New(d, map[string][]byte{"ref.png": file.Bytes()})
	require.NoError(t, err)
	p, err := inspect.Prepare(r)
	require.NoError(t, err)
	return p
}

func TestPicturesThatDriftAreTold(t *testing.T) {
	var told []string
	w := newWatching(Config{ID: "s1", Watch: Watch{Brightness: 10, Sharpness: -1, Act: "hold"}}, func(_, act, text string) { told = append(told, act+": "+text) })
	plan := watchedPlan(t, striped(60, 140, false))
	look := func(n int, pic raster.Picture) {
		for range n {
			w.look(seen{plan, pic})
		}
	}
	look(watchedOver-1, striped(60, 140, false))
	assert.Empty(t, w.state(), "too few to say anything")
	look(5, striped(62, 142, false))
	look(1, striped(0, 0, false))
	assert.Empty(t, told, "one picture without light is no drift")
	require.Len(t, w.state(), len(traits))
	look(watchedOver, striped(48, 128, false))
	require.Len(t, told, 1)
	assert.Equal(t, "hold: the pictures of s1 drift: brightness is -10.5 % from the reference (allowed are 10 %); look at the lamp, its dust, and the exposure", told[0])
	look(watchedOver, striped(60, 140, true))
	require.Len(t, told, 2)
	assert.Equal(t, "hold: ", told[1], "as bright as ever; how sharp is not watched")
	assert.Negative(t, w.state()[2].Allowed)
	assert.Less(t, w.state()[2].Percent, -20.0, "but measured")

	look(watchedOver, striped(48, 128, false))
	require.Len(t, told, 3)
	plan = watchedPlan(t, striped(48, 128, false))
	look(1, striped(48, 128, false))
	require.Len(t, told, 4)
	assert.Equal(t, "hold: ", told[3], "another recipe has another reference")
}

func TestAWatchThatCannotBeMeantIsRefused(t *testing.T) {
	assert.ErrorContains(t, Config{ID: "s1", Watch: Watch{Act: "stop"}}.Validate(), `act of watch is "stop"; give warn or hold`)
	assert.ErrorContains(t, Config{ID: "s1", Watch: Watch{Evenness: 2000}}.Validate(), "give at most 1000")
}
