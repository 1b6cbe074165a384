package drawn

import (
	"fmt"
	"image"
	"image/draw"
	"math"
	"math/rand/v2"

	"golang.org/x/image/font"
	"golang.org/x/image/font/sfnt"
	"golang.org/x/image/math/fixed"
	"golang.org/x/image/vector"

	"ricetta/core/raster"
)

// Face draws the characters of an outline font. It is not safe for concurrent use.
type Face struct {
	Name string
	font *sfnt.Font
	buf  sfnt.Buffer
	ppem fixed.Int26_6
	cap  float64 // height of H at ppem

	rows   int // of dots; 0 before they were asked for
	dotted bool
	dots   map[rune][7]byte // of a font of dots, in place of outlines
}

// ParseFace reads a TrueType or OpenType font.
func ParseFace(name string, data []byte) (*Face, error) {
	f, err := sfnt.Parse(data)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", name, err)
	}
	face := &Face{Name: name, font: f, ppem: fixed.I(int(f.UnitsPerEm()))}
	face.cap = -face.extent('H').Min.Y
	if face.cap < float64(f.UnitsPerEm())/8 {
		return nil, fmt.Errorf("%s: has no capitals", name)
	}
	return face, nil
}

type extent struct{ Min, Max raster.Point }

func (f *Face) extent(r rune) extent {
	e := extent{raster.Point{X: 1e9, Y: 1e9}, raster.Point{X: -1e9, Y: -1e9}}
	for _, s := range f.glyph(r) {
		for _, p := range s.Args {
			x, y := float64(p.X)/64, float64(p.Y)/64
			e.Min.X, e.Min.Y = min(e.Min.X, x), min(e.Min.Y, y)
			e.Max.X, e.Max.Y = max(e.Max.X, x), max(e.Max.Y, y)
		}
	}
	return e
}

func (f *Face) glyph(r rune) sfnt.Segments {
	i, err := f.font.GlyphIndex(&f.buf, r)
	if err != nil || i == 0 {
		return nil
	}
	s, err := f.font.LoadGlyph(&f.buf, i, f.ppem, nil)
	if err != nil {
		return nil
	}
	return s
}

// Has reports whether the font has an outline for each of the characters.
func (f *Face) Has(text string) bool {
	for _, r := range text {
		if f.dots != nil {
			if _, ok := f.dots[r]; !ok {
				return false
			}
			continue
		}
		if r != ' ' && len(f.glyph(r)) == 0 {
			return false
		}
	}
	return true
}

func (f *Face) advance(r rune) float64 {
	i, err := f.font.GlyphIndex(&f.buf, r)
	if err != nil {
		return 0
	}
	a, err := f.font.GlyphAdvance(&f.buf, i, f.ppem, font.HintingNone)
	if err != nil {
		return 0
	}
	return float64(a) / 64
}

// Lettering says how a line is lettered. Lengths are parts of the height of a capital.
type Lettering struct {
	Cap      float64 // pixels of a capital in the ink made
	Tracking float64 // more room after each character; less than 0 lets them touch
	Stretch  float64 // width of the characters, 1 as in the font
	Shear    float64 // how far the top leans to the right
	Stagger  float64 // how far characters lie off the line, up and down
	Rows     int     // of dots in a capital; 0 draws outlines
	Dot      float64 // diameter of a dot, in rows
	Scatter  float64 // how far dots lie off their place, in rows
	Lost     float64 // part of the dots that are missing
}

// Ink is a lettered line: 255 where there is full ink.
type Ink struct {
	raster.Gray
	Base  float64      // row of the line that the characters stand on
	Cap   float64      // rows of a capital
	Chars [][2]float64 // columns from and to, of each character
	Text  string
}

// Begin is the column at which the text begins.
func (k *Ink) Begin() float64 {
	if len(k.Chars) == 0 {
		return 0
	}
	return k.Chars[0][0]
}

const inkMargin = 0.6 // around the capitals, in their heights

// Letter draws a text on one line.
func (f *Face) Letter(text string, l Lettering, rng *rand.Rand) *Ink {
	if l.Stretch == 0 {
		l.Stretch = 1
	}
	if f.dots != nil {
		return f.letterDots(text, l, rng)
	}
	k := l.Cap / f.cap
	margin := inkMargin * l.Cap
	ink := &Ink{Text: text, Cap: l.Cap, Base: margin + l.Cap}
	grid := 0.0 // columns of dots
	if l.Rows > 0 {
		grid = l.Cap / float64(l.Rows) * l.Stretch
		margin = math.Ceil(margin/grid) * grid
	}
	x := margin
	type put struct {
		r    rune
		x, y float64
	}
	var puts []put
	for _, r := range text {
		w := (f.advance(r)*k + l.Tracking*l.Cap) * l.Stretch
		if grid > 0 {
			w = math.Round(w/grid) * grid
		}
		if r != ' ' {
			puts = append(puts, put{r, x, ink.Base + l.Stagger*l.Cap*rng.NormFloat64()})
		}
		ink.Chars = append(ink.Chars, [2]float64{x, x + w})
		x += w
	}
	width, height := int(x+margin)+1, int(l.Cap*(1+2*inkMargin))+1
	ink.Resize(max(width, 1), height)
	v := vector.NewRasterizer(ink.W, ink.H)
	shear := l.Shear
	if l.Rows > 0 {
		shear = 0 // its dots are
	}
	at := func(p put, q fixed.Point26_6) (float32, float32) {
		y := float64(q.Y) / 64 * k
		return float32(p.x + (float64(q.X)/64*k-y*shear)*l.Stretch), float32(p.y + y)
	}
	for _, p := range puts {
		for _, s := range f.glyph(p.r) {
			ax, ay := at(p, s.Args[0])
			switch s.Op {
			case sfnt.SegmentOpMoveTo:
				v.ClosePath()
				v.MoveTo(ax, ay)
			case sfnt.SegmentOpLineTo:
				v.LineTo(ax, ay)
			case sfnt.SegmentOpQuadTo:
				bx, by := at(p, s.Args[1])
				v.QuadTo(ax, ay, bx, by)
			case sfnt.SegmentOpCubeTo:
				bx, by := at(p, s.Args[1])
				cx, cy := at(p, s.Args[2])
				v.CubeTo(ax, ay, bx, by, cx, cy)
			}
		}
		v.ClosePath()
	}
	dst := image.NewAlpha(image.Rect(0, 0, ink.W, ink.H))
	v.DrawOp = draw.Src
	v.Draw(dst, dst.Bounds(), image.Opaque, image.Point{})
	for y := range ink.H {
		copy(ink.Row(y), dst.Pix[y*dst.Stride:y*dst.Stride+ink.W])
	}
	if l.Rows > 0 {
		ink.dots(l, rng)
	}
	return ink
}

// dots prints the ink anew as a dot printer does: one dot wherever a grid of so many rows
// finds ink.
func (k *Ink) dots(l Lettering, rng *rand.Rand) {
	pitch := l.Cap / float64(l.Rows)
	pitchX := pitch * l.Stretch
	var at []raster.Point
	for j := -1 - l.Rows/2; float64(j) < float64(l.Rows)*1.6; j++ {
		for i := 0; float64(i)*pitchX < float64(k.W); i++ {
			x, y := (float64(i)+0.5)*pitchX, k.Base-(float64(j)+0.5)*pitch
			if k.mean(x, y, pitchX, pitch) > 127 {
				at = append(at, raster.Point{X: x + (k.Base-y)*l.Shear, Y: y})
			}
		}
	}
	k.spray(at, pitch, l, rng)
}

// spray replaces the ink by dots at places.
func (k *Ink) spray(at []raster.Point, pitch float64, l Lettering, rng *rand.Rand) {
	clear(k.Pix)
	for _, p := range at {
		if rng.Float64() < l.Lost {
			continue
		}
		r := pitch * l.Dot / 2 * (1 + 0.5*l.Scatter*rng.NormFloat64())
		k.disc(p.X+rng.NormFloat64()*l.Scatter*pitch, p.Y+rng.NormFloat64()*l.Scatter*pitch, r)
	}
}

// mean is the mean ink of a rectangle around a place, of nine places in it.
func (k *Ink) mean(x, y, w, h float64) int {
	sum := 0
	for j := -1; j <= 1; j++ {
		for i := -1; i <= 1; i++ {
			px, py := int(x+float64(i)*w/3), int(y+float64(j)*h/3)
			if px >= 0 && py >= 0 && px < k.W && py < k.H {
				sum += int(k.Pix[py*k.Stride+px])
			}
		}
	}
	return sum / 9
}

func (k *Ink) disc(cx, cy, r float64) {
	for y := max(0, int(cy-r-1)); y <= min(k.H-1, int(cy+r+1)); y++ {
		row := k.Row(y)
		for x := max(0, int(cx-r-1)); x <= min(k.W-1, int(cx+r+1)); x++ {
			in := r + 0.5 - math.Hypot(float64(x)+0.5-cx, float64(y)+0.5-cy)
			if v := uint8(255 * min(max(in, 0), 1)); v > row[x] {
				row[x] = v
			}
		}
	}
}

// Grow makes strokes thicker by so many pixels to each side, or thinner.
func (k *Ink) Grow(px int) {
	for range max(px, -px) {
		old := append([]uint8(nil), k.Pix...)
		for y := range k.H {
			for x := range k.W {
				v := old[y*k.Stride+x]
				for _, d := range [4][2]int{{1, 0}, {-1, 0}, {0, 1}, {0, -1}} {
					nx, ny := x+d[0], y+d[1]
					if nx < 0 || ny < 0 || nx >= k.W || ny >= k.H {
						continue
					}
					if w := old[ny*k.Stride+nx]; px > 0 && w > v || px < 0 && w < v {
						v = w
					}
				}
				k.Pix[y*k.Stride+x] = v
			}
		}
	}
}

// Streak takes the ink away along a stroke of some width, as a scratch or a blocked nozzle does.
func (k *Ink) Streak(from, to raster.Point, width float64) {
	dx, dy := to.X-from.X, to.Y-from.Y
	n := max(math.Hypot(dx, dy), 1e-9)
	for y := range k.H {
		row := k.Row(y)
		for x := range row {
			px, py := float64(x)+0.5-from.X, float64(y)+0.5-from.Y
			t := (px*dx + py*dy) / n
			if t < 0 || t > n {
				continue
			}
			off := math.Abs(px*dy-py*dx) / n
			row[x] = uint8(float64(row[x]) * min(max(off-width/2+0.5, 0), 1))
		}
	}
}

// Smear draws the ink out to the right over so many pixels.
func (k *Ink) Smear(px float64) {
	if px < 1 {
		return
	}
	keep := math.Exp(-1.5 / px)
	for y := range k.H {
		row, wet := k.Row(y), 0.0
		for x, v := range row {
			wet = max(wet*keep, float64(v))
			row[x] = uint8(wet)
		}
	}
}

// Laid says how a line lies in a picture.
type Laid struct {
	At    raster.Point // middle of the capitals' band
	Cap   float64      // pixels of a capital
	Turn  float64      // degrees, clockwise
	Slant float64      // perspective: how much larger the right end is than the left, as a part
	Bend  float64      // how far the middle lies under the ends, in heights of a capital
	Tone  float64      // gray value of full ink
	Cover float64      // part of the ground that full ink hides
	Grain float64      // unevenness of the ink, 0 to 1
}

// Lies is where ink lies in a picture: the middle of the capitals' band at both ends and
// their height.
type Lies struct {
	From, To raster.Point
	Cap      float64
}

// Put prints ink into a picture and says where its characters lie.
func (k *Ink) Put(g *raster.Gray, l Laid, rng *rand.Rand) Lies {
	sin, cos := math.Sincos(l.Turn * math.Pi / 180)
	scale := l.Cap / k.Cap
	w, h := float64(k.W), float64(k.H)
	midX, midY := w/2, k.Base-k.Cap/2
	bend := func(u float64) float64 { t := (u - midX) / (w / 2); return l.Bend * k.Cap * (1 - t*t) }
	there := func(u, v float64) raster.Point {
		v += bend(u)
		dx, dy := (u-midX)*scale, (v-midY)*scale
		m := 1 / (1 - l.Slant*dx/(w*scale))
		dx, dy = dx*m, dy*m
		return raster.Point{X: l.At.X + dx*cos - dy*sin, Y: l.At.Y + dx*sin + dy*cos}
	}
	x0, y0, x1, y1 := math.Inf(1), math.Inf(1), math.Inf(-1), math.Inf(-1)
	for i := range 9 {
		for _, v := range [2]float64{0, h} {
			p := there(w*float64(i)/8, v)
			x0, y0, x1, y1 = min(x0, p.X), min(y0, p.Y), max(x1, p.X), max(y1, p.Y)
		}
	}
	slant, reach := l.Slant/(w*scale), (h/2+2)*scale*(1+math.Abs(l.Slant))+math.Abs(l.Bend)*l.Cap
	alpha := func(px, py float64) float64 {
		dx, dy := px-l.At.X, py-l.At.Y
		dx, dy = dx*cos+dy*sin, dy*cos-dx*sin
		if math.Abs(dy) > reach {
			return 0
		}
		m := 1.0
		if slant != 0 {
			m = 1 / (1 + slant*dx)
		}
		u := dx*m/scale + midX
		v := dy*m/scale + midY - bend(u)
		if !k.Inside(u, v) {
			return 0
		}
		return k.Between(u, v)
	}
	const n = 2 // the ink has more pixels than the picture, but not twice as many
	for y := max(0, int(y0)); y <= min(g.H-1, int(y1)); y++ {
		row := g.Row(y)
		for x := max(0, int(x0)); x <= min(g.W-1, int(x1)); x++ {
			sum := 0.0
			for i := range n * n {
				sum += alpha(float64(x)+(float64(i%n)+0.5)/n, float64(y)+(float64(i/n)+0.5)/n)
			}
			if sum == 0 {
				continue
			}
			a := sum / (n * n) / 255 * l.Cover
			if l.Grain > 0 {
				a *= min(max(1+l.Grain*(rng.NormFloat64()*0.5-0.3), 0), 1.2)
			}
			row[x] = uint8(min(max(float64(row[x])+a*(l.Tone-float64(row[x]))+0.5, 0), 255))
		}
	}
	first, last := k.Begin(), w
	if n := len(k.Chars); n > 0 {
		last = k.Chars[n-1][1]
	}
	return Lies{From: there(first, midY), To: there(last, midY), Cap: l.Cap}
}

// Rows is how many rows of dots a capital of this font takes: that of a font drawn in dots
// its own number, 9 with others.
func (f *Face) Rows() int {
	f.fit()
	return f.rows
}

// Dotted reports whether the font was drawn in dots.
func (f *Face) Dotted() bool {
	f.fit()
	return f.dotted
}

// fit finds the number of rows at which every dot is all ink or none.
func (f *Face) fit() {
	if f.rows > 0 {
		return
	}
	f.rows = 9
	best := 0.06
	for rows := 5; rows <= 14; rows++ {
		cap := float64(rows * 9)
		ink := f.Letter("HERB58", Lettering{Cap: cap}, rand.New(rand.NewPCG(1, 1)))
		unsure, n := 0, 0
		for j := range rows {
			for i := 0; i*9 < ink.W-9; i++ {
				at := k9(ink, (float64(i)+0.5)*9+math.Mod(ink.Chars[0][0], 9), ink.Base-(float64(j)+0.5)*9)
				n++
				if at > 25 && at < 230 {
					unsure++
				}
			}
		}
		if part := float64(unsure) / float64(n); part < best {
			best, f.rows, f.dotted = part, rows, true
		}
	}
}

func k9(k *Ink, x, y float64) int { return k.mean(x, y, 8, 8) }
