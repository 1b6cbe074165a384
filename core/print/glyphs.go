package print

import (
	"errors"
	"fmt"
	"math"
	"regexp"
	"slices"
	"strings"

	"ricetta/core/check"
	"ricetta/core/raster"
	"ricetta/core/reader"
)

// Taught is a line of print in a picture file of the recipe, with what it says.
type Taught struct {
	File string `json:"file" jsonschema:"pattern=^[A-Za-z0-9][A-Za-z0-9 ._-]{0\\,99}$" jsonschema_description:"A picture file of the recipe that shows one line of this print"`
	Text string `json:"text" jsonschema:"minLength=1,maxLength=60" jsonschema_description:"What the line says"`
}

// glyph is how a character of a print looks: a part of a strip.
type glyph struct {
	char rune
	w    int
	pix  []float64 // glyphRows rows of w, ink 1, ground 0 and less
	mean float64
	norm float64 // of pix less mean
	ink  float64 // sum of what is ink
}

// glyphs are the taught characters of a print.
type glyphs struct {
	all    []glyph
	height float64 // of a capital when they were taught, pixels
	gap    float64 // columns between characters, the usual one
	light  bool
}

const (
	groundTone, inkTone = 20.0, 96.0 // of a strip
	slack               = 3          // rows that a character may lie higher or lower
	glyphRows           = reader.StripHeight - 2*slack
)

// inkOf is how much ink a value of a strip is.
func inkOf(v uint8) float64 { return (float64(v) - groundTone) / (inkTone - groundTone) }

// line of print as the reader finds it, all of a region.
func theLine(r *reader.Reader, g *raster.Gray, region raster.Region, on raster.Transform, turn, height float64, ink reader.Polarity, text string) (reader.Text, error) {
	rule, err := reader.NewRule(regexp.QuoteMeta(even(text)), false)
	if err != nil {
		return reader.Text{}, fmt.Errorf("text: %w", err)
	}
	found := r.Read(g, reader.Options{Search: reader.Search{Region: region, On: on, Turn: turn, Height: height}, Polarity: ink, Rule: rule})
	if len(found) == 0 {
		return reader.Text{}, errNoLine
	}
	return found[0], nil
}

var errNoLine = errors.New("there is no line of print")

// even is a text without its spaces.
func even(s string) string { return strings.Join(strings.Fields(s), "") }

// filesOf names the pictures of taught lines.
func filesOf(lines []Taught) []string {
	var out []string
	for _, t := range lines {
		out = append(out, t.File)
	}
	return out
}

// learn cuts the characters of a line apart and keeps how they look. Where light columns part
// as many pieces as there are characters these are the characters; else the reader says where
// each lies.
func (f *glyphs) learn(r *reader.Reader, g *raster.Gray, l reader.Text, text string) error {
	chars := []rune(even(text))
	if f.height == 0 {
		f.height, f.light = l.Line.Height, l.Light
	}
	var s reader.Strip
	s.Take(g, l.Line, l.Light)
	cuts := pieces(&s)
	if len(cuts) != len(chars) {
		var ok bool
		if cuts, ok = r.Align(g, l.Line, l.Light, string(chars)); !ok {
			return fmt.Errorf("its %d characters cannot be told apart; give a clearer picture of it, or check what it says", len(chars))
		}
	}
	gaps := 0.0
	for i, c := range cuts {
		if i > 0 {
			gaps += float64(c[0]-cuts[i-1][1]) / float64(max(len(cuts)-1, 1))
		}
		f.all = append(f.all, glyphOf(&s, chars[i], c[0], c[1]))
	}
	if len(cuts) > 1 {
		f.gap = gaps
	}
	return nil
}

func glyphOf(s *reader.Strip, c rune, from, to int) glyph {
	from, to = max(from-1, 0), min(to+1, s.W)
	out := glyph{char: c, w: to - from}
	for y := slack; y < reader.StripHeight-slack; y++ {
		for x := from; x < to; x++ {
			v := inkOf(s.Pix[y*s.W+x])
			out.pix = append(out.pix, v)
			out.mean += v
			out.ink += max(v, 0)
		}
	}
	out.mean /= float64(len(out.pix))
	for _, v := range out.pix {
		out.norm += float64((v - out.mean) * (v - out.mean))
	}
	out.norm = math.Sqrt(out.norm)
	return out
}

// pieces are runs of columns with ink, of the rows between the height of the tallest and the
// deepest characters.
func pieces(s *reader.Strip) [][2]int {
	var out [][2]int
	from := -1
	for x := 0; x <= s.W; x++ {
		most := 0.0
		if x < s.W {
			for y := 4; y < reader.StripHeight-4; y++ {
				most = max(most, inkOf(s.Pix[y*s.W+x]))
			}
		}
		switch {
		case most > 0.45 && from < 0:
			from = x
		case most <= 0.45 && from >= 0:
			if x-from >= 2 {
				out = append(out, [2]int{from, x})
			}
			from = -1
		}
	}
	return out
}

// of returns the glyphs of a character.
func (f *glyphs) of(c rune) []int {
	var out []int
	for i := range f.all {
		if f.all[i].char == c {
			out = append(out, i)
		}
	}
	return out
}

// inked is a strip as glyphs are matched with it: its ink, and the sums and squares of its
// columns to the left of each, for every shift of the rows.
type inked struct {
	*reader.Strip
	ink        []float64
	sums, sqrs [2*slack + 1][]float64
}

func (k *inked) take(s *reader.Strip) *inked {
	k.Strip = s
	k.ink = k.ink[:0]
	for _, v := range s.Pix {
		k.ink = append(k.ink, inkOf(v))
	}
	for d := range k.sums {
		k.sums[d], k.sqrs[d] = append(k.sums[d][:0], 0), append(k.sqrs[d][:0], 0)
		sum, sqr := 0.0, 0.0
		for x := range s.W {
			for y := d; y < d+glyphRows; y++ {
				v := k.ink[y*s.W+x]
				sum += v
				sqr += float64(v * v)
			}
			k.sums[d], k.sqrs[d] = append(k.sums[d], sum), append(k.sqrs[d], sqr)
		}
	}
	return k
}

// match is how well a glyph fits a strip with its left side at a column: the correlation, at
// the row shift where it is best.
func (k *glyph) match(s *inked, x int) (score float64, shift int) {
	score = -1
	for d := -slack; d <= slack; d += 2 {
		if v := k.correlation(s, x, d); v > score {
			score, shift = v, d
		}
	}
	for _, d := range [2]int{shift - 1, shift + 1} {
		if d < -slack || d > slack {
			continue
		}
		if v := k.correlation(s, x, d); v > score {
			score, shift = v, d
		}
	}
	return score, shift
}

func (k *glyph) correlation(s *inked, x, shift int) float64 {
	if x < 0 || x+k.w > s.W || k.norm == 0 {
		return 0
	}
	d := shift + slack
	n := float64(k.w * glyphRows)
	sum, sqr := s.sums[d][x+k.w]-s.sums[d][x], s.sqrs[d][x+k.w]-s.sqrs[d][x]
	spread := sqr - float64(sum*sum)/n
	if spread < float64(0.01*n) {
		return 0
	}
	dot := 0.0
	for y := range glyphRows {
		row := s.ink[(y+d)*s.W+x:][:k.w]
		for i, t := range k.pix[y*k.w:][:k.w] {
			dot += float64(row[i] * t)
		}
	}
	return (dot - float64(sum*k.mean)) / float64(math.Sqrt(spread)*k.norm)
}

// lain is a character where it was found in a strip.
type lain struct {
	glyph        int
	x, shift     int
	score        float64
	missing, too float64 // part of the ink that is missing; ink too much, as a part of all
}

// lay finds the places of characters along a strip: those at which they fit best, in their
// order, about as far apart as they were taught.
func (f *glyphs) lay(s *inked, chars []rune) ([]lain, bool) {
	n, w := len(chars), s.W
	scores := make([][]float64, len(f.all)) // of the glyphs that are asked for
	scoreOf := func(g int) []float64 {
		if scores[g] == nil {
			scores[g] = make([]float64, w)
			for x := range w {
				scores[g][x], _ = f.all[g].match(s, x)
			}
		}
		return scores[g]
	}
	best := make([][]float64, n) // of the first i+1 characters, the last at x
	from := make([][]int32, n)
	which := make([][]int16, n)
	for i, c := range chars {
		best[i], from[i], which[i] = make([]float64, w), make([]int32, w), make([]int16, w)
		own := f.of(c)
		if len(own) == 0 {
			return nil, false
		}
		for x := range w {
			score, k := -1.0, own[0]
			for _, g := range own {
				if v := scoreOf(g)[x]; v > score {
					score, k = v, g
				}
			}
			which[i][x] = int16(k)
			best[i][x], from[i][x] = score, -1
			if i == 0 {
				continue
			}
			before, at := math.Inf(-1), -1
			for back := 1; back < 60 && x-back >= 0; back++ {
				p := x - back
				gap := float64(x-p-f.all[which[i-1][p]].w) - f.gap
				cost := 0.0
				switch {
				case gap < -4:
					continue
				case gap > 6:
					cost = min(float64(0.012*(gap-6)), 0.25) // a space
				case gap < 0:
					cost = float64(0.03 * -gap)
				}
				if v := best[i-1][p] - cost; v > before {
					before, at = v, p
				}
			}
			best[i][x] += before
			from[i][x] = int32(at)
		}
	}
	if n == 0 {
		return nil, false
	}
	x := 0
	for k, v := range best[n-1] {
		if v > best[n-1][x] {
			x = k
		}
	}
	out := make([]lain, n)
	for i := n - 1; i >= 0; i-- {
		g := int(which[i][x])
		score, shift := f.all[g].match(s, x)
		l := lain{glyph: g, x: x, shift: shift, score: max(score, 0)}
		l.missing, l.too = f.all[g].damage(s, x, shift)
		out[i] = l
		if i > 0 {
			if x = int(from[i][x]); x < 0 {
				return nil, false
			}
		}
	}
	return out, true
}

// damage is which part of a glyph's ink is missing at a place, and how much is too much: farther
// from its ink than a stroke's border may lie.
func (k *glyph) damage(s *inked, x, shift int) (missing, too float64) {
	core := 0.0 // ink that is missed where it is not
	at := func(px, py int) float64 {
		if px < 0 || px >= k.w || py < 0 || py >= glyphRows {
			return 0
		}
		return k.pix[py*k.w+px]
	}
	for y := range glyphRows {
		sy := y + shift + slack
		for i := range k.w {
			sx := x + i
			v := 0.0
			if sx >= 0 && sx < s.W {
				v = min(max(s.ink[sy*s.W+sx], 0), 1)
			}
			t := min(max(at(i, y), 0), 1)
			near, far := t, t // the least and the most ink that a place beside has
			for _, d := range [4][2]int{{1, 0}, {-1, 0}, {0, 1}, {0, -1}} {
				u := min(max(at(i+d[0], y+d[1]), 0), 1)
				near, far = min(near, u), max(far, u)
			}
			core += max(near-0.15, 0)
			missing += max(near-v-0.15, 0)
			too += max(v-far-0.25, 0)
		}
	}
	return missing / max(core, 1), too / max(k.ink, 1)
}

// outline is where a character lies in the picture.
func (f *glyphs) outline(s *reader.Strip, l *lain) [4]raster.Point {
	return s.Box(float64(l.x), float64(l.x+f.all[l.glyph].w))
}

// learnAll learns the characters of taught lines.
func (f *glyphs) learnAll(t *check.Teaching, lines []Taught) error {
	var r reader.Reader
	for i, l := range lines {
		pic, err := t.File(l.File)
		if err != nil {
			return fmt.Errorf("taught[%d]: %w", i, err)
		}
		g := pic.Luma(new(raster.Gray))
		line, err := theLine(&r, g, raster.Rect(0, 0, float64(g.W), float64(g.H)), raster.Identity(), 15, 0, reader.Either, l.Text)
		if err == nil {
			err = f.learn(&r, g, line, l.Text)
		}
		if err != nil {
			return fmt.Errorf("taught[%d], %s: %w", i, l.File, err)
		}
	}
	return nil
}

// unknown lists the characters of a text that were not taught.
func (f *glyphs) unknown(chars []rune) string {
	var out []rune
	for _, c := range chars {
		if len(f.of(c)) == 0 && !slices.Contains(out, c) {
			out = append(out, c)
		}
	}
	return string(out)
}

// read reads a strip with the taught characters alone: the sequence of them, none over another,
// that explains most of it.
func (f *glyphs) read(s *inked) []lain {
	const (
		least = 0.62 // what fits less is no character
		over  = 3    // columns by which two may overlap: each was cut with a margin
	)
	best := make([]float64, s.W+1) // of what ends at a column
	last := make([]lain, s.W+1)
	for x := range last {
		last[x].glyph = -1
	}
	for x := 1; x <= s.W; x++ {
		best[x], last[x] = best[x-1], lain{glyph: -1}
		for g := range f.all {
			k := &f.all[g]
			from := x - k.w
			if from < -1 {
				continue
			}
			score, shift := k.match(s, from)
			if score < least {
				continue
			}
			before := min(max(from+over, 0), x-1)
			if v := best[before] + float64((score-least)*math.Sqrt(k.ink)); v > best[x] {
				best[x], last[x] = v, lain{glyph: g, x: from, shift: shift, score: score}
			}
		}
	}
	var out []lain
	for x := s.W; x > 0; {
		l := last[x]
		if l.glyph < 0 {
			x--
			continue
		}
		out = append(out, l)
		x = min(max(l.x+over, 0), x-1)
	}
	slices.Reverse(out)
	return out
}

// say turns what was read into a text as the reader gives it; wider gaps are spaces.
func (f *glyphs) say(s *reader.Strip, laid []lain, l reader.Line, light bool) reader.Text {
	t := reader.Text{Line: l, Light: light, Sure: 1}
	var b strings.Builder
	for i := range laid {
		k := &f.all[laid[i].glyph]
		if i > 0 {
			end := laid[i-1].x + f.all[laid[i-1].glyph].w
			if float64(laid[i].x-end) > f.gap+4 {
				b.WriteByte(' ')
			}
		}
		b.WriteRune(k.char)
		t.Letters = append(t.Letters, reader.Letter{Rune: k.char, Sure: laid[i].score, Box: f.outline(s, &laid[i])})
		t.Sure = min(t.Sure, laid[i].score)
	}
	t.Plain = b.String()
	return t
}
