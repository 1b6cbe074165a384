package app

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"time"

	"ricetta/internal/disk"
	"ricetta/internal/report"
	"ricetta/internal/shift"
	"ricetta/internal/statistics"
)

// ReportConfig says which reports are written by themselves, when a shift or a run is over.
type ReportConfig struct {
	Of string `yaml:"of"` // shift or run
	// Folder takes the files; relative to the data folder. Without one, webhooks alone are told.
	Folder  string   `yaml:"folder,omitempty"`
	Formats []string `yaml:"formats,omitempty"` // pdf, csv, xlsx
}

func (c ReportConfig) validate() error {
	if c.Of != statistics.OfShift && c.Of != statistics.OfRun {
		return fmt.Errorf("reports: of is %q; choose from %s, %s", c.Of, statistics.OfShift, statistics.OfRun)
	}
	for _, f := range c.Formats {
		if report.MediaType(f) == "" {
			return fmt.Errorf("reports: %q is no format; choose from %v", f, report.Formats)
		}
	}
	if (c.Folder == "") != (len(c.Formats) == 0) {
		return errors.New("reports: folder and formats belong together; give both, or none to tell webhooks alone")
	}
	return nil
}

func (s *Site) validateReports() error {
	for _, c := range s.Reports {
		if err := c.validate(); err != nil {
			return err
		}
	}
	return nil
}

// When reports are looked after: what is over must be recorded to the end first.
const (
	reportsEvery = 20 * time.Second
	reportsAfter = 2 * time.Minute
	mostMissed   = 20 // reports that are written of the time when the service did not run
)

// reporting writes reports when what they are of is over, until ctx ends.
func (a *App) reporting(ctx context.Context) {
	if len(a.site.Reports) == 0 {
		return
	}
	for {
		if err := a.reportsDue(time.Now().Add(-reportsAfter)); err != nil {
			a.opts.Log.Warn("reports are late; they are tried again", "error", err)
		}
		select {
		case <-ctx.Done():
			return
		case <-time.After(reportsEvery):
		}
	}
}

// reportsDue writes the reports of what was over before a time. How far they are is kept, so that
// each is written once, also when the service stood meanwhile.
func (a *App) reportsDue(until time.Time) error {
	for _, of := range []string{statistics.OfShift, statistics.OfRun} {
		if !slices.ContainsFunc(a.site.Reports, func(c ReportConfig) bool { return c.Of == of }) {
			continue
		}
		mark := "reported " + of
		since, known, err := a.store.Remembered(mark)
		if err != nil {
			return err
		}
		if !known { // what was before is not reported
			if err := a.store.Remember(mark, until.UnixMilli()); err != nil {
				return err
			}
			continue
		}
		due, err := a.due(of, time.UnixMilli(since), until)
		if err != nil {
			return err
		}
		for _, d := range due[max(0, len(due)-mostMissed):] {
			if err := a.report(d.ask); err != nil && !errors.Is(err, statistics.ErrNoReport) {
				return err
			}
			if err := a.store.Remember(mark, d.over.UnixMilli()+1); err != nil {
				return err
			}
		}
	}
	return nil
}

// dueReport is one that is to be written.
type dueReport struct {
	ask  statistics.Ask
	over time.Time
}

func (a *App) due(of string, since, until time.Time) (out []dueReport, err error) {
	if of == statistics.OfShift {
		for _, x := range a.store.Shifts(since, until) {
			if x.Name != shift.None && !x.End.Before(since) && x.End.Before(until) {
				out = append(out, dueReport{statistics.Ask{Of: of, Shift: x.Key}, x.End})
			}
		}
		return out, nil
	}
	runs, err := a.store.RunsEnded(since, until)
	for _, r := range runs {
		out = append(out, dueReport{statistics.Ask{Of: of, Run: r.ID}, r.End})
	}
	slices.SortFunc(out, func(x, y dueReport) int { return x.over.Compare(y.over) })
	return out, err
}

// report writes one report into all folders that want it, and tells the webhooks.
func (a *App) report(ask statistics.Ask) error {
	ask.Now = time.Now()
	r, err := statistics.Make(a.store, ask)
	if err != nil {
		return err
	}
	t := report.Tally{Report: r, Site: a.site.Name, Zone: a.calendar.Zone(), Made: ask.Now, Version: a.opts.Version}
	files := []string{}
	for _, c := range a.site.Reports {
		if c.Of != ask.Of || c.Folder == "" {
			continue
		}
		dir := c.Folder
		a.inData(&dir)
		if err := os.MkdirAll(dir, 0o750); err != nil {
			return err
		}
		for _, f := range c.Formats {
			var b bytes.Buffer
			if err := t.Write(&b, f); err != nil {
				return err
			}
			name := t.FileName() + "." + f
			if err := disk.Write(filepath.Join(dir, name), b.Bytes(), 0o640); err != nil {
				return err
			}
			files = append(files, name)
		}
	}
	a.opts.Log.Info("a report is written", "of", r.Title, "files", len(files))
	reasons := map[string]int64{}
	for _, b := range r.Reasons[:min(len(r.Reasons), 5)] {
		reasons[b.Reason] = b.Count
	}
	data := map[string]any{
		"of": r.Of, "key": r.Key, "title": r.Title, "from": r.From, "until": r.Until, "counts": r.Total.Counts, "share_passed": strconv.FormatFloat(r.Total.Yield, 'f', 5, 64),
		"says": r.Total.Verdict, "reasons": reasons, "files": files,
	}
	for _, w := range a.webhooks {
		w.Report(r.Until, data)
	}
	return nil
}
