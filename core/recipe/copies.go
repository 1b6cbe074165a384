package recipe

import (
	"fmt"

	"ricetta/core/check"
	"ricetta/core/raster"
)

// mostCopies bounds what one check may become.
const mostCopies = 200

// copies adds a check many times, in a row or a grid. Whatever lies somewhere on the
// reference picture is shifted: regions, arrows and arcs.
func (b *builder) copies(i int, c Check, k check.Kind, own, fields object) {
	at := fmt.Sprintf("/checks/%d/copies", i)
	var grid Copies
	if err := into(fields["copies"].(object), &grid); err != nil {
		b.problem(at, err.Error(), "")
		return
	}
	grid.Columns, grid.Rows = max(grid.Columns, 1), max(grid.Rows, 1)
	if n := grid.Columns * grid.Rows; n > mostCopies {
		b.problem(at, fmt.Sprintf("%d copies are too many", n), fmt.Sprintf("make it %d at most", mostCopies))
		return
	}
	for n := range grid.Columns * grid.Rows {
		one := c
		one.ID = fmt.Sprintf("%s_%d", c.ID, n+1)
		one.Settings = k.New()
		if err := into(own, one.Settings); err != nil {
			b.problem(at, err.Error(), "")
			return
		}
		dx, dy := float64(float64(n%grid.Columns)*grid.Step[0]), float64(float64(n/grid.Columns)*grid.Step[1])
		if !shift(one.Settings, dx, dy) {
			b.problem(at, "a brush mask cannot be copied", "give the region as rect, circle, ring or polygon")
			return
		}
		b.add(i, one)
	}
}

// shift moves whatever the settings place on the reference picture; it reports false
// where that cannot be.
func shift(settings any, dx, dy float64) bool {
	for _, s := range shapes(settings) {
		if s.Mask != "" {
			return false
		}
		shiftShape(s, dx, dy)
	}
	for _, line := range lines(settings) {
		for i := 0; i+1 < len(line); i += 2 {
			line[i] += dx
			line[i+1] += dy
		}
	}
	return true
}

func shiftShape(s *raster.Shape, dx, dy float64) {
	for _, v := range [3][]float64{s.Rect, s.Circle, s.Ring} {
		if len(v) >= 2 {
			v[0] += dx
			v[1] += dy
		}
	}
	for i := range s.Polygon {
		s.Polygon[i][0] += dx
		s.Polygon[i][1] += dy
	}
}
