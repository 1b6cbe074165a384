package raster

import (
	"bytes"
	"errors"
	"fmt"
	"image"
	"image/color"
	"image/jpeg"
	"image/png"
	"io"
	"strings"

	"golang.org/x/image/bmp"
	"golang.org/x/image/tiff"
)

// DecodeLimits bound what a picture file may be, checked before any pixel is
// unpacked.
type DecodeLimits struct {
	Bytes  int // of the file
	Pixels int // width × height
}

// DefaultDecodeLimits allow files of 64 MiB and 50 million pixels.
var DefaultDecodeLimits = DecodeLimits{Bytes: 64 << 20, Pixels: 50_000_000}

// The ways in which a file can fail to be a picture.
var (
	ErrEmpty       = errors.New("the file is empty")
	ErrNotAPicture = errors.New("not a PNG, JPEG, BMP or TIFF picture")
	ErrTooLarge    = errors.New("the picture is too large")
	ErrBroken      = errors.New("the picture is broken")
	ErrMislabeled  = errors.New("the name does not fit the content")
)

// Format is a picture file format: its name and its file endings.
type Format struct {
	Name    string
	Endings []string
	config  func(io.Reader) (image.Config, error)
	decode  func(io.Reader) (image.Image, error)
}

// Formats lists what Decode reads.
var Formats = []Format{
	{"PNG", []string{".png"}, png.DecodeConfig, png.Decode},
	{"JPEG", []string{".jpg", ".jpeg"}, jpeg.DecodeConfig, jpeg.Decode},
	{"BMP", []string{".bmp"}, bmp.DecodeConfig, bmp.Decode},
	{"TIFF", []string{".tif", ".tiff"}, tiff.DecodeConfig, tiff.Decode},
}

func sniff(data []byte) *Format {
	for i, magics := range [][]string{
		{"\x89PNG\r\n\x1a\n"},
		{"\xff\xd8\xff"},
		{"BM"},
		{"II*\x00", "MM\x00*"},
	} {
		for _, m := range magics {
			if bytes.HasPrefix(data, []byte(m)) {
				return &Formats[i]
			}
		}
	}
	return nil
}

// Decode reads a picture from the bytes of a PNG, JPEG, BMP or TIFF file. A file
// with one channel becomes Gray, others RGB; 16-bit channels keep their upper
// byte; transparency is laid over black. ending is the file's ending with its dot,
// or "" where there is none to check; it must fit the content.
//
// Errors wrap ErrEmpty, ErrNotAPicture, ErrTooLarge, ErrBroken or ErrMislabeled and
// say the remedy.
func Decode(data []byte, ending string, limits DecodeLimits) (pic Picture, err error) {
	if len(data) == 0 {
		return Picture{}, fmt.Errorf("%w: take the picture again or copy it again", ErrEmpty)
	}
	if len(data) > limits.Bytes {
		return Picture{}, fmt.Errorf("%w: %d MiB in the file, %d at most", ErrTooLarge, len(data)>>20, limits.Bytes>>20)
	}
	f := sniff(data)
	if f == nil {
		return Picture{}, fmt.Errorf("%w: save it in one of these formats", ErrNotAPicture)
	}
	if ending != "" && !f.has(ending) {
		return Picture{}, fmt.Errorf("%w: it holds a %s picture but ends in %s; rename it to end in %s", ErrMislabeled, f.Name, ending, f.Endings[0])
	}
	// The decoders are careful with broken input, but a panic in one must stay
	// an error of this one file.
	defer func() {
		if p := recover(); p != nil {
			pic, err = Picture{}, fmt.Errorf("%w: reading the %s file failed (%v)", ErrBroken, f.Name, p)
		}
	}()
	cfg, err := f.config(bytes.NewReader(data))
	if err != nil {
		return Picture{}, fmt.Errorf("%w: %s header: %v", ErrBroken, f.Name, err)
	}
	if cfg.Width <= 0 || cfg.Height <= 0 {
		return Picture{}, fmt.Errorf("%w: its header says %d×%d pixels", ErrBroken, cfg.Width, cfg.Height)
	}
	if cfg.Width > limits.Pixels/cfg.Height {
		return Picture{}, fmt.Errorf("%w: %d×%d pixels, %d million at most; scale it down or cut it", ErrTooLarge, cfg.Width, cfg.Height, limits.Pixels/1_000_000)
	}
	img, err := f.decode(bytes.NewReader(data))
	if err != nil {
		return Picture{}, fmt.Errorf("%w: %s data: %v; take or copy the picture again", ErrBroken, f.Name, err)
	}
	return FromImage(img), nil
}

func (f *Format) has(ending string) bool {
	for _, e := range f.Endings {
		if strings.EqualFold(e, ending) {
			return true
		}
	}
	return false
}

// FromImage copies a picture from the standard library's form: image.Gray and
// image.Gray16 and palettes of grays become Gray, everything else RGB.
func FromImage(img image.Image) Picture {
	b := img.Bounds()
	w, h := b.Dx(), b.Dy()
	switch src := img.(type) {
	case *image.Gray:
		g := NewGray(w, h)
		for y := range h {
			copy(g.Row(y), src.Pix[y*src.Stride:])
		}
		return Picture{Gray: g}
	case *image.Gray16:
		g := NewGray(w, h)
		for y := range h {
			row := src.Pix[y*src.Stride:]
			for x := range w {
				g.Pix[y*w+x] = row[2*x]
			}
		}
		return Picture{Gray: g}
	case *image.Paletted:
		return fromPalette(src, w, h)
	}
	c := NewRGB(w, h)
	switch src := img.(type) {
	case *image.RGBA:
		deinterleave(c, src.Pix, src.Stride)
	case *image.NRGBA:
		if src.Opaque() {
			deinterleave(c, src.Pix, src.Stride)
			break
		}
		fromAny(c, img)
	case *image.YCbCr:
		for y := range h {
			for x := range w {
				yi, ci := src.YOffset(b.Min.X+x, b.Min.Y+y), src.COffset(b.Min.X+x, b.Min.Y+y)
				i := y*w + x
				c.R[i], c.G[i], c.B[i] = color.YCbCrToRGB(src.Y[yi], src.Cb[ci], src.Cr[ci])
			}
		}
	default:
		fromAny(c, img)
	}
	return Picture{RGB: c}
}

func deinterleave(c *RGB, pix []uint8, stride int) {
	for y := range c.H {
		row := pix[y*stride : y*stride+4*c.W]
		o := y * c.Stride
		r, g, b := c.R[o:o+c.W], c.G[o:o+c.W], c.B[o:o+c.W]
		for x := range r {
			r[x], g[x], b[x] = row[4*x], row[4*x+1], row[4*x+2]
		}
	}
}

func fromAny(c *RGB, img image.Image) {
	b := img.Bounds()
	for y := range c.H {
		for x := range c.W {
			r, g, bl, _ := img.At(b.Min.X+x, b.Min.Y+y).RGBA()
			i := y*c.Stride + x
			c.R[i], c.G[i], c.B[i] = uint8(r>>8), uint8(g>>8), uint8(bl>>8)
		}
	}
}

func fromPalette(src *image.Paletted, w, h int) Picture {
	var table [256][3]uint8
	gray := true
	for i, col := range src.Palette {
		if i > 255 {
			break
		}
		r, g, b, _ := col.RGBA()
		table[i] = [3]uint8{uint8(r >> 8), uint8(g >> 8), uint8(b >> 8)}
		gray = gray && r == g && g == b
	}
	if gray {
		out := NewGray(w, h)
		for y := range h {
			for x, v := range src.Pix[y*src.Stride : y*src.Stride+w] {
				out.Pix[y*w+x] = table[v][0]
			}
		}
		return Picture{Gray: out}
	}
	out := NewRGB(w, h)
	for y := range h {
		for x, v := range src.Pix[y*src.Stride : y*src.Stride+w] {
			i := y*w + x
			out.R[i], out.G[i], out.B[i] = table[v][0], table[v][1], table[v][2]
		}
	}
	return Picture{RGB: out}
}

// Image returns the picture in the standard library's form, sharing memory with a
// gray one. It returns nil for a picture without pixels.
func (p Picture) Image() image.Image {
	switch {
	case p.RGB != nil:
		c := p.RGB
		out := image.NewRGBA(image.Rect(0, 0, c.W, c.H))
		for y := range c.H {
			o := y * c.Stride
			r, g, b := c.R[o:o+c.W], c.G[o:o+c.W], c.B[o:o+c.W]
			row := out.Pix[y*out.Stride : y*out.Stride+4*c.W]
			for x := range r {
				row[4*x], row[4*x+1], row[4*x+2], row[4*x+3] = r[x], g[x], b[x], 255
			}
		}
		return out
	case p.Gray != nil:
		g := p.Gray
		return &image.Gray{Pix: g.Pix, Stride: g.Stride, Rect: image.Rect(0, 0, g.W, g.H)}
	}
	return nil
}
