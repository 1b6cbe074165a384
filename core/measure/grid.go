package measure

import (
	"errors"
	"fmt"
	"math"
	"slices"

	"ricetta/core/edge"
	"ricetta/core/raster"
)

// ScaleOf returns the calibration from two places a known length in millimeters apart.
func ScaleOf(a, b raster.Point, mm float64) (raster.Calibration, error) {
	d := raster.Hypot(b.X-a.X, b.Y-a.Y)
	if !(d >= 20) || !(mm > 0) {
		return raster.Calibration{}, errors.New("the places must lie 20 pixels or more apart, and the length must be above 0")
	}
	return raster.Calibration{MMPerPx: mm / d}, nil
}

// GridReport says how well a dot grid was fitted.
type GridReport struct {
	Dots  int     `json:"dots" required:"true"`  // that lie on the grid
	RMS   float64 `json:"rms" required:"true"`   // root mean square of their distances from it in pixels
	Worst float64 `json:"worst" required:"true"` // greatest distance in pixels
	Turn  float64 `json:"turn" required:"true"`  // of the grid in degrees
}

// fewestDots is what a grid needs to say something about the lens.
const fewestDots = 25

// CalibrateGrid finds scale and lens distortion from the picture of a printed grid of
// round dots, pitch millimeters apart both ways, dark on light or light on dark, seen
// straight from above. Scale, turn, place and distortion follow from one linear least
// squares fit, for the distortion of first order is linear in its strength.
func CalibrateGrid(g *raster.Gray, pitch float64) (raster.Calibration, GridReport, error) {
	if !(pitch > 0) {
		return raster.Calibration{}, GridReport{}, errors.New("the pitch must be above 0 mm")
	}
	dots := findDots(g)
	if len(dots) < fewestDots {
		return raster.Calibration{}, GridReport{}, fmt.Errorf("only %d round dots of one size are in the picture, %d needed; show the whole grid, in even light and sharp", len(dots), fewestDots)
	}
	c := raster.Point{X: float64(g.W) / 2, Y: float64(g.H) / 2}
	on := numberDots(dots, c)
	if len(on) < fewestDots {
		return raster.Calibration{}, GridReport{}, fmt.Errorf("only %d of %d dots lie on a square grid; hold it flat, with nothing else in the picture", len(on), len(dots))
	}
	lens := &raster.Lens{Center: c, Reach: raster.Hypot(c.X, c.Y)}
	fit, ok := fitGrid(on, lens)
	if !ok {
		return raster.Calibration{}, GridReport{}, errors.New("the dots lie on one line; show the grid in both directions")
	}
	report := GridReport{Dots: len(on), Turn: raster.Atan2(fit[1], fit[0])}
	sum := 0.0
	for _, d := range on {
		p := lens.Straight(d.at)
		e := raster.Hypot(p.X-fit[2]-float64(fit[0]*d.i)+float64(fit[1]*d.j), p.Y-fit[3]-float64(fit[1]*d.i)-float64(fit[0]*d.j))
		sum += float64(e * e)
		report.Worst = max(report.Worst, e)
	}
	report.RMS = math.Sqrt(sum / float64(len(on)))
	px := raster.Hypot(fit[0], fit[1])
	if report.RMS > float64(0.03*px) {
		return raster.Calibration{}, report, fmt.Errorf("the dots lie %.1f pixels off a square grid; hold it flat and the camera square to it", report.RMS)
	}
	return raster.Calibration{MMPerPx: pitch / px, Lens: lens}, report, nil
}

// findDots returns the centers of the round spots of the most common size.
func findDots(g *raster.Gray) []raster.Point {
	spans := raster.Rect(0, 0, float64(g.W), float64(g.H)).SpansInto(nil, raster.Identity(), g.W, g.H)
	at, _, _, ok := raster.Otsu(g.Histogram(spans))
	if !ok || at == 255 {
		return nil
	}
	var best []raster.Point
	for _, band := range [2][2]uint8{{0, at}, {at + 1, 255}} {
		var f raster.BlobFinder
		var areas []float64
		var round []*raster.Blob
		blobs := f.Find(g, spans, raster.Identity(), band[0], band[1], true)
		for i := range blobs {
			b := &blobs[i]
			length := b.Perimeter()
			if n := float64(b.Area); n >= 12 && float64(4*math.Pi*n) >= float64(0.75*float64(length*length)) && b.Holes() == 0 {
				round, areas = append(round, b), append(areas, n)
			}
		}
		if len(round) == 0 {
			continue
		}
		slices.Sort(areas)
		middle := areas[len(areas)/2]
		var dots []raster.Point
		rim := float64(1.3*math.Sqrt(middle/math.Pi)) + 3 // dots that the border cuts have another center
		for _, b := range round {
			x, y := b.Center()
			whole := min(x, y, float64(g.W)-x, float64(g.H)-y) > rim
			if n := float64(b.Area); whole && n > float64(0.6*middle) && n < float64(1.6*middle) {
				dots = append(dots, raster.Point{X: x, Y: y})
			}
		}
		if len(dots) > len(best) {
			best = dots
		}
	}
	return best
}

// gridDot is a dot with its column and row.
type gridDot struct {
	at   raster.Point
	i, j float64
}

// numberDots gives dots their column and row, stepping from neighbor to neighbor from
// the dot nearest to c, so that a bent grid is followed. Dots off the grid are left out.
func numberDots(dots []raster.Point, c raster.Point) []gridDot {
	nearest := func(p raster.Point) int {
		best, d := -1, math.Inf(1)
		for i, q := range dots {
			if e := raster.Hypot(q.X-p.X, q.Y-p.Y); e < d {
				best, d = i, e
			}
		}
		return best
	}
	seed := nearest(c)
	// The step to the right: to the nearest other dot, turned to within 45° of right.
	var u raster.Point
	least := math.Inf(1)
	for i, q := range dots {
		if d := raster.Hypot(q.X-dots[seed].X, q.Y-dots[seed].Y); i != seed && d < least {
			least, u = d, raster.Point{X: q.X - dots[seed].X, Y: q.Y - dots[seed].Y}
		}
	}
	for range 3 {
		if u.X < math.Abs(u.Y) {
			u = raster.Point{X: -u.Y, Y: u.X}
		}
	}
	type step struct {
		i, j int
		u    raster.Point // local step to the right
	}
	known := map[int]step{seed: {0, 0, u}}
	taken := map[[2]int]int{{0, 0}: seed}
	for queue := []int{seed}; len(queue) > 0; queue = queue[1:] {
		from := queue[0]
		s := known[from]
		for k, way := range [4][2]int{{1, 0}, {0, 1}, {-1, 0}, {0, -1}} {
			d := [4]raster.Point{s.u, {X: -s.u.Y, Y: s.u.X}, {X: -s.u.X, Y: -s.u.Y}, {X: s.u.Y, Y: -s.u.X}}[k]
			want := raster.Point{X: dots[from].X + d.X, Y: dots[from].Y + d.Y}
			to := nearest(want)
			place := [2]int{s.i + way[0], s.j + way[1]}
			_, numbered := known[to]
			_, occupied := taken[place]
			if numbered || occupied || raster.Hypot(dots[to].X-want.X, dots[to].Y-want.Y) > float64(0.25*raster.Hypot(d.X, d.Y)) {
				continue
			}
			// The step found, turned back to the right, for the dots beyond.
			v := raster.Point{X: dots[to].X - dots[from].X, Y: dots[to].Y - dots[from].Y}
			v = [4]raster.Point{v, {X: v.Y, Y: -v.X}, {X: -v.X, Y: -v.Y}, {X: -v.Y, Y: v.X}}[k]
			known[to] = step{place[0], place[1], v}
			taken[place] = to
			queue = append(queue, to)
		}
	}
	var out []gridDot
	for n, d := range dots {
		if s, ok := known[n]; ok {
			out = append(out, gridDot{d, float64(s.i), float64(s.j)})
		}
	}
	return out
}

// fitGrid fits a·i - b·j + x = X, b·i + a·j + y = Y for the straightened places (X, Y)
// of the dots, and sets the bend of the lens. It returns a, b, x, y.
func fitGrid(dots []gridDot, lens *raster.Lens) (fit [4]float64, ok bool) {
	const n = 5
	var m [5][6]float64
	add := func(row [n]float64, v float64) {
		for i := range n {
			for j := range n {
				m[i][j] += float64(row[i] * row[j])
			}
			m[i][n] += float64(row[i] * v)
		}
	}
	for _, d := range dots {
		dx, dy := d.at.X-lens.Center.X, d.at.Y-lens.Center.Y
		r2 := (float64(dx*dx) + float64(dy*dy)) / float64(lens.Reach*lens.Reach)
		add([n]float64{d.i, -d.j, 1, 0, -float64(dx * r2)}, d.at.X)
		add([n]float64{d.j, d.i, 0, 1, -float64(dy * r2)}, d.at.Y)
	}
	x, ok := edge.Solve(&m, n)
	lens.Bend = x[4]
	return [4]float64(x[:4]), ok
}
