package plant

import (
	"math"
	"math/rand/v2"

	"ricetta/core/raster"
)

// Where a tin lies that lies just right, and how large the pictures are. All
// numbers of this file are pixels of the picture, 0.25 mm each.
const (
	pictureW, pictureH = 1280, 960
	tinX, tinY         = 640.0, 470.0
	tinW, tinH         = 860, 620
	rim                = 20 // round the tin in its sprite
)

// Where the pencils lie, in pixels of the tin.
const (
	firstPencil = 204.0
	pencilPitch = 54.0
	pencilW     = 46
	pencilH     = 560
	pencilTop   = 32
	coneTop     = 24 // of the wood, below the pencil's tip
	coneEnd     = 84 // where the paint begins
	capH        = 56 // the dipped end
)

type rgb [3]uint8

// The set: dark and light in turn, so that two neighbors exchanged show in the
// tones alone.
var pencilColors = [12]rgb{
	{38, 38, 42},
	{245, 208, 40},
	{178, 34, 40},
	{250, 160, 50},
	{96, 48, 140},
	{246, 160, 180},
	{30, 70, 160},
	{130, 196, 235},
	{20, 110, 60},
	{170, 214, 80},
	{110, 66, 36},
	{240, 226, 190},
}

var (
	wood     = rgb{228, 200, 160}
	dipped   = rgb{34, 40, 58}
	goldRing = rgb{206, 170, 92}
	tray     = rgb{44, 46, 50}
)

// sprite is a color picture with its cover, 255 where it hides what lies below.
type sprite struct {
	*raster.RGB
	a []uint8
}

func newSprite(w, h int) sprite { return sprite{raster.NewRGB(w, h), make([]uint8, w*h)} }

// fill paints a polygon onto the sprite.
func (s sprite) fill(p *raster.Painter, pts []raster.Point, c rgb) {
	p.Polygon(pts, s.W, s.H, func(y, x0 int, cover []float64) {
		for i, k := range cover {
			o := y*s.Stride + x0 + i
			for ch, plane := range [3][]uint8{s.R, s.G, s.B} {
				v := float64(plane[o])
				plane[o] = uint8(v + k*(float64(c[ch])-v) + 0.5)
			}
			s.a[o] = uint8(max(float64(s.a[o]), k*255))
		}
	})
}

// rounded returns the corners of a rectangle with round corners.
func rounded(x, y, w, h, r float64) []raster.Point {
	var out []raster.Point
	for i, c := range [4]raster.Point{{X: x + w - r, Y: y + h - r}, {X: x + r, Y: y + h - r}, {X: x + r, Y: y + r}, {X: x + w - r, Y: y + r}} {
		for k := range 7 {
			sin, cos := raster.SinCos(float64(i*90 + k*15))
			out = append(out, raster.Point{X: c.X + r*cos, Y: c.Y + r*sin})
		}
	}
	return out
}

func ellipse(cx, cy, rx, ry, turn float64) []raster.Point {
	ts, tc := raster.SinCos(turn)
	var out []raster.Point
	for k := range 40 {
		sin, cos := raster.SinCos(float64(k * 9))
		x, y := rx*cos, ry*sin
		out = append(out, raster.Point{X: cx + tc*x - ts*y, Y: cy + ts*x + tc*y})
	}
	return out
}

// emptyTin draws the tin without its pencils.
func emptyTin() sprite {
	s := newSprite(tinW+2*rim, tinH+2*rim)
	var p raster.Painter
	at := func(x, y, w, h, r float64) []raster.Point { return rounded(x+rim, y+rim, w, h, r) }
	s.fill(&p, at(0, 0, tinW, tinH, 34), rgb{150, 158, 168})
	s.fill(&p, at(5, 5, tinW-10, tinH-10, 30), rgb{206, 211, 215})
	s.fill(&p, at(15, 15, tinW-30, tinH-30, 22), rgb{92, 97, 104})
	s.fill(&p, at(19, 19, tinW-38, tinH-38, 20), tray)
	for i := range 12 { // the grooves
		x := firstPencil + pencilPitch*float64(i)
		s.fill(&p, at(x-22, 26, 44, tinH-52, 10), rgb{54, 56, 60})
	}
	// The label: a cornflower and lines of print.
	s.fill(&p, at(24, 24, 144, tinH-48, 14), rgb{36, 44, 86})
	pale := rgb{226, 212, 170}
	for k := range 7 {
		turn := float64(k)*32 - 96
		sin, cos := raster.SinCos(turn - 90)
		s.fill(&p, ellipse(rim+96+30*cos, rim+150+34*sin, 11, 34, turn), pale)
	}
	s.fill(&p, ellipse(rim+96, rim+158, 15, 12, 0), rgb{120, 150, 214})
	s.fill(&p, []raster.Point{{X: rim + 92, Y: rim + 165}, {X: rim + 100, Y: rim + 165}, {X: rim + 103, Y: rim + 270}, {X: rim + 95, Y: rim + 270}}, pale)
	s.fill(&p, ellipse(rim+116, rim+230, 24, 8, -32), pale)
	for i, w := range []float64{96, 64, 82, 40} {
		s.fill(&p, at(48, 330+float64(i)*34, w, 15, 3), pale)
	}
	s.fill(&p, at(48, 500, 38, 58, 6), rgb{214, 96, 60})
	return s
}

// drawPencil draws a pencil with its tip upwards.
func drawPencil(c rgb) sprite {
	s := newSprite(pencilW, pencilH)
	var p raster.Painter
	w, h := float64(pencilW), float64(pencilH)
	s.fill(&p, rounded(0, coneEnd-6, w, h-coneEnd+6, 5), c)
	s.fill(&p, []raster.Point{{X: w/2 - 6, Y: coneTop}, {X: w/2 + 6, Y: coneTop}, {X: w - 2, Y: coneEnd}, {X: 2, Y: coneEnd}}, wood)
	s.fill(&p, []raster.Point{{X: w / 2, Y: 0}, {X: w/2 + 6, Y: coneTop}, {X: w/2 - 6, Y: coneTop}}, c)
	s.fill(&p, rounded(0, h-capH, w, capH, 8), dipped)
	s.fill(&p, rounded(0, h-capH-8, w, 8, 1), goldRing)
	// Round as it is: dark at the sides, a soft light along it.
	for x := range pencilW {
		u := (float64(x) + 0.5) / w
		shade := 0.62 + 0.42*math.Sin(math.Pi*u)
		light := 26 * math.Exp(-(u-0.36)*(u-0.36)/0.006)
		for y := range pencilH {
			o := y*s.Stride + x
			for _, plane := range [3][]uint8{s.R, s.G, s.B} {
				plane[o] = uint8(clamp(float64(plane[o])*shade+light-127.5, 127.5) + 127.5)
			}
		}
	}
	return s
}

// upsideDown returns the sprite turned by 180°.
func (s sprite) upsideDown() sprite {
	out := newSprite(s.W, s.H)
	n := len(s.a)
	for i := range s.a {
		out.R[n-1-i], out.G[n-1-i], out.B[n-1-i], out.a[n-1-i] = s.R[i], s.G[i], s.B[i], s.a[i]
	}
	return out
}

// over lays the sprite onto dst with its top-left corner at (x, y).
func (s sprite) over(dst sprite, x, y int) {
	for j := range s.H {
		if y+j < 0 || y+j >= dst.H {
			continue
		}
		for i := range s.W {
			a := int(s.a[j*s.Stride+i])
			if a == 0 || x+i < 0 || x+i >= dst.W {
				continue
			}
			from, to := j*s.Stride+i, (y+j)*dst.Stride+x+i
			dst.R[to] = mix(dst.R[to], s.R[from], a)
			dst.G[to] = mix(dst.G[to], s.G[from], a)
			dst.B[to] = mix(dst.B[to], s.B[from], a)
		}
	}
}

func mix(below, above uint8, a int) uint8 {
	return uint8((int(below)*(255-a) + int(above)*a + 127) / 255)
}

// belt draws a stretch of woven belt.
func belt() *raster.RGB {
	c := raster.NewRGB(pictureW+512, pictureH)
	rng := rand.New(rand.NewPCG(20, 26))
	for y := range c.H {
		for x := range c.W {
			weave := 5*((x/3+y/5)%2) + 3*((x+2*y)/7%2)
			v := 58 + weave + rng.IntN(5)
			o := y*c.Stride + x
			c.R[o], c.G[o], c.B[o] = uint8(v-4), uint8(v+3), uint8(v)
		}
	}
	return c
}
