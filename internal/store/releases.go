package store

import (
	"time"

	"ricetta/internal/workbench"
)

// AddRelease implements workbench.Records.
func (s *Store) AddRelease(k workbench.Key, r workbench.Release) (workbench.Release, error) {
	row := releaseRow{
		Product: k.Product, Role: k.Role, Action: r.Action, Revision: r.Revision, Who: r.Who, Note: r.Note,
		Time: r.Time.UnixMilli(), Wrong: r.Wrong, Reason: r.Reason,
	}
	if err := s.write.Create(&row).Error; err != nil {
		return workbench.Release{}, err
	}
	return releaseOf(row), nil
}

// Releases implements workbench.Records.
func (s *Store) Releases(k workbench.Key) ([]workbench.Release, error) {
	var rows []releaseRow
	if err := s.read.Where("product = ? AND role = ?", k.Product, k.Role).Order("id DESC").Find(&rows).Error; err != nil {
		return nil, err
	}
	out := make([]workbench.Release, len(rows))
	for i, r := range rows {
		out[i] = releaseOf(r)
	}
	return out, nil
}

func releaseOf(r releaseRow) workbench.Release {
	return workbench.Release{
		ID: r.ID, Action: r.Action, Revision: r.Revision, Who: r.Who, Note: r.Note, Time: time.UnixMilli(r.Time).UTC(),
		Wrong: r.Wrong, Reason: r.Reason,
	}
}
