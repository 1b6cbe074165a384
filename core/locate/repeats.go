package locate

import (
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
// each better one, best first. The result is good until the next call.
func (r *Repeats) Find(in *check.Input, least float64) []Found {
	var poses []pose
	accept := 0.0
	within := func(pose) bool { return false }
	if r.outline != nil {
		poses, accept = r.outline.seek(in, 0, all), r.outline.s.AcceptScore
		within = func(p pose) bool { return r.outline.inRange(in, p) }
	} else {
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
	for _, p := range apart(poses[:n], least) {
		r.found = append(r.found, Found{p.x, p.y, raster.WrapAngle(p.angle - in.On.Angle()), p.size / in.On.Size(), p.score})
	}
	return r.found
}
