package main

import (
	"fmt"
	"math/rand/v2"
	"testing"

	"ricetta/core/raster"
	"ricetta/core/symbol"
)

// benchCodes reads codes of all kinds: in whole scenes with all kinds looked for, and in the
// region round the code with its own kind looked for.
func benchCodes(t table) error {
	kinds := []symbol.Symbology{symbol.EAN13, symbol.UPCA, symbol.EAN8, symbol.Code128, symbol.GS1128, symbol.ITF14, symbol.Code39, symbol.DataMatrix, symbol.QR}
	var scenes []*raster.Gray
	var near []symbol.Options
	var r symbol.Reader
	for i, k := range kinds {
		rng := rand.New(rand.NewPCG(uint64(i), 5))
		c, err := specimenOf(k, rng)
		if err != nil {
			return err
		}
		g := scene(c, 1, rng)
		found := r.Read(g, symbol.Options{})
		if len(found) != 1 || found[0].Text != c.text {
			return fmt.Errorf("the %s of the bench is not read", k)
		}
		o := symbol.Options{Only: []symbol.Symbology{found[0].Symbology}, X0: g.W, Y0: g.H}
		const margin = 24
		for _, p := range found[0].Corners {
			o.X0, o.Y0, o.X1, o.Y1 = min(o.X0, int(p.X)-margin), min(o.Y0, int(p.Y)-margin), max(o.X1, int(p.X)+margin), max(o.Y1, int(p.Y)+margin)
		}
		scenes, near = append(scenes, g), append(near, o)
	}
	all := func(o func(i int) symbol.Options) testing.BenchmarkResult {
		out := best(func(b *testing.B) {
			for b.Loop() {
				for i, g := range scenes {
					r.Read(g, o(i))
				}
			}
		})
		out.N *= len(scenes)
		return out
	}
	t.time("a code somewhere in a scene of 1280×960, mean of nine kinds", 12, all(func(int) symbol.Options { return symbol.Options{} }))
	t.time("a code of a known kind in its region", 3, all(func(i int) symbol.Options { return near[i] }))
	return nil
}
