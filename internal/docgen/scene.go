package main

import (
	"math"
	"reflect"
	"strings"

	"ricetta/core/check"
	"ricetta/core/raster"
)

// roll draws a roll of tape on a belt; a worn one has a bump and a notch.
func roll(worn bool) raster.Picture {
	g := raster.NewGray(1280, 960)
	for i := range g.Pix {
		g.Pix[i] = 58
	}
	outline := func(radius func(deg float64) float64) []raster.Point {
		var out []raster.Point
		for i := range 1440 {
			deg := float64(i) / 4
			s, c := math.Sincos(deg * math.Pi / 180)
			out = append(out, raster.Point{X: 640 + radius(deg)*c, Y: 480 + radius(deg)*s})
		}
		return out
	}
	var p raster.Painter
	p.Fill(g, outline(func(deg float64) float64 {
		switch {
		case worn && math.Abs(deg-310) < 5:
			return 312
		case worn && math.Abs(deg-120) < 3:
			return 286
		}
		return 300
	}), 190)
	g.Blur(3)
	v := uint32(1)
	for i := range g.Pix {
		v = v*1664525 + 1013904223
		g.Pix[i] += uint8(v >> 29)
	}
	return raster.Picture{Gray: g}
}

// settingsOrder lists the names of a kind's settings as they are declared.
func settingsOrder(k check.Kind) []string {
	var out []string
	var walk func(t reflect.Type)
	walk = func(t reflect.Type) {
		for i := range t.NumField() {
			f := t.Field(i)
			if f.Anonymous {
				walk(f.Type)
				continue
			}
			name, _, _ := strings.Cut(f.Tag.Get("json"), ",")
			out = append(out, name)
		}
	}
	walk(reflect.TypeOf(k.New()).Elem())
	return out
}
