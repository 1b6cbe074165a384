package main

import (
	"fmt"
	"io"
	"math"
	"math/rand/v2"

	"ricetta/core/check"
	"ricetta/core/color"
	"ricetta/core/presence"
	"ricetta/core/raster"
	"ricetta/internal/drawn"
)

// looks are lights and noises under which looks and colors are judged.
var looks = []struct {
	name        string
	noise, gain float64
}{
	{"noise 3", 3, 1},
	{"noise 8", 8, 1},
	{"a fifth less light, noise 5", 5, 0.8},
}

// lookAccuracy tells how far what is there and what is not lie apart for
// presence.likeness, and how near color.amount and color.order come to what was drawn.
func lookAccuracy(w io.Writer) error {
	const n = 30
	fmt.Fprintf(w, "looks and colors on %d drawn pictures each\tlikeness, least where it is there\tmost where another is\tamount, worst error\torders judged rightly\t\n", n)
	for _, l := range looks {
		there, other, worst, right := 1.0, 0.0, 0.0, 0
		cloths := [2]*raster.Gray{clothPicture(1, 1, 3, 1), clothPicture(2, 1, 3, 1)}
		for i := range uint64(n) {
			s := presence.Likeness.New().(*presence.LikenessSettings)
			s.Region = raster.Rect(60, 60, 120, 80)
			for k := range cloths {
				f, err := run(presence.Likeness, s, cloths[0], clothPicture(uint64(k+1), l.gain, l.noise, 50+i))
				if err != nil {
					return err
				}
				score, _ := f.Value("score")
				if k == 0 {
					there = min(there, score)
				} else {
					other = max(other, score)
				}
			}
			off, ok, err := colorsOnce(i, l.gain, l.noise)
			if err != nil {
				return err
			}
			worst = max(worst, off)
			if ok {
				right++
			}
		}
		fmt.Fprintf(w, "  %s\t%.3f\t%.3f\t%.3f\t%d of %d\t\n", l.name, there, other, worst, right, n)
	}
	return nil
}

func clothPicture(seed uint64, gain, noise float64, chance uint64) *raster.Gray {
	rng := rand.New(rand.NewPCG(chance, 3))
	cloth := drawn.Cloth(seed, 12, 3)
	dx, dy := rng.Float64()*4-2, rng.Float64()*4-2
	g := raster.NewGray(240, 200)
	for y := range g.H {
		for x := range g.W {
			g.Row(y)[x] = uint8(min(max((120+cloth(float64(x)+dx, float64(y)+dy))*gain+rng.NormFloat64()*noise+0.5, 0), 255))
		}
	}
	return g
}

// The colors of the bars.
var barColors = [][3]uint8{{196, 42, 38}, {222, 128, 40}, {228, 200, 60}, {60, 140, 70}, {50, 84, 170}, {110, 60, 140}}

// bars draws upright bars on gray in the given order of barColors.
func bars(order []int, gain, noise float64, chance uint64) raster.Picture {
	rng := rand.New(rand.NewPCG(chance, 8))
	p := raster.NewRGB(60*len(order)+20, 120)
	for k, plane := range [3][]uint8{p.R, p.G, p.B} {
		g := raster.Gray{W: p.W, H: p.H, Stride: p.Stride, Pix: plane}
		for i := range g.Pix {
			g.Pix[i] = 96
		}
		var paint raster.Painter
		for i, c := range order {
			paint.Fill(&g, rect(20+60*float64(i), 15, 40, 90), barColors[c][k])
		}
		g.Blur(2)
		for i, v := range g.Pix {
			g.Pix[i] = uint8(min(max(float64(v)*gain+rng.NormFloat64()*noise+0.5, 0), 255))
		}
	}
	return raster.Picture{RGB: p}
}

// colorsOnce counts the red among bars put up by chance, and judges their order.
func colorsOnce(chance uint64, gain, noise float64) (amountOff float64, orderRight bool, err error) {
	expect := []int{0, 1, 2, 3, 4, 5}
	ref := bars(expect, 1, 3, 1)
	rng := rand.New(rand.NewPCG(chance, 21))
	now := append([]int(nil), expect...)
	a, b := rng.IntN(6), rng.IntN(6)
	now[a] = now[b] // one bar twice, or nothing changed
	reds := 0
	for _, c := range now {
		if c == 0 {
			reds++
		}
	}
	pic := bars(now, gain, noise, 70+chance)

	as := color.Amount.New().(*color.AmountSettings)
	as.Region = raster.Rect(5, 5, 370, 110)
	as.Picked = []raster.Region{raster.Rect(25, 20, 30, 80)}
	as.Unpicked = []raster.Region{raster.Rect(85, 20, 30, 80), raster.Rect(5, 5, 370, 5)}
	as.Margin = 5
	f, err := runOn(color.Amount, as, ref, pic)
	if err != nil {
		return 0, false, err
	}
	amount, _ := f.Value("amount")

	os := color.Order.New().(*color.OrderSettings)
	os.Region = raster.Rect(10, 20, 360, 80)
	os.Expect = []string{"red", "orange", "yellow", "green", "blue", "violet"}
	f, err = runOn(color.Order, os, ref, pic)
	if err != nil {
		return 0, false, err
	}
	wrong, _ := f.Value("wrong")
	want := 0
	if a != b {
		want = 1
	}
	return math.Abs(amount - float64(reds)), int(wrong) == want, nil
}

// runOn judges a picture with a kind that is taught on ref, which may have no pixels.
func runOn(k check.Kind, settings any, ref, pic raster.Picture) (*check.Finding, error) {
	if v, ok := settings.(check.Validator); ok {
		if err := v.Validate(); err != nil {
			return nil, fmt.Errorf("%s: %w", k.Name, err)
		}
	}
	t := check.Teaching{Picture: ref}
	if ref.Kind() != "" {
		t.Reference = ref.Luma(new(raster.Gray))
	}
	taught, err := k.Teach(&t, settings)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", k.Name, err)
	}
	return judgePicture(taught.NewJudge(), pic), nil
}
