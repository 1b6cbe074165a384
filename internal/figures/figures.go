// Package figures draws what checks found over the picture, for documents and reports.
package figures

import (
	"image"
	"image/color"
	"math"

	"golang.org/x/image/draw"
	"golang.org/x/image/font"
	"golang.org/x/image/font/basicfont"
	"golang.org/x/image/math/fixed"

	"ricetta/core/check"
	"ricetta/core/raster"
)

// Ink of the roles of marks. They differ in lightness as well as in hue.
var inks = map[check.Role]color.RGBA{
	check.RoleTaught:  {255, 176, 32, 255},
	check.RoleFound:   {64, 224, 144, 255},
	check.RoleLeftOut: {255, 96, 112, 255},
	check.RoleRegion:  {120, 190, 255, 255},
}

// Canvas draws in the pixels of a picture, of which it shows a part, enlarged.
type Canvas struct {
	Image *image.RGBA
	from  raster.Point
	scale float64
	paint raster.Painter
}

// New returns a canvas of w×h that shows as much of p as fits round the box x0, y0 … x1, y1.
func New(p raster.Picture, x0, y0, x1, y1 float64, w, h int) *Canvas {
	scale := min(float64(w)/(x1-x0), float64(h)/(y1-y0))
	c := &Canvas{Image: image.NewRGBA(image.Rect(0, 0, w, h)), scale: scale}
	c.from = raster.Point{X: (x0+x1)/2 - float64(w)/2/scale, Y: (y0+y1)/2 - float64(h)/2/scale}
	src := p.Image()
	b := src.Bounds()
	at := func(v, from float64) int { return int(math.Round((v - from) * scale)) }
	dst := image.Rect(at(0, c.from.X), at(0, c.from.Y), at(float64(b.Dx()), c.from.X), at(float64(b.Dy()), c.from.Y))
	draw.Draw(c.Image, c.Image.Bounds(), image.NewUniform(color.RGBA{38, 42, 48, 255}), image.Point{}, draw.Src)
	draw.CatmullRom.Scale(c.Image, dst, src, b, draw.Src, nil)
	return c
}

func (c *Canvas) place(p raster.Point) raster.Point {
	return raster.Point{X: (p.X - c.from.X) * c.scale, Y: (p.Y - c.from.Y) * c.scale}
}

// Marks draws the marks of a finding.
func (c *Canvas) Marks(marks []check.Mark) {
	for _, m := range marks {
		ink := inks[m.Role]
		var pts []raster.Point
		for _, p := range m.Points {
			pts = append(pts, c.place(p))
		}
		switch m.Shape {
		case check.Polygon:
			c.lines(append(pts, pts[:min(1, len(pts))]...), ink)
		case check.Line:
			c.lines(pts, ink)
		case check.Arrow:
			c.arrow(pts, ink)
		case check.Points:
			for _, p := range pts {
				c.fill([]raster.Point{{X: p.X - 1.5, Y: p.Y - 1.5}, {X: p.X + 1.5, Y: p.Y - 1.5}, {X: p.X + 1.5, Y: p.Y + 1.5}, {X: p.X - 1.5, Y: p.Y + 1.5}}, ink)
			}
		case check.Cross:
			s, k := math.Sincos(m.Turn * math.Pi / 180)
			for _, p := range pts {
				c.lines([]raster.Point{{X: p.X - 14*k, Y: p.Y - 14*s}, {X: p.X + 22*k, Y: p.Y + 22*s}}, ink)
				c.lines([]raster.Point{{X: p.X + 14*s, Y: p.Y - 14*k}, {X: p.X - 14*s, Y: p.Y + 14*k}}, ink)
			}
		}
		if m.Label != "" && len(pts) > 0 {
			mid := raster.Point{}
			for _, p := range pts {
				mid.X, mid.Y = mid.X+p.X/float64(len(pts)), mid.Y+p.Y/float64(len(pts))
			}
			if m.Shape != check.Polygon {
				mid.Y -= 14 // a closed outline has room within, what is open would be covered
			}
			c.Text(mid.X-3.5*float64(len(m.Label)), mid.Y+4, m.Label, color.RGBA{255, 255, 255, 255})
		}
	}
}

func (c *Canvas) arrow(pts []raster.Point, ink color.RGBA) {
	if len(pts) < 2 {
		return
	}
	a, b := pts[0], pts[1]
	c.lines([]raster.Point{a, b}, ink)
	length := math.Hypot(b.X-a.X, b.Y-a.Y)
	if length < 1 {
		return
	}
	ux, uy := (b.X-a.X)/length, (b.Y-a.Y)/length
	c.fill([]raster.Point{b, {X: b.X - 10*ux + 5*uy, Y: b.Y - 10*uy - 5*ux}, {X: b.X - 10*ux - 5*uy, Y: b.Y - 10*uy + 5*ux}}, ink)
}

// lines draws lines from point to point, each with a dark rim, so that they show on
// any ground.
func (c *Canvas) lines(pts []raster.Point, ink color.RGBA) {
	for _, pass := range []struct {
		width float64
		ink   color.RGBA
	}{{4, color.RGBA{0, 0, 0, 90}}, {2, ink}} {
		for i := 0; i+1 < len(pts); i++ {
			a, b := pts[i], pts[i+1]
			length := math.Hypot(b.X-a.X, b.Y-a.Y)
			if length == 0 {
				continue
			}
			nx, ny := (b.Y-a.Y)/length*pass.width/2, -(b.X-a.X)/length*pass.width/2
			c.fill([]raster.Point{{X: a.X + nx, Y: a.Y + ny}, {X: b.X + nx, Y: b.Y + ny}, {X: b.X - nx, Y: b.Y - ny}, {X: a.X - nx, Y: a.Y - ny}}, pass.ink)
		}
	}
}

func (c *Canvas) fill(pts []raster.Point, ink color.RGBA) {
	b := c.Image.Bounds()
	c.paint.Polygon(pts, b.Dx(), b.Dy(), func(y, x0 int, cover []float64) {
		for i, v := range cover {
			a := v * float64(ink.A) / 255
			o := c.Image.PixOffset(x0+i, y)
			for k, to := range [3]uint8{ink.R, ink.G, ink.B} {
				c.Image.Pix[o+k] = uint8(float64(c.Image.Pix[o+k])*(1-a) + float64(to)*a + 0.5)
			}
		}
	})
}

// Text writes a line at pixel (x, y) of the canvas, on a dark ground.
func (c *Canvas) Text(x, y float64, text string, ink color.Color) {
	w := float64(7 * len(text))
	c.fill([]raster.Point{{X: x - 3, Y: y - 12}, {X: x + w + 3, Y: y - 12}, {X: x + w + 3, Y: y + 4}, {X: x - 3, Y: y + 4}}, color.RGBA{0, 0, 0, 150})
	d := font.Drawer{Dst: c.Image, Src: image.NewUniform(ink), Face: basicfont.Face7x13, Dot: fixed.P(int(x), int(y))}
	d.DrawString(text)
}
