package app

import (
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"

	"github.com/goccy/go-yaml"

	"ricetta/core/check"
	"ricetta/internal/folder"
	"ricetta/internal/plant"
	"ricetta/internal/source"
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
	Source         SourceConfig     `yaml:"source"`
	Order          folder.OrderText `yaml:"order,omitempty"` // what is packed when it starts
}

// SourceConfig says where belt, pictures and outputs of a station are: one of a line of the
// simulated plant, a folder of pictures, and an address that answers with one.
type SourceConfig struct {
	Plant         *plant.LineConfig `yaml:"plant,omitempty"`
	source.Config `yaml:",inline"`
	// TimeoutMS bounds how long a picture may take; half a second if it is 0.
	TimeoutMS int64 `yaml:"timeout_ms,omitempty"`
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
	for i := range s.Stations {
		st := &s.Stations[i]
		st.Config.Order = check.Order(st.Order)
		if st.Source.Plant == nil {
			source.Complete(&st.Config)
		}
		if err := st.Validate(); err != nil {
			return err
		}
		if seen[st.ID] {
			return fmt.Errorf("two stations are called %s; give each its own id", st.ID)
		}
		seen[st.ID] = true
		if given := st.Source.Config.Given(); given == (st.Source.Plant != nil) {
			return fmt.Errorf("station %s needs one source; give it source: {folder: {path: …}}, {http: {address: …}} or {plant: …}", st.ID)
		}
		if t := st.Source.TimeoutMS; t < 0 || t > 60_000 {
			return fmt.Errorf("station %s: timeout_ms is %d; give 1 to 60000", st.ID, t)
		}
	}
	return nil
}

// simulated reports whether anything here is.
func (s *Site) simulated() bool {
	return slices.ContainsFunc(s.Stations, func(c StationConfig) bool { return c.Source.Plant != nil })
}

// demoSite is the configuration of the demo plant.
func demoSite() *Site {
	s := &Site{Name: "Cartoleria Fiordaliso", Pictures: PictureConfig{LimitMB: 1024, PassShare: 25}}
	for _, l := range plant.Lines() {
		s.Stations = append(s.Stations, StationConfig{Config: l.StationConfig(), Source: SourceConfig{Plant: &l}})
	}
	return s
}
