package inspect

import (
	"bytes"
	"fmt"
	"image/png"
	"math/rand/v2"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ricetta/core/raster"
	"ricetta/core/recipe"
)

var numbers = regexp.MustCompile(`-?\d+(\.\d+)?`)

// mutated changes some of the numbers of a recipe.
func mutated(rng *rand.Rand, yaml string) string {
	head, checks, _ := strings.Cut(yaml, "checks:")
	rarely := 20 + rng.IntN(60)
	return head + "checks:" + numbers.ReplaceAllStringFunc(checks, func(n string) string {
		if rng.IntN(rarely) != 0 {
			return n
		}
		switch rng.IntN(9) {
		case 0:
			return "0"
		case 1:
			return "1"
		case 2:
			return "-1"
		case 3:
			return "1000000"
		case 4:
			return "0.3"
		case 5:
			return fmt.Sprint(rng.IntN(400))
		case 6:
			return fmt.Sprint(rng.IntN(20))
		case 7:
			return fmt.Sprintf("%.2f", rng.Float64()*300-20)
		}
		return "180"
	})
}

// anyPicture is anything a camera may deliver.
func anyPicture(rng *rand.Rand) raster.Picture {
	g := raster.NewGray(1+rng.IntN(500), 1+rng.IntN(400))
	switch rng.IntN(6) {
	case 0: // black
	case 1:
		for i := range g.Pix {
			g.Pix[i] = 255
		}
	case 2:
		for i := range g.Pix {
			g.Pix[i] = uint8(rng.Uint32())
		}
	case 3:
		for i := range g.Pix {
			g.Pix[i] = uint8(255 * (i / 3 % 2))
		}
	case 4:
		g = raster.NewGray(1, 1)
	default:
		g = card(rng.IntN(5), rng.IntN(2) == 0, raster.Pose{X: rng.Float64() * 400, Y: rng.Float64() * 320, Angle: rng.Float64() * 360, Size: 0.5 + rng.Float64()})
	}
	if rng.IntN(2) == 0 {
		return raster.Picture{Gray: g}
	}
	return colored(g, rng)
}

// colored gives each gray value a color of its own, by chance.
func colored(g *raster.Gray, rng *rand.Rand) raster.Picture {
	c := raster.NewRGB(g.W, g.H)
	for _, plane := range [3][]uint8{c.R, c.G, c.B} {
		var to [256]uint8
		for v := range to {
			to[v] = uint8(rng.Uint32())
		}
		for y := range g.H {
			for x, v := range g.Row(y) {
				plane[y*c.Stride+x] = to[v]
			}
		}
	}
	return raster.Picture{RGB: c}
}

// inColor are checks of colors, for recipes whose pictures have some.
const inColor = `  - {id: hues, kind: color.amount, region: {rect: [118, 98, 160, 24]}, color: {hue: [340, 20], saturation: {least: 30}, brightness: {most: 90}}}
  - {id: picked, kind: color.amount, region: {rect: [110, 90, 180, 40]}, picked: [{rect: [118, 98, 60, 24]}], unpicked: [{circle: [200, 150, 20]}], margin: 5}
`

// Any recipe that validates, on any picture, neither panics nor runs over ten seconds.
func tryAnything(t *testing.T, seed uint64) (prepared bool) {
	rng := rand.New(rand.NewPCG(seed, 11))
	var some strings.Builder // some of the kinds, so that one that cannot be taught does not hide all
	for _, l := range strings.SplitAfter(allKinds, "\n") {
		if strings.Contains(l, "id: patch,") || rng.IntN(4) == 0 {
			some.WriteString(l)
		}
	}
	document, reference := text, cardPNG(t)
	if rng.IntN(3) == 0 {
		some.WriteString(inColor)
		document = strings.Replace(text, "kind: gray", "kind: color", 1)
		var b bytes.Buffer
		require.NoError(t, png.Encode(&b, colored(card(4, true, home), rng).Image()))
		reference = b.Bytes()
	}
	yaml := mutated(rng, strings.Replace(document, "routes:", some.String()+"routes:", 1))
	d, err := Reader.Parse([]byte(yaml))
	if err != nil {
		return false
	}
	r, err := recipe.New(d, map[string][]byte{"reference.png": reference})
	require.NoError(t, err)
	begin := time.Now()
	p, err := Prepare(r)
	if err != nil {
		return false
	}
	runner := p.NewRunner()
	for range 4 {
		pic := anyPicture(rng)
		got := runner.Inspect(pic)
		for _, f := range got.Findings {
			assert.NotContains(t, string(f.Sentence), "broke down", "seed %d, %s of %s", seed, f.Check, f.Kind)
		}
		w, h := pic.Size()
		require.Less(t, time.Since(begin), 10*time.Second, "seed %d, %d×%d:\n%s", seed, w, h, yaml)
	}
	return true
}

var cardBytes []byte

func cardPNG(t testing.TB) []byte {
	if cardBytes == nil {
		cardBytes = pngOf(t, card(4, true, home))
	}
	return cardBytes
}

func TestAnyRecipeOnAnyPicture(t *testing.T) {
	n := 0
	for seed := range uint64(60) {
		if tryAnything(t, seed) {
			n++
		}
	}
	t.Logf("%d of 60 recipes could be made ready", n)
	assert.Greater(t, n, 15)
}

func FuzzAnyRecipeOnAnyPicture(f *testing.F) {
	f.Add(uint64(1))
	f.Fuzz(func(t *testing.T, seed uint64) { tryAnything(t, seed) })
}
