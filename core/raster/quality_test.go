package raster

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestQualityOfAPicture(t *testing.T) {
	g := NewGray(240, 120)
	for y := range g.H {
		for x := range g.W {
			g.Row(y)[x] = uint8(80 + 40*x/g.W)
			if x >= 100 && x < 140 && y >= 40 && y < 80 {
				g.Row(y)[x] = 200
			}
		}
	}
	q := QualityOf(Picture{Gray: g})
	assert.Equal(t, 1600, q.Histogram[200])
	assert.Zero(t, q.Crushed+q.Burnt)
	assert.Equal(t, 200, q.Top)
	assert.InDelta(t, 80.0/120, q.Evenness, 0.03, "one side has two thirds of the other's light")

	soft := g.Clone()
	soft.Blur(6)
	blurred := QualityOf(Picture{Gray: soft})
	assert.Less(t, blurred.Sharpness, 0.7*q.Sharpness, "it falls as the picture gets softer")
	half := g.Clone()
	for i, v := range half.Pix {
		half.Pix[i] = v / 2
	}
	assert.InEpsilon(t, q.Sharpness, QualityOf(Picture{Gray: half}).Sharpness, 0.05, "and does not depend on the light")

	c := NewRGB(100, 50)
	for i := range c.R {
		c.R[i], c.G[i], c.B[i] = 90, 100, 110
	}
	for x := range 10 {
		c.R[x] = 255
		c.R[100+x], c.G[100+x], c.B[100+x] = 1, 2, 0
		c.R[200+x], c.G[200+x], c.B[200+x] = 1, 2, 60
	}
	q = QualityOf(Picture{RGB: c})
	assert.InDelta(t, 10.0/5000, q.Burnt, 1e-12, "one burnt channel is enough")
	assert.InDelta(t, 10.0/5000, q.Crushed, 1e-12, "all must be crushed")
	for _, p := range []Picture{{Gray: NewGray(1, 1)}, {Gray: NewGray(2, 2)}, {Gray: NewGray(0, 0)}} {
		assert.Zero(t, QualityOf(p).Sharpness, "flat, and no panic")
	}
}
