package app

import (
	"fmt"

	"ricetta/internal/shift"
	"ricetta/internal/store"
)

// Diagnosis is what was found in the records.
type Diagnosis struct {
	// Integrity is ok, or what SQLite says of its file.
	Integrity string `json:"integrity"`
	// Differs are tallies that are not what the items are.
	Differs []string `json:"differs"`
	// Rebuilt counts the items that were counted anew.
	Rebuilt int64 `json:"rebuilt"`
}

// Examine looks whether the records of a data folder are sound, and counts anew where that is
// wanted. The service must not run on them.
func Examine(dataDir string, rebuild bool) (d Diagnosis, err error) {
	s, err := openRecords(dataDir)
	if err != nil {
		return d, err
	}
	defer s.Close()
	return examine(s, rebuild)
}

// openRecords opens the records of a data folder on which no service runs.
func openRecords(dataDir string) (*store.Store, error) {
	site, err := LoadSite(dataDir)
	if err != nil {
		return nil, err
	}
	calendar, err := shift.New(site.Shifts)
	if err != nil {
		return nil, fmt.Errorf("%s: shifts: %w", SiteFile, err)
	}
	return store.Open(store.Options{Dir: dataDir, Calendar: calendar, PictureLimit: site.Pictures.LimitMB << 20, PassShare: site.Pictures.PassShare})
}

func examine(s *store.Store, rebuild bool) (d Diagnosis, err error) {
	if d.Integrity, err = s.Integrity(); err != nil {
		return d, err
	}
	if rebuild {
		if d.Rebuilt, err = s.RebuildTallies(nil); err != nil {
			return d, err
		}
	}
	d.Differs, err = s.CheckTallies()
	return d, err
}
