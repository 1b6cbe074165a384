package drawn

import (
	"math"
	"math/rand/v2"

	"ricetta/core/raster"
)

// Style is how a text is put on a ground.
type Style string

// The styles of printed lines.
const (
	Solid     Style = "solid"
	Etched    Style = "laser-etched"
	DotMatrix Style = "dot matrix"
	InkJet    Style = "ink jet"
)

// Styles are all of them.
var Styles = []Style{Solid, Etched, DotMatrix, InkJet}

// Printed is a picture with a line of print, and what is known of it.
type Printed struct {
	Gray  *raster.Gray
	Text  string
	Lies  Lies
	Light bool // light print on dark ground
}

// LinePrint says what line is to be printed.
type LinePrint struct {
	Face  *Face
	Text  string
	Style Style
	Grade float64 // 0 clean to 4 barely readable by eye
	Turn  float64 // degrees
	// Company adds lines above and below, frames and strokes about it.
	Company bool
}

// PrintLine prints a line of text into a picture of its own size, as bad as its grade says:
// less contrast, blur, noise, uneven light, a textured ground, perspective, breaks, streaks
// and scratches, each by chance up to what the grade allows.
func PrintLine(p LinePrint, rng *rand.Rand) Printed {
	// level is how bad one thing is, 0 to 1: some at the full, most less.
	level := func() float64 { return p.Grade / 4 * (0.25 + 0.75*rng.Float64()) }
	between := func(a, b float64) float64 { return a + (b-a)*rng.Float64() }

	capital := between(19, 36) - level()*between(4, 14)
	capital = max(capital, 11)
	const over = 1.6
	l := Lettering{Cap: capital * over, Stretch: between(0.82, 1.15), Tracking: between(-0.02, 0.12), Stagger: 0.02 * level()}
	if rng.Float64() < 0.15 {
		l.Shear = between(-0.05, 0.25)
	}
	if rng.Float64() < 0.12 {
		l.Tracking = between(-0.08, 0)
	}
	if rng.Float64() < 0.1 {
		l.Tracking = between(0.12, 0.5)
	}
	switch p.Style {
	case DotMatrix:
		l.Rows = p.Face.Rows()
		l.Dot = between(0.75, 1.15) - 0.2*level()
		l.Scatter, l.Lost = 0.12*level(), 0.06*level()*rng.Float64()
	case InkJet:
		l.Rows = p.Face.Rows()
		if rng.IntN(3) == 0 && !p.Face.Dotted() {
			l.Rows = 9 + rng.IntN(12)
		}
		l.Dot = between(0.9, 1.45)
		l.Scatter, l.Lost = 0.05+0.25*level(), 0.05*level()*rng.Float64()
		l.Shear += between(-0.08, 0.08)
	}
	ink := p.Face.Letter(p.Text, l, rng)
	if l.Rows == 0 {
		switch r := rng.Float64(); {
		case r < 0.2:
			ink.Grow(1 + rng.IntN(max(1, int(capital/22))))
		case r < 0.3 && capital > 20:
			ink.Grow(-1)
		}
	}
	for range int(2.6 * level()) { // breaks and streaks
		w, h := float64(ink.W), float64(ink.H)
		a := raster.Point{X: rng.Float64() * w, Y: between(0.25, 0.75) * h}
		b := raster.Point{X: a.X + between(-1, 1)*h, Y: rng.Float64() * h}
		if rng.IntN(2) == 0 {
			a.X, b = 0, raster.Point{X: w, Y: a.Y + between(-0.1, 0.1)*h}
		}
		ink.Streak(a, b, max(1, between(0.03, 0.09)*ink.Cap*(0.5+level())))
	}
	if rng.Float64() < 0.25*p.Grade/4 {
		ink.Smear(level() * 0.35 * ink.Cap)
	}

	// The ground.
	scale := capital / ink.Cap
	length, height := float64(ink.W)*scale, float64(ink.H)*scale
	sin, cos := math.Sincos(p.Turn * math.Pi / 180)
	room := capital * between(0.8, 1.6)
	w := int(math.Abs(length*cos) + math.Abs(height*sin) + 2*room)
	h := int(math.Abs(length*sin) + math.Abs(height*cos) + 2*room)
	g := raster.NewGray(w, h)
	out := Printed{Gray: g, Text: p.Text, Light: rng.Float64() < 0.3}
	if p.Style == Etched {
		out.Light = rng.Float64() < 0.6
	}
	strength := 150 - 118*level()*between(0.6, 1) // between ground and ink
	if p.Style == Etched {
		strength *= between(0.45, 0.9)
	}
	strength = max(strength, 22)
	low := between(15, 235-strength)
	ground, tone := low+strength, low
	if out.Light {
		ground, tone = tone, ground
	}
	wave, amplitude := Cloth(rng.Uint64(), 2+rng.IntN(4), 1), level()*strength*between(0, 0.05)
	grainX := between(0.3, 2)
	step := 0.0
	if rng.Float64() < 0.1*p.Grade { // the ground changes under the print
		step = strength * 0.4 * level()
	}
	edge, edgeTurn := rng.Float64()*float64(w), rng.NormFloat64()*0.5
	coarse := coarsely(w, h, func(x, y float64) float64 { return amplitude * wave(x*grainX, y) })
	for y := range h {
		row := g.Row(y)
		for x := range row {
			v := ground + coarse(x, y)
			if step > 0 && float64(x)+edgeTurn*float64(y) > edge {
				v -= step
			}
			row[x] = uint8(min(max(v, 0), 255))
		}
	}
	laid := Laid{
		At:  raster.Point{X: float64(w)/2 + between(-0.3, 0.3)*room, Y: float64(h)/2 + between(-0.3, 0.3)*room},
		Cap: capital, Turn: p.Turn, Slant: 0.22 * level() * between(-1, 1), Tone: tone, Cover: 1 - 0.1*rng.Float64(), Grain: 0.5 * level(),
	}
	if rng.IntN(3) == 0 {
		laid.Bend = between(-0.35, 0.35) * level()
	}
	if p.Style == Etched {
		laid.Grain = 0.2 + 0.7*level()
	}
	out.Lies = ink.Put(g, laid, rng)
	if p.Company {
		company(g, p, laid, l, rng)
	}
	for range int(2.5 * level()) { // scratches
		x, y := rng.Float64()*float64(w), rng.Float64()*float64(h)
		turn := rng.Float64() * 2 * math.Pi
		shade := ground + between(-1, 1)*strength*0.7
		for t := range int(between(0.5, 4) * capital) {
			px, py := int(x+float64(t)*math.Cos(turn)), int(y+float64(t)*math.Sin(turn))
			if px >= 0 && py >= 0 && px < w && py < h {
				g.Pix[py*g.Stride+px] = uint8(min(max(shade, 0), 255))
			}
		}
	}
	soften(g, capital*(0.015+0.085*level()*rng.Float64())+0.3)
	lean, across, noise := between(-0.5, 0.5)*level(), between(-0.5, 0.5)*level(), 1+strength*(0.01+0.075*level()*rng.Float64())
	for y := range h {
		row := g.Row(y)
		for x := range row {
			light := 1 + lean*(float64(x)/float64(w)-0.5) + across*(float64(y)/float64(h)-0.5)
			row[x] = uint8(min(max(float64(row[x])*light+rng.NormFloat64()*noise+0.5, 0), 255))
		}
	}
	return out
}

// coarsely asks a smooth function at every third place only, and is between them.
func coarsely(w, h int, f func(x, y float64) float64) func(x, y int) float64 {
	const step = 3
	cols, rows := w/step+2, h/step+2
	at := make([]float64, cols*rows)
	for j := range rows {
		for i := range cols {
			at[j*cols+i] = f(float64(i*step), float64(j*step))
		}
	}
	return func(x, y int) float64 {
		i, j := x/step, y/step
		fx, fy := float64(x%step)/step, float64(y%step)/step
		a, b := at[j*cols+i:], at[(j+1)*cols+i:]
		return (1-fy)*((1-fx)*a[0]+fx*a[1]) + fy*((1-fx)*b[0]+fx*b[1])
	}
}

// company prints what lies near a line: another one close by, a rule, the border of a frame.
func company(g *raster.Gray, p LinePrint, laid Laid, l Lettering, rng *rand.Rand) {
	sin, cos := math.Sincos(laid.Turn * math.Pi / 180)
	off := laid
	down := (1.3 + 0.7*rng.Float64()) * laid.Cap
	if rng.IntN(2) == 0 {
		down = -down
	}
	aside := (rng.Float64() - 0.5) * 6 * laid.Cap
	off.At.X += aside*cos - down*sin
	off.At.Y += aside*sin + down*cos
	switch rng.IntN(3) {
	case 0, 1:
		p.Face.Letter(shuffled(p.Text, rng), l, rng).Put(g, off, rng)
	default:
		bar := &Ink{Cap: 10, Base: 15}
		bar.Resize(900, 21)
		clear(bar.Pix)
		for y := 9; y < 11; y++ {
			for x := range bar.W {
				bar.Pix[y*bar.Stride+x] = 255
			}
		}
		off.Cap = max(8, laid.Cap/2)
		bar.Put(g, off, rng)
	}
}

func shuffled(s string, rng *rand.Rand) string {
	r := []rune(s)
	rng.Shuffle(len(r), func(i, j int) { r[i], r[j] = r[j], r[i] })
	return string(r)
}

// soften blurs as a lens out of focus does, with a deviation in pixels.
func soften(g *raster.Gray, sigma float64) {
	n := int(math.Ceil(2.5 * sigma))
	if n < 1 {
		return
	}
	kernel, sum := make([]float64, 2*n+1), 0.0
	for i := range kernel {
		kernel[i] = math.Exp(-float64((i-n)*(i-n)) / (2 * sigma * sigma))
		sum += kernel[i]
	}
	line := make([]float64, max(g.W, g.H))
	pass := func(count, length, step, stride int) {
		for i := range count {
			at := i * stride
			for j := range length {
				v := 0.0
				for t, k := range kernel {
					v += k * float64(g.Pix[at+min(max(j+t-n, 0), length-1)*step])
				}
				line[j] = v / sum
			}
			for j := range length {
				g.Pix[at+j*step] = uint8(line[j] + 0.5)
			}
		}
	}
	pass(g.H, g.W, 1, g.Stride)
	pass(g.W, g.H, g.Stride, 1)
}
