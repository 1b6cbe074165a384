package raster

import "math"

// Inside reports whether a place lies within the outermost pixel centers, where
// Between may be asked.
func (g *Gray) Inside(x, y float64) bool {
	return x >= 0.5 && y >= 0.5 && x < float64(g.W)-0.5 && y < float64(g.H)-0.5
}

// Between returns the brightness at a place Inside, by bilinear interpolation
// between the four pixels round it.
func (g *Gray) Between(x, y float64) float64 {
	x -= 0.5
	y -= 0.5
	ix, iy := int(x), int(y)
	fx, fy := x-float64(ix), y-float64(iy)
	o := iy*g.Stride + ix
	p := g.Pix[o : o+g.Stride+2]
	up0, up1, down0, down1 := p[0], p[1], p[len(p)-2], p[len(p)-1]
	a := float64(up0) + float64(fx*float64(int(up1)-int(up0)))
	b := float64(down0) + float64(fx*float64(int(down1)-int(down0)))
	return a + float64(fy*(b-a))
}

// Summit returns how far the top of the parabola through three values, one apart, lies
// from the middle one; 0 where they have none.
func Summit(before, at, after float64) float64 {
	bend := before - float64(2*at) + after
	if !(bend < 0) {
		return 0
	}
	return (before - after) / float64(2*bend)
}

// AlongOne is what a gray value of one adds in AddAlong.
const AlongOne = 1 << 16

// AddAlong adds to sums[i] the brightness at the place from + i·(dx, dy), by bilinear
// interpolation, in units of 1/AlongOne of a gray value. In the outermost half pixel of
// the picture, and beyond, the brightness is that of the border. It works on integers,
// places to 2⁻²⁰ and weights to 2⁻⁸ of a pixel, for calipers read many places. The
// picture must have two pixels each way.
func (g *Gray) AddAlong(sums []int64, from Point, dx, dy float64) {
	const bits, one = 20, 1 << 20
	x, y := int64(math.Round(float64((from.X-0.5)*one))), int64(math.Round(float64((from.Y-0.5)*one)))
	sx, sy := int64(math.Round(float64(dx*one))), int64(math.Round(float64(dy*one)))
	right, bottom := int64(g.W-1)<<bits-1, int64(g.H-1)<<bits-1
	last := int64(len(sums) - 1)
	clamped := min(x, x+last*sx) < 0 || min(y, y+last*sy) < 0 || max(x, x+last*sx) > right || max(y, y+last*sy) > bottom
	pix, stride := g.Pix, g.Stride
	for i := range sums {
		px, py := x, y
		if clamped {
			px, py = min(max(x, 0), right), min(max(y, 0), bottom)
		}
		o := int(py>>bits)*stride + int(px>>bits)
		fx, fy := px>>(bits-8)&255, py>>(bits-8)&255
		up, down := pix[o:o+2:o+2], pix[o+stride:o+stride+2:o+stride+2]
		a := int64(up[0])<<8 + fx*(int64(up[1])-int64(up[0]))
		b := int64(down[0])<<8 + fx*(int64(down[1])-int64(down[0]))
		sums[i] += a<<8 + fy*(b-a)
		x += sx
		y += sy
	}
}

// Sobel returns the gradient at pixel (x, y), which must not lie on the border:
// 8 gray values a pixel of slope on each axis.
func (g *Gray) Sobel(x, y int) (gx, gy int) {
	o := (y-1)*g.Stride + x - 1
	a := g.Pix[o : o+3 : o+3]
	o += g.Stride
	b := g.Pix[o : o+3 : o+3]
	o += g.Stride
	c := g.Pix[o : o+3 : o+3]
	left := int(a[0]) + 2*int(b[0]) + int(c[0])
	right := int(a[2]) + 2*int(b[2]) + int(c[2])
	top := int(a[0]) + 2*int(a[1]) + int(a[2])
	bottom := int(c[0]) + 2*int(c[1]) + int(c[2])
	return right - left, bottom - top
}
