package main

import (
	"context"
	"encoding/json"
	"fmt"
	"iter"
	"math"
	"math/rand/v2"
	"os"
	"testing"
	"time"

	"ricetta/core/check"
	"ricetta/core/inspect"
	"ricetta/core/recipe"
	"ricetta/demo"
	"ricetta/internal/folder"
	"ricetta/internal/station"
	"ricetta/internal/statistics"
	"ricetta/internal/store"
	"ricetta/internal/whatif"
)

// pastItems is how many items the questions are asked over; a year of them.
var pastItems = 10_000_000

const pastStations = 8

// benchStatistics builds a year of records on disk and asks what the statistics page asks.
func benchStatistics(t table) error {
	dir, err := os.MkdirTemp("", "ricetta-bench-*")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir) //nolint:errcheck // a folder of the bench's own
	s, err := store.Open(store.Options{Dir: dir})
	if err != nil {
		return err
	}
	defer s.Close()
	r, _, err := folder.Recipe(demo.Recipes, "recipes/pencil-tin-12")
	if err != nil {
		return err
	}
	plan, err := inspect.Prepare(r)
	if err != nil {
		return err
	}
	begin, until := time.Now(), time.Date(2026, 11, 27, 6, 0, 0, 0, time.UTC)
	if err := s.AddPast(past(plan, until)); err != nil {
		return err
	}
	took := time.Since(begin)
	fmt.Fprintf(t.w, "%d items written in %.0f s, %.1f GB on disk\t\t\t\t\n", pastItems, took.Seconds(), float64(bytesIn(dir))/1e9)

	shiftFilter := store.Filter{Shift: "2026-11-26/night"}
	year := store.Filter{From: until.AddDate(-1, 0, 0), Until: until}
	for _, span := range []struct {
		name   string
		f      store.Filter
		by     string
		target float64
	}{{"one shift", shiftFilter, "hour", 50}, {"a year by week", year, "week", 300}} {
		for _, q := range []struct {
			name string
			ask  func() error
		}{
			{"shifts and stations", func() error { _, err := statistics.Look(s, span.f); return err }},
			{"reasons", func() error { _, err := statistics.Pareto(s, span.f); return err }},
			{"trend", func() error { _, err := statistics.Trend(s, span.f, span.by, statistics.How{}); return err }},
			{"stations compared", func() error { _, err := statistics.Compare(s, span.f, "station"); return err }},
			{"lots compared", func() error { _, err := statistics.Compare(s, span.f, "lot"); return err }},
			{"5000 values of a reading", func() error {
				_, err := s.Readings(store.Filter{Shift: span.f.Shift, Station: "line1-0"}, "tips.count", 5000)
				return err
			}},
			{"teams compared", func() error { _, err := statistics.Compare(s, span.f, "team"); return err }},
		} {
			var failed error
			r := best(func(b *testing.B) {
				for b.Loop() {
					if err := q.ask(); err != nil {
						failed = err
					}
				}
			})
			if failed != nil {
				return failed
			}
			t.time(span.name+": "+q.name, span.target, r)
		}
	}
	if err := benchLists(t, s, until); err != nil {
		return err
	}
	if err := benchWhatIf(t, s, plan, until); err != nil {
		return err
	}
	begin = time.Now()
	out, err := s.Sweep(context.Background(), store.Retention{Items: 365*24*time.Hour - time.Duration(50_000/float64(pastItems)*365*24)*time.Hour}, until)
	if err != nil {
		return err
	}
	longest := float64(out.Longest.Microseconds()) / 1000
	t.row(fmt.Sprintf("%d items deleted in %.0f s: the writer held up, longest", out.Items, time.Since(begin).Seconds()), fmt.Sprintf("%.1f ms", longest), "≤ 50 ms", longest/50, longest <= 50)
	return nil
}

// benchLists asks for items as the lists of the console do.
func benchLists(t table, s *store.Store, until time.Time) error {
	page, err := s.Items(store.Filter{Station: "line1-0"}, 50)
	if err != nil {
		return err
	}
	for _, q := range []struct {
		name string
		f    store.Filter
	}{
		{"all", store.Filter{}},
		{"of a station", store.Filter{Station: "line1-0"}},
		{"of a station, the next", store.Filter{Station: "line1-0", Before: page[49].ID}},
		{"of a station, not passed", store.Filter{Station: "line1-0", NotPassed: true}},
		{"of a station, by reason", store.Filter{Station: "line1-0", Route: "reject", Reason: "tips"}},
		{"not passed in a year", store.Filter{NotPassed: true, From: until.AddDate(-1, 0, 0)}},
		{"of a station, an hour half a year ago", store.Filter{Station: "line1-0", From: until.AddDate(0, -6, 0), Until: until.AddDate(0, -6, 0).Add(time.Hour)}},
		{"of a shift, by reason", store.Filter{Shift: "2026-11-26/night", Reason: "tips"}},
	} {
		var failed error
		r := best(func(b *testing.B) {
			for b.Loop() {
				if _, err := s.Items(q.f, 50); err != nil {
					failed = err
				}
			}
		})
		if failed != nil {
			return failed
		}
		t.time("50 items, "+q.name, 50, r)
	}
	return nil
}

// benchWhatIf moves a limit over a hundred thousand of the newest items.
func benchWhatIf(t table, s *store.Store, plan *inspect.Plan, until time.Time) error {
	moved := *plan.Recipe
	doc := moved.Document
	doc.Checks = append([]recipe.Check(nil), doc.Checks...)
	for i := range doc.Checks {
		if c := &doc.Checks[i]; c.ID == "tips" {
			least := 11.0
			c.Limits = map[string]check.Limits{"count": {Least: &least}}
		}
	}
	r, err := recipe.New(&doc, moved.Files)
	if err != nil {
		return err
	}
	now, err := inspect.Prepare(r)
	if err != nil {
		return err
	}
	recipeOf := func(revision string) (*inspect.Plan, error) { return plan, nil }
	span := time.Duration(100_000/float64(pastItems)*365*24) * time.Hour
	var a *whatif.Answer
	var failed error
	b := best(func(b *testing.B) {
		for b.Loop() {
			a, failed = whatif.Ask(context.Background(), s, recipeOf, whatif.Question{Plan: now, From: until.Add(-span), Until: until, List: 60, Check: "tips", Reading: "count"})
		}
	})
	if failed != nil {
		return failed
	}
	changed := 0
	for _, c := range a.Changes {
		changed += c.N
	}
	t.time(fmt.Sprintf("what if, over %d items, %d of them changed, for each 100000", a.Items, changed), 300*float64(a.Items)/100_000, b)
	return nil
}

// past makes up items of a year, with what the recipe reads of one.
func past(plan *inspect.Plan, until time.Time) iter.Seq[store.Past] {
	var good []check.FindingJSON
	for _, c := range plan.Recipe.Checks {
		kind, _ := inspect.Kinds.Find(c.Kind)
		f := check.FindingJSON{Check: c.ID, Kind: c.Kind, Outcome: check.OK, Readings: map[string]check.ReadingJSON{}, Texts: map[string]string{}, Marks: []check.MarkJSON{}}
		for _, m := range kind.Measures {
			v := 12.0
			if b := c.Limits[m.Name].Bounds(); !math.IsInf(b.Least, -1) {
				v = b.Least
			}
			f.Readings[m.Name] = check.ReadingJSON{Value: v, Unit: m.Unit}
		}
		good = append(good, f)
	}
	type kind struct {
		route, reason string
		findings      []check.FindingJSON
		json          []byte
	}
	var kinds []kind
	for _, reason := range append([]string{""}, plan.Recipe.IDs()...) {
		k := kind{route: recipe.Pass, reason: reason}
		for _, f := range good {
			if f.Check == reason {
				k.route, f.Outcome = recipe.Reject, check.Failed
				f.Readings = map[string]check.ReadingJSON{}
				for name, v := range good[len(k.findings)].Readings {
					v.Value--
					f.Readings[name] = v
				}
			}
			k.findings = append(k.findings, f)
		}
		// The bytes of what is kept beside the numbers do not matter here, and room does.
		k.json, _ = json.Marshal(k.findings[:1])
		kinds = append(kinds, k)
	}
	return func(yield func(store.Past) bool) {
		rng := rand.New(rand.NewPCG(1, 2))
		step := 365 * 24 * time.Hour / time.Duration(pastItems)
		begin := until.AddDate(-1, 0, 0)
		for i := range pastItems {
			st := i % pastStations
			k := &kinds[0]
			if v := rng.IntN(1000); v < 30 {
				k = &kinds[1+v%(len(kinds)-1)]
			}
			at := begin.Add(time.Duration(i) * step)
			_, week := at.ISOWeek()
			it := &station.Item{
				Station: fmt.Sprintf("line%d-%d", 1+st/2, st%2), Line: fmt.Sprintf("line%d", 1+st/2), Role: plan.Recipe.Role, Seq: int64(i/pastStations + 1), Time: at,
				Product: plan.Recipe.Product, Revision: plan.Recipe.Revision, Route: k.route, Reason: k.reason, Findings: k.findings, Run: int64(week*4 + st/2),
			}
			if !yield(store.Past{Item: it, Findings: k.json}) {
				return
			}
		}
	}
}

// bytesIn is how much a folder's files take.
func bytesIn(dir string) (n int64) {
	entries, _ := os.ReadDir(dir)
	for _, e := range entries {
		if info, err := e.Info(); err == nil && !e.IsDir() {
			n += info.Size()
		}
	}
	return n
}
