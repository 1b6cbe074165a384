package app

import (
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"

	"github.com/goccy/go-yaml"

	"ricetta/internal/plant"
	"ricetta/internal/station"
)

// SiteFile is the configuration's name in the data folder.
const SiteFile = "site.yaml"

// Site is the configuration: what stands in the hall.
type Site struct {
	Name     string          `yaml:"site"`
	Pictures PictureConfig   `yaml:"pictures"`
	Stations []StationConfig `yaml:"stations"`
}

// PictureConfig says which pictures are kept.
type PictureConfig struct {
	LimitMB   int64 `yaml:"limit_mb"`   // of all pictures together
	PassShare int64 `yaml:"pass_share"` // one passed item in so many keeps its picture
}

// StationConfig is a station with what it is connected to.
type StationConfig struct {
	station.Config `yaml:",inline"`
	Source         SourceConfig `yaml:"source"`
}

// SourceConfig says where belt, pictures and outputs of a station are. The simulated
// plant is the only one so far.
type SourceConfig struct {
	Plant *plant.LineConfig `yaml:"plant"`
}

// LoadSite reads the configuration from the data folder.
func LoadSite(dataDir string) (*Site, error) {
	path := filepath.Join(dataDir, SiteFile)
	data, err := os.ReadFile(path)
	if errors.Is(err, fs.ErrNotExist) {
		return nil, fmt.Errorf("there is no %s in %s; name another folder with --data, or make one with demo data: ricetta demo --data %s", SiteFile, dataDir, dataDir)
	}
	if err != nil {
		return nil, err
	}
	s := &Site{}
	if err := yaml.UnmarshalWithOptions(data, s, yaml.DisallowUnknownField()); err != nil {
		return nil, fmt.Errorf("%s: %s", path, yaml.FormatError(err, false, true))
	}
	if err := s.validate(); err != nil {
		return nil, fmt.Errorf("%s: %w", path, err)
	}
	return s, nil
}

func (s *Site) validate() error {
	if len(s.Stations) == 0 {
		return errors.New("there are no stations; describe at least one")
	}
	seen := map[string]bool{}
	for _, st := range s.Stations {
		if err := st.Validate(); err != nil {
			return err
		}
		if seen[st.ID] {
			return fmt.Errorf("two stations are called %s; give each its own id", st.ID)
		}
		seen[st.ID] = true
		if st.Source.Plant == nil {
			return fmt.Errorf("station %s has no source; give it source: {plant: …}", st.ID)
		}
	}
	return nil
}

// demoSite is the configuration of the demo plant.
func demoSite() *Site {
	s := &Site{Name: "Cartoleria Fiordaliso", Pictures: PictureConfig{LimitMB: 1024, PassShare: 25}}
	for _, l := range plant.Lines() {
		s.Stations = append(s.Stations, StationConfig{Config: l.StationConfig(), Source: SourceConfig{Plant: &l}})
	}
	return s
}
