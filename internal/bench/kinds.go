package main

import (
	"fmt"
	"strings"
	"testing"

	"ricetta/core/check"
	"ricetta/core/inspect"
	"ricetta/core/raster"
	"ricetta/core/recipe"
	"ricetta/demo"
	"ricetta/internal/drawn"
	"ricetta/internal/folder"
	"ricetta/internal/plant"
)

// onTin is one check of each kind that a tin can show, in the places where a recipe
// would have it.
const onTin = `ricetta: 1
product: pencil-tin-12
role: top
picture: {kind: color, reference: reference.png}
checks:
  - {id: patch_20, kind: locate.patch, region: {rect: [240, 190, 130, 300]}}
  - {id: patch_180, kind: locate.patch, region: {rect: [240, 190, 130, 300]}, turn: 180}
  - {id: edges, kind: locate.edges, edges: [{arrow: [640, 130, 640, 190], width: 500}, {arrow: [190, 470, 240, 470], width: 400}]}
  - {id: tone, kind: presence.tone, region: {rect: [386, 214, 650, 52]}, tone: {least: 135}}
  - {id: level, kind: presence.level, region: {rect: [386, 330, 650, 300]}}
  - {id: detail, kind: presence.detail, region: {rect: [230, 180, 152, 580]}}
  - {id: likeness, kind: presence.likeness, region: {rect: [240, 230, 130, 140]}}
  - {id: spots, kind: count.spots, region: {rect: [386, 214, 650, 52]}, tone: {least: 135}}
  - {id: local, kind: count.spots, region: {rect: [386, 190, 650, 570]}, local: {than: lighter, reach: 40}}
  - {id: split, kind: count.spots, region: {rect: [386, 190, 650, 570]}, auto: lighter, split: 0.8}
  - {id: repeats, kind: count.repeats, region: {rect: [386, 185, 54, 100]}, search: {rect: [380, 180, 660, 110]}, turn: 5}
  - {id: teeth, kind: count.edges, arrow: [380, 500, 1045, 500], width: 40}
  - {id: amount, kind: color.amount, region: {rect: [386, 190, 650, 570]}, color: {hue: [340, 20], saturation: {least: 40}}}
  - {id: shade, kind: color.shade, region: {rect: [240, 190, 130, 40]}}
  - {id: order, kind: color.order, region: {rect: [388, 330, 646, 300]}, expect: [a, b, c, d, e, f, g, h, i, j, k, l]}
  - {id: gap, kind: measure.gap, from: {arrow: [190, 470, 240, 470], width: 40}, to: {arrow: [1030, 470, 1090, 470], width: 40}}
  - {id: size, kind: measure.size, region: {rect: [185, 140, 905, 660]}, take: first, step: 30}
  - {id: angle, kind: measure.angle, first: {arrow: [640, 130, 640, 190], width: 500}, second: {arrow: [190, 470, 240, 470], width: 400}}
`

// onWheel are the kinds that want something round.
const onWheel = `ricetta: 1
product: wheel
role: top
picture: {kind: gray, reference: reference.png}
checks:
  - {id: disc, kind: locate.disc, region: {ring: [640, 480, 240, 360]}}
  - {id: spot, kind: locate.spot, region: {rect: [300, 140, 680, 680]}, tone: {least: 120}}
  - {id: circle, kind: measure.circle, region: {ring: [640, 480, 240, 360]}}
  - {id: rim, kind: measure.rim, region: {ring: [640, 480, 240, 360]}}
`

// eight is the recipe of eight checks by which the speed of a whole item is told: a
// datum, a tone, a likeness, two counts, a color and two measures.
const eight = `ricetta: 1
product: pencil-tin-12
role: top
picture: {kind: color, reference: reference.png}
checks:
  - {id: tin, kind: locate.outline, region: {rect: [230, 180, 152, 580]}}
  - {id: tone, kind: presence.tone, on: tin, region: {rect: [404, 330, 20, 300]}, tone: {most: 125}, limits: {share: {least: 0.7}}}
  - {id: flower, kind: presence.likeness, on: tin, region: {rect: [240, 230, 130, 140]}, limits: {score: {least: 0.8}}}
  - {id: tips, kind: count.spots, on: tin, region: {rect: [386, 214, 650, 52]}, tone: {least: 135}, keep: {area: {least: 600}, height: {least: 40}}, limits: {count: {least: 12, most: 12}}}
  - {id: ends, kind: count.spots, on: tin, region: {rect: [386, 705, 650, 30]}, auto: darker, keep: {area: {least: 400}}}
  - {id: red, kind: color.amount, on: tin, region: {rect: [386, 190, 650, 570]}, color: {hue: [340, 20], saturation: {least: 40}}, limits: {amount: {least: 0.8, most: 1.2}}}
  - {id: width, kind: measure.gap, on: tin, from: {arrow: [190, 470, 240, 470], width: 40}, to: {arrow: [1030, 470, 1090, 470], width: 40}}
  - {id: square, kind: measure.angle, on: tin, first: {arrow: [640, 130, 640, 190], width: 300}, second: {arrow: [190, 470, 240, 470], width: 300}}
`

// drawnRecipe joins a document with a reference picture.
func drawnRecipe(text string, files map[string][]byte) (*recipe.Recipe, error) {
	d, err := inspect.Reader.Parse([]byte(text))
	if err != nil {
		return nil, err
	}
	return recipe.New(d, files)
}

// tinFiles are the files of the demo recipe.
func tinFiles() (map[string][]byte, error) {
	r, _, err := folder.Recipe(demo.Recipes, "recipes/"+plant.Tins)
	if err != nil {
		return nil, err
	}
	return r.Files, nil
}

// wheelPicture is a disc with a soft border, a little off the middle.
func wheelPicture(x, y, radius float64) raster.Picture {
	g := raster.NewGray(1280, 960)
	v := uint32(1)
	for i := range g.Pix {
		g.Pix[i] = 60
	}
	var p raster.Painter
	p.Fill(g, drawn.Round(x, y, radius), 180)
	g.Blur(2)
	for i := range g.Pix {
		v = v*1664525 + 1013904223
		g.Pix[i] += uint8(v >> 29)
	}
	return raster.Picture{Gray: g}
}

// benchKinds times every check of a document by itself on a picture.
func benchKinds(t table, r *recipe.Recipe, ref, pic raster.Picture) error {
	luma := ref.Luma(new(raster.Gray))
	for _, c := range r.Checks {
		k, _ := inspect.Kinds.Find(c.Kind)
		taught, err := k.Teach(&check.Teaching{Picture: ref, Reference: luma}, c.Settings)
		if err != nil {
			return fmt.Errorf("%s: %w", c.ID, err)
		}
		j := taught.NewJudge()
		var in check.Input
		var f check.Finding
		res := best(func(b *testing.B) {
			in.Reset(pic)
			for b.Loop() {
				f.Reset()
				j.Judge(&in, &f)
			}
		})
		if f.Outcome != check.OK {
			return fmt.Errorf("%s: %s", c.ID, f.Sentence)
		}
		name := c.Kind
		if c.ID != strings.Split(c.Kind, ".")[1] {
			name += ", " + c.ID
		}
		fmt.Fprintf(t.w, "  %s\t%.3f ms\t\t\t%s\n", name, ms(res), f.Sentence)
	}
	return nil
}

func printKinds(t table) error {
	files, err := tinFiles()
	if err != nil {
		return err
	}
	tin, err := drawnRecipe(onTin, files)
	if err != nil {
		return err
	}
	ref, err := raster.Decode(files["reference.png"], ".png", raster.DefaultDecodeLimits)
	if err != nil {
		return err
	}
	fmt.Fprintln(t.w, "each kind on a picture of 1280×960, levels of the picture made before\t\t\t\t")
	if err := benchKinds(t, tin, ref, ref); err != nil {
		return err
	}
	wheel := wheelPicture(640, 480, 300)
	doc, err := inspect.Reader.Parse([]byte(onWheel))
	if err != nil {
		return err
	}
	return benchKinds(t, &recipe.Recipe{Document: *doc}, wheel, wheelPicture(652.3, 471.8, 300))
}

// eightPlan is the recipe of eight checks, made ready.
func eightPlan() (*inspect.Plan, error) {
	files, err := tinFiles()
	if err != nil {
		return nil, err
	}
	r, err := drawnRecipe(eight, files)
	if err != nil {
		return nil, err
	}
	return inspect.Prepare(r)
}

// benchEight times the recipe of eight checks.
func benchEight(t table) error {
	plan, err := eightPlan()
	if err != nil {
		return err
	}
	tin := plant.Draw(77, 3, plant.Rates{})
	tin.At.Angle = 7
	pic := tin.Picture()
	for _, hands := range []int{1, 0} {
		runner := plan.NewRunner()
		name := "whole recipe of 8 checks, 1280×960 color, one core"
		if hands > 0 {
			runner.Hands(hands)
		} else {
			name = "  the same on all cores"
		}
		if got := runner.Inspect(pic); got.Route != recipe.Pass {
			return fmt.Errorf("the recipe of eight checks: %s", got.Sentence)
		}
		res := best(func(b *testing.B) {
			b.ReportAllocs()
			for b.Loop() {
				runner.Inspect(pic)
			}
		})
		t.time(name, 12, res)
		if hands > 0 {
			n := res.AllocedBytesPerOp()
			t.row("  allocated per item", fmt.Sprintf("%d B in %d", n, res.AllocsPerOp()), "≤ 1024 B", float64(n)/1024, n <= 1024)
		}
	}
	return nil
}
