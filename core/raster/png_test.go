package raster

import (
	"bytes"
	"image/png"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// What is written is what another reader reads, to the last pixel.
func TestAnEncodedPictureIsThePicture(t *testing.T) {
	rng := rand.New(rand.NewPCG(1, 2))
	for _, size := range [][2]int{{1, 1}, {3, 2}, {257, 33}} {
		g := NewGray(size[0], size[1])
		c := NewRGB(size[0], size[1])
		for i := range g.Pix {
			g.Pix[i] = uint8(rng.Uint32())
		}
		for y := range c.H {
			for x := range c.W {
				o := y*c.Stride + x
				c.R[o], c.G[o], c.B[o] = uint8(rng.Uint32()), uint8(x), uint8(200-y)
			}
		}
		for _, p := range []Picture{{Gray: g}, {RGB: c}} {
			file, err := EncodePNG(p)
			require.NoError(t, err)
			img, err := png.Decode(bytes.NewReader(file))
			require.NoError(t, err)
			want := p.Image()
			assert.Equal(t, want.Bounds(), img.Bounds())
			for y := range size[1] {
				for x := range size[0] {
					r, gr, b, _ := img.At(x, y).RGBA()
					wr, wg, wb, _ := want.At(x, y).RGBA()
					require.Equal(t, [3]uint32{wr, wg, wb}, [3]uint32{r, gr, b}, "%d, %d", x, y)
				}
			}
			again, err := Decode(file, ".png", DefaultDecodeLimits)
			require.NoError(t, err)
			assert.Equal(t, p.Kind(), again.Kind())
		}
	}
	_, err := EncodePNG(Picture{})
	assert.Error(t, err)
	part := NewGray(10, 10)
	sub := part.Sub(2, 2, 6, 5)
	file, err := EncodePNG(Picture{Gray: &sub})
	require.NoError(t, err)
	img, err := png.Decode(bytes.NewReader(file))
	require.NoError(t, err)
	assert.Equal(t, 4, img.Bounds().Dx(), "a part of a larger one")
}
