package locate

import (
	"cmp"
	"math"
	"slices"

	"ricetta/core/raster"
)

// pose is a guess where the taught thing lies, in pixels of one pyramid level.
type pose struct {
	x, y, angle, size float64
	score             float64
}

// effort says how many guesses a search follows.
type effort struct {
	guesses  int     // from the first look
	finer    int     // on each finer level
	nearly   float64 // share of the accept score that a guess must reach in the first look
	hopeless float64 // share of the best guess's score below which a guess is given up
}

// The efforts. From one level to the next scores change by far less than a third, so
// that a quick search loses little.
var (
	quicker = effort{32, 6, 0.75, 0.7}
	finer   = effort{128, 16, 0.6, 0.5}
	all     = effort{1000, 1000, 0.7, 0}
)

// keepBest sorts the poses by score, drops those that ran into a better one or stand
// no chance against the best, and returns most of them.
func keepBest(poses []pose, most int, hopeless float64) []pose {
	slices.SortStableFunc(poses, func(a, b pose) int { return cmp.Compare(b.score, a.score) })
	n := 0
next:
	for _, p := range poses {
		if n > 0 && p.score < float64(hopeless*poses[0].score) {
			break
		}
		for _, q := range poses[:n] {
			if raster.Hypot(p.x-q.x, p.y-q.y) < 2.5 && math.Abs(raster.WrapAngle(p.angle-q.angle)) < 3 {
				continue next
			}
		}
		poses[n] = p
		n++
		if n == most {
			break
		}
	}
	return poses[:n]
}

// turns are the orientations to try, kept while the datum below lies the same way.
type turns struct {
	tries []turnAndSize
	on    turnAndSize
}

// of returns what must be tried for a thing of that radius, as far as it may be turned
// and resized against on.
func (t *turns) of(radius float64, on turnAndSize, turn, least, most float64) []turnAndSize {
	if t.tries == nil || t.on != on {
		t.tries, t.on = orientations(radius, on.angle, turn, float64(least*on.size), float64(most*on.size)), on
	}
	return t.tries
}

// follow takes guesses from the pyramid's top level down to the full picture, giving up
// those that fall behind, and returns the poses, best first, in the memory of poses.
// refine aligns and scores a pose on a level.
func follow(poses []pose, hits []hit, tries []turnAndSize, top int, e effort, refine func(level int, p pose) pose) []pose {
	poses = poses[:0]
	for _, h := range hits {
		t := tries[h.turn]
		poses = append(poses, refine(top, pose{x: float64(h.x) + 0.5, y: float64(h.y) + 0.5, angle: t.angle, size: t.size}))
	}
	poses = keepBest(poses, e.finer, e.hopeless)
	for n := top - 1; n >= 0; n-- {
		for i, p := range poses {
			p.x, p.y = p.x+p.x, p.y+p.y
			poses[i] = refine(n, p)
		}
		poses = keepBest(poses, max(2, e.finer-2*(top-n)), e.hopeless)
	}
	return poses
}

// apart keeps of the poses, best first, those at least this many pixels from every
// better one.
func apart(poses []pose, least float64) []pose {
	n := 0
next:
	for _, p := range poses {
		for _, q := range poses[:n] {
			if raster.Hypot(p.x-q.x, p.y-q.y) < least {
				continue next
			}
		}
		poses[n] = p
		n++
	}
	return poses[:n]
}
