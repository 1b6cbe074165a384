package reader

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ricetta/core/raster"
	"ricetta/internal/drawn"
)

// A line whose height was seen wrong, or that lies off its place, is measured by its tall
// characters: o and O, s and S differ by their height alone.
func TestHeightIsMeasuredByWhatIsRead(t *testing.T) {
	var r Reader
	for i, face := range drawn.Faces() {
		rng := rand.New(rand.NewPCG(uint64(i), 5))
		p := drawn.PrintLine(drawn.LinePrint{Face: face, Text: "Exp 08.2027 cow", Style: drawn.Solid}, rng)
		right := Line{From: p.Lies.From, To: p.Lies.To, Height: p.Lies.Cap}
		for _, k := range []float64{0.75, 1.3} {
			l := right
			l.Height *= k
			l.From.Y, l.To.Y = l.From.Y+0.1*p.Lies.Cap, l.To.Y+0.1*p.Lies.Cap
			read := r.ReadLine(p.Gray, l, p.Light, nil)
			read.Sure = 0 // it was not sure
			m, off := r.measured(&read)
			require.True(t, off, "%s: %q", face.Name, read.Plain)
			assert.InEpsilon(t, p.Lies.Cap, m.Height, 0.13, "%s at %.2f: %q", face.Name, k, read.Plain)
			assert.InDelta(t, right.From.Y+right.To.Y, m.From.Y+m.To.Y, 0.2*p.Lies.Cap, face.Name)
		}
		read := r.ReadLine(p.Gray, right, p.Light, nil)
		read.Sure = 0
		if m, off := r.measured(&read); off { // ink may have grown by that much
			assert.InEpsilon(t, p.Lies.Cap, m.Height, 0.13, face.Name)
		}
	}
	var none Text
	_, off := r.measured(&none)
	assert.False(t, off)
	plain := raster.NewGray(60, 40)
	read := r.ReadLine(plain, Line{From: raster.Point{X: 5, Y: 20}, To: raster.Point{X: 55, Y: 20}, Height: 20}, false, nil)
	_, off = r.measured(&read)
	assert.False(t, off, "%q", read.Plain)
}
