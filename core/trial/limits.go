package trial

import (
	"cmp"
	"math"
	"slices"

	"ricetta/core/check"
	"ricetta/core/inspect"
	"ricetta/core/recipe"
)

// Limit shows the readings of all samples against the limits of one reading.
type Limit struct {
	Check, Reading, Unit string
	// Setting is where the limits are written, as in limits/count or accept_score; ""
	// where the kind sets them itself.
	Setting string
	// Whole is set for counts, which have no values between.
	Whole  bool
	Band   check.Band
	Points []Point
	// Least and Most are the ends that bound, nil where one does not.
	Least, Most *End
}

// Point is the reading of one sample.
type Point struct {
	Sample int // index into the results
	Value  float64
	Group  Group
}

// Group says what a sample means for a limit.
type Group string

// The groups.
const (
	// GroupGood samples pass and should keep the limit.
	GroupGood Group = "good"
	// GroupBad samples should break it: their label names this check, or names none
	// and they break it.
	GroupBad Group = "bad"
	// GroupOther samples fail or are sorted out for something else, or have no label.
	GroupOther Group = "other"
)

// End is one end of the limits with what lies next to it.
type End struct {
	At float64
	// Good is the reading of a good sample nearest to the end, or beyond it; Bad that of a
	// bad one. nil where there is none.
	Good, Bad *Point
	// GoodRoom and BadRoom are the distances to them, negative where a sample lies on
	// the wrong side; NaN where there is none.
	GoodRoom, BadRoom float64
	// Margin is the smaller room as a share of the distance between what good samples
	// mostly read and what the bad ones do, or the end where no bad one shows it: 0 touches,
	// below 0 a sample is judged wrong. NaN without good samples.
	Margin float64
	// Proposed is where the end would lie best; NaN where the samples do not say.
	Proposed float64
	Why      string
}

// limitsOf gathers the limits of all readings that have some.
func limitsOf(plan *inspect.Plan, results []Result) []Limit {
	var out []Limit
	for k := range plan.Recipe.Checks {
		c := &plan.Recipe.Checks[k]
		kind, _ := inspect.Kinds.Find(c.Kind)
		for _, m := range kind.Measures {
			if l, ok := limitOf(c, m, k, results); ok {
				out = append(out, l)
			}
		}
	}
	slices.SortStableFunc(out, func(a, b Limit) int { return cmp.Compare(a.margin(), b.margin()) })
	return out
}

// margin is the thinner one of the two ends'; limits that nothing is known of come last.
func (l *Limit) margin() float64 {
	least := math.Inf(1)
	for _, e := range [2]*End{l.Least, l.Most} {
		if e != nil && e.Margin < least {
			least = e.Margin
		}
	}
	return least
}

// Margin is the thinner margin of the two ends; ok is false where no sample tells it.
func (l *Limit) Margin() (m float64, ok bool) {
	m = l.margin()
	return m, !math.IsInf(m, 1)
}

func limitOf(c *recipe.Check, m check.Measure, k int, results []Result) (Limit, bool) {
	reading := m.Name
	l := Limit{Check: c.ID, Reading: reading, Whole: m.Whole}
	if _, ok := c.Limits[reading]; ok {
		l.Setting = "limits/" + reading
	} else if reading == "score" {
		l.Setting = "accept_score"
	}
	bounded := false
	for i := range results {
		r := &results[i]
		if k >= len(r.Findings) {
			continue // not read
		}
		f := &r.Findings[k]
		for _, rd := range f.Readings {
			if rd.Name != reading || !rd.Limits.Bounded() || math.IsNaN(rd.Value) || math.IsInf(rd.Value, 0) {
				continue
			}
			bounded = true
			l.Band, l.Unit = rd.Limits, rd.Unit
			l.Points = append(l.Points, Point{i, rd.Value, groupOf(r, f, !rd.Within())})
		}
	}
	if !bounded {
		return l, false
	}
	if !math.IsInf(l.Band.Least, -1) {
		l.Least = l.end(l.Band.Least, 1)
	}
	if !math.IsInf(l.Band.Most, 1) {
		l.Most = l.end(l.Band.Most, -1)
	}
	return l, true
}

// groupOf says what a sample means for a limit of the check that f is of. A bad one whose
// check fails by another reading says nothing of this one.
func groupOf(r *Result, f *check.Finding, broken bool) Group {
	switch {
	case r.Label.Route == recipe.Pass:
		return GroupGood
	case r.Label.Route == "" || r.Label.Reason != "" && r.Label.Reason != f.Check:
		return GroupOther
	case broken, r.Label.Reason == f.Check && f.Outcome == check.OK:
		return GroupBad
	}
	return GroupOther
}

// end looks at one end; side is 1 where good readings lie above it, -1 below.
func (l *Limit) end(at, side float64) *End {
	e := &End{At: at, GoodRoom: math.NaN(), BadRoom: math.NaN(), Margin: math.NaN(), Proposed: math.NaN()}
	// Inside is positive: where the reading lies as seen from the end.
	inside := func(p *Point) float64 { return float64(side * (p.Value - at)) }
	var good, bad []float64
	middle := math.NaN()
	for i := range l.Points {
		if l.Points[i].Group == GroupGood {
			good = append(good, l.Points[i].Value)
		}
	}
	if len(good) > 0 {
		slices.Sort(good)
		middle = good[len(good)/2]
	}
	for i := range l.Points {
		p := &l.Points[i]
		switch p.Group {
		case GroupGood:
			if e.Good == nil || inside(p) < inside(e.Good) {
				e.Good = p
			}
		case GroupBad:
			// Between two ends a bad sample speaks of the one on its side of what is usual.
			if l.Band.Least > math.Inf(-1) && l.Band.Most < math.Inf(1) && !math.IsNaN(middle) && float64(side*(p.Value-middle)) >= 0 {
				continue
			}
			bad = append(bad, p.Value)
			if e.Bad == nil || inside(p) > inside(e.Bad) {
				e.Bad = p
			}
		}
	}
	edge := at
	if l.Whole && at == math.Trunc(at) {
		edge -= side / 2 // a count may come as near to the next as it likes
	}
	if e.Good != nil {
		e.GoodRoom = float64(side * (e.Good.Value - edge))
		e.Margin = e.GoodRoom
	}
	if e.Bad != nil {
		e.BadRoom = float64(side * (edge - e.Bad.Value))
		if e.Good != nil {
			e.Margin = min(e.Margin, e.BadRoom)
		}
	}
	if e.Good != nil {
		far := edge
		if e.Bad != nil {
			slices.Sort(bad)
			far = bad[len(bad)/2]
		}
		if d := math.Abs(middle - far); d > 0 {
			e.Margin /= d
		} else if e.Margin != 0 {
			e.Margin = math.Copysign(1, e.Margin)
		}
	}
	e.propose(good, side, l.Whole)
	return e
}

// propose says where the end would lie best: in the middle between the good and the bad
// readings next to it. Where no bad sample shows it, it stays, as long as it leaves the
// good ones three of their deviations; else it goes so far away. Counts end with the last
// one that is good.
func (e *End) propose(good []float64, side float64, whole bool) {
	switch {
	case e.Good == nil:
		e.Why = "no good sample reads it; add some"
	case e.Bad != nil && float64(side*(e.Good.Value-e.Bad.Value)) <= 0:
		e.Why = "good and bad samples overlap; no limit parts them"
	case whole:
		e.Proposed, e.Why = e.Good.Value, "the last count of a good sample"
	case e.Bad != nil:
		e.Proposed = roundWithin((e.Good.Value+e.Bad.Value)/2, e.Good.Value, e.Bad)
		e.Why = "in the middle between the nearest good and bad sample"
	case len(good) < 3:
		e.Why = "no bad sample shows this end, and there are fewer than three good ones"
	default:
		mean, dev := spread(good)
		beyond := float64(side * min(float64(side*mean)-float64(3*dev), float64(side*e.Good.Value)))
		if float64(side*(beyond-e.At)) >= 0 {
			e.Proposed, e.Why = e.At, "it leaves the good samples room; no bad one shows this end"
			return
		}
		e.Proposed, e.Why = roundWithin(beyond, e.Good.Value, nil), "three deviations of the good samples; no bad one shows this end"
	}
}

func spread(v []float64) (mean, dev float64) {
	for _, x := range v {
		mean += x / float64(len(v))
	}
	sum := 0.0
	for _, x := range v {
		sum += float64((x - mean) * (x - mean))
	}
	return mean, math.Sqrt(sum / float64(len(v)-1))
}

// roundWithin rounds to as few decimals as keep the value well between its neighbors.
func roundWithin(v, good float64, bad *Point) float64 {
	room := math.Abs(v - good)
	if bad != nil {
		room = min(room, math.Abs(v-bad.Value))
	}
	for _, parts := range [...]float64{1, 10, 100, 1e3, 1e4, 1e5, 1e6} {
		if r := check.Rounded(v, parts); math.Abs(r-v) <= float64(0.1*room) {
			return r
		}
	}
	return v
}
