package plant

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestTheSameSeedGivesTheSameTinAndPicture(t *testing.T) {
	rates := Rates{Missing: 0.2, Swapped: 0.2, Reversed: 0.2, NoTin: 0.1, Turned: 0.1}
	a, b := Draw(5, 77, rates), Draw(5, 77, rates)
	assert.Equal(t, a, b)
	assert.Equal(t, a.Picture().RGB.R, b.Picture().RGB.R)
	assert.NotEqual(t, a.Picture().RGB.R, Draw(5, 78, rates).Picture().RGB.R)
}

func TestDefectsComeAtTheirRates(t *testing.T) {
	rates := Rates{Missing: 0.1, Swapped: 0.05, NoTin: 0.02}
	n := map[Defect]int{}
	for i := range int64(20000) {
		tin := Draw(9, i, rates)
		n[tin.Defect]++
		empty, turned, moved := 0, 0, 0
		for k, p := range tin.Pencils {
			switch {
			case p.Color < 0:
				empty++
			case p.Color != k:
				moved++
			}
			if p.Reversed {
				turned++
			}
		}
		assert.Equal(t, tin.Defect == Missing, empty == 1)
		assert.Equal(t, tin.Defect == Swapped, moved == 2)
		assert.Equal(t, tin.Defect == Reversed, turned == 1)
	}
	assert.InDelta(t, 2000, n[Missing], 200)
	assert.InDelta(t, 1000, n[Swapped], 150)
	assert.InDelta(t, 400, n[NoTin], 90)
	assert.Zero(t, n[Reversed])
}

func BenchmarkPicture(b *testing.B) {
	var c camera
	t := Draw(1, 1, nil)
	for b.Loop() {
		c.picture(t)
	}
}
