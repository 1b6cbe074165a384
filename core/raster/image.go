package raster

import "fmt"

// Gray is an 8-bit picture of one channel. The pixel at column x, row y is
// Pix[y*Stride+x]; rows are W pixels long, and Stride ≥ W.
type Gray struct {
	Pix    []uint8
	W, H   int
	Stride int
}

// RGB is an 8-bit color picture (sRGB) with its three channels apart, each laid
// out as in Gray: the red of column x, row y is R[y*Stride+x].
type RGB struct {
	R, G, B []uint8
	W, H    int
	Stride  int
}

// NewGray returns a black picture of w×h pixels. It panics if w or h is negative.
func NewGray(w, h int) *Gray {
	checkSize(w, h)
	return &Gray{Pix: make([]uint8, w*h), W: w, H: h, Stride: w}
}

// NewRGB returns a black color picture of w×h pixels. It panics if w or h is negative.
func NewRGB(w, h int) *RGB {
	checkSize(w, h)
	all := make([]uint8, 3*w*h)
	n := w * h
	return &RGB{R: all[:n:n], G: all[n : 2*n : 2*n], B: all[2*n:], W: w, H: h, Stride: w}
}

func checkSize(w, h int) {
	if w < 0 || h < 0 {
		panic(fmt.Sprintf("raster: negative size %d×%d", w, h))
	}
}

// Row returns the pixels of row y.
func (g *Gray) Row(y int) []uint8 { return g.Pix[y*g.Stride : y*g.Stride+g.W] }

// Sub returns the part of g from column x0 and row y0 to x1 and y1 (excluded). It
// shares the pixels. The part must lie in g.
func (g *Gray) Sub(x0, y0, x1, y1 int) Gray {
	if x0 >= x1 || y0 >= y1 {
		return Gray{}
	}
	return Gray{Pix: g.Pix[y0*g.Stride+x0 : (y1-1)*g.Stride+x1], W: x1 - x0, H: y1 - y0, Stride: g.Stride}
}

// Resize gives g the size w×h, reusing its memory where that suffices. The
// pixels are undefined afterwards.
func (g *Gray) Resize(w, h int) {
	checkSize(w, h)
	if cap(g.Pix) < w*h {
		g.Pix = make([]uint8, w*h)
	}
	g.Pix = g.Pix[:w*h]
	g.W, g.H, g.Stride = w, h, w
}

// Clone returns a copy that shares no memory with g.
func (g *Gray) Clone() *Gray {
	out := NewGray(g.W, g.H)
	for y := range g.H {
		copy(out.Row(y), g.Row(y))
	}
	return out
}

// LumaInto writes the brightness of c into dst and returns dst: the weights of
// ITU-R BT.601 in 7-bit fixed point, (38 R + 75 G + 15 B + 64) / 128. A picture
// with R = G = B keeps its values.
func (c *RGB) LumaInto(dst *Gray) *Gray {
	dst.Resize(c.W, c.H)
	for y := range c.H {
		o := y * c.Stride
		lumaRow(dst.Row(y), c.R[o:o+c.W], c.G[o:o+c.W], c.B[o:o+c.W])
	}
	return dst
}

// Kind says what a picture's pixels mean.
type Kind string

// The kinds of pictures. A gray one has only tones, a color one sRGB triples.
const (
	KindGray  Kind = "gray"
	KindColor Kind = "color"
)

// Picture is what a source delivers: exactly one of Gray and RGB is set.
// A Picture is not changed after it was handed on; it may be read concurrently.
type Picture struct {
	Gray *Gray
	RGB  *RGB
}

// Kind returns the kind of the picture, or "" for one without pixels.
func (p Picture) Kind() Kind {
	switch {
	case p.RGB != nil:
		return KindColor
	case p.Gray != nil:
		return KindGray
	}
	return ""
}

// Size returns width and height in pixels; 0, 0 for a picture without pixels.
func (p Picture) Size() (w, h int) {
	switch {
	case p.RGB != nil:
		return p.RGB.W, p.RGB.H
	case p.Gray != nil:
		return p.Gray.W, p.Gray.H
	}
	return 0, 0
}

// Luma returns the brightness of the picture. For a gray one that is the
// picture itself, otherwise scratch filled by RGB.LumaInto. It panics on a
// picture without pixels.
func (p Picture) Luma(scratch *Gray) *Gray {
	if p.RGB != nil {
		return p.RGB.LumaInto(scratch)
	}
	return p.Gray
}
