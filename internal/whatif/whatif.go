// Package whatif tells what other limits would have done to items of the past: it judges them anew
// from their readings, and from pictures where only those can tell.
package whatif

import (
	"cmp"
	"context"
	"fmt"
	"math"
	"slices"
	"time"

	"ricetta/core/check"
	"ricetta/core/inspect"
	"ricetta/core/raster"
	"ricetta/internal/store"
)

// Records are those of the past.
type Records interface {
	Figures(f store.FigureFilter, each func(l *store.Layout, x store.Figures) bool) error
	Found(ids []store.ID) ([]store.Found, error)
	ItemsByID(ids []store.ID) ([]store.Kept, error)
	Reviews(ids []store.ID) (map[store.ID]store.Review, error)
}

// Question is what to judge anew, and how.
type Question struct {
	// Plan is the recipe with the limits that are to be tried.
	Plan *inspect.Plan
	// Station is empty for all that use the recipe; shifts that overlap the span are taken whole.
	Station     string
	From, Until time.Time
	// List is how many of the changed items are told, the newest ones.
	List int
	// Check and Reading choose the reading whose spread is told; none where they are empty.
	Check, Reading string
}

// Change counts items that would have gone elsewhere.
type Change struct {
	From string `json:"from" required:"true" description:"Route that they took"`
	To   string `json:"to" required:"true"`
	N    int    `json:"n" required:"true"`
	// Good and Bad are those that people have said it of.
	Good int `json:"good" required:"true" description:"Of them, items that somebody marked as good"`
	Bad  int `json:"bad" required:"true" description:"Of them, items that somebody marked as bad"`
}

// Changed is one item that would have gone elsewhere.
type Changed struct {
	Item     store.Kept
	To       string
	Reason   string
	Sentence string
	Review   *store.Review
}

// Bin is one bar of the spread of a reading.
type Bin struct {
	From     float64 `json:"from" required:"true"`
	To       float64 `json:"to" required:"true"`
	Passed   int     `json:"passed" required:"true"`
	Rejected int     `json:"rejected" required:"true" description:"Items that did not pass"`
}

// Answer is what would have become of the items.
type Answer struct {
	// Items could be judged anew.
	Items int
	// Unclear are those that were judged by a recipe which looks at pictures otherwise: only
	// their pictures can tell.
	Unclear int
	// Faults stay what they are: no limit decided on them.
	Faults        int
	Before, After map[string]int // by route
	Changes       []Change       // the most frequent first
	List          []Changed
	Spread        []Bin
}

// to is where an item would have gone.
type to struct {
	id              store.ID
	from, to        string
	reason, because string
}

// Ask judges the items of a span anew. It needs no pictures.
func Ask(ctx context.Context, records Records, recipeOf func(revision string) (*inspect.Plan, error), q Question) (*Answer, error) {
	a := &asking{Question: q, records: records, again: q.Plan.Again(), words: q.Plan.AsksWords(), plans: recipeOf, answer: &Answer{Before: map[string]int{}, After: map[string]int{}}, lenses: map[*store.Layout]*lens{}}
	doc := &q.Plan.Recipe.Document
	n := 0
	err := records.Figures(store.FigureFilter{Product: doc.Product, Role: doc.Role, Station: q.Station, From: q.From, Until: q.Until}, func(l *store.Layout, x store.Figures) bool {
		a.one(l, x)
		n++
		return n%4096 != 0 || ctx.Err() == nil
	})
	if err == nil {
		err = ctx.Err()
	}
	if err == nil {
		err = a.read()
	}
	if err != nil {
		return nil, err
	}
	a.answer.Spread = spread(a.values, a.passed)
	return a.answer, a.answer.conclude(records, a.changed, q.List)
}

type asking struct {
	Question
	records Records
	again   *inspect.Again
	words   bool
	plans   func(revision string) (*inspect.Plan, error)
	answer  *Answer
	lenses  map[*store.Layout]*lens
	last    *lens
	lastOf  *store.Layout

	changed []to
	// asked are those whose texts must be read to tell, with their routes.
	asked  []store.ID
	routes map[store.ID]string
	values []float64 // of the reading whose spread is told
	passed []bool
}

// lens is how a layout is looked at.
type lens struct {
	clear bool // the recipe looked at pictures as the plan does
	// always: rules or what takes part differ, so that all must be decided anew.
	always   bool
	moved    []moved
	findings []*check.Finding
	places   []int // of the findings, in the layout; -1 for none
	columns  [][]int
	spread   int // column, -1 for none
}

// moved is a check whose limits are not those that it was judged by.
type moved struct {
	place  int
	limits []limit
}

type limit struct {
	column int
	band   check.Band
}

// look prepares a layout.
func (a *asking) look(l *store.Layout) *lens {
	if l == a.lastOf {
		return a.last
	}
	x := a.lenses[l]
	if x == nil {
		x = a.prepare(l)
		a.lenses[l] = x
	}
	a.lastOf, a.last = l, x
	return x
}

func (a *asking) prepare(l *store.Layout) *lens {
	x := &lens{spread: -1}
	column := func(place int, name string) int {
		return slices.IndexFunc(l.Columns, func(c store.FigureOf) bool { return c.Check == place && c.Name == name })
	}
	if place := slices.Index(l.Checks, a.Check); place >= 0 {
		x.spread = column(place, a.Reading)
	}
	was, err := a.plans(l.Revision)
	if err != nil || !was.SameLook(a.Plan) {
		return x
	}
	x.clear = true
	x.always = !was.SameRules(a.Plan)
	for i := range a.Plan.Recipe.Checks {
		c := &a.Plan.Recipe.Checks[i]
		place := slices.Index(l.Checks, c.ID)
		f := &check.Finding{Check: c.ID, Kind: c.Kind}
		var columns []int
		for k, col := range l.Columns {
			if col.Check == place {
				columns = append(columns, k)
			}
		}
		x.findings, x.places, x.columns = append(x.findings, f), append(x.places, place), append(x.columns, columns)
		now, before := a.Plan.Limits(c.ID), was.Limits(c.ID)
		if place < 0 || same(now, before) {
			continue
		}
		m := moved{place: place}
		for name, band := range now {
			m.limits = append(m.limits, limit{column(place, name), band})
		}
		x.moved = append(x.moved, m)
	}
	return x
}

func same(a, b map[string]check.Band) bool {
	if len(a) != len(b) {
		return false
	}
	for name, band := range a {
		if other, ok := b[name]; !ok || band != other {
			return false
		}
	}
	return true
}

// one judges one item.
func (a *asking) one(l *store.Layout, x store.Figures) {
	s := a.look(l)
	before := l.Routes[x.Route()]
	if s.spread >= 0 {
		if v := x.Value(s.spread); !math.IsNaN(v) {
			a.values, a.passed = append(a.values, v), append(a.passed, before == "pass")
		}
	}
	switch {
	case x.Fault():
		a.answer.Faults++
	case !s.clear:
		a.answer.Unclear++
		return
	}
	a.answer.Items++
	a.answer.Before[before]++
	if x.Fault() || !s.always && !s.flips(x) {
		a.answer.After[before]++
		return
	}
	if a.words {
		if a.routes == nil {
			a.routes = map[store.ID]string{}
		}
		a.asked = append(a.asked, x.Item)
		a.routes[x.Item] = before
		return
	}
	s.fill(l, x)
	a.decide(x.Item, before, s.findings, nil)
}

// flips reports whether a check would have another outcome.
func (s *lens) flips(x store.Figures) bool {
	for _, m := range s.moved {
		was, itself := x.Outcome(m.place)
		if itself || was != check.OK && was != check.Failed {
			continue
		}
		now := check.OK
		for _, l := range m.limits {
			if l.column < 0 || !l.band.Contains(x.Value(l.column)) {
				now = check.Failed
				break
			}
		}
		if now != was {
			return true
		}
	}
	return false
}

// fill writes an item's figures into the findings.
func (s *lens) fill(l *store.Layout, x store.Figures) {
	for i, f := range s.findings {
		f.Reset()
		f.Outcome = check.NotJudged
		if s.places[i] < 0 {
			continue
		}
		f.Outcome, f.Itself = x.Outcome(s.places[i])
		for _, k := range s.columns[i] {
			if v := x.Value(k); !math.IsNaN(v) {
				f.Read(l.Columns[k].Name, l.Columns[k].Unit, v)
			}
		}
	}
}

func (a *asking) decide(id store.ID, before string, findings []*check.Finding, order check.Order) {
	r := a.again.Judge(findings, order)
	a.answer.After[r.Route]++
	if r.Route != before {
		a.changed = append(a.changed, to{id, before, r.Route, r.Reason, r.Sentence})
	}
}

// read decides what needs the texts that were read.
func (a *asking) read() error {
	for part := range slices.Chunk(a.asked, 500) {
		found, err := a.records.Found(part)
		if err != nil {
			return err
		}
		for _, f := range found {
			a.decide(f.ID, a.routes[f.ID], findingsOf(a.Plan, f.Findings), f.Order)
		}
	}
	return nil
}

// findingsOf turns what was kept into findings, in the order of the plan's checks.
func findingsOf(p *inspect.Plan, kept []check.FindingJSON) []*check.Finding {
	out := make([]*check.Finding, len(p.Recipe.Checks))
	for i := range p.Recipe.Checks {
		c := &p.Recipe.Checks[i]
		f := &check.Finding{Check: c.ID, Kind: c.Kind}
		out[i] = f
		k := slices.IndexFunc(kept, func(x check.FindingJSON) bool { return x.Check == c.ID })
		if k < 0 {
			continue
		}
		f.Outcome, f.Itself, f.Sentence = kept[k].Outcome, kept[k].Itself, []byte(kept[k].Sentence)
		kind, _ := inspect.Kinds.Find(c.Kind)
		for _, m := range kind.Measures { // the main one first
			if v, ok := kept[k].Readings[m.Name]; ok {
				f.Read(m.Name, v.Unit, v.Value)
			}
		}
		for name, v := range kept[k].Texts {
			f.Say(name, v)
		}
	}
	return out
}

// conclude counts the changes of an answer and lists the newest ones.
func (a *Answer) conclude(records Records, changed []to, list int) error {
	ids := make([]store.ID, len(changed))
	for i, c := range changed {
		ids[i] = c.id
	}
	reviews, err := records.Reviews(ids)
	if err != nil {
		return err
	}
	a.Changes = counted(changed, reviews)
	slices.SortFunc(changed, func(x, y to) int { return cmp.Compare(y.id, x.id) })
	a.List, err = listed(records, changed[:min(len(changed), list)], reviews)
	return err
}

func counted(changed []to, reviews map[store.ID]store.Review) []Change {
	out := []Change{}
	for _, c := range changed {
		i := slices.IndexFunc(out, func(x Change) bool { return x.From == c.from && x.To == c.to })
		if i < 0 {
			i = len(out)
			out = append(out, Change{From: c.from, To: c.to})
		}
		out[i].N++
		if r, ok := reviews[c.id]; ok && r.Good {
			out[i].Good++
		} else if ok {
			out[i].Bad++
		}
	}
	slices.SortStableFunc(out, func(x, y Change) int { return cmp.Compare(y.N, x.N) })
	return out
}

func listed(records Records, changed []to, reviews map[store.ID]store.Review) ([]Changed, error) {
	ids := make([]store.ID, len(changed))
	for i, c := range changed {
		ids[i] = c.id
	}
	items, err := records.ItemsByID(ids)
	if err != nil {
		return nil, err
	}
	out := []Changed{}
	for _, it := range items {
		i := slices.IndexFunc(changed, func(c to) bool { return c.id == it.ID })
		x := Changed{Item: it, To: changed[i].to, Reason: changed[i].reason, Sentence: changed[i].because}
		if r, ok := reviews[it.ID]; ok {
			x.Review = &r
		}
		out = append(out, x)
	}
	return out, nil
}

// barsOfSpread is how many bars the spread of a reading has at most.
const barsOfSpread = 40

// spread counts values in bars of equal width; whole numbers that are few have one each.
func spread(values []float64, passed []bool) []Bin {
	if len(values) == 0 {
		return []Bin{}
	}
	lo, hi, whole := values[0], values[0], true
	for _, v := range values {
		lo, hi = min(lo, v), max(hi, v)
		whole = whole && v == math.Trunc(v)
	}
	n, width, from := barsOfSpread, (hi-lo)/barsOfSpread, lo
	if whole && hi-lo < barsOfSpread {
		n, width, from = int(hi-lo)+1, 1, lo-0.5
	} else if width == 0 {
		n, width, from = 1, 1, lo-0.5
	}
	out := make([]Bin, n)
	for i := range out {
		out[i].From, out[i].To = from+float64(width*float64(i)), from+float64(width*float64(i+1))
	}
	for i, v := range values {
		k := min(int((v-from)/width), n-1)
		if passed[i] {
			out[k].Passed++
		} else {
			out[k].Rejected++
		}
	}
	return out
}

// Pictures are those that are kept.
type Pictures interface {
	Records
	Items(f store.Filter, limit int) ([]store.Kept, error)
	Picture(hash string) ([]byte, error)
}

// Rerun judges the kept pictures of a span anew, the newest ones, up to most: what only the picture
// can tell. scaled is the calibration of a station, nil for none; each is told how far it is.
func Rerun(ctx context.Context, records Pictures, q Question, most int, scaled func(station string) raster.Calibration, each func(done, of int)) (*Answer, error) {
	doc := &q.Plan.Recipe.Document
	items, err := records.Items(store.Filter{Station: q.Station, Product: doc.Product, Role: doc.Role, From: q.From, Until: q.Until, Pictured: true, Production: true}, most)
	if err != nil {
		return nil, err
	}
	out := &Answer{Before: map[string]int{}, After: map[string]int{}}
	runner := q.Plan.NewRunner()
	runner.Hands(1) // the lines go first
	var changed []to
	type verdict struct{ route, reason, sentence string }
	seen := map[string]verdict{} // by picture and what was packed
	for i, it := range items {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		each(i, len(items))
		if it.Fault != "" {
			out.Faults++
			continue
		}
		if scaled != nil {
			runner.Calibrate(scaled(it.Station))
		}
		found, err := records.Found([]store.ID{it.ID})
		if err != nil {
			return nil, err
		}
		var order check.Order
		if len(found) == 1 {
			order = found[0].Order
		}
		key := it.Station + it.PictureHash + fmt.Sprint(order)
		v, known := seen[key]
		if !known {
			file, err := records.Picture(it.PictureHash)
			if err != nil {
				out.Unclear++ // it made room meanwhile
				continue
			}
			pic, err := raster.Decode(file, ".png", raster.DefaultDecodeLimits)
			if err != nil {
				return nil, fmt.Errorf("the kept picture of %s.%d: %w", it.Station, it.Seq, err)
			}
			runner.Order(order)
			r := runner.Inspect(pic)
			v = verdict{r.Route, r.Reason, r.Sentence}
			seen[key] = v
		}
		out.Items++
		out.Before[it.Route]++
		out.After[v.route]++
		if v.route != it.Route {
			changed = append(changed, to{it.ID, it.Route, v.route, v.reason, v.sentence})
		}
	}
	out.Spread = []Bin{}
	return out, out.conclude(records, changed, q.List)
}
