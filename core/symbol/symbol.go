// Package symbol reads bar codes and matrix codes in gray pictures: it finds them at any
// angle, decodes them after their standards, and says where they lie. It knows no recipes;
// checks that read codes are elsewhere.
package symbol

import (
	"math"
	"slices"

	"ricetta/core/raster"
)

// Symbology is a kind of code.
type Symbology string

// The symbologies that are read, with the standard each follows.
const (
	EAN13      Symbology = "ean-13"      // ISO/IEC 15420
	EAN8       Symbology = "ean-8"       // ISO/IEC 15420
	UPCA       Symbology = "upc-a"       // ISO/IEC 15420
	UPCE       Symbology = "upc-e"       // ISO/IEC 15420
	Code128    Symbology = "code-128"    // ISO/IEC 15417
	GS1128     Symbology = "gs1-128"     // ISO/IEC 15417, GS1 General Specifications 5.4
	ITF14      Symbology = "itf-14"      // ISO/IEC 16390, GS1 General Specifications 5.3
	Code39     Symbology = "code-39"     // ISO/IEC 16388
	DataMatrix Symbology = "data-matrix" // ISO/IEC 16022, ECC 200
	QR         Symbology = "qr"          // ISO/IEC 18004
)

// All lists them.
var All = []Symbology{EAN13, EAN8, UPCA, UPCE, Code128, GS1128, ITF14, Code39, DataMatrix, QR}

// GS separates the element strings of variable length in what a GS1 code says: FNC1 is
// read as this character (GS1 General Specifications 7.8.3).
const GS = '\x1d'

// Symbol is a code that was read.
type Symbol struct {
	Symbology Symbology
	// Text is its message: digits with the check digit for EAN, UPC and ITF-14, without start
	// and stop for the others. A UPC-E keeps its eight digits.
	Text string
	// GS1 is set where the message is made of GS1 element strings.
	GS1 bool
	// Corners as one reads it: the upper left, upper right, lower right and lower left.
	Corners [4]raster.Point
	// Lines is on how many scan lines of a linear code it was read alike; Corrected is how many
	// codewords of a matrix code had to be corrected.
	Lines, Corrected int
	// Columns and Rows are the modules of a matrix code, 0 for a linear one. Inverse is set
	// where it is light on dark, Mirrored where it is seen from behind.
	Columns, Rows     int
	Inverse, Mirrored bool
}

// Center returns the middle of the code.
func (s *Symbol) Center() raster.Point {
	var p raster.Point
	for _, c := range s.Corners {
		p.X += c.X / 4
		p.Y += c.Y / 4
	}
	return p
}

// Angle returns how far the code is turned, in degrees clockwise as seen.
func (s *Symbol) Angle() float64 {
	c := &s.Corners
	return raster.Atan2(c[1].Y-c[0].Y+c[2].Y-c[3].Y, c[1].X-c[0].X+c[2].X-c[3].X)
}

// Options say what to read.
type Options struct {
	// Only lists the symbologies to look for; all if it is empty.
	Only []Symbology
	// X0 to Y1 bound the part of the picture that is looked at; all of it where X1 is 0.
	X0, Y0, X1, Y1 int
}

// Within returns options to look for what is named, all if nothing is, in the smallest part of
// the picture that holds a box.
func Within(only []Symbology, x0, y0, x1, y1 float64) Options {
	return Options{Only: only, X0: int(math.Floor(x0)), Y0: int(math.Floor(y0)), X1: int(math.Ceil(x1)), Y1: int(math.Ceil(y1))}
}

func (o *Options) wants(s ...Symbology) bool {
	if len(o.Only) == 0 {
		return true
	}
	return slices.ContainsFunc(s, func(x Symbology) bool { return slices.Contains(o.Only, x) })
}

// Reader reads codes. It keeps its memory from picture to picture and serves one goroutine;
// what it reads in a picture never depends on those before.
type Reader struct {
	blocks blocks
	map2   tones
	lines  lineReader
	matrix matrixReader
	dotted dotted
	qr     qrReader
	found  []Symbol
}

// readAt reads the codes in the parts whose edges are as strong as that.
func (r *Reader) readAt(g *raster.Gray, least int64, o *Options) {
	if o.wants(EAN13, EAN8, UPCA, UPCE, Code128, GS1128, ITF14, Code39) {
		for _, c := range r.blocks.striped(least) {
			r.found = r.lines.read(r.found, g, c, o)
		}
	}
	if o.wants(DataMatrix, QR) {
		for _, p := range r.blocks.busy(least, g.W, g.H) {
			if r.explained(p) {
				continue
			}
			r.map2.measure(g, p)
			if o.wants(DataMatrix) {
				r.found = r.matrix.read(r.found, g, &r.map2)
			}
			if o.wants(QR) {
				r.found = r.qr.read(r.found, g, &r.map2)
			}
		}
	}
}

func (r *Reader) has(k Symbology) bool {
	return slices.ContainsFunc(r.found, func(s Symbol) bool { return s.Symbology == k })
}

// explained reports whether a part is a code that was read already.
func (r *Reader) explained(p patch) bool {
	mid := raster.Point{X: float64(p.x0+p.x1) / 2, Y: float64(p.y0+p.y1) / 2}
	for i := range r.found {
		s := &r.found[i]
		x0, y0, x1, y1 := s.Corners[0].X, s.Corners[0].Y, s.Corners[0].X, s.Corners[0].Y
		for _, c := range s.Corners {
			x0, y0, x1, y1 = min(x0, c.X), min(y0, c.Y), max(x1, c.X), max(y1, c.Y)
		}
		if s.covers(mid) && float64((x1-x0)*(y1-y0))*2 > float64((p.x1-p.x0)*(p.y1-p.y0)) {
			return true
		}
	}
	return false
}

// Read returns the codes in a picture, from the top down. The result is good until the next
// call.
func (r *Reader) Read(g *raster.Gray, o Options) []Symbol {
	if o.X1 == 0 {
		o.X1, o.Y1 = g.W, g.H
	}
	o.X0, o.Y0, o.X1, o.Y1 = max(o.X0, 0), max(o.Y0, 0), min(o.X1, g.W), min(o.Y1, g.H)
	r.found = r.found[:0]
	if o.X1-o.X0 < 2*blockSize || o.Y1-o.Y0 < blockSize/2 {
		return nil
	}
	r.blocks.measure(g, o.X0, o.Y0, o.X1, o.Y1)
	// A code stands out: the parts with strong edges are looked at first, and those with weak
	// ones only if nothing is read there.
	strongest := r.blocks.strongest()
	for _, share := range [...]int64{8, 48} {
		r.readAt(g, max(strongest/share, leastEnergy), &o)
		if len(r.found) > 0 || strongest/share <= leastEnergy {
			break
		}
	}
	// What is made of dots is looked for last: joining them takes time.
	if o.wants(DataMatrix) && (len(r.found) == 0 || len(o.Only) > 0 && !r.has(DataMatrix)) {
		for _, p := range r.blocks.busy(max(strongest/8, leastEnergy), g.W, g.H) {
			if !r.explained(p) {
				r.map2.measure(g, p)
				r.found = r.dotted.read(r.found, g, &r.map2, &r.matrix)
			}
		}
	}
	slices.SortStableFunc(r.found, func(a, b Symbol) int {
		p, q := a.Center(), b.Center()
		switch {
		case p.Y < q.Y:
			return -1
		case p.Y > q.Y:
			return 1
		}
		return 0
	})
	return r.found
}
