package store

import (
	"encoding/json"
	"fmt"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"ricetta/core/check"
)

// reviewRow is what a person said an item truly was. It stays when the item is gone, so that rates
// can be told of what was looked at.
type reviewRow struct {
	Item  int64  `gorm:"primaryKey;autoIncrement:false"`
	Hour  int64  `gorm:"not null"`
	Shift int64  `gorm:"not null;index:reviews_by_shift"`
	Facet int64  `gorm:"not null"`
	Good  bool   `gorm:"not null"`
	Who   string `gorm:"not null"`
	Note  string `gorm:"not null"`
	Time  int64  `gorm:"not null"`
}

func (reviewRow) TableName() string { return "reviews" }

// Review says what an item truly was.
type Review struct {
	Good bool
	Who  string
	Note string
	Time time.Time
}

// Review keeps what a person said of an item; the last word counts. A test piece is no production
// and is not reviewed.
func (s *Store) Review(id ID, r Review) error {
	n := s.fresh()
	err := s.write.Transaction(func(tx *gorm.DB) error {
		var it itemRow
		if err := tx.Omit("findings").Where("id = ?", id).Limit(1).Find(&it).Error; err != nil {
			return err
		}
		if it.ID == 0 {
			return ErrNoItem
		}
		if it.Challenge != 0 {
			return fmt.Errorf("%s.%d is a test piece and no production", it.Station, it.Seq)
		}
		facet, err := n.facet(tx, it.facet())
		if err != nil {
			return err
		}
		row := reviewRow{it.ID, it.Time - it.Time%hourMS, it.Shift, facet, r.Good, r.Who, r.Note, r.Time.UnixMilli()}
		return tx.Clauses(clause.OnConflict{UpdateAll: true}).Create(&row).Error
	})
	if err == nil {
		n.committed()
	}
	return err
}

// Unreview takes back what was said of an item.
func (s *Store) Unreview(id ID) error {
	return s.write.Where("item = ?", id).Delete(&reviewRow{}).Error
}

// Reviews returns what was said of items, by item.
func (s *Store) Reviews(ids []ID) (map[ID]Review, error) {
	out := map[ID]Review{}
	if len(ids) == 0 {
		return out, nil
	}
	lo, hi := ids[0], ids[0]
	wanted := make(map[ID]bool, len(ids))
	for _, id := range ids {
		lo, hi = min(lo, id), max(hi, id)
		wanted[id] = true
	}
	var rows []reviewRow
	if err := s.read.Where("item BETWEEN ? AND ?", lo, hi).Find(&rows).Error; err != nil {
		return nil, err
	}
	for _, r := range rows {
		if wanted[ID(r.Item)] {
			out[ID(r.Item)] = Review{r.Good, r.Who, r.Note, time.UnixMilli(r.Time).UTC()}
		}
	}
	return out, nil
}

// Reviewed counts what people said of items, by whether they passed and what they truly were.
type Reviewed struct {
	// Of items that passed.
	PassedGood, PassedBad int64
	// Of items that did not.
	RejectedGood, RejectedBad int64
}

// Reviewed counts reviews of the items that a filter chooses. Times are taken as whole hours.
func (s *Store) Reviewed(f Filter) (Reviewed, error) {
	var out Reviewed
	lots, err := s.lots(f.Lot != "")
	if err != nil {
		return out, err
	}
	s.words.RLock()
	facets := s.facetsOf(f, lots)
	shifts := map[int64]bool{}
	for id, x := range s.known.shift {
		shifts[id] = f.lets(x.Key, x.Day)
	}
	s.words.RUnlock()
	q := s.read.Table("reviews")
	if !f.From.IsZero() {
		q = q.Where("hour >= ?", f.From.UnixMilli()/hourMS*hourMS)
	}
	if !f.Until.IsZero() {
		q = q.Where("hour < ?", f.Until.UnixMilli())
	}
	var rows []struct {
		Facet, Shift int64
		Good         bool
		N            int64
	}
	if err := q.Select("facet, shift, good, COUNT(*) AS n").Group("facet, shift, good").Find(&rows).Error; err != nil {
		return out, err
	}
	for _, r := range rows {
		x, ok := facets[r.Facet]
		switch {
		case !ok || !shifts[r.Shift]:
		case x.Route == "pass" && r.Good:
			out.PassedGood += r.N
		case x.Route == "pass":
			out.PassedBad += r.N
		case r.Good:
			out.RejectedGood += r.N
		default:
			out.RejectedBad += r.N
		}
	}
	return out, nil
}

// Found is what was found on an item, and what was packed then.
type Found struct {
	ID       ID
	Findings []check.FindingJSON
	Order    check.Order
}

// Found returns what was found on items, in the order of their numbers.
func (s *Store) Found(ids []ID) ([]Found, error) {
	var rows []itemRow
	if err := s.read.Select("id, run, findings").Where("id IN ?", ids).Order("id").Find(&rows).Error; err != nil {
		return nil, err
	}
	orders := map[int64]check.Order{}
	out := make([]Found, len(rows))
	for i, r := range rows {
		order, known := orders[r.Run]
		if !known {
			var run runRow
			if err := s.read.Where("id = ?", r.Run).Limit(1).Find(&run).Error; err != nil {
				return nil, err
			}
			if run.ID != 0 {
				if err := json.Unmarshal(run.Packed, &order); err != nil {
					return nil, fmt.Errorf("the order of run %d is broken: %w", r.Run, err)
				}
			}
			orders[r.Run] = order
		}
		out[i] = Found{ID: ID(r.ID), Order: order}
		if err := json.Unmarshal(r.Findings, &out[i].Findings); err != nil {
			return nil, fmt.Errorf("the findings of item %d are broken: %w", r.ID, err)
		}
	}
	return out, nil
}

// ItemsByID returns items by their numbers, newest first, without their findings.
func (s *Store) ItemsByID(ids []ID) ([]Kept, error) {
	var rows []itemRow
	if err := s.read.Omit("findings").Where("id IN ?", ids).Order("id DESC").Find(&rows).Error; err != nil {
		return nil, err
	}
	out := make([]Kept, len(rows))
	for i, r := range rows {
		out[i] = r.kept()
	}
	return out, nil
}
