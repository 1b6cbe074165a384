package drawn

import (
	"image"
	"math"
	"math/rand/v2"

	"github.com/boombuler/barcode/code128"
	"github.com/boombuler/barcode/code39"
	"github.com/boombuler/barcode/datamatrix"
	"github.com/boombuler/barcode/ean"
	"github.com/boombuler/barcode/qr"
	"github.com/boombuler/barcode/twooffive"

	"ricetta/core/raster"
)

// Code is a code as its modules: a linear one has one row. Somebody else's encoder makes
// them, so that a decoder is not checked against its own mistakes.
type Code struct {
	W, H   int
	dark   []bool
	Linear bool
}

// At reports whether a module is dark; outside of the code it is light.
func (c *Code) At(x, y int) bool {
	return x >= 0 && y >= 0 && x < c.W && y < c.H && c.dark[y*c.W+x]
}

func codeOf(img image.Image, linear bool) *Code {
	b := img.Bounds()
	c := &Code{W: b.Dx(), H: b.Dy(), Linear: linear}
	for y := range c.H {
		for x := range c.W {
			v, _, _, _ := img.At(b.Min.X+x, b.Min.Y+y).RGBA()
			c.dark = append(c.dark, v < 0x8000)
		}
	}
	return c
}

// WithCheck appends the check digit of the GS1 General Specifications 7.9.1.
func WithCheck(digits string) string {
	sum := 0
	for i, d := range digits {
		n := int(d - '0')
		if (len(digits)-i)%2 == 1 {
			n *= 3
		}
		sum += n
	}
	return digits + string(rune('0'+(10-sum%10)%10))
}

// EAN returns an EAN-13 or EAN-8; without their check digit it is added.
func EAN(digits string) (*Code, error) {
	b, err := ean.Encode(digits)
	if err != nil {
		return nil, err
	}
	return codeOf(b, true), nil
}

// Code128 returns a Code 128. The function characters are those of the encoder.
func Code128(text string) (*Code, error) {
	b, err := code128.Encode(text)
	if err != nil {
		return nil, err
	}
	return codeOf(b, true), nil
}

// FNC1 is what Code128 takes for function character 1.
const FNC1 = string(code128.FNC1)

// Code39 returns a Code 39 without check digit.
func Code39(text string) (*Code, error) {
	b, err := code39.Encode(text, false, false)
	if err != nil {
		return nil, err
	}
	return codeOf(b, true), nil
}

// ITF returns an interleaved 2 of 5.
func ITF(digits string) (*Code, error) {
	b, err := twooffive.Encode(digits, true)
	if err != nil {
		return nil, err
	}
	return codeOf(b, true), nil
}

// Matrix returns a Data Matrix.
func Matrix(text string) (*Code, error) {
	b, err := datamatrix.Encode(text)
	if err != nil {
		return nil, err
	}
	return codeOf(b, false), nil
}

// QR returns a QR code of error correction level 0 (least) to 3.
func QR(text string, level int) (*Code, error) {
	b, err := qr.Encode(text, qr.ErrorCorrectionLevel(level), qr.Auto)
	if err != nil {
		return nil, err
	}
	return codeOf(b, false), nil
}

// Widths returns a linear code by the widths of its elements, bar first, as digits.
func Widths(widths string) *Code {
	c := &Code{H: 1, Linear: true}
	for i, w := range widths {
		for range w - '0' {
			c.dark = append(c.dark, i%2 == 0)
		}
	}
	c.W = len(c.dark)
	return c
}

// Print says how a code lies in a picture and what became of it.
type Print struct {
	Module  float64 // pixels of a module
	Height  float64 // of a linear code, in pixels
	Turn    float64 // degrees
	Quiet   float64 // light margin, in modules
	Growth  float64 // of dark elements, in modules
	Slant   float64 // perspective: how much larger the right end is than the left, as a part
	Dark    float64 // gray value of the ink
	Light   float64 // and of the label
	Inverse bool    // light on dark
	Mirror  bool
	Dots    float64 // diameter of the round dots a matrix code is made of, in modules; 0 for squares
}

// PutCode prints a code into a picture with its middle at a place, each pixel the mean of
// sixteen places in it.
func PutCode(g *raster.Gray, c *Code, at raster.Point, p Print) {
	w, h := float64(c.W), float64(c.H)
	if c.Linear {
		h = p.Height / p.Module
	}
	sin, cos := math.Sincos(p.Turn * math.Pi / 180)
	ink, ground := p.Dark, p.Light
	if p.Inverse {
		ink, ground = ground, ink
	}
	reach := p.Module * (math.Hypot(w, h)/2 + p.Quiet*1.5) * (1 + math.Abs(p.Slant))
	tone := func(px, py float64) (float64, bool) {
		dx, dy := (px-at.X)/p.Module, (py-at.Y)/p.Module
		u, v := dx*cos+dy*sin, dy*cos-dx*sin
		// Seen at a slant: the right end is nearer.
		k := 1 / (1 + p.Slant*u/w)
		u, v = u*k, v*k
		if math.Abs(u) > w/2+p.Quiet || math.Abs(v) > h/2+p.Quiet {
			return 0, false
		}
		if p.Mirror {
			u = -u
		}
		mx, my := u+w/2, v+h/2
		if c.Linear {
			if my < 0 || my >= h {
				return ground, true
			}
			my = 0
		}
		x, y := int(math.Floor(mx)), int(math.Floor(my))
		dark := c.At(x, y)
		if fx, fy := mx-float64(x)-0.5, my-float64(y)-0.5; p.Dots > 0 && fx*fx+fy*fy > p.Dots*p.Dots/4 {
			return ground, true
		}
		if e := p.Growth / 2; e != 0 {
			fx := mx - float64(x)
			if e > 0 && !dark {
				dark = fx < e && c.At(x-1, y) || fx > 1-e && c.At(x+1, y)
			} else if e < 0 && dark {
				dark = !(fx < -e && !c.At(x-1, y) || fx > 1+e && !c.At(x+1, y))
			}
		}
		if dark {
			return ink, true
		}
		return ground, true
	}
	for y := max(0, int(at.Y-reach)); y < min(g.H, int(at.Y+reach)+1); y++ {
		for x := max(0, int(at.X-reach)); x < min(g.W, int(at.X+reach)+1); x++ {
			dx, dy := (float64(x)+0.5-at.X)/p.Module, (float64(y)+0.5-at.Y)/p.Module
			if p.Slant == 0 && (math.Abs(dx*cos+dy*sin) > w/2+p.Quiet+2 || math.Abs(dy*cos-dx*sin) > h/2+p.Quiet+2) {
				continue
			}
			sum := 0.0
			for i := range 16 {
				v, on := tone(float64(x)+(float64(i%4)+0.5)/4, float64(y)+(float64(i/4)+0.5)/4)
				if !on {
					v = float64(g.Pix[y*g.Stride+x])
				}
				sum += v
			}
			g.Pix[y*g.Stride+x] = uint8(sum/16 + 0.5)
		}
	}
}

// Wear makes a picture as bad as a grade says: blur, noise, less contrast and uneven light,
// streaks and scratches; grade 0 is clean, 4 hard to read by eye.
func Wear(g *raster.Gray, grade int, rng *rand.Rand) {
	k := float64(grade)
	g.Blur(1 + grade/2)
	noise := 1.5 + 2.2*k
	lean, across := (rng.Float64()-0.5)*0.3*k/4, (rng.Float64()-0.5)*0.3*k/4
	contrast := 1 - 0.11*k*rng.Float64()
	for range grade * 2 { // scratches
		x, y := rng.Float64()*float64(g.W), rng.Float64()*float64(g.H)
		sin, cos := math.Sincos(rng.Float64() * 2 * math.Pi)
		tone := uint8(40 + rng.IntN(190))
		for t := range 60 + rng.IntN(200) {
			px, py := int(x+float64(t)*cos), int(y+float64(t)*sin)
			if px < 0 || py < 0 || px+1 >= g.W || py+1 >= g.H {
				break
			}
			g.Pix[py*g.Stride+px], g.Pix[(py+1)*g.Stride+px] = tone, tone
		}
	}
	for y := range g.H {
		row := g.Row(y)
		for x := range row {
			light := 1 + lean*(float64(x)/float64(g.W)-0.5)*2 + across*(float64(y)/float64(g.H)-0.5)*2
			v := (120+(float64(row[x])-120)*contrast)*light + rng.NormFloat64()*noise
			row[x] = uint8(min(max(v+0.5, 0), 255))
		}
	}
}
