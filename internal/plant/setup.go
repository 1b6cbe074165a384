package plant

import (
	"context"
	"fmt"
	"math"
	"math/rand/v2"

	"ricetta/core/raster"
	"ricetta/internal/station"
)

// The simulated camera as it is delivered, and its range. So set it alters nothing.
var (
	delivered   = station.CameraSettings{ExposureMS: 2, GainDB: 0, Light: 100, Focus: 50}
	leastCamera = station.CameraSettings{ExposureMS: 0.05, GainDB: 0, Light: 5, Focus: 0}
	mostCamera  = station.CameraSettings{ExposureMS: 20, GainDB: 24, Light: 100, Focus: 100}
)

// Settings implements station.Camera.
func (c *Camera) Settings() station.CameraSettings {
	c.line.mu.Lock()
	defer c.line.mu.Unlock()
	return c.settings
}

// Range implements station.Camera.
func (c *Camera) Range() (least, most station.CameraSettings) { return leastCamera, mostCamera }

// Set implements station.Camera.
func (c *Camera) Set(s station.CameraSettings) error {
	if err := s.Check(leastCamera, mostCamera); err != nil {
		return err
	}
	c.line.mu.Lock()
	defer c.line.mu.Unlock()
	c.settings = s
	c.ahead = rendering{} // it was begun with the settings before
	return nil
}

// Snap implements station.Camera: the piece that lies under the camera, or is next.
func (c *Camera) Snap(ctx context.Context) (raster.Picture, error) {
	l := c.line
	l.mu.Lock()
	if l.dead {
		l.mu.Unlock()
		return raster.Picture{}, fmt.Errorf("the camera of %s does not answer", c.name)
	}
	now := c.render(max(l.count-c.offset+Pitch/2, 0) / Pitch)
	l.mu.Unlock()
	select {
	case pic := <-now.done:
		return pic, nil
	case <-ctx.Done():
		return raster.Picture{}, ctx.Err()
	}
}

// developed is the picture as the settings make it of the one that the delivered camera
// would take: brighter or darker, noisier, out of focus, smeared along the belt.
func developed(pic raster.Picture, s station.CameraSettings, speed float64, moving bool, index int64) raster.Picture {
	if s == delivered {
		return pic
	}
	c := pic.RGB
	if r := int(math.Abs(s.Focus-delivered.Focus) / 4); r > 0 {
		for _, plane := range [3][]uint8{c.R, c.G, c.B} {
			soften(&raster.Gray{Pix: plane, W: c.W, H: c.H, Stride: c.Stride}, r)
		}
	}
	if moving {
		// Beyond what the delivered exposure smears: speed · time, at 4 pixels a millimeter.
		if n := int((s.ExposureMS - delivered.ExposureMS) / 1000 * speed * 4); n > 1 {
			for _, plane := range [3][]uint8{c.R, c.G, c.B} {
				smear(&raster.Gray{Pix: plane, W: c.W, H: c.H, Stride: c.Stride}, n)
			}
		}
	}
	light := s.ExposureMS / delivered.ExposureMS * s.Light / delivered.Light
	gain := math.Pow(10, (s.GainDB-delivered.GainDB)/20)
	var to [256]float64
	for v := range to {
		to[v] = 255 * math.Pow(math.Pow(float64(v)/255, 2.2)*light*gain, 1/2.2)
	}
	noise := 1.2 * (gain - 1)
	rng := rand.New(rand.NewPCG(uint64(index), 5))
	for _, plane := range [3][]uint8{c.R, c.G, c.B} {
		for i, v := range plane {
			w := to[v]
			if noise > 0 {
				w += rng.NormFloat64() * noise
			}
			plane[i] = uint8(min(max(w+0.5, 0), 255))
		}
	}
	return pic
}

// soften averages over boxes of 2r+1 pixels each way, as a lens out of focus does.
func soften(g *raster.Gray, r int) {
	src := g.Clone()
	var m raster.Means
	m.Of(src, r)
	for y := range g.H {
		m.Next()
		row := g.Row(y)
		for x := range row {
			sum, n := m.Box(x)
			row[x] = uint8(int(sum) / n)
		}
	}
}

// smear averages n pixels along the belt.
func smear(g *raster.Gray, n int) {
	line := make([]uint8, g.W)
	for y := range g.H {
		row := g.Row(y)
		copy(line, row)
		sum := 0
		for x := range row {
			sum += int(line[x])
			if x >= n {
				sum -= int(line[x-n])
			}
			row[x] = uint8(sum / min(x+1, n))
		}
	}
}
