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
	"ricetta/core/reader"
	"ricetta/internal/drawn"
)

// printedWords stand in the lines that the reader is measured with; it was trained on made up ones.
var printedWords = strings.Fields(`glue stick tins trays lid pencil masking tape orange green brown violet
	store cool keep dry open here refill water color brush set twelve large small soft
	schools paper craft wood fabric washable solvent free made for rework checked sample station hall`)

// textSpecimen is a line for a grade and a style, in a font that the reader does not know.
func textSpecimen(faces []*drawn.Face, dots *drawn.Face, style drawn.Style, grade int, rng *rand.Rand) drawn.LinePrint {
	for {
		p := drawn.LinePrint{
			Face: faces[rng.IntN(len(faces))], Style: style, Grade: float64(grade), Turn: (rng.Float64() - 0.5) * 30,
			Company: rng.IntN(4) == 0, Text: drawn.Wording(rng, printedWords, "0123456789ABCDEFGHJKLMNPRSTUVWXYZ.,:/-"),
		}
		if style == drawn.DotMatrix || style == drawn.InkJet && rng.IntN(2) == 0 {
			p.Face = dots
		}
		if p.Text != "" && len(p.Text) <= 26 && p.Face.Has(p.Text) {
			return p
		}
	}
}

// textTally counts lines and characters.
type textTally struct{ lines, right, unspaced, chars, wrong, sure int }

func (t *textTally) add(u textTally) {
	t.lines, t.right, t.unspaced = t.lines+u.lines, t.right+u.right, t.unspaced+u.unspaced
	t.chars, t.wrong, t.sure = t.chars+u.chars, t.wrong+u.wrong, t.sure+u.sure
}

// count compares what was read with what is there; sure are wrong lines read with 99 %.
func (t *textTally) count(want, got string, sure float64) {
	squeeze := func(s string) string { return strings.ReplaceAll(s, " ", "") }
	u := textTally{lines: 1, chars: len([]rune(want)), wrong: distance([]rune(want), []rune(got))}
	if got == want {
		u.right = 1
	}
	if squeeze(got) == squeeze(want) {
		u.unspaced = 1
	} else if sure >= 0.99 {
		u.sure = 1
	}
	t.add(u)
}

func distance(a, b []rune) int {
	row := make([]int, len(b)+1)
	for j := range row {
		row[j] = j
	}
	for i, x := range a {
		last := row[0]
		row[0] = i + 1
		for j, y := range b {
			v := min(row[j]+1, row[j+1]+1)
			if x == y {
				v = min(v, last)
			} else {
				v = min(v, last+1)
			}
			last, row[j+1] = row[j+1], v
		}
	}
	return row[len(b)]
}

// textAccuracy reads lines of print in fonts that the reader was never trained on, anywhere in
// a region and up to 15° from level, by style and by grade from clean to hardly readable by eye.
func textAccuracy(w io.Writer) error {
	const each = 60
	type cell struct {
		textTally
		ms []float64
	}
	cells := map[drawn.Style]*[5]cell{}
	var known [5]textTally // with the place of the line known
	for _, s := range drawn.Styles {
		cells[s] = new([5]cell)
	}
	var mu sync.Mutex
	jobs := make(chan func(r *reader.Reader, faces []*drawn.Face, dots *drawn.Face))
	var hands sync.WaitGroup
	for range runtime.GOMAXPROCS(0) {
		hands.Go(func() {
			var r reader.Reader
			faces, dots := drawn.Faces(), drawn.DotFace()
			for job := range jobs {
				job(&r, faces, dots)
			}
		})
	}
	for _, style := range drawn.Styles {
		for grade := range 5 {
			for n := range each {
				jobs <- func(r *reader.Reader, faces []*drawn.Face, dots *drawn.Face) {
					rng := rand.New(rand.NewPCG(uint64(grade*1000+n), uint64(len(style))*104729+uint64(style[0])))
					spec := textSpecimen(faces, dots, style, grade, rng)
					p := drawn.PrintLine(spec, rng)
					o := reader.Options{Search: reader.Search{Region: raster.Rect(0, 0, float64(p.Gray.W), float64(p.Gray.H)), On: raster.Identity(), Turn: 17}}
					if spec.Company {
						o.Most = 2 // another line may stand beside it
					}
					begin := time.Now()
					found := r.Read(p.Gray, o)
					ms := time.Since(begin).Seconds() * 1000
					// The one that lies where the line was printed.
					var got reader.Text
					nearest := p.Lies.Cap
					for _, l := range found {
						off := math.Hypot((l.Line.From.X+l.Line.To.X-p.Lies.From.X-p.Lies.To.X)/2, (l.Line.From.Y+l.Line.To.Y-p.Lies.From.Y-p.Lies.To.Y)/2)
						if off := off / 4; off < nearest { // a line cut short lies aside
							nearest, got = off, l
						}
					}
					there := r.ReadLine(p.Gray, reader.Line{From: p.Lies.From, To: p.Lies.To, Height: p.Lies.Cap}, p.Light, nil)
					mu.Lock()
					defer mu.Unlock()
					c := &cells[style][grade]
					c.count(p.Text, got.Plain, got.Sure)
					c.ms = append(c.ms, ms)
					known[grade].count(p.Text, there.Plain, there.Sure)
				}
			}
		}
	}
	close(jobs)
	hands.Wait()
	fmt.Fprintln(w, "lines of text, fonts never seen, ±15°\tgrade 0\t1\t2\t3\t4\tall\tcharacters wrong\twrong and sure\t")
	line := func(name string, grades [5]textTally) {
		var sum textTally
		fmt.Fprintf(w, "  %s", name)
		for _, g := range grades {
			fmt.Fprintf(w, "\t%.1f %%", 100*float64(g.right)/float64(g.lines))
			sum.add(g)
		}
		fmt.Fprintf(w, "\t%.1f %%\t%.1f %%\t%d of %d\t\n", 100*float64(sum.right)/float64(sum.lines), 100*float64(sum.wrong)/float64(sum.chars), sum.sure, sum.lines)
	}
	var together [5]textTally
	var ms [5][]float64
	for _, s := range drawn.Styles {
		var of [5]textTally
		for g := range 5 {
			of[g] = cells[s][g].textTally
			together[g].add(of[g])
			ms[g] = append(ms[g], cells[s][g].ms...)
		}
		line(string(s), of)
	}
	line("together", together)
	unspaced := together
	for g := range unspaced {
		unspaced[g].right = unspaced[g].unspaced
	}
	line("  spaces not counted", unspaced)
	line("  place of the line given", known)
	fmt.Fprint(w, "  ms, median")
	for _, t := range ms {
		slices.Sort(t)
		fmt.Fprintf(w, "\t%.1f", t[len(t)/2])
	}
	fmt.Fprintln(w, "\t\t\t\t")
	fmt.Fprintln(w, "  target\t≥ 95 % in 0 to 2\t\t\t\t\t≥ 85 %\t≤ 4 %\t\t")
	return nil
}
