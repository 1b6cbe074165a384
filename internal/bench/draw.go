package main

import (
	"math"

	"ricetta/core/raster"
)

// wheel is an outline whose radius in direction deg is radius(deg).
func wheel(cx, cy float64, radius func(deg float64) float64) []raster.Point {
	var out []raster.Point
	for i := range 720 {
		deg := float64(i) / 2
		s, c := math.Sincos(deg * math.Pi / 180)
		r := radius(deg)
		out = append(out, raster.Point{X: cx + r*c, Y: cy + r*s})
	}
	return out
}
