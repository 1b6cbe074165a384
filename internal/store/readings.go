package store

import (
	"encoding/json"
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
// ones, in the order of time. Items that have none are left out.
func (s *Store) Readings(f Filter, name string, limit int) ([]Reading, error) {
	i := strings.LastIndexByte(name, '.')
	if i < 0 {
		return nil, nil
	}
	checkID, reading := name[:i], name[i+1:]
	var rows []itemRow
	q := f.apply(s.read.Model(&itemRow{})).Where("challenge = 0").Select("id, station, seq, time, findings").Order("id DESC").Limit(limit)
	if err := q.Find(&rows).Error; err != nil {
		return nil, err
	}
	out := make([]Reading, 0, len(rows))
	for k := len(rows) - 1; k >= 0; k-- {
		r := rows[k]
		var findings []struct {
			Check    string                       `json:"check"`
			Readings map[string]check.ReadingJSON `json:"readings"`
		}
		if err := json.Unmarshal(r.Findings, &findings); err != nil {
			continue // a broken record is told where the item is opened
		}
		for _, x := range findings {
			if v, ok := x.Readings[reading]; ok && x.Check == checkID {
				out = append(out, Reading{r.Station, r.Seq, time.UnixMilli(r.Time).UTC(), v})
			}
		}
	}
	return out, nil
}
