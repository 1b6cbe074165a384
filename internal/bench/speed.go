package main

import (
	"bytes"
	"fmt"
	"io"
	"os"
	"sync"
	"testing"
	"time"

	"ricetta/core/check"
	"ricetta/core/color"
	"ricetta/core/count"
	"ricetta/core/inspect"
	"ricetta/core/locate"
	"ricetta/core/presence"
	"ricetta/core/raster"
	"ricetta/core/recipe"
	"ricetta/demo"
	"ricetta/internal/folder"
	"ricetta/internal/plant"
	"ricetta/internal/station"
	"ricetta/internal/store"
)

const rounds = 3

// best returns the fastest of several rounds, with its allocations.
func best(f func(b *testing.B)) testing.BenchmarkResult {
	var out testing.BenchmarkResult
	for i := range rounds {
		r := testing.Benchmark(f)
		if i == 0 || r.NsPerOp() < out.NsPerOp() {
			out = r
		}
	}
	return out
}

func ms(r testing.BenchmarkResult) float64 {
	return float64(r.T.Nanoseconds()) / float64(r.N) / 1e6
}

// table prints rows of what, measured, target and whether it holds.
type table struct{ w io.Writer }

func (t table) time(what string, target float64, r testing.BenchmarkResult) {
	t.row(what, fmt.Sprintf("%.2f ms", ms(r)), fmt.Sprintf("≤ %g ms", target), ms(r)/target, ms(r) <= target)
}

func (t table) row(what, got, target string, ratio float64, holds bool) {
	word := "holds"
	if !holds {
		word = "DOES NOT HOLD"
	}
	fmt.Fprintf(t.w, "%s\t%s\t%s\t%.2f of it\t%s\n", what, got, target, ratio, word)
}

// parts of the table, in its order.
var parts = []struct {
	name string
	run  func(t table) error
}{
	{"demo", benchRecipe},
	{"eight", benchEight},
	{"trial", benchTrial},
	{"kinds", printKinds},
	{"codes", benchCodes},
	{"texts", benchTexts},
	{"kernels", func(t table) error { benchKernels(t); return nil }},
	{"store", benchStore},
	{"statistics", benchStatistics},
	{"change", benchChange},
	{"load", benchLoad},
}

// printSpeed measures the part of that name, all if it is empty.
func printSpeed(w io.Writer, only string) error {
	t := table{w}
	fmt.Fprintln(w, "what\tmeasured\ttarget\t\t")
	for _, p := range parts {
		if only != "" && only != p.name {
			continue
		}
		if err := p.run(t); err != nil {
			return err
		}
	}
	return nil
}

// judging returns a benchmark of one check on one picture.
func judging(k check.Kind, settings any, ref *raster.Gray, pic raster.Picture) (func(b *testing.B), error) {
	if v, ok := settings.(check.Validator); ok {
		if err := v.Validate(); err != nil {
			return nil, err
		}
	}
	taught, err := k.Teach(&check.Teaching{Picture: raster.Picture{Gray: ref}, Reference: ref}, settings)
	if err != nil {
		return nil, err
	}
	return func(b *testing.B) {
		j := taught.NewJudge()
		var in check.Input
		var f check.Finding
		b.ReportAllocs()
		for b.Loop() {
			in.Reset(pic)
			f.Reset()
			j.Judge(&in, &f)
		}
		if f.Outcome != check.OK {
			panic(fmt.Sprintf("%s: %s", k.Name, f.Sentence))
		}
	}, nil
}

func ptr[T any](v T) *T { return &v }

func benchRecipe(t table) error {
	r, _, err := folder.Recipe(demo.Recipes, "recipes/"+plant.Tins)
	if err != nil {
		return err
	}
	tin := plant.Draw(77, 3, nil)
	colored := tin.Picture()
	pic := raster.Picture{Gray: colored.Luma(new(raster.Gray))}
	refPic, err := raster.Decode(r.Files[r.Document.Picture.Reference], ".png", raster.DefaultDecodeLimits)
	if err != nil {
		return err
	}
	ref := refPic.Luma(new(raster.Gray))
	region := r.Find("tin").Settings.(*locate.OutlineSettings).Region

	for _, turn := range []float64{20, 180} {
		f, err := judging(locate.Outline, &locate.OutlineSettings{Region: region, Turn: turn, Contrast: "same", Sensitivity: 0.5, AcceptScore: 0.6}, ref, pic)
		if err != nil {
			return err
		}
		t.time(fmt.Sprintf("locate.outline, 1280×960, ±%g°", turn), map[float64]float64{20: 4, 180: 12}[turn], best(f))
	}
	board := noisyBoard()
	f, err := judging(count.Spots, &count.SpotSettings{Region: raster.Rect(0, 0, 1920, 1200), Tone: raster.ToneBand{Least: ptr(150)}, Keep: count.SpotBands{Area: &check.Limits{Least: ptr(20.0)}}}, nil, board)
	if err != nil {
		return err
	}
	t.time("count.spots with all figures, noisy board 1920×1200", 8, best(f))
	if f, err = judging(presence.Tone, &presence.ToneSettings{Region: raster.Rect(0, 0, 1920, 1200), Tone: raster.ToneBand{Least: ptr(150)}}, nil, board); err != nil {
		return err
	}
	t.time("presence.tone, whole picture 1920×1200", 0.2, best(f))

	plan, err := inspect.Prepare(r)
	if err != nil {
		return err
	}
	runner := plan.NewRunner()
	runner.Inspect(colored) // takes the memory that it then lives on
	whole := best(func(b *testing.B) {
		b.ReportAllocs()
		for b.Loop() {
			if runner.Inspect(colored).Route != recipe.Pass {
				panic(runner.Inspect(colored).Sentence)
			}
		}
	})
	t.time("whole demo recipe (4 checks), 1280×960 color", 12, whole)
	bytesPer := whole.AllocedBytesPerOp()
	t.row("  allocated per item", fmt.Sprintf("%d B in %d", bytesPer, whole.AllocsPerOp()), "≤ 1024 B", float64(bytesPer)/1024, bytesPer <= 1024)
	t.time("making the demo recipe ready", 500, best(func(b *testing.B) {
		for b.Loop() {
			if _, err := inspect.Prepare(r); err != nil {
				panic(err)
			}
		}
	}))
	return benchDecode(t)
}

func benchDecode(t table) error {
	jpg, err := os.ReadFile("demo/pictures/good-2.jpg")
	if err != nil {
		return fmt.Errorf("run from the repository's root: %w", err)
	}
	pngFile, err := os.ReadFile("demo/pictures/good-1.png")
	if err != nil {
		return err
	}
	for _, f := range []struct {
		name string
		data []byte
	}{{"JPEG", jpg}, {"PNG", pngFile}} {
		r := best(func(b *testing.B) {
			for b.Loop() {
				if _, err := raster.Decode(bytes.Clone(f.data), "", raster.DefaultDecodeLimits); err != nil {
					panic(err)
				}
			}
		})
		fmt.Fprintf(t.w, "  reading a %s file, 1280×960 color\t%.2f ms\tcounted apart\t\t\n", f.name, ms(r))
	}
	return nil
}

// noisyBoard is a picture with some 3000 spots and noise that makes many specks.
func noisyBoard() raster.Picture {
	g := raster.NewGray(1920, 1200)
	v := uint32(1)
	for i := range g.Pix {
		v = v*1664525 + 1013904223
		g.Pix[i] = uint8(70 + v>>26 + v>>29)
		if v>>20&0xfff < 8 {
			g.Pix[i] = 200
		}
	}
	var p raster.Painter
	for y := 20; y < 1190; y += 25 {
		for x := 20; x < 1910; x += 30 {
			p.Fill(g, raster.Circle(float64(x), float64(y), 7).Outline(raster.Identity(), nil), 210)
		}
	}
	return raster.Picture{Gray: g}
}

func benchKernels(t table) {
	g := noisyBoard().Gray
	half := new(raster.Gray)
	t.time("half-size, 1920×1200", 0.2, best(func(b *testing.B) {
		for b.Loop() {
			g.Half(half)
		}
	}))
	t.time("threshold and count, 1920×1200", 0.2, best(func(b *testing.B) {
		for b.Loop() {
			for y := range g.H {
				raster.BandCount(g.Row(y), 100, 200)
			}
		}
	}))
	sobel := make([]uint8, g.W-2)
	var slopes raster.Slopes
	t.time("Sobel magnitude, 1920×1200", 0.7, best(func(b *testing.B) {
		for b.Loop() {
			for y := 1; y < g.H-1; y++ {
				slopes.Row(sobel, g.Row(y-1), g.Row(y), g.Row(y+1))
			}
		}
	}))
	var smoother raster.Smoother
	t.time("Gaussian 5×5, 1920×1200", 1, best(func(b *testing.B) {
		for b.Loop() {
			smoother.Smooth(half, g)
		}
	}))
	var means raster.Means
	t.time("sums of the box round each pixel (for an integral), 1920×1200", 0.6, best(func(b *testing.B) {
		for b.Loop() {
			means.Of(g, 25)
			for range g.H {
				means.Next()
			}
		}
	}))
	marked := raster.NewGray(1920, 1200)
	for i, v := range g.Pix {
		if v >= 150 {
			marked.Pix[i] = 255
		}
	}
	dist := make([]uint16, len(marked.Pix))
	t.time("distance transform, 1920×1200", 10, best(func(b *testing.B) {
		for b.Loop() {
			raster.DistanceInto(dist, marked)
		}
	}))
	// A tin from the demo plant, repeated over the larger picture.
	colors := raster.NewRGB(1920, 1200)
	tin := plant.Draw(7, 2, plant.Rates{}).Picture().RGB
	for y := range colors.H {
		for x := range colors.W {
			o, k := y*colors.Stride+x, y%tin.H*tin.Stride+x%tin.W
			colors.R[o], colors.G[o], colors.B[o] = tin.R[k], tin.G[k], tin.B[k]
		}
	}
	spans := raster.Rect(0, 0, 1920, 1200).SpansInto(nil, raster.Identity(), 1920, 1200)
	low, high := 40.0, 100.0
	set := color.NewSet(color.SetSettings{Hue: []float64{340, 20}, Saturation: &check.Limits{Least: &low, Most: &high}})
	t.time("colors in a set of hue, saturation, brightness, 1920×1200", 4, best(func(b *testing.B) {
		for b.Loop() {
			set.Count(raster.Picture{RGB: colors}, spans)
		}
	}))
	t.time("mean color in CIELAB, 1920×1200", 8, best(func(b *testing.B) {
		for b.Loop() {
			color.MeanOf(raster.Picture{RGB: colors}, spans)
		}
	}))
	c := raster.NewRGB(1920, 1200)
	r := best(func(b *testing.B) {
		for b.Loop() {
			c.LumaInto(half)
		}
	})
	fmt.Fprintf(t.w, "brightness of a color picture, 1920×1200\t%.2f ms\t\t\t\n", ms(r))
}

// benchStore measures items recorded a second, with their findings, synced.
func benchStore(t table) error {
	dir, err := os.MkdirTemp("", "ricetta-bench-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	s, err := store.Open(store.Options{Dir: dir, PassShare: -1})
	if err != nil {
		return err
	}
	defer s.Close()
	r, _, err := folder.Recipe(demo.Recipes, "recipes/"+plant.Tins)
	if err != nil {
		return err
	}
	plan, err := inspect.Prepare(r)
	if err != nil {
		return err
	}
	findings := plan.NewRunner().Inspect(plant.Draw(1, 1, nil).Picture()).JSON().Findings
	const items = 20_000
	var wg sync.WaitGroup
	var mu sync.Mutex
	var failed error
	slots := make(chan struct{}, 200)
	begin := time.Now()
	for i := range items {
		it := &station.Item{
			Station: fmt.Sprintf("s%d", i%8), Line: "l", Role: "top", Seq: int64(i/8 + 1), Time: begin, Product: r.Product,
			Revision: r.Revision, Route: recipe.Pass, Sentence: "4 checks ok", Findings: findings,
		}
		wg.Add(1)
		slots <- struct{}{}
		record(s, it, func(err error) {
			mu.Lock()
			if err != nil && failed == nil {
				failed = err
			}
			mu.Unlock()
			<-slots
			wg.Done()
		})
	}
	wg.Wait()
	if failed != nil {
		return failed
	}
	rate := items / time.Since(begin).Seconds()
	t.row("items recorded with their readings, synced to disk", fmt.Sprintf("%.0f/s", rate), "≥ 3000/s", rate/3000, rate >= 3000)
	return nil
}

// record hands an item over, again where the store is busy.
func record(s *store.Store, it *station.Item, done func(error)) {
	s.Record(it, func(err error) {
		if err == store.ErrBusy {
			time.Sleep(time.Millisecond)
			record(s, it, done)
			return
		}
		done(err)
	})
}
