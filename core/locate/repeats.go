package locate

import (
	"errors"
	"math"

	"ricetta/core/check"
	"ricetta/core/raster"
)

// Found is a place where a taught thing lies in a picture.
type Found struct {
	X, Y, Angle, Size, Score float64
}

// Repeats finds all places of a taught thing and not only the best. It keeps its memory
// and serves one goroutine.
type Repeats struct {
	outline *outlineJudge
	patch   *patchJudge
	found   []Found
	taken   []bool // by pixel: an edge of a place that is counted
}

// shared is the greatest share of its points that a place may have on the edges of
// better ones. Neighbors that touch share a side; what is put together from pieces of
// its neighbors shares all.
const shared = 0.5

// ownEdges keeps the poses, best first, that have edges of their own.
func (r *Repeats) ownEdges(in *check.Input, poses []pose) []pose {
	w, h := in.Gray.W, in.Gray.H
	if cap(r.taken) < w*h {
		r.taken = make([]bool, w*h)
	}
	r.taken = r.taken[:w*h]
	clear(r.taken)
	points := r.outline.views[0].model.levels[0].points
	n := 0
	for _, p := range poses {
		at := raster.Moving(raster.Point{}, raster.Pose{X: p.x, Y: p.y, Angle: p.angle, Size: p.size})
		on := 0
		place := func(q edgePoint) (x, y int) {
			c := at.Apply(raster.Point{X: q.x, Y: q.y})
			return int(math.Floor(c.X)), int(math.Floor(c.Y))
		}
		for _, q := range points {
			if x, y := place(q); x >= 0 && y >= 0 && x < w && y < h && r.taken[y*w+x] {
				on++
			}
		}
		if float64(on) > float64(shared*float64(len(points))) {
			continue
		}
		for _, q := range points {
			x, y := place(q)
			for yy := max(y-2, 0); yy <= min(y+2, h-1); yy++ {
				for xx := max(x-2, 0); xx <= min(x+2, w-1); xx++ {
					r.taken[yy*w+xx] = true
				}
			}
		}
		poses[n] = p
		n++
	}
	return poses[:n]
}

// RepeatsOf returns a finder of all places of what was taught by Outline or Patch. It
// panics for any other kind.
func RepeatsOf(t check.Taught) *Repeats {
	switch j := t.NewJudge().(type) {
	case *outlineJudge:
		return &Repeats{outline: j}
	case *patchJudge:
		return &Repeats{patch: j}
	}
	panic("locate: only an outline or a patch repeats")
}

// Find returns the places that keep the settings and lie at least least pixels from
// each better one, best first. The result is good until the next call. The error says why
// the search would take too long.
func (r *Repeats) Find(in *check.Input, least float64) ([]Found, error) {
	var poses []pose
	accept := 0.0
	var within func(pose) bool
	if r.outline != nil {
		poses, accept = r.outline.seek(in, 0, all), r.outline.s.AcceptScore
		within = func(p pose) bool { return r.outline.inRange(in, p) }
	} else {
		if r.patch.tooMuch(in) {
			return nil, errors.New("the patch cannot be sought: " + tooMuch)
		}
		poses, accept = r.patch.seek(in, all), r.patch.s.AcceptScore
		within = func(p pose) bool { return r.patch.inRange(in, p) }
	}
	n := 0
	for _, p := range poses {
		if p.score >= accept && within(p) {
			poses[n] = p
			n++
		}
	}
	r.found = r.found[:0]
	poses = apart(poses[:n], least)
	if r.outline != nil {
		poses = r.ownEdges(in, poses)
	}
	for _, p := range poses {
		r.found = append(r.found, Found{p.x, p.y, raster.WrapAngle(p.angle - in.On.Angle()), p.size / in.On.Size(), p.score})
	}
	return r.found, nil
}
