package app

import (
	"context"
	"fmt"
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

// diskLook is how often the disk is looked at.
const diskLook = 5 * time.Second

// watchDisk tells when the disk of the data folder is nearly full, until ctx ends.
func (a *App) watchDisk(ctx context.Context) {
	t := time.NewTicker(diskLook)
	defer t.Stop()
	for {
		a.lookAtDisk(a.site.Disk)
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
