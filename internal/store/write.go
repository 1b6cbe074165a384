package store

import (
	"encoding/json"
	"fmt"
	"time"

	"gorm.io/gorm"

	"ricetta/core/check"
	"ricetta/core/recipe"
	"ricetta/internal/station"
)

// incoming is an item that a station handed over.
type incoming struct {
	item *station.Item
	done func(error)
}

// row is an item or a package ready to be written.
type row struct {
	item     *itemRow
	findings []check.FindingJSON
	shot     *station.Item // whose picture is to be kept; nil for none
	pack     *packageRow
	done     func(error)
}

// prepare keeps pictures and turns items into rows.
func (s *Store) prepare(in <-chan incoming) {
	for i := range in {
		r, err := s.rowOf(i.item)
		if err != nil {
			i.done(err)
			continue
		}
		out := row{item: &r, findings: i.item.Findings, done: i.done}
		if s.keepsPicture(i.item) {
			out.shot = i.item
		}
		s.rows <- out
	}
}

// keepsPicture reports whether the item's picture is worth keeping.
func (s *Store) keepsPicture(it *station.Item) bool {
	// What is rejected only because records cannot be written is no reject to look at.
	if it.Picture.Kind() == "" || it.Fault == station.NotRecorded {
		return false
	}
	return it.Route != recipe.Pass || s.opts.PassShare > 0 && it.Seq%s.opts.PassShare == 0
}

func (s *Store) rowOf(it *station.Item) (itemRow, error) {
	r := plainRow(it)
	findings := it.Findings
	if !s.keepsPicture(it) {
		findings = withoutMarks(findings)
	}
	if findings == nil {
		findings = []check.FindingJSON{}
	}
	data, err := json.Marshal(findings)
	if err != nil {
		return r, fmt.Errorf("the findings of item %d cannot be written: %w", it.Seq, err)
	}
	r.Findings = data
	return r, nil
}

// plainRow is an item's row but for findings, picture and shift.
func plainRow(it *station.Item) itemRow {
	return itemRow{
		Station: it.Station, Seq: it.Seq, Line: it.Line, Role: it.Role, Time: it.Time.UnixMilli(), Count: it.Count,
		Product: it.Product, Revision: it.Revision, Route: it.Route, Fault: string(it.Fault),
		Reason: it.Reason, Sentence: it.Sentence, Took: it.Took.Microseconds(), Delay: it.Delay.Microseconds(), Run: it.Run, Challenge: it.Challenge,
	}
}

// withoutMarks leaves out what can only be drawn on a picture.
func withoutMarks(in []check.FindingJSON) []check.FindingJSON {
	out := make([]check.FindingJSON, len(in))
	for i, f := range in {
		f.Marks = []check.MarkJSON{}
		out[i] = f
	}
	return out
}

// Bounds of a group commit.
const (
	mostRows = 500
	groupFor = 10 * time.Millisecond // how long a lone row waits for company
)

// writeRows is the one writer.
func (s *Store) writeRows() {
	batch := make([]row, 0, mostRows)
	for first := range s.rows {
		batch = append(batch[:0], first)
		wait := time.NewTimer(groupFor)
	gather:
		for len(batch) < mostRows {
			select {
			case r, ok := <-s.rows:
				if !ok {
					break gather
				}
				batch = append(batch, r)
			case <-wait.C:
				break gather
			}
		}
		wait.Stop()
		s.commit(batch)
	}
}

// commit writes a group in one transaction. When that fails, its items are tried
// one by one, so that one bad row does not take the others with it.
func (s *Store) commit(batch []row) {
	err := s.insert(batch)
	if err == nil || len(batch) == 1 {
		for _, r := range batch {
			s.finish(r, err)
		}
		return
	}
	s.opts.Log.Warn("a group of records was not written; trying them one by one", "items", len(batch), "error", err)
	for i := range batch {
		s.finish(batch[i], s.insert(batch[i:i+1]))
	}
}

func (s *Store) finish(r row, err error) {
	r.done(err)
	if err == nil && r.shot != nil {
		s.show(r.shot)
	}
}

func (s *Store) insert(batch []row) error {
	n := s.fresh()
	err := s.write.Transaction(func(tx *gorm.DB) error {
		var items []itemRow
		var findings [][]check.FindingJSON
		var packs []packageRow
		for i := range batch {
			if b := &batch[i]; b.item != nil {
				items = append(items, *b.item)
				findings = append(findings, b.findings)
			} else {
				packs = append(packs, *b.pack)
			}
		}
		if len(packs) > 0 {
			if err := tx.CreateInBatches(packs, 100).Error; err != nil {
				return err
			}
		}
		if len(items) == 0 {
			return nil
		}
		for i := range items {
			var err error
			if items[i].Shift, err = n.shiftOf(tx, items[i].Time); err != nil {
				return err
			}
		}
		if err := tx.CreateInBatches(items, 100).Error; err != nil {
			return err
		}
		if err := s.figures(tx, items, findings); err != nil {
			return err
		}
		return n.count(tx, items)
	})
	return s.written(n, err)
}
