package main

import (
	"fmt"
	"io"
	"math"
	"math/rand/v2"
	"runtime"
	"slices"
	"strings"
	"sync"
	"time"

	"ricetta/core/raster"
	"ricetta/core/symbol"
	"ricetta/demo"
	"ricetta/internal/drawn"
	"ricetta/internal/plant"
)

// codeSpecimen is a code with what it says.
type codeSpecimen struct {
	symbology symbol.Symbology
	text      string
	code      *drawn.Code
	dots      bool // it is made of dots that do not touch
}

// ofDots is a Data Matrix as ink jet and dot peening make it.
const ofDots symbol.Symbology = "data-matrix of dots"

// specimenOf makes a code of a kind that says something of its own.
func specimenOf(s symbol.Symbology, rng *rand.Rand) (codeSpecimen, error) {
	digits := func(n int) string {
		b := make([]byte, n)
		for i := range b {
			b[i] = '0' + byte(rng.IntN(10))
		}
		return string(b)
	}
	word := func(n int) string {
		const letters = "ABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789-"
		var b strings.Builder
		for range n {
			b.WriteByte(letters[rng.IntN(len(letters))])
		}
		return b.String()
	}
	out := codeSpecimen{symbology: s}
	var err error
	switch s {
	case symbol.EAN13:
		out.text = drawn.WithCheck(fmt.Sprint(1+rng.IntN(9)) + digits(11))
		out.code, err = drawn.EAN(out.text)
	case symbol.UPCA:
		out.text = drawn.WithCheck(digits(11))
		out.code, err = drawn.EAN("0" + out.text)
	case symbol.EAN8:
		out.text = drawn.WithCheck(digits(7))
		out.code, err = drawn.EAN(out.text)
	case symbol.Code128:
		out.text = word(4 + rng.IntN(9))
		out.code, err = drawn.Code128(out.text)
	case symbol.GS1128:
		out.text = "01" + drawn.WithCheck("0"+digits(12)) + "10" + digits(6)
		out.code, err = drawn.Code128(drawn.FNC1 + out.text)
	case symbol.ITF14:
		out.text = drawn.WithCheck(digits(13))
		out.code, err = drawn.ITF(out.text)
	case symbol.Code39:
		out.text = word(4 + rng.IntN(5))
		out.code, err = drawn.Code39(out.text)
	case symbol.DataMatrix:
		out.text = word(4 + rng.IntN(40))
		out.code, err = drawn.Matrix(out.text)
	case ofDots:
		out.symbology, out.dots, out.text = symbol.DataMatrix, true, word(4+rng.IntN(20))
		out.code, err = drawn.Matrix(out.text)
	case symbol.QR:
		out.text = word(4 + rng.IntN(60))
		out.code, err = drawn.QR(out.text, rng.IntN(4))
	default:
		err = fmt.Errorf("no encoder for %s", s)
	}
	return out, err
}

// scene is a picture of 1280×960 with a code on a label somewhere, at any angle, on a ground
// that is not plain; worn as the grade says.
func scene(c codeSpecimen, grade int, rng *rand.Rand) *raster.Gray {
	g := raster.NewGray(1280, 960)
	cloth := drawn.Cloth(rng.Uint64(), 4, 6+float64(2*grade))
	ground := 60 + rng.Float64()*110
	for y := range g.H {
		for x := range g.W {
			g.Pix[y*g.Stride+x] = uint8(min(max(ground+cloth(float64(x), float64(y)), 0), 255))
		}
	}
	p := drawn.Print{Turn: rng.Float64() * 360, Height: 70 + rng.Float64()*60, Dark: 25 + rng.Float64()*40, Light: 190 + rng.Float64()*50}
	p.Growth = (rng.Float64() - 0.5) * 0.3
	p.Slant = (rng.Float64() - 0.5) * 0.05 * float64(grade)
	least := 2.6 - 0.2*float64(grade)
	p.Module, p.Quiet = least+rng.Float64()*2, 10
	if !c.code.Linear {
		p.Module, p.Quiet = least+0.8+rng.Float64()*4, 3
		p.Inverse = rng.IntN(5) == 0
	}
	if c.dots { // there must be pixels between them
		p.Dots, p.Growth = 0.55+rng.Float64()*0.25, 0
		p.Module += 2.5
	}
	p.Module = min(p.Module, 820/float64(c.code.W+20))
	reach := p.Module*math.Hypot(float64(c.code.W), float64(c.code.H))/2 + 60
	if c.code.Linear {
		reach = p.Module*float64(c.code.W+20)/2 + 20
	}
	reach = min(reach, 470)
	at := raster.Point{X: reach + rng.Float64()*(1280-2*reach), Y: reach + rng.Float64()*(960-2*reach)}
	drawn.PutCode(g, c.code, at, p)
	drawn.Wear(g, grade, rng)
	return g
}

// codeAccuracy reads codes of all kinds in whole scenes, by grade from clean to hardly
// readable by eye, and pictures without a code.
func codeAccuracy(w io.Writer) error {
	kinds := []symbol.Symbology{symbol.EAN13, symbol.UPCA, symbol.EAN8, symbol.Code128, symbol.GS1128, symbol.ITF14, symbol.Code39, symbol.DataMatrix, ofDots, symbol.QR}
	const each = 24
	type tally struct{ read, wrong, all int }
	var grades [5]tally
	byKind := map[symbol.Symbology]*[5]tally{}
	times := [5][]float64{}
	var mu sync.Mutex
	var failed error
	jobs := make(chan func(r *symbol.Reader))
	var hands sync.WaitGroup
	for range runtime.GOMAXPROCS(0) {
		hands.Go(func() {
			var r symbol.Reader
			for job := range jobs {
				job(&r)
			}
		})
	}
	for _, k := range kinds {
		byKind[k] = new([5]tally)
		for grade := range 5 {
			for n := range each {
				jobs <- func(r *symbol.Reader) {
					rng := rand.New(rand.NewPCG(uint64(grade*1000+n), uint64(len(k))*7919+uint64(k[0])))
					c, err := specimenOf(k, rng)
					if err != nil {
						mu.Lock()
						failed = err
						mu.Unlock()
						return
					}
					g := scene(c, grade, rng)
					begin := time.Now()
					found := r.Read(g, symbol.Options{})
					ms := time.Since(begin).Seconds() * 1000
					right := slices.ContainsFunc(found, func(s symbol.Symbol) bool {
						return s.Text == c.text && (s.Symbology == c.symbology || c.symbology == symbol.EAN13 && s.Symbology == symbol.UPCA)
					})
					mu.Lock()
					defer mu.Unlock()
					times[grade] = append(times[grade], ms)
					for _, t := range []*tally{&grades[grade], &byKind[k][grade]} {
						if k == ofDots && t == &grades[grade] {
							continue // told apart
						}
						t.all++
						if right {
							t.read++
						}
						if len(found) > 1 || len(found) == 1 && !right {
							t.wrong++
						}
					}
				}
			}
		}
	}
	close(jobs)
	hands.Wait()
	if failed != nil {
		return failed
	}
	fmt.Fprintln(w, "codes in scenes of 1280×960, any angle\tgrade 0\t1\t2\t3\t4\tall\twrong\t")
	line := func(name string, t *[5]tally) {
		var sum tally
		fmt.Fprintf(w, "  %s", name)
		for _, g := range t {
			fmt.Fprintf(w, "\t%d of %d", g.read, g.all)
			sum.read, sum.wrong, sum.all = sum.read+g.read, sum.wrong+g.wrong, sum.all+g.all
		}
		fmt.Fprintf(w, "\t%.1f %%\t%d\t\n", 100*float64(sum.read)/float64(sum.all), sum.wrong)
	}
	for _, k := range kinds {
		line(string(k), byKind[k])
	}
	line("together, but those of dots", &grades)
	fmt.Fprint(w, "  ms, median")
	for _, t := range times {
		slices.Sort(t)
		fmt.Fprintf(w, "\t%.1f", t[len(t)/2])
	}
	fmt.Fprintln(w, "\t\t\t")
	fmt.Fprintln(w, "  target\t≥ 98 % in 0 to 2\t\t\t\t\t≥ 85 %\tnone\t")
	return noCodes(w)
}

// noCodes reads pictures in which there is no code: cuts from cloth, stripes, boards of
// rectangles, lattices and the demo's products, light and dark, noisy and clean.
func noCodes(w io.Writer) error {
	const size, cutW, cutH, all = 1600, 480, 360, 10_000
	var fields []*raster.Gray
	rng := rand.New(rand.NewPCG(31, 7))
	field := func(at func(x, y float64) float64) {
		g := raster.NewGray(size, size)
		for y := range g.H {
			for x := range g.W {
				g.Pix[y*g.Stride+x] = uint8(min(max(at(float64(x), float64(y))+rng.NormFloat64()*3, 0), 255))
			}
		}
		fields = append(fields, g)
	}
	for k := range 3 {
		cloth := drawn.Cloth(uint64(k), 5, 20+10*float64(k))
		field(func(x, y float64) float64 { return 120 + cloth(x, y) })
	}
	widths := func(seed uint64) func(x float64) bool { // bars of chance widths
		var edges []float64
		r := rand.New(rand.NewPCG(seed, 1))
		for at := 0.0; at < 4*size; at += 2 + float64(r.IntN(4))*2.4 {
			edges = append(edges, at)
		}
		return func(x float64) bool { i, _ := slices.BinarySearch(edges, x+size); return i%2 == 0 }
	}
	for k := range 3 {
		bars, cross := widths(uint64(10+k)), widths(uint64(20+k))
		turn := float64(k) * 0.4
		sin, cos := math.Sincos(turn)
		field(func(x, y float64) float64 {
			dark := bars(x*cos + y*sin)
			if k == 2 {
				dark = dark != cross(y*cos-x*sin)
			}
			if dark {
				return 50
			}
			return 200
		})
	}
	var marks [][4]float64 // like letters: strokes across and down on lines
	for y := 20.0; y < size; y += 34 {
		for x := 10.0; x < size; x += 14 + rng.Float64()*10 {
			for range 3 {
				if rng.IntN(2) == 0 {
					marks = append(marks, [4]float64{x + rng.Float64()*8, y, 3, 20})
				} else {
					marks = append(marks, [4]float64{x, y + rng.Float64()*17, 11, 3})
				}
			}
		}
	}
	page := raster.NewGray(size, size)
	for i := range page.Pix {
		page.Pix[i] = 205
	}
	for _, m := range marks {
		for y := int(m[1]); y < min(int(m[1]+m[3]), size); y++ {
			for x := int(m[0]); x < min(int(m[0]+m[2]), size); x++ {
				page.Pix[y*page.Stride+x] = 45
			}
		}
	}
	page.Blur(1)
	fields = append(fields, page)
	for _, product := range []string{plant.Tins, plant.Trays, plant.Rolls} {
		data, err := demo.Recipes.ReadFile("recipes/" + product + "/reference.png")
		if err != nil {
			return err
		}
		pic, err := raster.Decode(data, ".png", raster.DefaultDecodeLimits)
		if err != nil {
			return err
		}
		fields = append(fields, pic.Luma(new(raster.Gray)).Clone())
	}
	var mu sync.Mutex
	wrong := map[symbol.Symbology]int{}
	total := 0
	var hands sync.WaitGroup
	n := runtime.GOMAXPROCS(0)
	for hand := range n {
		hands.Go(func() {
			var r symbol.Reader
			for i := hand; i < all; i += n {
				rng := rand.New(rand.NewPCG(uint64(i), 99))
				f := fields[i%len(fields)]
				x, y := rng.IntN(f.W-cutW), rng.IntN(f.H-cutH)
				g := raster.NewGray(cutW, cutH)
				gain, noise := 0.5+rng.Float64()*0.6, rng.IntN(14)
				for row := range cutH {
					for col, v := range f.Row(y + row)[x : x+cutW] {
						g.Pix[row*g.Stride+col] = uint8(min(float64(v)*gain+float64(rng.IntN(noise+1)), 255))
					}
				}
				found := r.Read(g, symbol.Options{})
				mu.Lock()
				for _, s := range found {
					wrong[s.Symbology]++
					total++
				}
				mu.Unlock()
			}
		})
	}
	hands.Wait()
	detail := ""
	for _, s := range symbol.All {
		if wrong[s] > 0 {
			detail += fmt.Sprintf(" %s %d", s, wrong[s])
		}
	}
	fmt.Fprintf(w, "  %d pictures without a code\tread in %d%s\t\t\t\t\t\t\t\n", all, total, detail)
	fmt.Fprintln(w, "  target\tnone\t\t\t\t\t\t\t")
	return nil
}
