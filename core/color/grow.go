package color

import (
	"errors"

	"ricetta/core/raster"
)

// What growing a set goes by.
const (
	grayBelow = 24   // saturation below which a hue is chance
	keepShare = 0.98 // of the picked pixels that the bands hold
	// lightChange is how far the light may fall or rise, as a part of it, before a
	// picked color is lost, where that takes in no un-picked pixel.
	lightChange = 0.25
	mostGray    = 0.25 // share of picked pixels without a hue above which hue is left open
)

// Grow returns the smallest bands that hold the picked pixels, but for the outermost
// hundredth on either side, widened by margin (hue in degrees, the others in percent); brightness by a quarter of
// itself at least where there is a hue to go by.
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
	set = &Set{ColorBand: raster.ColorBand{Hue1: hueTurn - 1}}
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
	set.Sat0, set.Sat1 = middle(sats[:], n)
	set.Val0, set.Val1 = middle(vals[:], n)
	dark, light := set.Val0, set.Val1
	pct := int(float64(margin*2.55) + 0.5)
	set.Sat0, set.Sat1 = max(set.Sat0-pct, 0), min(set.Sat1+pct, 255)
	set.Val0, set.Val1 = max(set.Val0-pct, 0), min(set.Val1+pct, 255)
	if float64(gray) <= float64(mostGray*float64(n)) {
		set.Hue0, set.Hue1 = shortestArc(hues[:], n-gray)
		deg := int(float64(margin*hueTurn)/360 + 0.5)
		if span := (set.Hue1 - set.Hue0 + hueTurn) % hueTurn; span+2*deg < hueTurn {
			set.Hue0, set.Hue1 = (set.Hue0-deg+hueTurn)%hueTurn, (set.Hue1+deg)%hueTurn
		} else {
			set.Hue0, set.Hue1 = 0, hueTurn-1
		}
		set.Sat0 = max(set.Sat0, grayBelow/2)
		// Light comes and goes by more than colors do, and hue and saturation stay.
		set.Val0, set.Val1 = min(set.Val0, int(float64(dark)*(1-lightChange))), max(set.Val1, min(int(float64(light)*(1+lightChange)), 255))
	}
	set.ColorBand = shutOut(set.ColorBand, good, bad)
	set.counter = set.Counter()
	return set, 1 - share(&set.ColorBand, good), share(&set.ColorBand, bad), nil
}

type hsv struct{ h, s, v int }

func sample(c *raster.RGB, spans raster.Spans) []hsv {
	var out []hsv
	for _, s := range spans {
		for x := s.X0; x < s.X1; x++ {
			o := int(s.Y)*c.Stride + int(x)
			h, sat, v := raster.HSV(c.R[o], c.G[o], c.B[o])
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

func share(b *raster.ColorBand, of []hsv) float64 {
	if len(of) == 0 {
		return 0
	}
	n := 0
	for _, c := range of {
		if b.Holds(c.h, c.s, c.v) {
			n++
		}
	}
	return float64(n) / float64(len(of))
}

// shutOut draws in the ends of the band while that helps.
func shutOut(s raster.ColorBand, good, bad []hsv) raster.ColorBand {
	if len(bad) == 0 {
		return s
	}
	for range 60 {
		before, kept := share(&s, bad), share(&s, good)
		if before == 0 {
			return s
		}
		bestGain, best := 0.0, s
		for end := range 6 {
			for _, step := range []int{2, 5, 12, 25} {
				t := drawnIn(s, end, step)
				gain := before - share(&t, bad) - float64(1.5*(kept-share(&t, good)))
				if gain > float64(bestGain*1.0001) {
					bestGain, best = gain, t
				}
			}
		}
		if bestGain <= 0 {
			break
		}
		s = best
	}
	return s
}

// drawnIn returns the band with an end moved inwards by step parts of 255.
func drawnIn(s raster.ColorBand, end, step int) raster.ColorBand {
	switch end {
	case 0:
		s.Sat0 = min(s.Sat0+step, s.Sat1)
	case 1:
		s.Sat1 = max(s.Sat1-step, s.Sat0)
	case 2:
		s.Val0 = min(s.Val0+step, s.Val1)
	case 3:
		s.Val1 = max(s.Val1-step, s.Val0)
	default:
		turn := step * hueTurn / 510
		if span := (s.Hue1 - s.Hue0 + hueTurn) % hueTurn; turn >= span {
			return s
		}
		if end == 4 {
			s.Hue0 = (s.Hue0 + turn) % hueTurn
		} else {
			s.Hue1 = (s.Hue1 - turn + hueTurn) % hueTurn
		}
	}
	return s
}
