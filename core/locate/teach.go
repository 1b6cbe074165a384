package locate

import (
	"cmp"
	"fmt"
	"math"
	"slices"

	"ricetta/core/raster"
)

// edgePoint is a taught place on an edge: its offset from the region's center in
// pixels of its pyramid level, and the unit vector from dark to light.
type edgePoint struct{ x, y, nx, ny float64 }

// level is what was taught on one level of the pyramid.
type level struct {
	points []edgePoint
	floor  float64 // Sobel magnitude below which a pixel has no direction
	radius float64 // of the farthest point, in pixels of the level
}

// model is a taught outline. levels[0] belongs to the full picture, the last one
// to where the search starts.
type model struct {
	center raster.Point
	levels []level
}

// How many points a level keeps. More than 63 on the coarse level would overflow
// the byte sums of the response maps (63 · 4 ≤ 255).
const (
	mostPoints       = 300
	mostCoarsePoints = 63
	fewestPoints     = 24
	mostLevels       = 6
	leastRadius      = 11 // pixels that the outline must still measure where the search starts
	weakestEdge      = 24 // Sobel magnitude of a step of 6 gray values
)

// learn finds the edges in the region of the reference picture on every useful
// level. sensitivity 0…1 chooses how weak an edge still counts.
func learn(ref *raster.Gray, region raster.Region, sensitivity float64) (*model, error) {
	m := &model{center: region.Center()}
	g := ref
	for k := 0; k < mostLevels; k++ {
		if k > 0 {
			g = g.Half(new(raster.Gray))
		}
		l := learnLevel(g, region, m.center, k, sensitivity)
		if k > 0 && (len(l.points) < fewestPoints || l.radius < leastRadius) {
			break
		}
		m.levels = append(m.levels, l)
	}
	if n := len(m.levels[0].points); n < fewestPoints {
		return nil, fmt.Errorf("only %d edge points in the region, %d needed; choose a region with a clearer outline, or raise the sensitivity", n, fewestPoints)
	}
	top := &m.levels[len(m.levels)-1]
	top.points = spread(top.points, mostCoarsePoints)
	return m, nil
}

func learnLevel(g *raster.Gray, region raster.Region, center raster.Point, k int, sensitivity float64) level {
	scale := 1 / float64(int(1)<<k)
	edges := thinEdges(g, region, scale)
	slices.SortFunc(edges, func(a, b edgePixel) int {
		return cmp.Or(cmp.Compare(b.strength, a.strength), cmp.Compare(a.y, b.y), cmp.Compare(a.x, b.x))
	})
	// The strength of a clear edge here: nine of ten are weaker.
	least := float64(weakestEdge)
	if len(edges) > 0 {
		least = max(least, float64(edges[len(edges)/10].strength*(1-sensitivity)*0.5))
	}
	n := 0
	for n < len(edges) && edges[n].strength >= least {
		n++
	}
	edges = dropShort(edges[:n], g.W, max(2, 6>>k))

	l := level{floor: max(16, least/3)}
	cx, cy := float64(center.X*scale), float64(center.Y*scale)
	for _, e := range edges {
		gx, gy := g.Sobel(e.x, e.y)
		size := raster.Hypot(float64(gx), float64(gy))
		nx, ny := float64(gx)/size, float64(gy)/size
		x, y := float64(e.x)+0.5, float64(e.y)+0.5
		// The same estimator as in the search, so that its bias cancels.
		d, ok := edgeAlong(g, x, y, nx, ny, 1, true, 0)
		if !ok {
			continue
		}
		x, y = x+float64(d*nx), y+float64(d*ny)
		l.points = append(l.points, edgePoint{x - cx, y - cy, nx, ny})
	}
	l.points = spread(l.points, mostPoints)
	for _, p := range l.points {
		l.radius = max(l.radius, raster.Hypot(p.x, p.y))
	}
	return l
}

type edgePixel struct {
	x, y     int
	strength float64
}

// thinEdges returns the pixels of the region whose gradient is greatest across
// their edge.
func thinEdges(g *raster.Gray, region raster.Region, scale float64) []edgePixel {
	strength := func(x, y int) float64 {
		gx, gy := g.Sobel(x, y)
		return raster.Hypot(float64(gx), float64(gy))
	}
	// Neighbors across the edge, by the direction of the gradient in eighths.
	ahead := [4][2]int{{1, 0}, {1, 1}, {0, 1}, {-1, 1}}
	var out []edgePixel
	for _, s := range region.SpansInto(nil, raster.Transform{A: scale}, g.W, g.H) {
		y := int(s.Y)
		if y < 2 || y >= g.H-2 {
			continue
		}
		for x := max(2, int(s.X0)); x < min(g.W-2, int(s.X1)); x++ {
			gx, gy := g.Sobel(x, y)
			v := raster.Hypot(float64(gx), float64(gy))
			if v < weakestEdge {
				continue
			}
			a := ahead[(sector(gx, gy)+1)/2%4]
			if v > strength(x-a[0], y-a[1]) && v >= strength(x+a[0], y+a[1]) {
				out = append(out, edgePixel{x, y, v})
			}
		}
	}
	return out
}

// dropShort leaves out edges of fewer than least connected pixels: specks.
func dropShort(edges []edgePixel, w, least int) []edgePixel {
	at := make(map[int]int, len(edges))
	for i, e := range edges {
		at[e.y*w+e.x] = i
	}
	chain := make([]int, len(edges)) // 0: not visited
	var sizes []int
	for i := range edges {
		if chain[i] != 0 {
			continue
		}
		id := len(sizes) + 1
		stack, n := []int{i}, 0
		chain[i] = id
		for len(stack) > 0 {
			e := edges[stack[len(stack)-1]]
			stack = stack[:len(stack)-1]
			n++
			for dy := -1; dy <= 1; dy++ {
				for dx := -1; dx <= 1; dx++ {
					if j, ok := at[(e.y+dy)*w+e.x+dx]; ok && chain[j] == 0 {
						chain[j] = id
						stack = append(stack, j)
					}
				}
			}
		}
		sizes = append(sizes, n)
	}
	var out []edgePixel
	for i, e := range edges {
		if sizes[chain[i]-1] >= least {
			out = append(out, e)
		}
	}
	return out
}

// spread picks at most most of the points, the first ones first, so that they
// keep a distance from each other; it returns them all where they are few enough.
func spread(points []edgePoint, most int) []edgePoint {
	for gap := 1.0; len(points) > most; gap = float64(gap * 1.15) {
		type cell struct{ x, y int }
		taken := map[cell][]edgePoint{}
		var kept []edgePoint
		for _, p := range points {
			c := cell{int(math.Floor(p.x / gap)), int(math.Floor(p.y / gap))}
			if near(taken[c], p, gap) ||
				near(taken[cell{c.x - 1, c.y}], p, gap) || near(taken[cell{c.x + 1, c.y}], p, gap) ||
				near(taken[cell{c.x, c.y - 1}], p, gap) || near(taken[cell{c.x, c.y + 1}], p, gap) ||
				near(taken[cell{c.x - 1, c.y - 1}], p, gap) || near(taken[cell{c.x + 1, c.y - 1}], p, gap) ||
				near(taken[cell{c.x - 1, c.y + 1}], p, gap) || near(taken[cell{c.x + 1, c.y + 1}], p, gap) {
				continue
			}
			taken[c] = append(taken[c], p)
			kept = append(kept, p)
		}
		points = kept
	}
	return points
}

func near(points []edgePoint, p edgePoint, gap float64) bool {
	for _, q := range points {
		if raster.Hypot(p.x-q.x, p.y-q.y) < gap {
			return true
		}
	}
	return false
}
