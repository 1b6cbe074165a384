package plant

import (
	"fmt"
	"maps"
	"math"
	"math/rand/v2"
	"slices"
	"time"

	"ricetta/core/recipe"
)

// Past is what became of the items of one station in one hour, at one end: so many took a route
// for a reason.
type Past struct {
	Hour    time.Time
	Station string
	Line    string
	Product string
	Lot     string
	// Old says that the recipe was an earlier revision.
	Old    bool
	Route  string
	Reason string
	Fault  bool
	N      int64
}

// habit is what usually goes wrong on a line, as shares.
type habit struct {
	line, product string
	perHour       float64
	reasons       map[string]float64 // by the id of the check that finds it
}

var habits = []habit{
	{"line1", Tins, 900, map[string]float64{"tips": 0.012, "colors": 0.008, "tin": 0.005}},
	{"line2", Tins, 700, map[string]float64{"tips": 0.022, "colors": 0.012, "tin": 0.006}},
	{"line3", Trays, 200, map[string]float64{"warm": 0.007, "cool": 0.005, "brush": 0.008}},
	{"line4", Sticks, 210, map[string]float64{"gap": 0.014, "code": 0.006, "date": 0.006, "lot": 0.003}},
	{"line5", Rolls, 200, map[string]float64{"rim": 0.010}},
	{"line6", Lids, 110, map[string]float64{"code": 0.012, "ribbon": 0.008}},
}

// History makes up what the demo plant packed in the days before a moment, hour by hour, while
// works says that its shifts do. The same seed gives the same past. What is in it to be found: the
// nights of line 2 are worse; the rims of line 5 get worse over a quarter of a year, until a wheel
// was changed; a lot of line 4 was printed without dates; and for two weeks line 3 rejected brushes
// that were there, until its recipe was changed.
func History(until time.Time, days int, works func(time.Time) (shift string, on bool), each func(Past)) {
	rng := rand.New(rand.NewPCG(2026, 11))
	begin := until.AddDate(0, 0, -days).Truncate(time.Hour)
	for h := begin; h.Before(until.Truncate(time.Hour)); h = h.Add(time.Hour) {
		name, on := works(h)
		if !on {
			continue
		}
		ago := until.Sub(h).Hours() / 24
		for _, x := range habits {
			made := float64(x.perHour) * (0.9 + 0.2*rng.Float64())
			p := Past{Hour: h, Station: x.line + "-top", Line: x.line, Product: x.product}
			_, week := h.ISOWeek()
			p.Lot = fmt.Sprintf("L%02d%02d", h.Year()%100, week)
			p.Old = x.line == "line3" && ago > 140
			left := int64(made)
			put := func(route, reason string, fault bool, share float64) {
				n := min(poisson(rng, made*share), left)
				if n == 0 {
					return
				}
				left -= n
				q := p
				q.Route, q.Reason, q.Fault, q.N = route, reason, fault, n
				each(q)
			}
			for _, reason := range slices.Sorted(maps.Keys(x.reasons)) {
				share := x.reasons[reason]
				switch {
				case x.line == "line2" && name == "night" && reason == "tips":
					share *= 1.8
				case x.line == "line5" && ago < 200 && ago > 110:
					share *= 1 + (200-ago)/30
				case x.line == "line4" && reason == "date" && ago < 34 && ago > 29:
					share = 0.16
				case x.line == "line3" && reason == "brush" && ago < 154 && ago > 140:
					share = 0.07
				}
				put(recipe.Reject, reason, false, share)
			}
			if x.product == Tins || x.product == Trays {
				put(recipe.Rework, "way_up", false, 0.006)
			}
			put(recipe.Reject, "late", true, 0.0004)
			q := p
			q.Route, q.N = recipe.Pass, left
			each(q)
		}
	}
}

// poisson draws a count by its mean (D. E. Knuth, The Art of Computer Programming 2, 3.4.1).
func poisson(rng *rand.Rand, mean float64) int64 {
	limit, p, k := math.Exp(-mean), 1.0, int64(0)
	for {
		if p *= rng.Float64(); p <= limit {
			return k
		}
		k++
	}
}
