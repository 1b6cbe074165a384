package main

import (
	"fmt"
	"io"
	"math"
	"math/rand/v2"
	"slices"

	"ricetta/core/check"
	"ricetta/core/color"
	"ricetta/core/color/colortest"
	"ricetta/core/count"
	"ricetta/core/edge"
	"ricetta/core/locate"
	"ricetta/core/measure"
	"ricetta/core/raster"
	"ricetta/internal/drawn"
)

// datum is a datum kind with the feature that it is taught on.
type datum struct {
	kind     check.Kind
	feature  string
	settings func(turn float64) any
	turns    bool // it tells the turn
	rough    bool // it follows from nearby only, and does not search
	cover    bool // it is made to be found when covered
}

var datums = []datum{
	{locate.Outline, "label", func(turn float64) any {
		s := locate.Outline.New().(*locate.OutlineSettings)
		s.Region, s.Turn = raster.Rect(195, 145, 250, 190), turn
		return s
	}, true, false, true},
	{locate.Patch, "cloth", func(turn float64) any {
		s := locate.Patch.New().(*locate.PatchSettings)
		s.Region, s.Turn = raster.Rect(245, 185, 150, 110), turn
		return s
	}, true, false, true},
	{locate.Disc, "disc", func(float64) any {
		s := locate.Disc.New().(*locate.DiscSettings)
		s.Region = raster.Circle(320, 240, 60)
		return s
	}, false, false, true},
	{locate.Spot, "drop", func(turn float64) any {
		s := locate.Spot.New().(*locate.SpotSettings)
		least := 165
		s.Region, s.Turn, s.Tone.Least = raster.Rect(210, 200, 220, 80), turn, &least
		return s
	}, true, false, false},
	{locate.Edges, "corner", func(float64) any {
		s := locate.Edges.New().(*locate.EdgesSettings)
		s.Edges = []edge.Settings{{Arrow: []float64{340, 90, 340, 170}, Width: 260}, {Arrow: []float64{130, 260, 210, 260}, Width: 180}}
		return s
	}, true, true, false}, // what covers a whole side becomes the side
}

// datumAccuracy finds features whose pose is known in pictures of graded hardness.
func datumAccuracy(w io.Writer) error {
	const n = 40
	fmt.Fprintf(w, "datums on drawn pictures, %d each\tfound\tplace, median\tworst\tturn, median\tworst\t\n", n)
	for _, d := range datums {
		fmt.Fprintf(w, "%s\t\t\t\t\t\t\n", d.kind.Name)
		f := features[d.feature]
		home := raster.Pose{X: 320, Y: 240, Size: 1}
		ref := raster.Picture{Gray: f.draw(home, grades[0], false, 1)}
		for _, g := range grades {
			if d.rough && g.turn > 90 || !d.cover && g.cover > 0 || d.kind.Name == "locate.spot" && g.gain < 1 {
				continue // not what it is for
			}
			turn := g.turn
			if d.rough {
				turn = 4
			}
			rng := rand.New(rand.NewPCG(3, 4))
			taught, center, err := teachDatum(d, ref, max(turn, 20))
			if err != nil {
				return err
			}
			j := taught.NewJudge()
			var offs, turns []float64
			for i := range uint64(n) {
				at := raster.Pose{X: 250 + rng.Float64()*140, Y: 190 + rng.Float64()*100, Angle: (rng.Float64()*2 - 1) * turn, Size: 1}
				if d.rough {
					at.X, at.Y = 310+rng.Float64()*20, 230+rng.Float64()*20
				}
				got := judge(j, f.draw(at, g, false, 1000+i))
				if got.Outcome != check.OK {
					continue
				}
				want := raster.Moving(raster.Point{X: home.X, Y: home.Y}, at).Apply(center)
				x, _ := got.Value("x")
				y, _ := got.Value("y")
				a, _ := got.Value("angle")
				offs = append(offs, math.Hypot(x-want.X, y-want.Y))
				turns = append(turns, math.Abs(raster.WrapAngle(a-at.Angle)))
			}
			row(w, "  "+g.name, fmt.Sprintf("%d of %d", len(offs), n), offs, turns, d.turns)
		}
		taught, _, err := teachDatum(d, ref, 180)
		if err != nil {
			return err
		}
		j := taught.NewJudge()
		wrongly := 0
		for i := range uint64(n) {
			if judge(j, f.draw(home, grades[2], true, 5000+i)).Outcome == check.OK {
				wrongly++
			}
		}
		fmt.Fprintf(w, "  absent, among clutter\t%d of %d\t\t\t\t\t\n", wrongly, n)
	}
	fmt.Fprintln(w, "  target at 30 % cover\t≥ 97 %, none where absent\t≤ 0.1 px\t\t≤ 0.1°\t\t")
	return nil
}

func teachDatum(d datum, ref raster.Picture, turn float64) (check.Taught, raster.Point, error) {
	s := d.settings(turn)
	if v, ok := s.(check.Validator); ok {
		if err := v.Validate(); err != nil {
			return nil, raster.Point{}, err
		}
	}
	t := check.Teaching{Picture: ref, Reference: ref.Gray}
	taught, err := d.kind.Teach(&t, s)
	if err != nil {
		return nil, raster.Point{}, fmt.Errorf("%s: %w", d.kind.Name, err)
	}
	// What the readings are of: the place on the reference itself.
	got := judge(taught.NewJudge(), ref.Gray)
	x, _ := got.Value("x")
	y, ok := got.Value("y")
	if !ok {
		return nil, raster.Point{}, fmt.Errorf("%s: its own reference: %s", d.kind.Name, got.Sentence)
	}
	return taught, raster.Point{X: x, Y: y}, nil
}

// row prints median and worst of two lists of errors.
func row(w io.Writer, name, found string, offs, turns []float64, showTurns bool) {
	if len(offs) == 0 {
		fmt.Fprintf(w, "%s\t%s\t\t\t\t\t\n", name, found)
		return
	}
	slices.Sort(offs)
	slices.Sort(turns)
	fmt.Fprintf(w, "%s\t%s\t%.3f px\t%.3f px", name, found, offs[len(offs)/2], offs[len(offs)-1])
	if showTurns {
		fmt.Fprintf(w, "\t%.3f°\t%.3f°\t\n", turns[len(turns)/2], turns[len(turns)-1])
	} else {
		fmt.Fprint(w, "\t\t\t\n")
	}
}

// run judges a gray picture with a kind that is taught on ref, or on nothing if that is nil.
func run(k check.Kind, settings any, ref, pic *raster.Gray) (*check.Finding, error) {
	return runOn(k, settings, raster.Picture{Gray: ref}, raster.Picture{Gray: pic})
}

// countAccuracy counts what was drawn, with more and more noise.
func countAccuracy(w io.Writer) error {
	const n = 30
	fmt.Fprintf(w, "counts that are right, of %d drawn boards\tnoise 3\tnoise 8\tnoise 15\n", n)
	kinds := []struct {
		name  string
		board func(k int, noise float64, seed uint64) *raster.Gray
		kind  check.Kind
		set   func() any
	}{
		{"count.spots, fixed threshold", discs, count.Spots, func() any {
			least := 140
			return &count.SpotSettings{Region: raster.Rect(10, 10, 620, 460), Tone: raster.ToneBand{Least: &least}, Keep: count.SpotBands{Area: limits(150, 1e6)}}
		}},
		{"count.spots, uneven light, local threshold", unevenDiscs, count.Spots, func() any {
			return &count.SpotSettings{Region: raster.Rect(10, 10, 620, 460), Local: &count.LocalSettings{Than: "lighter", By: 25, Reach: 40}, Keep: count.SpotBands{Area: limits(150, 1e6)}}
		}},
		{"count.spots, touching, split", touchingDiscs, count.Spots, func() any {
			return &count.SpotSettings{Region: raster.Rect(10, 10, 620, 460), Auto: "lighter", Step: 20, Split: 0.8, Keep: count.SpotBands{Area: limits(150, 1e6)}}
		}},
		{"count.repeats, outline", hooks, count.Repeats, func() any {
			s := count.Repeats.New().(*count.RepeatsSettings)
			s.Region, s.Turn = raster.Rect(42, 42, 56, 56), 180
			return s
		}},
		{"count.edges", comb, count.Edges, func() any {
			s := count.Edges.New().(*count.EdgesSettings)
			s.Arrow, s.Width, s.Polarity = []float64{10, 240, 630, 240}, 40, "to_light"
			return s
		}},
	}
	for _, k := range kinds {
		fmt.Fprintf(w, "  %s", k.name)
		for _, noise := range []float64{3, 8, 15} {
			right := 0
			for i := range uint64(n) {
				want := 5 + int(i)%16
				f, err := run(k.kind, k.set(), k.board(20, 2, 1), k.board(want, noise, 100+i))
				if err != nil {
					return err
				}
				if got, _ := f.Value("count"); int(got) == want {
					right++
				}
			}
			fmt.Fprintf(w, "\t%d", right)
		}
		fmt.Fprintln(w)
	}
	return nil
}

func limits(least, most float64) *check.Limits { return &check.Limits{Least: &least, Most: &most} }

// board draws k of 20 things on a dark ground.
func board(k int, noise float64, seed uint64, place func(i int) raster.Pose, shape func(rng *rand.Rand) [][]raster.Point, light func(x int) float64) *raster.Gray {
	rng := rand.New(rand.NewPCG(seed, 12))
	g := raster.NewGray(640, 480)
	for i := range g.Pix {
		g.Pix[i] = 70
	}
	var p raster.Painter
	for i := range k {
		m := raster.Moving(raster.Point{}, place(i))
		for _, o := range shape(rng) {
			var pts []raster.Point
			for _, q := range o {
				pts = append(pts, m.Apply(q))
			}
			p.Fill(g, pts, 190)
		}
	}
	g.Blur(2)
	for y := range g.H {
		row := g.Row(y)
		for x, v := range row {
			row[x] = uint8(min(max(float64(v)*light(x)+rng.NormFloat64()*noise+0.5, 0), 255))
		}
	}
	return g
}

func even(int) float64 { return 1 }

func inRows(i int) raster.Pose {
	return raster.Pose{X: 70 + 120*float64(i%5), Y: 70 + 110*float64(i/5), Size: 1}
}

func aDisc(rng *rand.Rand) [][]raster.Point {
	r := 14 + rng.Float64()*8
	return [][]raster.Point{drawn.Round(0, 0, r)}
}

func discs(k int, noise float64, seed uint64) *raster.Gray {
	return board(k, noise, seed, inRows, aDisc, even)
}

func unevenDiscs(k int, noise float64, seed uint64) *raster.Gray {
	return board(k, noise, seed, inRows, aDisc, func(x int) float64 { return 0.35 + float64(x)/900 })
}

func touchingDiscs(k int, noise float64, seed uint64) *raster.Gray {
	return board(k, noise, seed, func(i int) raster.Pose {
		return raster.Pose{X: 60 + 37*float64(i%5) + 300*float64(i/5%2), Y: 90 + 160*float64(i/10), Size: 1}
	}, func(*rand.Rand) [][]raster.Point {
		return [][]raster.Point{drawn.Round(0, 0, 20)}
	}, even)
}

func hooks(k int, noise float64, seed uint64) *raster.Gray {
	turns := rand.New(rand.NewPCG(seed, 4))
	return board(k, noise, seed, func(i int) raster.Pose {
		p := inRows(i)
		if i > 0 {
			p.Angle = turns.Float64()*360 - 180
		}
		return p
	}, func(*rand.Rand) [][]raster.Point {
		return [][]raster.Point{{{X: -22, Y: -20}, {X: 22, Y: -20}, {X: 22, Y: -8}, {X: -8, Y: -8}, {X: -8, Y: 20}, {X: -22, Y: 20}}}
	}, even)
}

func comb(k int, noise float64, seed uint64) *raster.Gray {
	return board(k, noise, seed, func(i int) raster.Pose { return raster.Pose{X: 40 + 29*float64(i), Y: 240, Size: 1} },
		func(*rand.Rand) [][]raster.Point { return [][]raster.Point{rect(-6, -120, 12, 240)} }, even)
}

// measureAccuracy measures drawn lengths, circles and rims at a noise of 5 gray values.
func measureAccuracy(w io.Writer) error {
	const n = 60
	rng := rand.New(rand.NewPCG(5, 5))
	var one, gap, center, diameter, bump []float64
	for i := range uint64(n) {
		x0, x1 := 195+rng.Float64()*10, 395+rng.Float64()*10
		turn := rng.Float64()*20 - 10
		m := raster.Moving(raster.Point{X: 320, Y: 240}, raster.Pose{X: 320, Y: 240, Angle: turn, Size: 1})
		pic := noisy(5, i, raster.Rect(x0, 140, x1-x0, 200).Outline(m, nil))
		j, err := teachGap()
		if err != nil {
			return err
		}
		var in check.Input
		var f check.Finding
		in.Reset(raster.Picture{Gray: pic})
		in.On = m
		f.Reset()
		j.NewJudge().Judge(&in, &f)
		d, _ := f.Value("distance")
		gap = append(gap, math.Abs(d-(x1-x0)))

		var c edge.Caliper
		e, err := c.Seek(pic, edge.Settings{Arrow: []float64{170, 240, 230, 240}, Width: 40, Look: edge.Look{Polarity: "to_light"}}, m)
		if err != nil {
			return err
		}
		one = append(one, math.Abs(e.Along-(x0-170)))

		x, y, r := 316+rng.Float64()*8, 236+rng.Float64()*8, 150+rng.Float64()
		s := measure.Circle.New().(*measure.CircleSettings)
		s.Region = raster.Ring(320, 240, 120, 185)
		found, err := run(measure.Circle, s, nil, noisy(5, i, drawn.Round(x, y, r)))
		if err != nil {
			return err
		}
		gx, _ := found.Value("x")
		gy, _ := found.Value("y")
		gd, _ := found.Value("diameter")
		center = append(center, math.Hypot(gx-x, gy-y))
		diameter = append(diameter, math.Abs(gd-2*r))

		high, at := 4+rng.Float64()*8, rng.Float64()*360
		rs := measure.Rim.New().(*measure.RimSettings)
		rs.Region = raster.Ring(320, 240, 110, 195)
		found, err = run(measure.Rim, rs, nil, noisy(5, i, drawn.Wheel(x, y, func(deg float64) float64 {
			if math.Abs(raster.WrapAngle(deg-at)) < 4 {
				return r + high
			}
			return r
		})))
		if err != nil {
			return err
		}
		got, _ := found.Value("highest")
		bump = append(bump, math.Abs(got-high))
	}
	fmt.Fprintf(w, "measures at noise 5, %d drawn pictures\tmedian error\tworst\ttarget\n", n)
	for _, r := range []struct {
		name   string
		errs   []float64
		target string
	}{
		{"one edge, 40 px wide", one, "≤ 0.03 px"},
		{"measure.gap, distance", gap, ""},
		{"measure.circle, center", center, "≤ 0.03 px"},
		{"measure.circle, diameter", diameter, ""},
		{"measure.rim, height of a bump 21 px long", bump, ""},
	} {
		slices.Sort(r.errs)
		fmt.Fprintf(w, "  %s\t%.3f px\t%.3f px\t%s\n", r.name, r.errs[len(r.errs)/2], r.errs[len(r.errs)-1], r.target)
	}
	return nil
}

func teachGap() (check.Taught, error) {
	s := measure.Gap.New().(*measure.GapSettings)
	s.From = edge.Settings{Arrow: []float64{170, 240, 230, 240}, Width: 40, Look: edge.Look{Polarity: "to_light"}}
	s.To = edge.Settings{Arrow: []float64{370, 240, 430, 240}, Width: 40, Look: edge.Look{Polarity: "to_dark"}}
	return measure.Gap.Teach(&check.Teaching{}, s)
}

// noisy draws outlines, light on dark.
func noisy(noise float64, seed uint64, outlines ...[]raster.Point) *raster.Gray {
	return drawn.Outlines(640, 480, 60, 170, noise, rand.New(rand.NewPCG(seed, 7)), outlines...)
}

// colorAccuracy compares ΔE00 with the published pairs.
func colorAccuracy(w io.Writer) error {
	worst := 0.0
	for _, p := range colortest.Sharma {
		d := color.DeltaE(color.Lab{L: p[0], A: p[1], B: p[2]}, color.Lab{L: p[3], A: p[4], B: p[5]})
		worst = max(worst, math.Abs(d-p[6]))
	}
	fmt.Fprintf(w, "CIEDE2000 on the %d pairs of Sharma et al. (2005)\tworst error %.5f\tgiven to 0.0001\n", len(colortest.Sharma), worst)
	return nil
}
