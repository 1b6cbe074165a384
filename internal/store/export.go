package store

import (
	"context"
	"encoding/json"
	"fmt"
)

// exportAtOnce is how many items are read at once: no reader holds the records for long.
const exportAtOnce = 500

// EachItem hands over items with their findings, newest first, until each returns an error.
func (s *Store) EachItem(ctx context.Context, f Filter, each func(k *Kept) error) error {
	for {
		var rows []itemRow
		if err := f.newest(f.apply(s.read.WithContext(ctx).Model(&itemRow{}))).Limit(exportAtOnce).Find(&rows).Error; err != nil {
			return err
		}
		for i := range rows {
			k := rows[i].kept()
			if err := json.Unmarshal(rows[i].Findings, &k.Findings); err != nil {
				return fmt.Errorf("the findings of %s.%d are broken: %w", k.Station, k.Seq, err)
			}
			if err := each(&k); err != nil {
				return err
			}
		}
		if len(rows) < exportAtOnce {
			return nil
		}
		f.Before = ID(rows[len(rows)-1].ID)
	}
}

// CountItems returns how many items a filter chooses.
func (s *Store) CountItems(f Filter) (n int64, err error) {
	err = f.apply(s.read.Model(&itemRow{})).Count(&n).Error
	return n, err
}

// Columns names the readings (CHECK.NAME) that items of a station or product may have, in the order in
// which they came up.
func (s *Store) Columns(f Filter) ([]string, error) {
	rows, err := s.layoutsOf(f)
	if err != nil {
		return nil, err
	}
	seen, out := map[string]bool{}, []string{}
	for _, r := range rows {
		names, err := r.names()
		if err != nil {
			return nil, err
		}
		for _, c := range names.Columns {
			name := names.Checks[c.Check] + "." + c.Name
			if !seen[name] {
				seen[name] = true
				out = append(out, name)
			}
		}
	}
	return out, nil
}
