package plant

import (
	"math"
	"math/rand/v2"
	"sync"

	"ricetta/core/raster"
)

// studio holds what all pictures have in common. It is made once and only read.
type studio struct {
	tin      sprite
	pencils  [12]sprite
	reversed [12]sprite
	belt     *raster.RGB
	light    []uint16 // gain of each pixel, 256 = 1
	noise    []int8
}

var theStudio = sync.OnceValue(func() *studio {
	s := &studio{tin: emptyTin(), belt: belt()}
	for i, c := range pencilColors {
		s.pencils[i] = drawPencil(c)
		s.reversed[i] = s.pencils[i].upsideDown()
	}
	s.light = make([]uint16, pictureW*pictureH)
	for y := range pictureH {
		for x := range pictureW {
			dx, dy := (float64(x)-600)/800, (float64(y)-440)/800
			s.light[y*pictureW+x] = uint16(256 * (1.04 - 0.2*(dx*dx+dy*dy)))
		}
	}
	rng := rand.New(rand.NewPCG(7, 7))
	s.noise = make([]int8, 1<<16)
	for i := range s.noise {
		s.noise[i] = int8(clamp(rng.NormFloat64()*2.2, 12))
	}
	return s
})

// camera makes pictures of tins. It keeps its memory and serves one goroutine.
type camera struct {
	tin  sprite // with the pencils of the piece
	tray sprite // with its pans
}

// Picture renders the tin as the camera of its line sees it: 1280×960, color.
func (t Piece) Picture() raster.Picture { return new(camera).picture(t) }

func (c *camera) picture(t Piece) raster.Picture {
	s := theStudio()
	out := raster.NewRGB(pictureW, pictureH)
	shift := int(t.seed % 512)
	for y := range pictureH {
		from := y*s.belt.Stride + shift
		to := y * out.Stride
		copy(out.R[to:to+pictureW], s.belt.R[from:])
		copy(out.G[to:to+pictureW], s.belt.G[from:])
		copy(out.B[to:to+pictureW], s.belt.B[from:])
	}
	if !t.absent() {
		c.lay(out, wares[t.Product].draw(c, t), t.At)
	}
	blur(out)
	expose(out, s, t)
	return raster.Picture{RGB: out}
}

// pack puts the pencils into the tin.
func (c *camera) pack(t Piece) sprite {
	s := theStudio()
	if c.tin.RGB == nil {
		c.tin = newSprite(s.tin.W, s.tin.H)
		copy(c.tin.a, s.tin.a)
	}
	copy(c.tin.R, s.tin.R)
	copy(c.tin.G, s.tin.G)
	copy(c.tin.B, s.tin.B)
	for i, p := range t.Pencils {
		if p.Color < 0 {
			continue
		}
		sp := s.pencils[p.Color]
		if p.Reversed {
			sp = s.reversed[p.Color]
		}
		x := rim + firstPencil + pencilPitch*float64(i) - pencilW/2 + p.DX
		sp.over(c.tin, int(math.Round(x)), int(math.Round(rim+pencilTop+clamp(p.DY, 5))))
	}
	return c.tin
}

// lay puts a piece onto the belt, turned, with its shadow.
func (c *camera) lay(out *raster.RGB, src sprite, at raster.Pose) {
	m := raster.Moving(raster.Point{X: float64(src.W) / 2, Y: float64(src.H) / 2}, at)
	inv := m.Inverse()
	x0, y0, x1, y1 := raster.Rect(0, 0, float64(src.W), float64(src.H)).Bounds(m)
	left, right := max(0, int(x0)), min(pictureW, int(x1)+24)
	for y := max(0, int(y0)); y < min(pictureH, int(y1)+24); y++ {
		// Source coordinates in 16.16 fixed point, stepped along the row.
		p := inv.Apply(raster.Point{X: float64(left) + 0.5, Y: float64(y) + 0.5})
		u, v := int((p.X-0.5)*65536), int((p.Y-0.5)*65536)
		du, dv := int(inv.A*65536), int(inv.B*65536)
		su, sv := u-14*du+14*dv, v-14*dv-14*du // the shadow falls to the lower right
		for x := left; x < right; x, u, v, su, sv = x+1, u+du, v+dv, su+du, sv+dv {
			o := y*out.Stride + x
			if i, j := su>>16, sv>>16; uint(i) < uint(src.W) && uint(j) < uint(src.H) && src.a[j*src.Stride+i] > 128 {
				out.R[o], out.G[o], out.B[o] = out.R[o]/2, out.G[o]/2, out.B[o]/2
			}
			i, j := u>>16, v>>16
			if uint(i) >= uint(src.W-1) || uint(j) >= uint(src.H-1) {
				continue
			}
			k := j*src.Stride + i
			fx, fy := (u>>8)&255, (v>>8)&255
			a := bilinear(src.a, k, src.Stride, fx, fy)
			if a == 0 {
				continue
			}
			out.R[o] = mix(out.R[o], uint8(bilinear(src.R, k, src.Stride, fx, fy)), a)
			out.G[o] = mix(out.G[o], uint8(bilinear(src.G, k, src.Stride, fx, fy)), a)
			out.B[o] = mix(out.B[o], uint8(bilinear(src.B, k, src.Stride, fx, fy)), a)
		}
	}
}

func bilinear(p []uint8, k, stride, fx, fy int) int {
	a := int(p[k])*(256-fx) + int(p[k+1])*fx
	b := int(p[k+stride])*(256-fx) + int(p[k+stride+1])*fx
	return (a*(256-fy) + b*fy) >> 16
}

// blur is the lens.
func blur(c *raster.RGB) {
	for _, plane := range [3][]uint8{c.R, c.G, c.B} {
		(&raster.Gray{Pix: plane, W: c.W, H: c.H, Stride: c.Stride}).Blur(1)
	}
}

// expose applies light, glare and noise.
func expose(c *raster.RGB, s *studio, t Piece) {
	gain := int(t.Light * 256)
	offs := t.seed
	for y := range c.H {
		o := y * c.Stride
		light := s.light[y*pictureW : (y+1)*pictureW]
		dy := float64(y) - t.GlareY
		glow := t.GlareR > 0 && math.Abs(dy) < 2*t.GlareR
		for ch, plane := range [3][]uint8{c.R, c.G, c.B} {
			offs = offs*6364136223846793005 + uint64(ch) + 1442695040888963407
			n := s.noise[offs>>50:]
			row := plane[o : o+c.W]
			for x := range row {
				v := int(row[x])*int(light[x])*gain>>16 + int(n[x])
				if glow {
					v += glare(t, float64(x)-t.GlareX, dy)
				}
				row[x] = uint8(min(max(v, 0), 255))
			}
		}
	}
}

func glare(t Piece, dx, dy float64) int {
	d := (dx*dx + dy*dy) / (t.GlareR * t.GlareR)
	if d > 4 {
		return 0
	}
	return int(26 * (1 - d/4) * (1 - d/4))
}
