package store

import (
	"encoding/json"
	"iter"
	"slices"
	"strings"

	"gorm.io/gorm"

	"ricetta/core/check"
	"ricetta/core/raster"
	"ricetta/core/recipe"
	"ricetta/internal/station"
)

// Past is an item of before the records began.
type Past struct {
	Item *station.Item
	// Findings are the item's as JSON; made of them where they are nil.
	Findings []byte
	// Picture is the hash of one that is kept, as KeepPicture gave it; "" for none.
	Picture string
	// Package is set where the item was the only one of its package.
	Package bool
}

// itemsAtOnce is how many items one statement writes; pastAtOnce how many one transaction does.
const (
	itemsAtOnce = 50
	pastAtOnce  = 20_000
)

// AddPast records items of the past, oldest first, many at once. It is for records that nobody else
// writes to.
func (s *Store) AddPast(items iter.Seq[Past]) error {
	var first int64
	if err := s.read.Raw("SELECT COALESCE(MAX(id), 0) + 1 FROM items").Scan(&first).Error; err != nil {
		return err
	}
	rows, findings := make([]itemRow, 0, pastAtOnce), make([][]check.FindingJSON, 0, pastAtOnce)
	var packs []packageRow
	flush := func() error {
		err := s.addPast(rows, findings, packs)
		first += int64(len(rows))
		rows, findings, packs = rows[:0], findings[:0], packs[:0]
		return err
	}
	for p := range items {
		r := plainRow(p.Item)
		r.ID, r.Picture, r.Findings = first+int64(len(rows)), p.Picture, p.Findings
		if r.Findings == nil {
			kept := p.Item.Findings
			if p.Picture == "" {
				kept = withoutMarks(kept)
			}
			var err error
			if r.Findings, err = json.Marshal(kept); err != nil {
				return err
			}
		}
		rows, findings = append(rows, r), append(findings, p.Item.Findings)
		if p.Package {
			packs = append(packs, r.pack())
		}
		if len(rows) == pastAtOnce {
			if err := flush(); err != nil {
				return err
			}
		}
	}
	return flush()
}

const itemColumns = "id, station, seq, line, role, time, count, product, revision, route, fault, reason, sentence, took, delay, findings, picture, run, challenge, shift"

// pack is the package of an item that is its only one.
func (r *itemRow) pack() packageRow {
	p := packageRow{Line: r.Line, Seq: r.Seq, Run: r.Run, Route: r.Route, Fault: r.Fault, Time: r.Time, Count: r.Count, Product: r.Product, Reason: r.Reason, Sentence: r.Sentence}
	if r.Route != recipe.Pass {
		p.Station = r.Station
	}
	return p
}

func (s *Store) addPast(rows []itemRow, findings [][]check.FindingJSON, packs []packageRow) error {
	n := s.fresh()
	err := s.write.Transaction(func(tx *gorm.DB) error {
		var err error
		for i := range rows {
			if rows[i].Shift, err = n.shiftOf(tx, rows[i].Time); err != nil {
				return err
			}
		}
		one := ", (" + strings.Repeat(", ?", 20)[2:] + ")"
		values := make([]any, 0, 20*itemsAtOnce)
		for part := range slices.Chunk(rows, itemsAtOnce) {
			values = values[:0]
			for i := range part {
				r := &part[i]
				values = append(values, r.ID, r.Station, r.Seq, r.Line, r.Role, r.Time, r.Count, r.Product, r.Revision, r.Route, r.Fault, r.Reason, r.Sentence, r.Took, r.Delay, r.Findings, r.Picture, r.Run, r.Challenge, r.Shift)
			}
			if err := tx.Exec("INSERT INTO items ("+itemColumns+") VALUES "+strings.Repeat(one, len(part))[2:], values...).Error; err != nil {
				return err
			}
		}
		if len(packs) > 0 {
			if err := tx.CreateInBatches(packs, 100).Error; err != nil {
				return err
			}
		}
		if err := s.figures(tx, rows, findings); err != nil {
			return err
		}
		return n.count(tx, rows)
	})
	return s.written(n, err)
}

// KeepPicture keeps a picture of the past and returns its hash.
func (s *Store) KeepPicture(it *station.Item, pic raster.Picture) (string, error) {
	return s.pictures.keep(pic, it.Time)
}
