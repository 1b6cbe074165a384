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
)

// What people set at a station while setting it up, by station, in the data folder. What
// they wrote into SiteFile stays theirs.
const (
	CamerasFile      = "cameras.yaml"
	CalibrationsFile = "calibrations.yaml"
)

// kept is one of these files.
type kept[T any] struct {
	path string
	mu   sync.Mutex
	by   map[string]T
}

func loadKept[T any](dataDir, name string) (*kept[T], error) {
	k := &kept[T]{path: filepath.Join(dataDir, name), by: map[string]T{}}
	data, err := os.ReadFile(k.path)
	if errors.Is(err, fs.ErrNotExist) {
		return k, nil
	}
	if err != nil {
		return nil, err
	}
	if err := yaml.UnmarshalWithOptions(data, &k.by, yaml.DisallowUnknownField()); err != nil {
		return nil, fmt.Errorf("%s: %s", k.path, yaml.FormatError(err, false, true))
	}
	return k, nil
}

// keep writes what belongs to one station beside the others; nil takes it away.
func (k *kept[T]) keep(stationID string, v *T) error {
	k.mu.Lock()
	defer k.mu.Unlock()
	if v == nil {
		delete(k.by, stationID)
	} else {
		k.by[stationID] = *v
	}
	data, err := yaml.Marshal(k.by)
	if err != nil {
		return err
	}
	return disk.Write(k.path, data, 0o644)
}
