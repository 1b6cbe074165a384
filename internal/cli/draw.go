package cli

import (
	"fmt"
	"image/color"
	"image/png"
	"os"
	"path/filepath"
	"strings"

	"ricetta/core/check"
	"ricetta/core/inspect"
	"ricetta/core/raster"
	"ricetta/internal/figures"
)

// drawer writes judged pictures with what was found drawn over them.
type drawer struct {
	dir  string
	used map[string]bool // names given
}

func newDrawer(dir string) (*drawer, error) {
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return nil, fmt.Errorf("the folder for drawings cannot be made: %w", err)
	}
	return &drawer{dir, map[string]bool{}}, nil
}

// draw writes the picture of file as PNG of the same name; of two files with one name
// the second gets a number.
func (d *drawer) draw(file string, pic raster.Picture, v *inspect.Result) (err error) {
	base := strings.TrimSuffix(filepath.Base(file), filepath.Ext(file))
	name := base + ".png"
	for n := 2; d.used[name]; n++ {
		name = fmt.Sprintf("%s-%d.png", base, n)
	}
	d.used[name] = true
	w, h := pic.Size()
	c := figures.New(pic, 0, 0, float64(w), float64(h), w, h)
	for _, f := range v.Findings {
		c.Marks(f.Marks)
	}
	row := 20.0
	c.Text(10, row, v.Route+": "+v.Sentence, color.White)
	for _, f := range v.Findings {
		if f.Outcome != check.OK && f.Check != v.Reason {
			row += 18
			c.Text(10, row, f.Outcome.String()+"  "+f.Check+": "+string(f.Sentence), color.White)
		}
	}
	to, err := os.Create(filepath.Join(d.dir, name)) //nolint:gosec // the user names the folder
	if err != nil {
		return fmt.Errorf("a drawing cannot be written: %w", err)
	}
	defer func() {
		if e := to.Close(); err == nil {
			err = e
		}
	}()
	return png.Encode(to, c.Image)
}
