// Package statistics answers what was rejected, why, where, and whether it is getting worse, from
// the tallies; what is more than chance is said by core/spc.
package statistics

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strings"

	"ricetta/core/recipe"
	"ricetta/core/spc"
	"ricetta/internal/store"
)

// Tallies are what is asked.
type Tallies interface {
	Grouped(f store.Filter, by []string) ([]store.Sum, error)
}

// Counts are what became of items.
type Counts struct {
	Inspected int64 `json:"inspected" required:"true"`
	Passed    int64 `json:"passed" required:"true"`
	Reworked  int64 `json:"reworked" required:"true"`
	// Rejected are those by any other route.
	Rejected int64 `json:"rejected" required:"true"`
	Faults   int64 `json:"faults" required:"true" description:"Among the rejected"`
}

func (c *Counts) add(route string, fault bool, n int64) {
	c.Inspected += n
	switch route {
	case recipe.Pass:
		c.Passed += n
	case recipe.Rework:
		c.Reworked += n
	default:
		c.Rejected += n
	}
	if fault {
		c.Faults += n
	}
}

func (c Counts) plus(o Counts) Counts {
	return Counts{c.Inspected + o.Inspected, c.Passed + o.Passed, c.Reworked + o.Reworked, c.Rejected + o.Rejected, c.Faults + o.Faults}
}

func (c Counts) minus(o Counts) Counts {
	return Counts{c.Inspected - o.Inspected, c.Passed - o.Passed, c.Reworked - o.Reworked, c.Rejected - o.Rejected, c.Faults - o.Faults}
}

// missed are those that did not pass.
func (c Counts) missed() int64 { return c.Inspected - c.Passed }

// Group is what some items have in common, with their counts.
type Group struct {
	Name   string       `json:"name" required:"true"`
	Counts Counts       `json:"counts" required:"true"`
	Yield  float64      `json:"yield" required:"true" description:"Share that passed, 0 to 1"`
	Range  spc.Interval `json:"range" required:"true" description:"The yield lies in it in 95 of 100 cases (Wilson)"`
	// Verdict compares the share that did not pass with that of all others.
	Verdict string `json:"verdict" required:"true" enum:"higher,lower,chance,too_few" description:"More rejects than all others together, fewer, may be chance, too few to say"`
	Top     string `json:"top" required:"true" description:"The most frequent reason; empty where all passed"`
}

func group(name string, c Counts, rest Counts) Group {
	g := Group{Name: name, Counts: c, Range: spc.Wilson(c.Passed, c.Inspected)}
	if c.Inspected > 0 {
		g.Yield = float64(c.Passed) / float64(c.Inspected)
	}
	g.Verdict = string(spc.Compare(c.missed(), c.Inspected, rest.missed(), rest.Inspected))
	return g
}

// gather sums tallies up by some of their fields.
type gathered struct {
	names   []string // in the order of first seen
	counts  map[string]Counts
	reasons map[string]map[string]int64
	total   Counts
}

func gather(t Tallies, f store.Filter, by ...string) (gathered, error) {
	list, err := t.Grouped(f, append(slices.Clone(by), "route", "fault", "reason"))
	g := gathered{counts: map[string]Counts{}, reasons: map[string]map[string]int64{}}
	for _, x := range list {
		name := strings.Join(x.Values[:len(by)], "\x00")
		route, fault, reason := x.Values[len(by)], x.Values[len(by)+1] == "true", x.Values[len(by)+2]
		c, seen := g.counts[name]
		if !seen {
			g.names = append(g.names, name)
			g.reasons[name] = map[string]int64{}
		}
		c.add(route, fault, x.N)
		g.total.add(route, fault, x.N)
		g.counts[name] = c
		if route != recipe.Pass && reason != "" {
			g.reasons[name][reason] += x.N
		}
	}
	slices.Sort(g.names)
	return g, err
}

func top(reasons map[string]int64) (name string) {
	most := int64(0)
	for r, n := range reasons {
		if n > most || n == most && r < name {
			name, most = r, n
		}
	}
	return name
}

// Groups are the fields by which items can be compared.
var Groups = []string{"line", "station", "product", "revision", "run", "lot", "team", "shift_name", "shift", "day", "week"}

// Compare compares what items have in common: each with all others together. Groups are in the
// order of their names.
func Compare(t Tallies, f store.Filter, by string) ([]Group, error) {
	if !slices.Contains(Groups, by) {
		return nil, fmt.Errorf("items are not compared by %q; choose from %s", by, strings.Join(Groups, ", "))
	}
	g, err := gather(t, f, by)
	if err != nil {
		return nil, err
	}
	out := make([]Group, 0, len(g.names))
	for _, n := range g.names {
		x := group(n, g.counts[n], g.total.minus(g.counts[n]))
		x.Top = top(g.reasons[n])
		out = append(out, x)
	}
	return out, nil
}

// Cell is a station in a shift, beside the same station in all other shifts of the span.
type Cell struct {
	Shift   string `json:"shift" required:"true"`
	Station string `json:"station" required:"true"`
	Group
}

// Overview is the table of shifts and stations.
type Overview struct {
	Shifts   []string `json:"shifts" required:"true" nullable:"false" description:"Newest first"`
	Stations []string `json:"stations" required:"true" nullable:"false"`
	Cells    []Cell   `json:"cells" required:"true" nullable:"false"`
	Total    Counts   `json:"total" required:"true"`
}

// Look returns the overview of a span.
func Look(t Tallies, f store.Filter) (Overview, error) {
	out := Overview{Shifts: []string{}, Stations: []string{}, Cells: []Cell{}}
	g, err := gather(t, f, "shift", "station")
	if err != nil {
		return out, err
	}
	of, seen := map[string]Counts{}, map[string]bool{} // of stations; shifts
	for _, n := range g.names {
		s, st, _ := strings.Cut(n, "\x00")
		of[st] = of[st].plus(g.counts[n])
		if !seen[s] {
			seen[s] = true
			out.Shifts = append(out.Shifts, s)
		}
		if !slices.Contains(out.Stations, st) {
			out.Stations = append(out.Stations, st)
		}
	}
	slices.SortFunc(out.Shifts, laterFirst)
	slices.Sort(out.Stations)
	for _, n := range g.names {
		s, st, _ := strings.Cut(n, "\x00")
		x := group(n, g.counts[n], of[st].minus(g.counts[n]))
		x.Name, x.Top = "", top(g.reasons[n])
		out.Cells = append(out.Cells, Cell{s, st, x})
	}
	out.Total = g.total
	return out, nil
}

// laterFirst orders keys of shifts: by day, and within one by the usual order of names.
func laterFirst(a, b string) int {
	da, na, _ := strings.Cut(a, "/")
	db, nb, _ := strings.Cut(b, "/")
	if c := strings.Compare(db, da); c != 0 {
		return c
	}
	rank := map[string]int{"early": 1, "day": 1, "late": 2, "night": 3, "none": 0}
	if c := rank[nb] - rank[na]; c != 0 {
		return c
	}
	return strings.Compare(na, nb)
}

// Bar is one reason.
type Bar struct {
	Reason string  `json:"reason" required:"true"`
	Fault  bool    `json:"fault" required:"true"`
	Count  int64   `json:"count" required:"true"`
	Share  float64 `json:"share" required:"true" description:"Of all that did not pass"`
	Sum    float64 `json:"sum" required:"true" description:"Of this and those before it"`
}

// Pareto lists the reasons of what did not pass, the most frequent first.
func Pareto(t Tallies, f store.Filter) ([]Bar, error) {
	f.NotPassed = true
	list, err := t.Grouped(f, []string{"reason", "fault"})
	if err != nil {
		return nil, err
	}
	all := int64(0)
	for _, x := range list {
		all += x.N
	}
	slices.SortFunc(list, func(a, b store.Sum) int {
		return cmp.Or(cmp.Compare(b.N, a.N), strings.Compare(a.Values[0], b.Values[0]), strings.Compare(a.Values[1], b.Values[1]))
	})
	out := make([]Bar, 0, len(list))
	sum := int64(0)
	for _, x := range list {
		sum += x.N
		out = append(out, Bar{x.Values[0], x.Values[1] == "true", x.N, float64(x.N) / float64(all), float64(sum) / float64(all)})
	}
	return out, nil
}

// Step is one point of the trend.
type Step struct {
	Name   string    `json:"name" required:"true"`
	Counts Counts    `json:"counts" required:"true"`
	Point  spc.Point `json:"point" required:"true" description:"Share that did not pass, with the limits of its count, wider where it moves more than that (p′ chart)"`
}

// Steps are what a trend can go by.
var Steps = []string{"hour", "shift", "day", "week"}

// How says how a trend is drawn.
type How struct {
	// Base is how many of the first steps set center and limits; 0: all.
	Base int
	// Rate draws it as a u chart, what did not pass for each item as events of which an item may have
	// several, and not as a p′ chart.
	Rate bool
}

// Trend is the share of what did not pass over time.
func Trend(t Tallies, f store.Filter, by string, how How) ([]Step, error) {
	if !slices.Contains(Steps, by) {
		return nil, fmt.Errorf("a trend does not go by %q; choose from %s", by, strings.Join(Steps, ", "))
	}
	g, err := gather(t, f, by)
	if err != nil {
		return nil, err
	}
	if by == "shift" {
		slices.SortFunc(g.names, func(a, b string) int { return laterFirst(b, a) })
	}
	counts := make([]spc.Count, len(g.names))
	for i, n := range g.names {
		c := g.counts[n]
		counts[i] = spc.Count{K: c.missed(), N: c.Inspected}
	}
	var points []spc.Point
	if how.Rate {
		points = spc.Rates(counts, how.Base)
		spc.Laney(points, how.Base, math.Inf(1))
	} else {
		points = spc.Shares(counts, how.Base)
		spc.Laney(points, how.Base, 1)
	}
	if points == nil {
		points = make([]spc.Point, len(counts)) // nothing was inspected in the base
	}
	spc.Nelson(points)
	out := make([]Step, len(g.names))
	for i, n := range g.names {
		out[i] = Step{n, g.counts[n], points[i]}
	}
	return out, nil
}
