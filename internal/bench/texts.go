package main

import (
	"fmt"
	"math/rand/v2"
	"testing"

	"ricetta/core/raster"
	"ricetta/core/reader"
	"ricetta/internal/drawn"
)

// benchTexts reads lines of each style in the region round them, found and read.
func benchTexts(t table) error {
	faces, dots := drawn.Faces(), drawn.DotFace()
	var r reader.Reader
	var pictures []drawn.Printed
	for _, style := range drawn.Styles {
		for n := range 4 {
			rng := rand.New(rand.NewPCG(uint64(n), uint64(len(style))))
			spec := textSpecimen(faces, dots, style, 1, rng)
			spec.Company = false
			pictures = append(pictures, drawn.PrintLine(spec, rng))
		}
	}
	options := func(p *drawn.Printed) reader.Options {
		return reader.Options{Search: reader.Search{Region: raster.Rect(0, 0, float64(p.Gray.W), float64(p.Gray.H)), On: raster.Identity(), Turn: 15}}
	}
	right := 0
	for i := range pictures {
		if found := r.Read(pictures[i].Gray, options(&pictures[i])); len(found) > 0 && found[0].Plain == pictures[i].Text {
			right++
		}
	}
	if right < len(pictures)/2 {
		return fmt.Errorf("of the %d lines of the bench %d are read", len(pictures), right)
	}
	out := best(func(b *testing.B) {
		for b.Loop() {
			for i := range pictures {
				r.Read(pictures[i].Gray, options(&pictures[i]))
			}
		}
	})
	out.N *= len(pictures)
	t.time("a line of text, found up to 15° from level and read", 8, out)
	return nil
}
