package app

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"time"

	"ricetta/internal/backup"
	"ricetta/internal/store"
)

// ItemsConfig says how long items are kept. Tallies are kept for good.
type ItemsConfig struct {
	Days    int64 `yaml:"days,omitempty"`     // 0: for good
	LimitMB int64 `yaml:"limit_mb,omitempty"` // of the database; 0: none
}

func (s *Site) retention() store.Retention {
	const day = 24 * time.Hour
	return store.Retention{Items: time.Duration(s.Items.Days) * day, Pictures: time.Duration(s.Pictures.Days) * day, Bytes: s.Items.LimitMB << 20}
}

func (s *Site) validateKeeping() error {
	for _, x := range []struct {
		name string
		v    int64
	}{{"items: days", s.Items.Days}, {"items: limit_mb", s.Items.LimitMB}, {"pictures: days", s.Pictures.Days}} {
		if x.v < 0 || x.v > 100_000_000 {
			return fmt.Errorf("%s is %d; give 0 (for good) or more", x.name, x.v)
		}
	}
	return nil
}

// How often it is looked for records that are older than they are kept.
const (
	firstSweep = time.Minute
	sweepEvery = 10 * time.Minute
)

// clearOut deletes records that are older than they are kept, until ctx ends.
func (a *App) clearOut(ctx context.Context) {
	r := a.site.retention()
	if r == (store.Retention{}) {
		return
	}
	full := false
	for next := firstSweep; ; next = sweepEvery {
		select {
		case <-ctx.Done():
			return
		case <-time.After(next):
		}
		out, err := a.store.Sweep(ctx, r, time.Now())
		switch {
		case errors.Is(err, context.Canceled):
			return
		case err != nil:
			a.opts.Log.Warn("old records were not deleted", "error", err)
		case out.Items+out.Pictures+out.Packages > 0:
			a.opts.Log.Info("old records were deleted; their tallies stay", "items", out.Items, "packages", out.Packages, "pictures", out.Pictures, "writer held up at most", out.Longest.Round(time.Millisecond))
		}
		if out.Full && !full {
			a.opts.Log.Warn("the records are larger than items: limit_mb in site.yaml, and only those of the last day are left; raise it", "limit_mb", a.site.Items.LimitMB)
		}
		full = out.Full
	}
}

// Backup writes the data folder into w while the service runs.
func (a *App) Backup(ctx context.Context, w io.Writer, pictures bool) error {
	return backup.Write(ctx, w, backup.Source{Dir: a.opts.DataDir, Database: store.FileName, PicturesDir: store.PicturesDir, Snapshot: a.store.Snapshot},
		backup.Manifest{Format: backup.Format, Site: a.site.Name, Version: a.opts.Version, Time: time.Now().UTC().Truncate(time.Second), Pictures: pictures})
}

// Restored is what a backup was found to hold.
type Restored struct {
	backup.Manifest
	Diagnosis
	Items int64 `json:"items"`
}

// Restore takes a backup out into a folder that is not there yet, and looks whether all of it is as
// it was: every file by its sum, the database by its own check, and the tallies by the items.
func Restore(file, dir string, each func(done, of int64)) (out Restored, err error) {
	m, err := backup.Extract(file, dir, each)
	if err != nil {
		return out, err
	}
	out.Manifest = *m
	s, err := openRecords(dir)
	if err != nil {
		return out, err
	}
	defer s.Close()
	if out.Diagnosis, err = examine(s, false); err != nil {
		return out, err
	}
	out.Items, err = s.Count()
	return out, err
}

// removeLeftovers removes what a backup left behind that was cut off.
func removeLeftovers(dir string) {
	left, _ := filepath.Glob(filepath.Join(dir, ".backup-*"))
	for _, p := range left {
		_ = os.RemoveAll(p)
	}
}
