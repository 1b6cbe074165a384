package main

import (
	"bytes"
	"context"
	"fmt"
	"image/jpeg"
	"os"
	"path/filepath"
	"time"

	"ricetta/core/raster"
	"ricetta/core/trial"
	"ricetta/internal/folder"
	"ricetta/internal/plant"
)

// benchTrial runs the recipe of eight checks over a hundred samples, as JPEG files: once
// when they have just been added, and once when nothing of them was decoded before.
func benchTrial(t table) error {
	dir, err := os.MkdirTemp("", "ricetta-trial")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir) //nolint:errcheck // a temporary folder
	if err := os.Setenv("RICETTA_CACHE", filepath.Join(dir, "cache")); err != nil {
		return err
	}
	plan, err := eightPlan()
	if err != nil {
		return err
	}
	samples, err := folder.ReadSamples(dir)
	if err != nil {
		return err
	}
	const n = 100
	for i := range int64(n) {
		var b bytes.Buffer
		if err := jpeg.Encode(&b, plant.Draw(77, i, plant.Rates{}).Picture().Image(), &jpeg.Options{Quality: 88}); err != nil {
			return err
		}
		if _, err := samples.Add(fmt.Sprintf("tin-%d.jpg", i), b.Bytes(), trial.Label{Route: "pass"}); err != nil {
			return err
		}
	}
	once := func() (time.Duration, error) {
		begin := time.Now()
		report, err := trial.Run(context.Background(), plan, samples.TrialSamples(raster.DefaultDecodeLimits), trial.Options{})
		if err == nil && report.Broken > 0 {
			err = fmt.Errorf("%d samples could not be read", report.Broken)
		}
		return time.Since(begin), err
	}
	least := time.Hour
	for range rounds {
		d, err := once()
		if err != nil {
			return err
		}
		least = min(least, d)
	}
	const target = 1.0
	t.row(fmt.Sprintf("trial of 8 checks over %d samples 1280×960 color, reading them included", n), fmt.Sprintf("%.2f s", least.Seconds()), fmt.Sprintf("≤ %g s", target), least.Seconds()/target, least.Seconds() <= target)
	if err := os.RemoveAll(filepath.Join(dir, "cache")); err != nil {
		return err
	}
	if err := os.Mkdir(filepath.Join(dir, "cache"), 0o700); err != nil {
		return err
	}
	d, err := once()
	if err != nil {
		return err
	}
	fmt.Fprintf(t.w, "  the same when every JPEG file is decoded anew\t%.2f s\t\t\t\n", d.Seconds())
	return nil
}
