package store

import (
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"time"

	"gorm.io/gorm"

	"ricetta/internal/station"
)

// Kept is an item as it stands in the records.
type Kept struct {
	ID ID
	station.Item
	// PictureHash names the kept picture, "" where none was kept.
	PictureHash string
}

// Filter chooses items; empty fields choose all.
type Filter struct {
	Station, Line, Product, Revision, Route, Reason string
	// Shift is the key of one; Day (as in 2026-11-27) and Week (as in 2026-W48, ISO 8601) those on
	// which shifts began; Lot is what a run packs. Run is 0 for all.
	Shift, Day, Week, Lot string
	Run                   int64
	// NotPassed chooses everything that did not pass.
	NotPassed bool
	// Faults chooses the items with a fault.
	Faults bool
	// Role is that of the recipe; Pictured chooses items whose picture is kept, Production those
	// that are no test pieces. Items alone are chosen by them.
	Role                 string
	Pictured, Production bool
	From, Until          time.Time
	// Before continues a list: only items with a smaller ID.
	Before ID
}

// days are the first and the last day that the filter lets through; ok is false where it asks for
// none. Of a day or week that is none there is nothing.
func (f Filter) days() (first, last string, ok bool) {
	if f.Day == "" && f.Week == "" {
		return "", "", false
	}
	first, last = f.Day, f.Day
	if f.Week != "" {
		var year, week int
		monday, sunday := "~", ""
		if n, err := fmt.Sscanf(f.Week, "%d-W%d", &year, &week); err == nil && n == 2 {
			// The week with January 4th in it is the first one (ISO 8601-1, 3.1.1.23).
			d := time.Date(year, 1, 4, 0, 0, 0, 0, time.UTC)
			d = d.AddDate(0, 0, 7*(week-1)-(int(d.Weekday())+6)%7)
			monday, sunday = d.Format(time.DateOnly), d.AddDate(0, 0, 6).Format(time.DateOnly)
		}
		if f.Day == "" {
			return monday, sunday, true
		}
		first, last = max(first, monday), min(last, sunday)
	}
	return first, last, true
}

// lets reports whether the filter lets a shift through by its key, day and week.
func (f Filter) lets(key, day string) bool {
	first, last, ok := f.days()
	return (f.Shift == "" || key == f.Shift) && (!ok || day >= first && day <= last)
}

// newest sorts what apply chooses, the newest first. The planner does not know that the numbers of a
// station's items and those of the records go up together, nor how few items a span of time has: it
// would sort all items of a station, or of a year.
func (f Filter) newest(q *gorm.DB) *gorm.DB {
	if f.byStation() && f.Until.IsZero() {
		if f.Before > 0 {
			q = q.Where("seq < COALESCE((SELECT b.seq FROM items b WHERE b.id = ? AND b.station = ?), seq + 1)", f.Before, f.Station)
		}
		return q.Order("seq DESC")
	}
	return q.Order("id DESC")
}

// byStation reports whether nothing else that has an index chooses items than their station.
func (f Filter) byStation() bool {
	return f.Station != "" && f.Route == "" && f.Reason == "" && f.Shift == "" && f.Day == "" && f.Week == "" && f.Run == 0 && f.Lot == ""
}

// slack is how far the order of numbers may be off that of time.
const slack = time.Minute

func (f Filter) apply(q *gorm.DB) *gorm.DB {
	if f.Station != "" {
		column := "station"
		if f.byStation() && !f.Until.IsZero() {
			column = "+station" // the span is looked through, and not all of the station
		}
		q = q.Where(column+" = ?", f.Station)
	}
	for column, v := range map[string]string{"line": f.Line, "product": f.Product, "route": f.Route, "reason": f.Reason, "revision": f.Revision, "role": f.Role} {
		if v != "" {
			q = q.Where(column+" = ?", v)
		}
	}
	if f.Shift != "" {
		q = q.Where("shift = (SELECT id FROM shifts WHERE key = ?)", f.Shift)
	}
	if first, last, ok := f.days(); ok {
		q = q.Where("shift IN (SELECT id FROM shifts WHERE day BETWEEN ? AND ?)", first, last)
	}
	if f.Lot != "" {
		q = q.Where("run IN (SELECT id FROM runs WHERE json_extract(packed, '$.lot') = ?)", f.Lot)
	}
	if f.Run != 0 {
		q = q.Where("run = ?", f.Run)
	}
	if f.NotPassed {
		q = q.Where("route <> 'pass'")
	}
	if f.Faults {
		q = q.Where("fault <> ''")
	}
	if f.Pictured {
		q = q.Where("picture <> ''")
	}
	if f.Production {
		q = q.Where("challenge = 0")
	}
	if !f.From.IsZero() {
		q = q.Where("+time >= ? AND id >= COALESCE((SELECT a.id FROM items a WHERE a.time >= ? ORDER BY a.time LIMIT 1), ?)", f.From.UnixMilli(), f.From.Add(-slack).UnixMilli(), int64(math.MaxInt64))
	}
	if !f.Until.IsZero() {
		q = q.Where("+time < ? AND id <= COALESCE((SELECT a.id FROM items a WHERE a.time >= ? ORDER BY a.time LIMIT 1), ?)", f.Until.UnixMilli(), f.Until.Add(slack).UnixMilli(), int64(math.MaxInt64))
	}
	if f.Before > 0 {
		q = q.Where("id < ?", f.Before)
	}
	return q
}

// Items returns up to limit items, newest first, without their findings.
func (s *Store) Items(f Filter, limit int) ([]Kept, error) {
	var rows []itemRow
	q := f.newest(f.apply(s.read.Model(&itemRow{}))).Omit("findings").Limit(limit)
	if err := q.Find(&rows).Error; err != nil {
		return nil, err
	}
	out := make([]Kept, len(rows))
	for i, r := range rows {
		out[i] = r.kept()
	}
	return out, nil
}

// ErrNoItem says that there is no such item.
var ErrNoItem = errors.New("there is no such item")

// Item returns one item with its findings.
func (s *Store) Item(id ID) (Kept, error) {
	return s.one(s.read.Where("id = ?", id))
}

// ItemOf returns the item of a station by its number.
func (s *Store) ItemOf(stationID string, seq int64) (Kept, error) {
	return s.one(s.read.Where("station = ? AND seq = ?", stationID, seq))
}

func (s *Store) one(q *gorm.DB) (Kept, error) {
	var r itemRow
	if err := q.Take(&r).Error; err != nil {
		if errors.Is(err, gorm.ErrRecordNotFound) {
			return Kept{}, ErrNoItem
		}
		return Kept{}, err
	}
	k := r.kept()
	if err := json.Unmarshal(r.Findings, &k.Findings); err != nil {
		return Kept{}, fmt.Errorf("the findings of item %d are broken: %w", r.ID, err)
	}
	return k, nil
}

func (r itemRow) kept() Kept {
	return Kept{
		ID: ID(r.ID), PictureHash: r.Picture,
		Item: station.Item{
			Station: r.Station, Seq: r.Seq, Line: r.Line, Role: r.Role, Time: time.UnixMilli(r.Time).UTC(), Count: r.Count,
			Product: r.Product, Revision: r.Revision, Route: r.Route, Fault: station.Fault(r.Fault), Reason: r.Reason,
			Sentence: r.Sentence, Took: time.Duration(r.Took) * time.Microsecond, Delay: time.Duration(r.Delay) * time.Microsecond,
		},
	}
}
