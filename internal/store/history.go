package store

import (
	"encoding/json"
	"time"

	"gorm.io/gorm"

	"ricetta/core/check"
)

// Counted is how many items of an hour had something in common: records of which the items
// themselves are no longer kept.
type Counted struct {
	Hour                                            time.Time
	Station, Line, Product, Revision, Route, Reason string
	Lot                                             string
	Fault                                           bool
	N                                               int64
}

// AddCounts adds the counts of hours that are over, and whose items are not kept. Runs are made
// for their lots, one for each line and lot, of which the last ones end at the end. It is for records
// that are empty otherwise.
func (s *Store) AddCounts(all []Counted, end time.Time) error {
	n := s.fresh()
	err := s.write.Transaction(func(tx *gorm.DB) error {
		type lot struct{ line, lot string }
		runs := map[lot]int64{}
		var open runRow
		counts := map[countKey]int64{}
		var last int64
		for _, c := range all {
			key := lot{c.Line, c.Lot}
			run, known := runs[key]
			if !known {
				packed, err := json.Marshal(check.Order{"lot": c.Lot})
				if err != nil {
					return err
				}
				at := c.Hour.UnixMilli()
				if err := tx.Model(&runRow{}).Where("line = ? AND ended = 0", c.Line).Update("ended", at).Error; err != nil {
					return err
				}
				open = runRow{Line: c.Line, Product: c.Product, Packed: packed, Means: "history", Begun: at}
				if err := tx.Create(&open).Error; err != nil {
					return err
				}
				run = open.ID
				runs[key] = run
			}
			f, err := n.facet(tx, facetRow{Station: c.Station, Line: c.Line, Product: c.Product, Revision: c.Revision, Run: run, Route: c.Route, Reason: c.Reason, Fault: c.Fault})
			if err != nil {
				return err
			}
			shift, err := n.shiftOf(tx, c.Hour.UnixMilli())
			if err != nil {
				return err
			}
			hour := c.Hour.UnixMilli() / hourMS * hourMS
			counts[countKey{hour, shift, f}] += c.N
			last = max(last, hour+hourMS)
		}
		if err := addCounts(tx, counts); err != nil {
			return err
		}
		if err := tx.Exec("UPDATE runs SET ended = ? WHERE ended = 0 AND means = 'history'", end.UnixMilli()).Error; err != nil {
			return err
		}
		return tx.Save(&markRow{markWhole, last}).Error
	})
	if err == nil {
		n.committed()
	}
	return err
}

// Remember keeps a number under a name; Remembered returns it.
func (s *Store) Remember(name string, v int64) error {
	return s.write.Save(&markRow{name, v}).Error
}

// Remembered returns what was kept under a name; known is false where nothing was.
func (s *Store) Remembered(name string) (v int64, known bool, err error) {
	var rows []markRow
	err = s.read.Where("name = ?", name).Find(&rows).Error
	if len(rows) == 0 {
		return 0, false, err
	}
	return rows[0].Value, true, err
}

// Empty reports whether nothing was ever counted.
func (s *Store) Empty() (bool, error) {
	var some int64
	err := s.read.Raw("SELECT EXISTS (SELECT 1 FROM counts) OR EXISTS (SELECT 1 FROM items)").Scan(&some).Error
	return some == 0, err
}
