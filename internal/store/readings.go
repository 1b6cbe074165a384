package store

import (
	"math"
	"slices"
	"strings"
	"time"

	"ricetta/core/check"
)

// Reading is one reading of an item.
type Reading struct {
	Station string
	Seq     int64
	Time    time.Time
	Value   check.ReadingJSON
}

// Readings returns a reading (CHECK.NAME) of up to limit items that a filter chooses, the newest
// ones, in the order of time. Items that have none are left out. The newest one has its limits.
func (s *Store) Readings(f Filter, name string, limit int) ([]Reading, error) {
	i := strings.LastIndexByte(name, '.')
	if i < 0 {
		return nil, nil
	}
	checkID, reading := name[:i], name[i+1:]
	var rows []itemRow
	q := f.newest(f.apply(s.read.Model(&itemRow{}))).Where("challenge = 0").Select("id, station, seq, time").Limit(limit)
	if err := q.Find(&rows).Error; err != nil || len(rows) == 0 {
		return nil, err
	}
	slices.Reverse(rows)
	values, err := s.valuesOf(f, checkID, reading, rows[0].ID, rows[len(rows)-1].ID)
	if err != nil {
		return nil, err
	}
	out := make([]Reading, 0, len(rows))
	var newest int64
	for _, r := range rows {
		if v, ok := values[r.ID]; ok {
			newest = r.ID
			out = append(out, Reading{r.Station, r.Seq, time.UnixMilli(r.Time).UTC(), v})
		}
	}
	if len(out) == 0 {
		return out, nil
	}
	found, err := s.Found([]ID{ID(newest)})
	if err != nil {
		return nil, err
	}
	for _, x := range found {
		for _, f := range x.Findings {
			if v, ok := f.Readings[reading]; ok && f.Check == checkID {
				out[len(out)-1].Value = v
			}
		}
	}
	return out, nil
}

// valuesOf returns a reading of the items whose numbers lie between two, from their figures.
func (s *Store) valuesOf(f Filter, checkID, reading string, lo, hi int64) (map[int64]check.ReadingJSON, error) {
	layouts, err := s.layoutsOf(f)
	if err != nil {
		return nil, err
	}
	raw, err := s.read.DB()
	if err != nil {
		return nil, err
	}
	out := map[int64]check.ReadingJSON{}
	for _, l := range layouts {
		names, err := l.names()
		if err != nil {
			continue // a broken record is told where the items are judged anew
		}
		place := slices.Index(names.Checks, checkID)
		column := slices.IndexFunc(names.Columns, func(c FigureOf) bool { return c.Check == place && c.Name == reading })
		if place < 0 || column < 0 {
			continue
		}
		unit := names.Columns[column].Unit
		_, err = figuresOf(raw, &Layout{}, l.ID, lo, hi, nil, func(_ *Layout, x Figures) bool {
			if v := x.Value(column); !math.IsNaN(v) {
				out[int64(x.Item)] = check.ReadingJSON{Value: v, Unit: unit}
			}
			return true
		})
		if err != nil {
			return nil, err
		}
	}
	return out, nil
}
