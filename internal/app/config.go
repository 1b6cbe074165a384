package app

import (
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"github.com/goccy/go-yaml"

	"ricetta/core/check"
	"ricetta/core/recipe"
	"ricetta/internal/catalog"
	"ricetta/internal/folder"
	"ricetta/internal/line"
	"ricetta/internal/links"
	"ricetta/internal/links/modbus"
	"ricetta/internal/links/mqtt"
	"ricetta/internal/links/textline"
	"ricetta/internal/links/webhook"
	"ricetta/internal/plant"
	"ricetta/internal/remoteio"
	"ricetta/internal/shift"
	"ricetta/internal/source"
	"ricetta/internal/station"
)

// SiteFile is the configuration's name in the data folder.
const SiteFile = "site.yaml"

// Site is the configuration: what stands in the hall.
type Site struct {
	Name     string            `yaml:"site"`
	Pictures PictureConfig     `yaml:"pictures"`
	Items    ItemsConfig       `yaml:"items,omitempty"`
	Shifts   shift.Config      `yaml:"shifts,omitempty"`
	Reports  []ReportConfig    `yaml:"reports,omitempty"`
	Disk     DiskConfig        `yaml:"disk,omitempty"`
	Products []catalog.Product `yaml:"products,omitempty"`
	Lines    []LineConfig      `yaml:"lines,omitempty"`
	Tags     []links.Tag       `yaml:"tags,omitempty"`
	Links    LinksConfig       `yaml:"links,omitempty"`
	Stations []StationConfig   `yaml:"stations"`
}

// PictureConfig says which pictures are kept.
type PictureConfig struct {
	LimitMB   int64 `yaml:"limit_mb"`       // of all pictures together
	PassShare int64 `yaml:"pass_share"`     // one passed item in so many keeps its picture
	Days      int64 `yaml:"days,omitempty"` // how long a picture is kept at most; 0: as long as there is room
}

// LinksConfig says how machines round the lines talk to this service.
type LinksConfig struct {
	TextLine *textline.Config `yaml:"textline,omitempty"`
	Modbus   *modbus.Config   `yaml:"modbus,omitempty"`
	MQTT     *mqtt.Config     `yaml:"mqtt,omitempty"`
	Webhooks []webhook.Config `yaml:"webhooks,omitempty"`
}

// LineConfig is a line with what moves it.
type LineConfig struct {
	line.Config `yaml:",inline"`
	Order       folder.OrderText `yaml:"order,omitempty"` // what is packed when it starts for the first time
	ChangeBy    *ChangeBy        `yaml:"change_by,omitempty"`
	Belt        BeltConfig       `yaml:"belt,omitempty"`
	sources     []SourceConfig   // of its stations
}

// BeltConfig says what a line is connected to: a line of the simulated plant, or a module of
// inputs and outputs; without one, a clock stands for its encoder.
type BeltConfig struct {
	Plant  *plant.LineConfig      `yaml:"plant,omitempty"`
	Modbus *remoteio.ModbusConfig `yaml:"modbus,omitempty"`
}

// StationConfig is a station with what it is connected to. One that stands alone on its line
// may say here what else the line would.
type StationConfig struct {
	station.Config `yaml:",inline"`
	Source         SourceConfig `yaml:"source,omitempty"`

	Product  string                  `yaml:"product,omitempty"`
	Order    folder.OrderText        `yaml:"order,omitempty"`
	Every    int64                   `yaml:"every,omitempty"`
	Ejectors map[string]line.Ejector `yaml:"ejectors,omitempty"`
}

// alone reports whether the station says what a line would.
func (c *StationConfig) alone() bool {
	return c.Product != "" || c.Order != nil || c.Every != 0 || c.Ejectors != nil || c.Source.Plant != nil
}

// SourceConfig says where the pictures of a station are: a folder, or an address that answers
// with one. A station on a line of the simulated plant needs none; one that stands alone names
// the plant's line here.
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
	if err := errors.Join(s.Disk.validate(), s.validateKeeping(), s.validateReports()); err != nil {
		return err
	}
	seen := map[string]bool{}
	lines := map[string]int{}
	for i := range s.Lines {
		l := &s.Lines[i]
		if _, twice := lines[l.ID]; twice {
			return fmt.Errorf("two lines are called %s; give each its own id", l.ID)
		}
		lines[l.ID] = i
		l.Config.Order = check.Order(l.Order)
	}
	named := len(s.Lines)
	for i := range s.Stations {
		st := &s.Stations[i]
		if seen[st.ID] {
			return fmt.Errorf("two stations are called %s; give each its own id", st.ID)
		}
		seen[st.ID] = true
		if t := st.Source.TimeoutMS; t < 0 || t > 60_000 {
			return fmt.Errorf("station %s: timeout_ms is %d; give 1 to 60000", st.ID, t)
		}
		if st.Line == "" {
			st.Line = st.ID
		}
		at, ok := lines[st.Line]
		switch {
		case ok && at >= named:
			return fmt.Errorf("two stations stand on %s; describe it under lines, with its trigger and ejectors", st.Line)
		case ok && st.alone():
			return fmt.Errorf("station %s says what its line says under lines already; take product, order, every, ejectors and plant out of one of them", st.ID)
		case !ok:
			at = len(s.Lines)
			lines[st.Line] = at
			s.Lines = append(s.Lines, LineConfig{
				Config: line.Config{
					ID: st.Line, Name: st.Line, Product: st.Product, Order: check.Order(st.Order),
					Trigger: line.Trigger{By: line.Encoder, Every: st.Every}, Ejectors: st.Ejectors,
				},
				Belt: BeltConfig{Plant: st.Source.Plant},
			})
		}
		l := &s.Lines[at]
		if given := st.Source.Config.Given(); given == (l.Belt.Plant != nil) {
			return fmt.Errorf("station %s needs one source; give it source: {folder: {path: …}}, {http: {address: …}} or a line of the plant", st.ID)
		}
		l.Config.Stations = append(l.Config.Stations, st.Config)
		l.sources = append(l.sources, st.Source)
	}
	for i := range s.Lines {
		l := &s.Lines[i]
		if l.Belt == (BeltConfig{}) && len(l.Config.Stations) > 0 {
			source.Complete(&l.Config)
		}
		if err := l.Validate(); err != nil {
			return err
		}
		if p := l.Belt.Plant; p != nil && p.Controller != nil && (s.Links.TextLine == nil || s.Links.Modbus == nil) {
			return fmt.Errorf("line %s: its controller speaks by text lines and Modbus; describe both under links", l.ID)
		}
		if by := l.ChangeBy; by != nil {
			known := slices.ContainsFunc(s.Stations, func(c StationConfig) bool { return c.ID == by.Station })
			if !known || !strings.Contains(by.Text, ".") {
				return fmt.Errorf("line %s: change_by needs a station and a text of it, as in {station: line1-top, text: sheet.text}", l.ID)
			}
		}
		if m := l.Belt.Modbus; m != nil {
			if l.Belt.Plant != nil {
				return fmt.Errorf("line %s: its belt is a line of the plant and a module; keep one", l.ID)
			}
			if err := m.Validate(l.Config); err != nil {
				return fmt.Errorf("line %s: belt: modbus: %w", l.ID, err)
			}
		}
	}
	return nil
}

// simulated reports whether anything here is.
func (s *Site) simulated() bool {
	return slices.ContainsFunc(s.Lines, func(c LineConfig) bool { return c.Belt.Plant != nil })
}

// demoSite is the configuration of the demo plant.
func demoSite() *Site {
	s := &Site{Name: "Cartoleria Fiordaliso", Pictures: PictureConfig{LimitMB: 1024, PassShare: 25}}
	s.Shifts = shift.Config{
		Zone:      "Europe/Rome",
		Calendars: []shift.Calendar{{From: "2025-01-01", Pattern: shift.Three, Week: []string{"mon", "tue", "wed", "thu", "fri", "sat"}}},
		Holidays:  []string{"2025-12-25", "2025-12-26", "2026-01-01", "2026-01-06", "2026-04-06", "2026-05-01", "2026-06-02", "2026-08-15", "2026-12-08", "2026-12-25", "2026-12-26"},
	}
	s.Links = LinksConfig{TextLine: &textline.Config{Listen: "127.0.0.1:0"}, Modbus: &modbus.Config{Listen: "127.0.0.1:0"}}
	s.Tags = []links.Tag{
		{Name: "line7-rejected", Line: "line7", Counter: recipe.Reject, Modbus: &links.Register{At: 1000, As: "int32"}},
		{Name: "line7-route", Line: "line7", Verdict: "route", Modbus: &links.Register{At: 1002, As: "int32"}},
		{Name: "tips", Station: "line1-top", Reading: "tips.count", Modbus: &links.Register{At: 1004}},
		{Name: "tips-least", Station: "line1-top", Limit: "tips.count.least", Write: &links.Bounds{Least: 10, Most: 12}, Modbus: &links.Register{At: 1006}},
	}
	for _, l := range append(plant.Lines(), plant.Controlled()) {
		s.Lines = append(s.Lines, LineConfig{Config: l.Config(), Belt: BeltConfig{Plant: &l.LineConfig}})
		for _, st := range l.Stations {
			// Drawing a picture takes longer than a camera does, the more so on a busy machine.
			s.Stations = append(s.Stations, StationConfig{Config: st, Source: SourceConfig{TimeoutMS: 2000}})
		}
	}
	return s
}
