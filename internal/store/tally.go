package store

import (
	"cmp"
	"encoding/json"
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"
	"time"

	"gorm.io/gorm"

	"ricetta/core/check"
	"ricetta/internal/shift"
)

// Tallies count items by hour and shift, and by everything that tells them apart (a facet). They
// are written with the items, in one transaction, and are kept when the items are gone.

// facetRow is what items that are counted together have in common.
type facetRow struct {
	ID       int64  `gorm:"primaryKey;autoIncrement"`
	Station  string `gorm:"not null;uniqueIndex:one_facet"`
	Line     string `gorm:"not null;uniqueIndex:one_facet"`
	Product  string `gorm:"not null;uniqueIndex:one_facet"`
	Revision string `gorm:"not null;uniqueIndex:one_facet"`
	Run      int64  `gorm:"not null;uniqueIndex:one_facet"`
	Route    string `gorm:"not null;uniqueIndex:one_facet"`
	Reason   string `gorm:"not null;uniqueIndex:one_facet"`
	Fault    bool   `gorm:"not null;uniqueIndex:one_facet"`
}

func (facetRow) TableName() string { return "facets" }

// shiftRow is one shift of one day, as the calendar had it then. Times are Unix milliseconds.
type shiftRow struct {
	ID    int64  `gorm:"primaryKey;autoIncrement"`
	Key   string `gorm:"not null;uniqueIndex"`
	Day   string `gorm:"not null"`
	Name  string `gorm:"not null"`
	Team  string `gorm:"not null"`
	Begun int64  `gorm:"not null"`
	Ended int64  `gorm:"not null"`
}

func (shiftRow) TableName() string { return "shifts" }

func (x shiftRow) shift() shift.Shift {
	return shift.Shift{Key: x.Key, Day: x.Day, Name: x.Name, Team: x.Team, Begin: time.UnixMilli(x.Begun).UTC(), End: time.UnixMilli(x.Ended).UTC()}
}

// countsTable counts the items of an hour (Unix milliseconds of its begin, UTC).
const countsTable = `CREATE TABLE counts (hour INTEGER NOT NULL, shift INTEGER NOT NULL, facet INTEGER NOT NULL, n INTEGER NOT NULL, PRIMARY KEY (hour, shift, facet)) WITHOUT ROWID`

// shiftCountsTable has the sums of counts over whole shifts: a year has eight times fewer of them.
const shiftCountsTable = `CREATE TABLE shift_counts (shift INTEGER NOT NULL, facet INTEGER NOT NULL, n INTEGER NOT NULL, PRIMARY KEY (shift, facet)) WITHOUT ROWID`

// sumShifts writes the sums of shifts anew.
func sumShifts(tx *gorm.DB) error {
	if err := tx.Exec("DELETE FROM shift_counts").Error; err != nil {
		return err
	}
	return tx.Exec("INSERT INTO shift_counts (shift, facet, n) SELECT shift, facet, SUM(n) FROM counts GROUP BY shift, facet").Error
}

const hourMS = int64(time.Hour / time.Millisecond)

// dictionary gives facets and shifts their numbers. The writer adds to it, readers look up.
type dictionary struct {
	facets map[facetRow]int64 // with ID 0
	shifts map[string]int64
	byID   map[int64]facetRow
	shift  map[int64]shiftRow
}

func newDictionary() dictionary {
	return dictionary{map[facetRow]int64{}, map[string]int64{}, map[int64]facetRow{}, map[int64]shiftRow{}}
}

// learn reads facets and shifts of the records.
func (s *Store) learn() error {
	var facets []facetRow
	if err := s.read.Find(&facets).Error; err != nil {
		return err
	}
	var shifts []shiftRow
	if err := s.read.Find(&shifts).Error; err != nil {
		return err
	}
	s.words.Lock()
	defer s.words.Unlock()
	s.known = newDictionary()
	for _, f := range facets {
		s.known.addFacet(f)
	}
	for _, x := range shifts {
		s.known.addShift(x)
	}
	return nil
}

func (d dictionary) addFacet(f facetRow) {
	d.byID[f.ID] = f
	key := f
	key.ID = 0
	d.facets[key] = f.ID
}

func (d dictionary) addShift(x shiftRow) { d.shift[x.ID], d.shifts[x.Key] = x, x.ID }

// fresh are numbers that a transaction gives, and that count once it is committed.
type fresh struct {
	dictionary
	store *Store
	// The shift of the last item: the next one is mostly of the same.
	last *[3]int64 // begin and end in Unix milliseconds, number
}

func (s *Store) fresh() fresh { return fresh{newDictionary(), s, new([3]int64)} }

// shiftOf returns the number of the shift of a moment, in Unix milliseconds.
func (n fresh) shiftOf(tx *gorm.DB, ms int64) (int64, error) {
	if l := n.last; l[2] != 0 && ms >= l[0] && ms < l[1] {
		return l[2], nil
	}
	at := n.store.opts.Calendar.At(time.UnixMilli(ms))
	id, err := n.shiftAt(tx, at)
	*n.last = [3]int64{at.Begin.UnixMilli(), at.End.UnixMilli(), id}
	return id, err
}

func (n fresh) facet(tx *gorm.DB, f facetRow) (int64, error) {
	n.store.words.RLock()
	id := n.store.known.facets[f]
	n.store.words.RUnlock()
	if id == 0 {
		id = n.facets[f]
	}
	if id != 0 {
		return id, nil
	}
	if err := tx.Create(&f).Error; err != nil {
		return 0, err
	}
	n.addFacet(f)
	return f.ID, nil
}

func (n fresh) shiftAt(tx *gorm.DB, at shift.Shift) (int64, error) {
	n.store.words.RLock()
	id := n.store.known.shifts[at.Key]
	n.store.words.RUnlock()
	if id == 0 {
		id = n.shifts[at.Key]
	}
	if id != 0 {
		return id, nil
	}
	x := shiftRow{Key: at.Key, Day: at.Day, Name: at.Name, Team: at.Team, Begun: at.Begin.UnixMilli(), Ended: at.End.UnixMilli()}
	if err := tx.Create(&x).Error; err != nil {
		return 0, err
	}
	n.addShift(x)
	return x.ID, nil
}

// committed makes the new numbers known.
func (n fresh) committed() {
	n.store.words.Lock()
	defer n.store.words.Unlock()
	for _, f := range n.byID {
		n.store.known.addFacet(f)
	}
	for _, x := range n.shift {
		n.store.known.addShift(x)
	}
}

// facet is what the item is counted under.
func (r *itemRow) facet() facetRow {
	return facetRow{Station: r.Station, Line: r.Line, Product: r.Product, Revision: r.Revision, Run: r.Run, Route: r.Route, Reason: r.Reason, Fault: r.Fault != ""}
}

type countKey struct{ hour, shift, facet int64 }

// count adds items to the counts, by the shifts that they have.
func (n fresh) count(tx *gorm.DB, rows []itemRow) error {
	counts := map[countKey]int64{}
	for _, r := range rows {
		if r.Challenge != 0 {
			continue // a test piece is no production
		}
		f, err := n.facet(tx, r.facet())
		if err != nil {
			return err
		}
		counts[countKey{r.Time - r.Time%hourMS, r.Shift, f}]++
	}
	return addCounts(tx, counts)
}

func addCounts(tx *gorm.DB, counts map[countKey]int64) error {
	sums := map[countKey]int64{}
	for k, n := range counts {
		sums[countKey{0, k.shift, k.facet}] += n
	}
	if err := addTo(tx, "counts", "hour, shift, facet", counts, func(k countKey) []any { return []any{k.hour, k.shift, k.facet} }); err != nil {
		return err
	}
	return addTo(tx, "shift_counts", "shift, facet", sums, func(k countKey) []any { return []any{k.shift, k.facet} })
}

// addTo adds counts to those of a table.
func addTo(tx *gorm.DB, tableName, key string, counts map[countKey]int64, of func(countKey) []any) error {
	keys := make([]countKey, 0, len(counts))
	for k := range counts {
		keys = append(keys, k)
	}
	slices.SortFunc(keys, func(a, b countKey) int {
		return cmp.Or(cmp.Compare(a.hour, b.hour), cmp.Compare(a.shift, b.shift), cmp.Compare(a.facet, b.facet))
	})
	for part := range slices.Chunk(keys, countsAtOnce) {
		var values []any
		for _, k := range part {
			values = append(append(values, of(k)...), counts[k])
		}
		row := ", (" + strings.Repeat("?, ", len(values)/len(part)-1) + "?)"
		if err := tx.Exec("INSERT INTO "+tableName+" ("+key+", n) VALUES "+strings.Repeat(row, len(part))[2:]+" ON CONFLICT ("+key+") DO UPDATE SET n = n + excluded.n", values...).Error; err != nil {
			return err
		}
	}
	return nil
}

// countsAtOnce is how many counts one statement writes.
const countsAtOnce = 200

// RebuildTallies counts all items anew, in one transaction, and returns how many there are. The
// shifts of items stay as they were; those from before there were shifts get theirs. Hours whose
// items are no longer all there stay as they are counted.
func (s *Store) RebuildTallies(each func(done int64)) (items int64, err error) {
	n := s.fresh()
	err = s.write.Transaction(func(tx *gorm.DB) error {
		var whole int64
		if err := tx.Raw("SELECT COALESCE(MAX(value), 0) FROM marks WHERE name = ?", markWhole).Scan(&whole).Error; err != nil {
			return err
		}
		if err := tx.Exec("DELETE FROM counts WHERE hour >= ?", whole).Error; err != nil {
			return err
		}
		for last := int64(0); ; {
			var rows []itemRow
			q := tx.Select("id, station, line, product, revision, run, route, reason, fault, time, shift, challenge")
			if err := q.Where("id > ? AND time >= ?", last, whole).Order("id").Limit(20_000).Find(&rows).Error; err != nil {
				return err
			}
			if len(rows) == 0 {
				return sumShifts(tx)
			}
			for i := range rows {
				if rows[i].Shift != 0 {
					continue
				}
				if rows[i].Shift, err = n.shiftOf(tx, rows[i].Time); err != nil {
					return err
				}
				if err := tx.Exec("UPDATE items SET shift = ? WHERE id = ?", rows[i].Shift, rows[i].ID).Error; err != nil {
					return err
				}
			}
			if err := n.count(tx, rows); err != nil {
				return err
			}
			items += int64(len(rows))
			last = rows[len(rows)-1].ID
			if each != nil {
				each(items)
			}
		}
	})
	if err == nil {
		n.committed()
	}
	return items, err
}

// markRow keeps what the records must remember about themselves.
type markRow struct {
	Name  string `gorm:"primaryKey"`
	Value int64  `gorm:"not null"`
}

func (markRow) TableName() string { return "marks" }

// markWhole is the hour (Unix milliseconds) from which on all items are there: those before may
// have been deleted.
const markWhole = "whole"

// CheckTallies compares the tallies with the items and says what differs; nothing where all is
// well.
func (s *Store) CheckTallies() (differs []string, err error) {
	var rows []struct {
		Hour, Shift, Facet, N, Items int64
	}
	err = s.read.Raw(`
WITH mark AS (SELECT COALESCE(MAX(value), 0) AS whole FROM marks WHERE name = 'whole'),
counted AS (
  SELECT i.time - i.time % 3600000 AS hour, i.shift AS shift, f.id AS facet, COUNT(*) AS items
  FROM items i LEFT JOIN facets f ON f.station = i.station AND f.line = i.line AND f.product = i.product AND f.revision = i.revision AND f.run = i.run
    AND f.route = i.route AND f.reason = i.reason AND f.fault = (i.fault <> '')
  WHERE i.challenge = 0 AND i.time >= (SELECT whole FROM mark) GROUP BY 1, 2, 3)
SELECT COALESCE(c.hour, k.hour) AS hour, COALESCE(c.shift, k.shift) AS shift, COALESCE(c.facet, k.facet, 0) AS facet, COALESCE(k.n, 0) AS n, COALESCE(c.items, 0) AS items
FROM counted c FULL OUTER JOIN (SELECT * FROM counts WHERE hour >= (SELECT whole FROM mark)) k ON k.hour = c.hour AND k.shift = c.shift AND k.facet = c.facet
WHERE COALESCE(k.n, 0) <> COALESCE(c.items, 0) LIMIT 100`).Scan(&rows).Error
	for _, r := range rows {
		differs = append(differs, fmt.Sprintf("hour %s, shift %s: %d are counted, and %d items are there (%s)",
			time.UnixMilli(r.Hour).UTC().Format(time.RFC3339), s.shiftKey(r.Shift), r.N, r.Items, s.facetText(r.Facet)))
	}
	if err != nil {
		return differs, err
	}
	var sums []struct {
		Shift, Facet, N, Hours int64
	}
	err = s.read.Raw(`
SELECT COALESCE(c.shift, k.shift) AS shift, COALESCE(c.facet, k.facet) AS facet, COALESCE(k.n, 0) AS n, COALESCE(c.n, 0) AS hours
FROM (SELECT shift, facet, SUM(n) AS n FROM counts GROUP BY shift, facet) c FULL OUTER JOIN shift_counts k ON k.shift = c.shift AND k.facet = c.facet
WHERE COALESCE(k.n, 0) <> COALESCE(c.n, 0) LIMIT 100`).Scan(&sums).Error
	for _, r := range sums {
		differs = append(differs, fmt.Sprintf("shift %s: its sum is %d, that of its hours %d (%s)", s.shiftKey(r.Shift), r.N, r.Hours, s.facetText(r.Facet)))
	}
	return differs, err
}

func (s *Store) shiftKey(id int64) string {
	s.words.RLock()
	defer s.words.RUnlock()
	return s.known.shift[id].Key
}

func (s *Store) facetText(id int64) string {
	s.words.RLock()
	defer s.words.RUnlock()
	f := s.known.byID[id]
	return strings.Join([]string{f.Station, f.Product, f.Route, f.Reason}, " ")
}

// Tally is a count of items that have the grouped fields in common.
type Tally struct {
	Key   map[string]string
	Count int64
}

// Groups are the fields by which items can be counted. A day is that on which the shift began, a
// week as in ISO 8601.
var Groups = []string{"hour", "shift", "shift_name", "day", "week", "team", "line", "station", "product", "revision", "run", "lot", "route", "reason", "fault"}

// Tallies counts items from the whole hour that holds from (inclusive) to the one
// that holds until (exclusive where it falls on the hour), grouped by the given
// fields; zero times do not bound. The answer is sorted by count, largest first.
func (s *Store) Tallies(f Filter, by []string) ([]Tally, error) {
	sums, err := s.Grouped(f, by)
	if err != nil {
		return nil, err
	}
	out := make([]Tally, 0, len(sums))
	for _, x := range sums {
		key := make(map[string]string, len(by))
		for i, b := range by {
			key[b] = x.Values[i]
		}
		out = append(out, Tally{key, x.N})
	}
	slices.SortFunc(out, func(a, b Tally) int {
		if a.Count != b.Count {
			return cmp.Compare(b.Count, a.Count)
		}
		for _, name := range by {
			if c := strings.Compare(a.Key[name], b.Key[name]); c != 0 {
				return c
			}
		}
		return 0
	})
	return out, nil
}

// Sum is a count of items that have values in common, in the order of the fields that were asked for.
type Sum struct {
	Values []string
	N      int64
}

// Grouped counts as Tallies does, in no order: of many groups it is the quicker way.
func (s *Store) Grouped(f Filter, by []string) ([]Sum, error) {
	for _, b := range by {
		if !slices.Contains(Groups, b) {
			return nil, fmt.Errorf("items are not counted by %q; choose from %v", b, Groups)
		}
	}
	byHour := slices.Contains(by, "hour")
	byShift := slices.ContainsFunc(by, func(b string) bool { return slices.Contains([]string{"shift", "shift_name", "day", "week", "team"}, b) })
	lots, err := s.lots(f.Lot != "" || slices.Contains(by, "lot"))
	if err != nil {
		return nil, err
	}
	s.words.RLock()
	facets, shifts := s.facetsOf(f, lots), map[int64]shiftRow{}
	for id, x := range s.known.shift {
		shifts[id] = x
	}
	s.words.RUnlock()

	// Most rows differ in what is not asked for: each facet and each bucket of time is put into
	// words once, and the rest is adding up numbers.
	of, in := labels{number: map[string]int{}}, labels{number: map[string]int{}}
	facetLabel, timeLabel := map[int64]int{}, map[[2]int64]int{}
	for id, x := range facets {
		facetLabel[id] = of.of(by, func(b string) (string, bool) { return ofFacet(b, x, lots) })
	}
	sums := map[[2]int]int64{}
	add := func(facet, hour, shiftOf, n int64) {
		f, ok := facetLabel[facet]
		if !ok {
			return
		}
		when := [2]int64{hour, shiftOf}
		t, ok := timeLabel[when]
		if !ok {
			x := shifts[shiftOf]
			t = in.of(by, func(b string) (string, bool) { return ofTime(b, x, hour) })
			timeLabel[when] = t
		}
		sums[[2]int{f, t}] += n
	}
	if err := s.sumsOf(f, byHour, byShift, shifts, add); err != nil {
		return nil, err
	}
	isTime := make([]bool, len(by))
	for i, b := range by {
		_, isTime[i] = ofTime(b, shiftRow{}, 0)
	}
	out, values := make([]Sum, 0, len(sums)), make([]string, len(by)*len(sums))
	for k, n := range sums {
		x := Sum{values[:len(by):len(by)], n}
		values = values[len(by):]
		for i := range by {
			if isTime[i] {
				x.Values[i] = in.values[k[1]][i]
			} else {
				x.Values[i] = of.values[k[0]][i]
			}
		}
		out = append(out, x)
	}
	return out, nil
}

// sumsOf hands over the counts of a span. Shifts that lie in it whole are taken as their sums, unless
// hours are asked for; hour and shift are 0 where they are not asked for.
func (s *Store) sumsOf(f Filter, byHour, byShift bool, shifts map[int64]shiftRow, add func(facet, hour, shift, n int64)) error {
	from, until := int64(math.MinInt64), int64(math.MaxInt64)
	if !f.From.IsZero() {
		from = f.From.UnixMilli() / hourMS * hourMS
	}
	if !f.Until.IsZero() {
		until = f.Until.UnixMilli()
	}
	whole, lo, hi := map[int64]bool{}, int64(math.MaxInt64), int64(math.MinInt64)
	var parts []int64
	for id, x := range shifts {
		switch {
		case !f.lets(x.Key, x.Day), x.Ended <= from, x.Begun >= until:
		case byHour || x.Begun/hourMS*hourMS < from || x.Ended > until:
			parts = append(parts, id)
		default:
			whole[id] = true
			lo, hi = min(lo, id), max(hi, id)
		}
	}
	if len(whole) > 0 {
		q := s.read.Table("shift_counts").Where("shift BETWEEN ? AND ?", lo, hi)
		var err error
		if !byShift && hi-lo+1 == int64(len(whole)) {
			err = each(q.Select("facet, SUM(n)").Group("facet"), func(v []int64) { add(v[0], 0, 0, v[1]) }, 2)
		} else {
			err = each(q.Select("facet, shift, n"), func(v []int64) {
				if !whole[v[1]] {
					return
				}
				if !byShift {
					v[1] = 0
				}
				add(v[0], 0, v[1], v[2])
			}, 3)
		}
		if err != nil {
			return err
		}
	}
	if len(parts) == 0 {
		return nil
	}
	first, last := int64(math.MaxInt64), int64(math.MinInt64)
	within := map[int64]bool{}
	for _, id := range parts {
		within[id] = true
		first, last = min(first, shifts[id].Begun-hourMS), max(last, shifts[id].Ended)
	}
	q := s.read.Table("counts").Where("hour BETWEEN ? AND ? AND hour >= ? AND hour < ?", first, last, from, until)
	return each(q.Select("facet, hour, shift, n"), func(v []int64) {
		if !within[v[2]] {
			return
		}
		if !byHour {
			v[1] = 0
		}
		if !byShift {
			v[2] = 0
		}
		add(v[0], v[1], v[2], v[3])
	}, 4)
}

// each hands over rows of so many numbers.
func each(q *gorm.DB, f func(v []int64), n int) error {
	rows, err := q.Rows()
	if err != nil {
		return err
	}
	defer rows.Close()
	v, to := make([]int64, n), make([]any, n)
	for i := range v {
		to[i] = &v[i]
	}
	for rows.Next() {
		if err := rows.Scan(to...); err != nil {
			return err
		}
		f(v)
	}
	return rows.Err()
}

// labels number what is the same in words.
type labels struct {
	number map[string]int
	values [][]string // by number, in the order of the fields; empty where a field is another's
}

func (l *labels) of(by []string, field func(string) (string, bool)) int {
	values := make([]string, len(by))
	for i, b := range by {
		if v, mine := field(b); mine {
			values[i] = v
		}
	}
	key := strings.Join(values, "\x00")
	n, ok := l.number[key]
	if !ok {
		n = len(l.values)
		l.number[key] = n
		l.values = append(l.values, values)
	}
	return n
}

// facetsOf are those that a filter lets through. It needs the lock of words.
func (s *Store) facetsOf(f Filter, lots map[int64]string) map[int64]facetRow {
	out := map[int64]facetRow{}
	for id, x := range s.known.byID {
		switch {
		case f.Station != "" && x.Station != f.Station, f.Line != "" && x.Line != f.Line, f.Product != "" && x.Product != f.Product,
			f.Revision != "" && x.Revision != f.Revision, f.Run != 0 && x.Run != f.Run, f.Route != "" && x.Route != f.Route,
			f.Reason != "" && x.Reason != f.Reason, f.Lot != "" && lots[x.Run] != f.Lot, f.NotPassed && x.Route == "pass", f.Faults && !x.Fault:
			continue
		}
		out[id] = x
	}
	return out
}

// lots are those of runs, where they are asked for.
func (s *Store) lots(wanted bool) (map[int64]string, error) {
	if !wanted {
		return nil, nil
	}
	var rows []runRow
	if err := s.read.Select("id, packed").Find(&rows).Error; err != nil {
		return nil, err
	}
	out := map[int64]string{}
	for _, r := range rows {
		var o check.Order
		if json.Unmarshal(r.Packed, &o) == nil {
			out[r.ID] = o["lot"]
		}
	}
	return out, nil
}

// ofTime returns a field that is one of time.
func ofTime(name string, x shiftRow, hour int64) (string, bool) {
	switch name {
	case "hour":
		return time.UnixMilli(hour).UTC().Format(time.RFC3339), true
	case "shift":
		return x.Key, true
	case "shift_name":
		return x.Name, true
	case "day":
		return x.Day, true
	case "week":
		d, err := time.Parse(time.DateOnly, x.Day)
		if err != nil {
			return "", true
		}
		y, w := d.ISOWeek()
		return fmt.Sprintf("%d-W%02d", y, w), true
	case "team":
		return x.Team, true
	}
	return "", false
}

// ofFacet returns a field that is one of what was inspected.
func ofFacet(name string, f facetRow, lots map[int64]string) (string, bool) {
	switch name {
	case "line":
		return f.Line, true
	case "station":
		return f.Station, true
	case "product":
		return f.Product, true
	case "revision":
		return f.Revision, true
	case "run":
		return strconv.FormatInt(f.Run, 10), true
	case "lot":
		return lots[f.Run], true
	case "route":
		return f.Route, true
	case "reason":
		return f.Reason, true
	case "fault":
		return strconv.FormatBool(f.Fault), true
	}
	return "", false
}

// Shifts returns the shifts in which something was inspected that overlap a span, in order.
func (s *Store) Shifts(from, until time.Time) []shift.Shift {
	s.words.RLock()
	defer s.words.RUnlock()
	var out []shift.Shift
	for _, x := range s.known.shift {
		if x.Ended > from.UnixMilli() && x.Begun < until.UnixMilli() {
			out = append(out, x.shift())
		}
	}
	slices.SortFunc(out, func(a, b shift.Shift) int { return a.Begin.Compare(b.Begin) })
	return out
}

// ShiftOf returns a shift in which something was inspected, by its key.
func (s *Store) ShiftOf(key string) (shift.Shift, bool) {
	s.words.RLock()
	defer s.words.RUnlock()
	x, ok := s.known.shift[s.known.shifts[key]]
	return x.shift(), ok
}

// Integrity returns ok, or what SQLite finds wrong with its file.
func (s *Store) Integrity() (string, error) {
	var lines []string
	err := s.read.Raw("PRAGMA integrity_check").Scan(&lines).Error
	return strings.Join(lines, "; "), err
}
