package reader

import (
	"math"
	"slices"
	"strings"

	"ricetta/core/raster"
)

// Letter is a character read.
type Letter struct {
	Rune rune
	Sure float64         // 0 to 1: how probable it is where it is clearest
	Box  [4]raster.Point // where it lies, from its upper left clockwise as one reads

	from, to int // columns of the strip
}

// Text is a line read.
type Text struct {
	Line    Line
	Light   bool    // light print on dark
	Plain   string  // what it says by itself
	Sure    float64 // 0 to 1: how probable it is that it says just that
	Letters []Letter

	// Steered is the most probable text that is allowed, with how probable it is; without a
	// rule for what may be printed, or where nothing allowed is near, it is empty.
	Steered     string
	SteeredSure float64
}

// Polarity says how print and ground differ.
type Polarity string

// Print may be dark, light or either.
const (
	Either    Polarity = ""
	DarkPrint Polarity = "dark"
	LightInk  Polarity = "light"
)

// Options say what to read.
type Options struct {
	Search
	Polarity Polarity
	Most     int   // lines at most
	Rule     *Rule // what may be printed on a line; nil for anything
}

// Reader reads lines. It keeps its room from picture to picture and is not safe for concurrent
// use.
type Reader struct {
	finder  finder
	strip   Strip
	forward forward
	chances chances
	search  search
	kept    []Text
}

// enough is how sure a reading is after which no other is tried, doubtful below what more
// is tried.
const enough, doubtful = 0.85, 0.4

// hopeless is how sure the best line must be for no others to be looked for.
const hopeless = 0.05

// asSure is how sure, as a part of the first reading, one of the measured height must be.
const asSure = 0.5

// Read reads the lines of a region from the top down.
func (r *Reader) Read(g *raster.Gray, o Options) []Text {
	most := max(o.Most, 1)
	r.kept = r.kept[:0]
	r.readAll(g, r.finder.find(g, o.Search), o, most)
	// The stripes of a ground, or the columns of dots, may have been steeper than the lines.
	if !slices.ContainsFunc(r.kept, func(t Text) bool { return t.Sure >= hopeless }) {
		r.readAll(g, r.finder.again(o.Search), o, most)
	}
	// With more lines than asked for, those count that are read best.
	for len(r.kept) > most {
		worst := 0
		for i := range r.kept {
			if rank(&r.kept[i]) <= rank(&r.kept[worst]) {
				worst = i
			}
		}
		r.kept = slices.Delete(r.kept, worst, worst+1)
	}
	down := o.On
	slices.SortStableFunc(r.kept, func(a, b Text) int {
		x, y := below(down, o.Region.Turn, a.Line), below(down, o.Region.Turn, b.Line)
		switch {
		case x < y:
			return -1
		case x > y:
			return 1
		}
		return 0
	})
	return r.kept
}

// readAll reads lines found and keeps those on which something stands.
func (r *Reader) readAll(g *raster.Gray, lines []found, o Options, most int) {
	for i, l := range lines[:min(len(lines), most+3)] {
		t := r.try(g, l.Line, o, i < most)
		if t.Plain == "" || t.Sure < 1e-4 && len(r.kept) > 0 {
			continue
		}
		r.keep(t)
		if most == 1 && t.Sure >= enough {
			return
		}
	}
}

// keep adds a text, or puts it in the place of one read less surely on the same line: a line may
// have been found twice.
func (r *Reader) keep(t Text) {
	for i := range r.kept {
		k := &r.kept[i]
		dx, dy := k.Line.To.X-k.Line.From.X, k.Line.To.Y-k.Line.From.Y
		n := max(raster.Hypot(dx, dy), 1e-9)
		// How far the middle of one lies off the other.
		x, y := (t.Line.From.X+t.Line.To.X)/2-k.Line.From.X, (t.Line.From.Y+t.Line.To.Y)/2-k.Line.From.Y
		off := (float64(x*dy) - float64(y*dx)) / n
		if 2*math.Abs(off) < max(t.Line.Height, k.Line.Height) {
			if rank(&t) > rank(k) {
				*k = t
			}
			return
		}
	}
	r.kept = append(r.kept, t)
}

// rank prefers lines read surely, and among them those with something on them.
func rank(t *Text) float64 {
	n := float64(len(t.Letters))
	return t.Sure * n / (n + 1)
}

// below is how far down a line lies, as the region lies.
func below(t raster.Transform, turn float64, l Line) float64 {
	sin, cos := raster.SinCos(turn + t.Angle())
	x, y := (l.From.X+l.To.X)/2, (l.From.Y+l.To.Y)/2
	return float64(y*cos) - float64(x*sin)
}

// try reads a line as it was found, and unless it is sure, a little otherwise: of the other
// tone, higher, lower; where it is hard to read and stands out most, in more ways.
func (r *Reader) try(g *raster.Gray, l Line, o Options, hard bool) Text {
	light := o.Polarity == LightInk
	if lightness := r.lightness(g, l); o.Polarity == Either {
		light = lightness > 0
	} else if light && lightness < -plainly || !light && lightness > plainly {
		return Text{Line: l} // print, but of the other tone
	}
	best := r.ReadLine(g, l, light, o.Rule)
	// What was read says how high the line is better than how full of strokes its rows are; how
	// high it is says which of o and O, s and S it was.
	if m, off := r.measured(&best); off {
		if t := r.ReadLine(g, m, light, o.Rule); t.Sure > float64(asSure*best.Sure) {
			best, l = t, m
		}
	}
	if best.Sure >= enough {
		return best
	}
	better := func(l Line, light bool) {
		if best.Sure >= enough {
			return
		}
		if t := r.ReadLine(g, l, light, o.Rule); t.Sure > best.Sure {
			best = t
		}
	}
	if o.Polarity == Either {
		better(l, !light)
	}
	for _, k := range [2]float64{1.2, 0.83} {
		other := l
		other.Height = float64(other.Height * k)
		better(other, best.Light)
	}
	if best.Sure >= doubtful || !hard {
		return best
	}
	// Hardly read at all: it may lie quite otherwise.
	for _, k := range [2]float64{0.65, 1.5} {
		other := l
		other.Height = float64(other.Height * k)
		better(other, best.Light)
	}
	base := best.Line
	for _, deg := range [4]float64{-3, 3, -7, 7} {
		if math.Abs(deg) <= o.Turn {
			better(base.turned(deg), best.Light)
		}
	}
	return best
}

// plainly is from which lightness on a line is beyond doubt of one tone.
const plainly = 0.4

// lightness is above 0 where the line is rather light on dark, under 0 where it is dark on light,
// −1 to 1: what is less is print.
func (r *Reader) lightness(g *raster.Gray, l Line) float64 {
	r.strip.Take(g, l, false)
	over, all := 0, 0
	// Ground was set to 32; ink lies far from it, to the side where less is.
	for y := StripHeight/2 - capital/2; y < StripHeight/2+capital/2; y++ {
		for x := stripMargin; x < r.strip.W-stripMargin; x++ {
			d := int(r.strip.Pix[y*r.strip.W+x]) - 32
			d = d * d * d / 64
			over, all = over-d, all+max(d, -d)
		}
	}
	return float64(over) / float64(max(all, 1))
}

// ReadLine reads a line that lies where it is said to.
func (r *Reader) ReadLine(g *raster.Gray, l Line, light bool, rule *Rule) Text {
	r.strip.Take(g, l, light)
	n := network1()
	r.forward.run(n, &r.strip)
	r.chances.of(r.forward.scores, r.forward.steps, len(characters)+1)
	t := Text{Line: l, Light: light}
	text, sure := r.plain()
	t.Plain, t.Sure = wordsOf(text), raster.Exp(max(sure, -700))
	t.Letters = r.letters(text)
	if rule != nil {
		if steered, _, ok := r.search.best(&r.chances, rule, false); ok && len(steered) > 0 {
			chance := sure
			if !slices.Equal(steered, text) {
				chance = r.chances.probable(steered)
			}
			t.Steered, t.SteeredSure = wordsOf(steered), raster.Exp(max(chance, -700))
		}
	}
	return t
}

// Align says from which column of the strip of a line to which each character of a text lies
// that is known to stand there; false where it cannot.
func (r *Reader) Align(g *raster.Gray, l Line, light bool, text string) ([][2]int, bool) {
	r.ReadLine(g, l, light, nil)
	classes := make([]int16, 0, len(text))
	for _, c := range text {
		i := slices.Index(characters, c)
		if i < 0 {
			return nil, false
		}
		classes = append(classes, int16(i+1))
	}
	if r.chances.probable(classes) < float64(len(classes))*leastLog/2 {
		return nil, false
	}
	spans := r.chances.spans(classes)
	out := make([][2]int, len(spans))
	for i := range spans {
		if spans[i].from < 0 {
			return nil, false
		}
		from, to := columnsOf(spans, i)
		out[i] = [2]int{max(int(from), 0), min(int(to+0.5), r.strip.W)}
	}
	return out, true
}

// plain is the most probable text, and the logarithm of how probable.
func (r *Reader) plain() ([]int16, float64) {
	text := r.chances.greedy()
	sure := r.chances.probable(text)
	odd := strangeness(text)
	if sure+odd > -0.05 { // nothing else can be more probable
		return text, sure
	}
	if other, _, ok := r.search.best(&r.chances, nil, true); ok && !slices.Equal(other, text) {
		if s := r.chances.probable(other); s+strangeness(other) > sure+odd {
			return other, s
		}
	}
	return text, sure
}

func wordsOf(classes []int16) string {
	var b strings.Builder
	for _, k := range classes {
		b.WriteRune(characters[k-1])
	}
	return strings.TrimSpace(b.String())
}

// letters says where the characters lie: between the middles of the gaps to their neighbors,
// no wider than a wide character.
func (r *Reader) letters(text []int16) []Letter {
	spans := r.chances.spans(text)
	var out []Letter
	for i, k := range text {
		if spans[i].from < 0 {
			continue
		}
		from, to := columnsOf(spans, i)
		out = append(out, Letter{Rune: characters[k-1], Sure: raster.Exp(spans[i].sure), Box: r.strip.Box(from, to), from: int(from), to: int(to + 0.5)})
	}
	for len(out) > 0 && out[0].Rune == ' ' {
		out = out[1:]
	}
	for len(out) > 0 && out[len(out)-1].Rune == ' ' {
		out = out[:len(out)-1]
	}
	return out
}

// columnsOf is from where to where a character reaches on the strip.
func columnsOf(spans []span, i int) (from, to float64) {
	const half = 5 // columns from its steps to the border of a character
	s := spans[i]
	from, to = float64(2*s.from-half), float64(2*s.to+half)
	if i > 0 {
		from = max(from, float64(spans[i-1].to+s.from))
	}
	if i+1 < len(spans) {
		to = min(to, float64(s.to+spans[i+1].from))
	}
	return from, max(to, from+2)
}
