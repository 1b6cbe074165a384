package color

import (
	"errors"

	"ricetta/core/raster"
)

// What growing a set goes by.
const (
	grayBelow = 24   // saturation below which a hue is chance
	keepShare = 0.98 // of the picked pixels that the bands hold
	mostGray  = 0.25 // share of picked pixels without a hue above which hue is left open
)

// Grow returns the smallest bands that hold the picked pixels, but for the outermost
// hundredth on either side, widened by margin (hue in degrees, the others in percent).
// Where un-picked pixels lie in them, the end of a band that shuts out most of those for
// each picked pixel it loses is drawn in, until none are left or nothing helps. lost and
// left are the shares of picked pixels outside and of un-picked pixels inside at the end.
func Grow(p raster.Picture, picked, unpicked raster.Spans, margin float64) (set *Set, lost, left float64, err error) {
	if p.RGB == nil {
		return nil, 0, 0, errors.New("the reference is a gray picture; give tone instead of colors")
	}
	good, bad := sample(p.RGB, picked), sample(p.RGB, unpicked)
	if len(good) == 0 {
		return nil, 0, 0, errors.New("no pixel is picked; make the regions larger")
	}
	set = &Set{bands: bands{hue1: hueTurn - 1}}
	var sats, vals [256]int
	var hues [hueTurn]int
	gray := 0
	for _, c := range good {
		sats[c.s]++
		vals[c.v]++
		if c.s < grayBelow {
			gray++
		} else {
			hues[c.h]++
		}
	}
	n := len(good)
	set.sat0, set.sat1 = middle(sats[:], n)
	set.val0, set.val1 = middle(vals[:], n)
	pct := int(float64(margin*2.55) + 0.5)
	set.sat0, set.sat1 = max(set.sat0-pct, 0), min(set.sat1+pct, 255)
	set.val0, set.val1 = max(set.val0-pct, 0), min(set.val1+pct, 255)
	if float64(gray) <= float64(mostGray*float64(n)) {
		set.hue0, set.hue1 = shortestArc(hues[:], n-gray)
		deg := int(float64(margin*hueTurn)/360 + 0.5)
		if span := (set.hue1 - set.hue0 + hueTurn) % hueTurn; span+2*deg < hueTurn {
			set.hue0, set.hue1 = (set.hue0-deg+hueTurn)%hueTurn, (set.hue1+deg)%hueTurn
		} else {
			set.hue0, set.hue1 = 0, hueTurn-1
		}
		set.sat0 = max(set.sat0, grayBelow/2)
	}
	set.shutOut(good, bad)
	set.learn()
	return set, 1 - set.share(good), set.share(bad), nil
}

type hsv struct{ h, s, v int }

func sample(c *raster.RGB, spans raster.Spans) []hsv {
	var out []hsv
	for _, s := range spans {
		for x := s.X0; x < s.X1; x++ {
			o := int(s.Y)*c.Stride + int(x)
			h, sat, v := HSV(c.R[o], c.G[o], c.B[o])
			out = append(out, hsv{h, sat, v})
		}
	}
	return out
}

// middle returns the ends of a histogram without its outermost hundredths.
func middle(h []int, n int) (lo, hi int) {
	cut := int(float64(n) * (1 - keepShare) / 2)
	for sum := h[lo]; sum <= cut && lo < len(h)-1; sum += h[lo] {
		lo++
	}
	hi = len(h) - 1
	for sum := h[hi]; sum <= cut && hi > lo; sum += h[hi] {
		hi--
	}
	return lo, hi
}

// shortestArc returns the shortest arc of the wheel that holds keepShare of the hues.
func shortestArc(h []int, n int) (from, to int) {
	need := max(1, int(float64(n)*keepShare))
	best := len(h) + 1
	sum, end := 0, 0 // h[start…start+end-1] is summed
	for start := range h {
		for sum < need && end < len(h) {
			sum += h[(start+end)%len(h)]
			end++
		}
		if sum >= need && end < best && h[start] > 0 {
			best, from, to = end, start, (start+end-1)%len(h)
		}
		sum -= h[start]
		end--
	}
	return from, to
}

func (s *bands) holds(c hsv) bool {
	return c.v >= s.val0 && c.v <= s.val1 && c.s >= s.sat0 && c.s <= s.sat1 && s.hasHue(c.h)
}

func (s *bands) share(of []hsv) float64 {
	if len(of) == 0 {
		return 0
	}
	n := 0
	for _, c := range of {
		if s.holds(c) {
			n++
		}
	}
	return float64(n) / float64(len(of))
}

// shutOut draws in the ends of the bands while that helps.
func (s *bands) shutOut(good, bad []hsv) {
	if len(bad) == 0 {
		return
	}
	for range 60 {
		before, kept := s.share(bad), s.share(good)
		if before == 0 {
			return
		}
		bestGain, best := 0.0, *s
		for end := range 6 {
			for _, step := range []int{2, 5, 12, 25} {
				t := *s
				t.draw(end, step)
				gain := before - t.share(bad) - float64(1.5*(kept-t.share(good)))
				if gain > float64(bestGain*1.0001) {
					bestGain, best = gain, t
				}
			}
		}
		if bestGain <= 0 {
			return
		}
		*s = best
	}
}

// draw moves an end of a band inwards by step parts of 255.
func (s *bands) draw(end, step int) {
	switch end {
	case 0:
		s.sat0 = min(s.sat0+step, s.sat1)
	case 1:
		s.sat1 = max(s.sat1-step, s.sat0)
	case 2:
		s.val0 = min(s.val0+step, s.val1)
	case 3:
		s.val1 = max(s.val1-step, s.val0)
	default:
		turn := step * hueTurn / 510
		if span := (s.hue1 - s.hue0 + hueTurn) % hueTurn; turn >= span {
			return
		}
		if end == 4 {
			s.hue0 = (s.hue0 + turn) % hueTurn
		} else {
			s.hue1 = (s.hue1 - turn + hueTurn) % hueTurn
		}
	}
}
