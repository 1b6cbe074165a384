package app

import (
	"cmp"
	"encoding/json"
	"fmt"
	"iter"
	"math/rand/v2"
	"slices"
	"sync"
	"time"

	"ricetta/core/check"
	"ricetta/core/inspect"
	"ricetta/core/recipe"
	"ricetta/internal/plant"
	"ricetta/internal/shift"
	"ricetta/internal/station"
	"ricetta/internal/store"
	"ricetta/internal/workbench"
)

// The demo plant is said to have run for a year; of the last day the items are there as well.
const (
	historyDays  = 365
	historyItems = 24 * time.Hour
)

// isDemo reports whether the site has the lines of the demo plant.
func (s *Site) isDemo() bool {
	for _, l := range plant.Lines() {
		if !slices.ContainsFunc(s.Lines, func(c LineConfig) bool { return c.ID == l.ID && c.Belt.Plant != nil && c.Belt.Plant.Seed == l.Seed }) {
			return false
		}
	}
	return true
}

// InstallHistory gives the records of the demo plant a year that went before, if they are empty:
// counts, as they stay when the items are no longer kept, and the items of the last day. It returns
// how many items that are. It takes some time; begun is told when it begins.
func InstallHistory(dataDir string, until time.Time, begun func()) (items int64, err error) {
	site, err := LoadSite(dataDir)
	if err != nil || !site.isDemo() {
		return 0, err
	}
	calendar, err := shift.New(site.Shifts)
	if err != nil {
		return 0, err
	}
	s, err := store.Open(store.Options{Dir: dataDir, Calendar: calendar})
	if err != nil {
		return 0, err
	}
	defer s.Close()
	if empty, err := s.Empty(); err != nil || !empty {
		return 0, err
	}
	begun()
	book, _, err := workbench.Open(dataDir, s, time.Now)
	if err != nil {
		return 0, err
	}
	revisions := map[string]string{}
	var all []store.Counted
	var recent []plant.Past
	from := until.Add(-historyItems).Truncate(time.Hour)
	works := func(t time.Time) (string, bool) {
		x := calendar.At(t)
		return x.Name, x.Name != shift.None
	}
	plant.History(until, historyDays, works, func(p plant.Past) {
		items += p.N
		if !p.Hour.Before(from) {
			recent = append(recent, p)
			return
		}
		revision, ok := revisions[p.Product]
		if !ok {
			if r, found, err := book.Current(workbench.Key{Product: p.Product, Role: plant.Role}); err == nil && found {
				revision = r.Revision
			}
			revisions[p.Product] = revision
		}
		if p.Old {
			revision = "sha256:3f1c0b6d5a7e48926d0c1b7a9e5f4d3c2b1a09f8e7d6c5b4a392817065f4e3d2"
		}
		all = append(all, store.Counted{
			Hour: p.Hour, Station: p.Station, Line: p.Line, Product: p.Product, Revision: revision, Route: p.Route, Reason: p.Reason, Lot: p.Lot, Fault: p.Fault, N: p.N,
		})
	})
	if err := s.AddCounts(all, until); err != nil {
		return items, err
	}
	h := dayBefore{store: s, book: book, pools: map[string]*pool{}, rng: rand.New(rand.NewPCG(2026, 27))}
	if err := h.prepare(from); err != nil {
		return items, err
	}
	return items, s.AddPast(h.items(recent))
}

// dayBefore makes the items of a day out of a few that were really judged.
type dayBefore struct {
	store *store.Store
	book  *workbench.Book
	pools map[string]*pool // by line
	rng   *rand.Rand
}

// pool is what pieces of a line were judged as.
type pool struct {
	run, seq int64
	judged   map[string][]judged // by route and reason
}

// judged is one verdict with its findings, with and without what is drawn on the picture.
type judged struct {
	result         inspect.ResultJSON
	marked, simple []byte
	hash           string
}

// piecesOfPool is how many pieces of a line are drawn and judged, half of them with a defect.
const piecesOfPool = 32

// prepare judges the pieces of all lines, which takes some seconds.
func (h *dayBefore) prepare(at time.Time) error {
	var mu sync.Mutex
	var all sync.WaitGroup
	var failed error
	for _, l := range plant.Lines() {
		runs, err := h.store.Runs(l.ID, 0, 1)
		if err != nil {
			return err
		}
		p := &pool{judged: map[string][]judged{}}
		if len(runs) > 0 {
			p.run = runs[0].ID
		}
		h.pools[l.ID] = p
		all.Go(func() {
			if err := h.judge(l, p, at); err != nil {
				mu.Lock()
				failed = fmt.Errorf("%s: %w", l.ID, err)
				mu.Unlock()
			}
		})
	}
	all.Wait()
	return failed
}

func (h *dayBefore) judge(l plant.DemoLine, p *pool, at time.Time) error {
	r, found, err := h.book.Current(workbench.Key{Product: l.Product, Role: plant.Role})
	if err != nil || !found {
		return err
	}
	plan, err := h.book.Plan(r.Revision)
	if err != nil {
		return err
	}
	rates := plant.Rates{}
	for d := range l.Rates {
		rates[d] = 0.5 / float64(len(l.Rates))
	}
	runner := plan.NewRunner()
	for i := range int64(piecesOfPool) {
		pic := plant.DrawOf(l.Product, l.Seed, -i-1, rates).Picture()
		j := judged{result: runner.Inspect(pic).JSON()}
		if j.result.Fault {
			continue
		}
		if j.result.Route != recipe.Pass || i%8 == 0 {
			if j.hash, err = h.store.KeepPicture(&station.Item{Time: at}, pic); err != nil {
				return err
			}
		}
		if j.marked, err = json.Marshal(j.result.Findings); err != nil {
			return err
		}
		plain := slices.Clone(j.result.Findings)
		for k := range plain {
			plain[k].Marks = []check.MarkJSON{}
		}
		if j.simple, err = json.Marshal(plain); err != nil {
			return err
		}
		key := j.result.Route + j.result.Reason
		p.judged[key] = append(p.judged[key], j)
	}
	return nil
}

// items are those of the counts, spread over their hours. A pass keeps its picture now and then, as
// on the line.
func (h *dayBefore) items(counts []plant.Past) iter.Seq[store.Past] {
	return func(yield func(store.Past) bool) {
		for begin := 0; begin < len(counts); {
			end := begin
			for end < len(counts) && counts[end].Hour.Equal(counts[begin].Hour) {
				end++
			}
			for _, p := range h.hour(counts[begin:end]) {
				if !yield(p) {
					return
				}
			}
			begin = end
		}
	}
}

// hour makes the items of one hour, in the order of time.
func (h *dayBefore) hour(counts []plant.Past) []store.Past {
	lines := map[string][]store.Past{}
	for _, c := range counts {
		of := h.pools[c.Line]
		key := c.Route + c.Reason
		if c.Route == recipe.Rework {
			key = c.Route // whatever it is for
		}
		var from []judged
		for k, list := range of.judged {
			if k == key || c.Route == recipe.Rework && len(k) > len(key) && k[:len(key)] == key {
				from = append(from, list...)
			}
		}
		slices.SortFunc(from, func(a, b judged) int { return cmp.Compare(a.hash, b.hash) })
		for range c.N {
			it := &station.Item{Station: c.Station, Line: c.Line, Role: plant.Role, Product: c.Product, Run: of.run, Took: 8 * time.Millisecond, Delay: 20 * time.Millisecond}
			p := store.Past{Item: it, Package: true}
			switch {
			case c.Fault:
				it.Route, it.Fault, it.Reason, it.Sentence = recipe.Reject, station.Fault(c.Reason), c.Reason, "the verdict came too late"
			case len(from) == 0:
				continue // no piece that was judged shows it
			default:
				j := from[h.rng.IntN(len(from))]
				it.Route, it.Reason, it.Sentence, it.Findings, it.Revision = j.result.Route, j.result.Reason, j.result.Sentence, j.result.Findings, j.result.Revision
				p.Findings = j.simple
				if j.hash != "" && (it.Route != recipe.Pass || h.rng.IntN(10) == 0) {
					p.Findings, p.Picture = j.marked, j.hash
				}
			}
			lines[c.Line] = append(lines[c.Line], p)
		}
	}
	var out []store.Past
	for _, l := range plant.Lines() {
		list := lines[l.ID]
		h.rng.Shuffle(len(list), func(a, b int) { list[a], list[b] = list[b], list[a] })
		for i, p := range list {
			h.pools[l.ID].seq++
			p.Item.Seq = h.pools[l.ID].seq
			p.Item.Time = counts[0].Hour.Add(time.Duration(i) * time.Hour / time.Duration(len(list)))
			out = append(out, p)
		}
	}
	slices.SortStableFunc(out, func(a, b store.Past) int { return a.Item.Time.Compare(b.Item.Time) })
	return out
}
