package app

import (
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"sync"

	"github.com/goccy/go-yaml"

	"ricetta/internal/disk"
	"ricetta/internal/station"
)

// CamerasFile keeps how the cameras are set, by station, in the data folder. People set
// them in the console; what they wrote into SiteFile stays theirs.
const CamerasFile = "cameras.yaml"

// cameras is CamerasFile.
type cameras struct {
	path string
	mu   sync.Mutex
	by   map[string]station.CameraSettings
}

func loadCameras(dataDir string) (*cameras, error) {
	c := &cameras{path: filepath.Join(dataDir, CamerasFile), by: map[string]station.CameraSettings{}}
	data, err := os.ReadFile(c.path)
	if errors.Is(err, fs.ErrNotExist) {
		return c, nil
	}
	if err != nil {
		return nil, err
	}
	if err := yaml.UnmarshalWithOptions(data, &c.by, yaml.DisallowUnknownField()); err != nil {
		return nil, fmt.Errorf("%s: %s", c.path, yaml.FormatError(err, false, true))
	}
	return c, nil
}

// keep writes the settings of one camera beside the others.
func (c *cameras) keep(stationID string, s station.CameraSettings) error {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.by[stationID] = s
	data, err := yaml.Marshal(c.by)
	if err != nil {
		return err
	}
	return disk.Write(c.path, data, 0o644)
}
