package trial

import (
	"ricetta/core/raster"
)

// Disturbance alters pictures, step by step, as cameras, lamps and belts do.
type Disturbance struct {
	Name, Unit string
	// Steps are the amounts, from little to much.
	Steps []float64
	alter func(p raster.Picture, amount float64) raster.Picture
}

// Disturbances are those of a stress trial.
var Disturbances = []Disturbance{
	{"darker", "%", []float64{5, 10, 15, 20, 30, 40, 50}, func(p raster.Picture, a float64) raster.Picture { return toned(p, 1-a/100, 0) }},
	{"lighter", "%", []float64{5, 10, 15, 20, 30, 40, 50}, func(p raster.Picture, a float64) raster.Picture { return toned(p, 1+a/100, 0) }},
	{"less contrast", "%", []float64{10, 20, 30, 40, 50, 60}, func(p raster.Picture, a float64) raster.Picture { return toned(p, 1-a/100, float64(1.28*a)) }},
	{"more contrast", "%", []float64{10, 20, 30, 40, 50, 60}, func(p raster.Picture, a float64) raster.Picture { return toned(p, 1+a/100, -float64(1.28*a)) }},
	{"blurred", "px", []float64{1, 1.5, 2, 3, 4, 5}, blurred},
	{"noisier", "gray values", []float64{2, 4, 8, 12, 18, 25}, noisier},
	{"shifted right", "px", shifts, func(p raster.Picture, a float64) raster.Picture { return moved(p, a, 0, 0, 1) }},
	{"shifted left", "px", shifts, func(p raster.Picture, a float64) raster.Picture { return moved(p, -a, 0, 0, 1) }},
	{"shifted down", "px", shifts, func(p raster.Picture, a float64) raster.Picture { return moved(p, 0, a, 0, 1) }},
	{"shifted up", "px", shifts, func(p raster.Picture, a float64) raster.Picture { return moved(p, 0, -a, 0, 1) }},
	{"turned clockwise", "°", turns, func(p raster.Picture, a float64) raster.Picture { return moved(p, 0, 0, a, 1) }},
	{"turned counterclockwise", "°", turns, func(p raster.Picture, a float64) raster.Picture { return moved(p, 0, 0, -a, 1) }},
	{"smaller", "%", sizes, func(p raster.Picture, a float64) raster.Picture { return moved(p, 0, 0, 0, 1-a/100) }},
	{"larger", "%", sizes, func(p raster.Picture, a float64) raster.Picture { return moved(p, 0, 0, 0, 1+a/100) }},
}

var (
	shifts = []float64{2, 5, 10, 20, 40, 80}
	turns  = []float64{1, 2, 5, 10, 20, 30}
	sizes  = []float64{1, 2, 3, 5, 8, 12}
)

// Altered returns the picture with the disturbance in the given amount. The picture
// itself stays as it is.
func (d Disturbance) Altered(p raster.Picture, amount float64) raster.Picture {
	return d.alter(p, amount)
}

// onPlanes makes a picture from another, channel by channel; channel tells them apart.
func onPlanes(p raster.Picture, change func(dst, src *raster.Gray, channel int)) raster.Picture {
	if p.RGB == nil {
		out := raster.NewGray(p.Gray.W, p.Gray.H)
		change(out, p.Gray, 0)
		return raster.Picture{Gray: out}
	}
	c := p.RGB
	out := raster.NewRGB(c.W, c.H)
	for k, planes := range [3][2][]uint8{{out.R, c.R}, {out.G, c.G}, {out.B, c.B}} {
		change(&raster.Gray{Pix: planes[0], W: c.W, H: c.H, Stride: out.Stride}, &raster.Gray{Pix: planes[1], W: c.W, H: c.H, Stride: c.Stride}, k)
	}
	return raster.Picture{RGB: out}
}

// toned changes all values v to gain·v + offset.
func toned(p raster.Picture, gain, offset float64) raster.Picture {
	var to [256]uint8
	for v := range to {
		to[v] = uint8(min(max(float64(gain*float64(v))+offset+0.5, 0), 255))
	}
	return onPlanes(p, func(dst, src *raster.Gray, _ int) {
		for y := range src.H {
			out := dst.Row(y)
			for x, v := range src.Row(y) {
				out[x] = to[v]
			}
		}
	})
}

// blurred smooths with a Gaussian of the given deviation in pixels, as rounds of one
// pixel each: variances add up.
func blurred(p raster.Picture, deviation float64) raster.Picture {
	rounds := max(int(float64(deviation*deviation)+0.5), 1)
	return onPlanes(p, func(dst, src *raster.Gray, _ int) {
		var s raster.Smoother
		from := src.Clone()
		for i := range rounds {
			if i == rounds-1 {
				s.Smooth(dst, from)
				return
			}
			next := raster.NewGray(src.W, src.H)
			s.Smooth(next, from)
			from = next
		}
	})
}

// noisier adds noise of the given deviation: the same for each picture of one size.
func noisier(p raster.Picture, deviation float64) raster.Picture {
	return onPlanes(p, func(dst, src *raster.Gray, channel int) {
		state := uint64(channel+1) * 0x9e3779b97f4a7c15
		for y := range src.H {
			out := dst.Row(y)
			for x, v := range src.Row(y) {
				// Four bytes of a linear congruential generator add up to something bell-shaped,
				// with a deviation of 147.8.
				state = state*6364136223846793005 + 1442695040888963407
				w := state >> 32
				sum := int(w&255) + int(w>>8&255) + int(w>>16&255) + int(w>>24) - 510
				out[x] = uint8(min(max(float64(v)+float64(float64(sum)*deviation)/147.8+0.5, 0), 255))
			}
		}
	})
}

// moved shifts, turns (degrees, clockwise) and resizes about the middle of the picture;
// beyond its border the picture goes on as it ends.
func moved(p raster.Picture, dx, dy, turn, size float64) raster.Picture {
	w, h := p.Size()
	mid := raster.Point{X: float64(w) / 2, Y: float64(h) / 2}
	back := raster.Moving(mid, raster.Pose{X: mid.X + dx, Y: mid.Y + dy, Angle: turn, Size: size}).Inverse()
	if w < 2 || h < 2 {
		return p
	}
	sums := make([]int64, w)
	return onPlanes(p, func(dst, src *raster.Gray, _ int) {
		for y := range src.H {
			clear(sums)
			src.AddAlong(sums, back.Apply(raster.Point{X: 0.5, Y: float64(y) + 0.5}), back.A, back.B)
			for x, v := range sums {
				dst.Row(y)[x] = uint8((v + raster.AlongOne/2) / raster.AlongOne)
			}
		}
	})
}
