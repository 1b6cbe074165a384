package app

import (
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"

	"github.com/goccy/go-yaml"

	"ricetta/demo"
	"ricetta/internal/workbench"
)

// InstallDemo fills a data folder with the demo plant's configuration and recipes.
// What is there already stays as it is.
func InstallDemo(dataDir string) error {
	if err := os.MkdirAll(dataDir, 0o750); err != nil {
		return fmt.Errorf("the data folder cannot be made: %w", err)
	}
	text, err := yaml.Marshal(demoSite())
	if err != nil {
		return err
	}
	head := "# The demo plant: two lines of colored-pencil tins, one each of watercolor trays, glue sticks, masking tape and lids, and one of two stations that a simulated line controller runs. Distances are encoder counts of 0.1 mm.\n"
	if err := writeNew(filepath.Join(dataDir, SiteFile), append([]byte(head), text...)); err != nil {
		return err
	}
	return fs.WalkDir(demo.Recipes, "recipes", func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		data, err := demo.Recipes.ReadFile(path)
		if err != nil {
			return err
		}
		to := filepath.Join(dataDir, workbench.DraftsDir, filepath.FromSlash(strings.TrimPrefix(path, "recipes/")))
		if err := os.MkdirAll(filepath.Dir(to), 0o750); err != nil {
			return err
		}
		return writeNew(to, data)
	})
}

func writeNew(path string, data []byte) error {
	f, err := os.OpenFile(path, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o640)
	if errors.Is(err, fs.ErrExist) {
		return nil
	}
	if err != nil {
		return err
	}
	_, err = f.Write(data)
	return errors.Join(err, f.Close())
}
