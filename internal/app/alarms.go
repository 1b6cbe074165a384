package app

import (
	"context"
	"fmt"
	"strings"
	"time"

	"ricetta/internal/alarm"
	"ricetta/internal/disk"
	"ricetta/internal/line"
)

// DiskConfig says when the disk of the data folder counts as nearly full.
type DiskConfig struct {
	// FreeMB is how much must be free; 512 if it is 0.
	FreeMB int64 `yaml:"free_mb,omitempty"`
	// Act is warn, the usual, or hold: hold stops all lines.
	Act string `yaml:"act,omitempty"`
}

func (c DiskConfig) validate() error {
	if c.FreeMB < 0 {
		return fmt.Errorf("disk: free_mb is %d; give 0 or more", c.FreeMB)
	}
	if c.Act != "" && c.Act != line.Warn && c.Act != line.Hold {
		return fmt.Errorf("disk: act is %q; give %s or %s", c.Act, line.Warn, line.Hold)
	}
	return nil
}

func (c DiskConfig) least() int64 {
	if c.FreeMB == 0 {
		return 512
	}
	return c.FreeMB
}

// look is how often disk and links are looked at.
const look = 5 * time.Second

// watchHouse tells when the disk of the data folder is nearly full, and when a link is in trouble,
// until ctx ends.
func (a *App) watchHouse(ctx context.Context) {
	t := time.NewTicker(look)
	defer t.Stop()
	was := false
	for {
		a.lookAtDisk(a.site.Disk)
		was = a.lookAtLinks(was)
		select {
		case <-t.C:
		case <-ctx.Done():
			return
		}
	}
}

func (a *App) lookAtDisk(c DiskConfig) {
	free, _, err := disk.Free(a.opts.DataDir)
	if err == nil && free>>20 >= c.least() {
		a.alarms.Clear("", "", alarm.Disk)
		return
	}
	text := fmt.Sprintf("the disk of the data folder has %d MB left, and should have %d; make room, or keep fewer pictures (pictures: limit_mb)", free>>20, c.least())
	if err != nil {
		text = err.Error()
	}
	a.alarms.Raise(alarm.Alarm{Kind: alarm.Disk, Text: text})
	if c.Act == line.Hold {
		for _, u := range a.units {
			u.Hold(text)
		}
	}
}

// lookAtLinks raises an alarm for trouble that was there at the last look too: a broker that
// starts anew is none.
func (a *App) lookAtLinks(was bool) bool {
	var says []string
	for _, l := range a.links {
		if s := l.State(); s.Trouble != "" {
			says = append(says, s.Name+": "+s.Trouble)
		}
	}
	switch {
	case len(says) == 0:
		a.alarms.Clear("", "", alarm.Link)
	case was:
		a.alarms.Raise(alarm.Alarm{Kind: alarm.Link, Text: strings.Join(says, "; ") + "; see the page Links"})
	}
	return len(says) > 0
}
