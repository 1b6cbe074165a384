package app

import (
	"slices"
	"time"

	"ricetta/internal/plant"
	"ricetta/internal/shift"
	"ricetta/internal/store"
	"ricetta/internal/workbench"
)

// historyDays is how long the demo plant is said to have run.
const historyDays = 365

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
// counts, as they stay when the items are no longer kept. It returns how many items that are.
func InstallHistory(dataDir string, until time.Time) (items int64, err error) {
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
	book, _, err := workbench.Open(dataDir, s, time.Now)
	if err != nil {
		return 0, err
	}
	revisions := map[string]string{}
	var all []store.Counted
	works := func(t time.Time) (string, bool) {
		x := calendar.At(t)
		return x.Name, x.Name != shift.None
	}
	plant.History(until, historyDays, works, func(p plant.Past) {
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
		items += p.N
	})
	return items, s.AddCounts(all)
}
