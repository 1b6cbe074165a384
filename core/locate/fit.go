package locate

import (
	"math"

	"ricetta/core/raster"
)

// freedom says which parts of a pose a fit may change besides its place.
type freedom struct{ turn, size bool }

// score returns the mean over the points of the cosine between taught and seen
// direction, 0…1: 1 where all agree, 0 for points that are outside the picture or
// on no edge. With signed false a reversed direction counts as agreeing.
func (l *level) score(g *raster.Gray, p pose, signed bool) float64 {
	s, c := raster.SinCos(p.angle)
	floor2 := float64(l.floor * l.floor)
	sum := 0.0
	for i := range l.points {
		q := &l.points[i]
		x := p.x + float64(p.size*(float64(c*q.x)-float64(s*q.y)))
		y := p.y + float64(p.size*(float64(s*q.x)+float64(c*q.y)))
		if !(x >= 1 && y >= 1) || x >= float64(g.W-1) || y >= float64(g.H-1) {
			continue
		}
		ix, iy := g.Sobel(int(x), int(y))
		gx, gy := float64(ix), float64(iy)
		size2 := float64(gx*gx) + float64(gy*gy)
		if size2 < floor2 {
			continue
		}
		nx, ny := float64(c*q.nx)-float64(s*q.ny), float64(s*q.nx)+float64(c*q.ny)
		dot := (float64(gx*nx) + float64(gy*ny)) / math.Sqrt(size2)
		if !signed {
			dot = math.Abs(dot)
		}
		sum += dot
	}
	return max(0, sum/float64(len(l.points)))
}

// fit moves the pose so that taught and seen edges meet: weighted least squares on
// their distances along the normals (point to line), at most rounds times, each
// looking ±r pixels far. Outliers lose their weight (Tukey's biweight).
func (l *level) fit(g *raster.Gray, p pose, r, rounds int, free freedom, signed bool) pose {
	least := l.floor / 4 // Sobel sums 8 slopes of one pixel, edgeAlong one of two
	for round := range rounds {
		s, c := raster.SinCos(p.angle)
		width := float64(r) + 0.5
		if round > 0 {
			width = 1.5
		}
		var eq equations
		used := 0
		for i := range l.points {
			q := &l.points[i]
			rx := float64(p.size * (float64(c*q.x) - float64(s*q.y)))
			ry := float64(p.size * (float64(s*q.x) + float64(c*q.y)))
			nx, ny := float64(c*q.nx)-float64(s*q.ny), float64(s*q.nx)+float64(c*q.ny)
			d, ok := edgeAlong(g, p.x+rx, p.y+ry, nx, ny, r, signed, least)
			if !ok {
				continue
			}
			u := d / width
			if u <= -1 || u >= 1 {
				continue
			}
			w := 1 - float64(u*u)
			used++
			row := [4]float64{nx, ny, 0, 0}
			if free.turn {
				row[2] = float64(ny*rx) - float64(nx*ry)
			}
			if free.size {
				row[3] = (float64(nx*rx) + float64(ny*ry)) / p.size
			}
			eq.add(row, d, float64(w*w))
		}
		if used < 6 {
			return p
		}
		step, ok := eq.solve(free)
		if !ok {
			return p
		}
		p.x += step[0]
		p.y += step[1]
		p.angle += float64(step[2] * (180 / math.Pi))
		p.size = max(p.size+step[3], 0.1)
		moved := max(math.Abs(step[0]), math.Abs(step[1]), math.Abs(float64(step[2]*l.radius)), math.Abs(float64(step[3]*l.radius)))
		if moved < 0.005 {
			break
		}
		r = min(r, 2)
	}
	return p
}

// equations are the normal equations of a least-squares problem in four unknowns.
type equations struct {
	a [5][5]float64
	b [5]float64
}

func (e *equations) add(row [4]float64, d, w float64) {
	for i, v := range row {
		wv := float64(w * v)
		for j := range i + 1 {
			e.a[i][j] += float64(wv * row[j])
		}
		e.b[i] += float64(wv * d)
	}
}

// solve returns the least-squares step, with unknowns that are not free left at 0.
// A trace of damping keeps directions along which the outline could slide at rest.
func (e *equations) solve(free freedom) (x [4]float64, ok bool) {
	use := [4]bool{true, true, free.turn, free.size}
	for i := range 4 {
		if !use[i] {
			e.a[i] = [5]float64{}
			e.a[i][i], e.b[i] = 1, 0
			for j := i + 1; j < 4; j++ {
				e.a[j][i] = 0
			}
		}
	}
	full, ok := cholesky(&e.a, &e.b, 4, 1e-6)
	return [4]float64(full[:4]), ok
}
