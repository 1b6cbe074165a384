package reader

import (
	"slices"
	"strings"

	"ricetta/core/raster"
)

// tall characters reach from the foot of the line to the height of its capitals; the finder
// sees rows full of strokes, which of a line in small letters are those of their bodies.
const tall = "0123456789ABCDEFGHIJKLMNOPRSTUVWXYZbdhkl&%?!"

// inkTone is the tone of a strip from which on a place is taken for ink.
const inkTone = 58

// stands measures how high the tall characters of the text just read stand on its strip, in
// rows, and the row of their middle; false where too few of them are seen whole.
func (r *Reader) stands(letters []Letter) (height, middle float64, ok bool) {
	var heights, middles []float64
	for _, l := range letters {
		if !strings.ContainsRune(tall, l.Rune) {
			continue
		}
		top, foot := -1, -1
		for y := range StripHeight {
			row := r.strip.Pix[y*r.strip.W:]
			for x := max(l.from, 0); x < min(l.to, r.strip.W); x++ {
				if row[x] >= inkTone {
					if top < 0 {
						top = y
					}
					foot = y + 1
					break
				}
			}
		}
		if top > 0 && foot < StripHeight {
			heights, middles = append(heights, float64(foot-top)), append(middles, float64(foot+top)/2)
		}
	}
	if len(heights) < 2 {
		return 0, 0, false
	}
	slices.Sort(heights)
	slices.Sort(middles)
	// Small letters taken for capitals are among them, so that the upper quarter counts.
	return heights[3*len(heights)/4], middles[len(middles)/2], true
}

// alike are letters of which the capital differs from the small one by its height alone.
const alike = "CcOoPpSsUuVvWwXxZzKkg9"

// measured is the line of a text just read as its tall characters show it, if it differs from
// the one it was read by so much that it should be read again.
func (r *Reader) measured(t *Text) (Line, bool) {
	if t.Sure >= 0.9 && !strings.ContainsAny(t.Plain, alike) {
		return t.Line, false
	}
	height, middle, ok := r.stands(t.Letters)
	if !ok {
		return t.Line, false
	}
	off := middle - StripHeight/2
	if height > capital-offCapital && height < capital+offCapital && off > -offMiddle && off < offMiddle {
		return t.Line, false
	}
	l := t.Line
	row := l.Height / capital
	l.Height = float64(height * row)
	dx, dy := l.To.X-l.From.X, l.To.Y-l.From.Y
	n := max(raster.Hypot(dx, dy), 1e-9)
	x, y := -float64(dy/n*float64(off*row)), float64(dx/n*float64(off*row))
	l.From, l.To = raster.Point{X: l.From.X + x, Y: l.From.Y + y}, raster.Point{X: l.To.X + x, Y: l.To.Y + y}
	return l, true
}

// Rows by which a height and the middle may be off without being measured again.
const offCapital, offMiddle = 1.75, 2
