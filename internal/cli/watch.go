package cli

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"strings"

	"github.com/urfave/cli/v3"

	"ricetta/internal/api"
	"ricetta/internal/client"
)

func watchCommand() *cli.Command {
	return &cli.Command{
		Name: "watch", Usage: "see live what the stations judge",
		UsageText: "watch [STATION]",
		Flags: []cli.Flag{
			serverFlag(),
			&cli.BoolFlag{Name: "json", Usage: "print each event as a line of JSON"},
			&cli.BoolFlag{Name: "not-passed", Usage: "only items that did not pass"},
			&cli.IntFlag{Name: "count", Usage: "end after so many items"},
		},
		Action: onService(watch),
	}
}

// errEnough ends watching.
var errEnough = errors.New("enough")

func watch(ctx context.Context, c *cli.Command, s *client.Client) error {
	if c.NArg() > 1 {
		return usagef("watch takes one station at most; as in: ricetta %s", c.UsageText)
	}
	w := &watcher{out: c.Root().Writer, json: c.Bool("json"), badOnly: c.Bool("not-passed"), left: c.Int("count"), stations: map[string]api.Station{}}
	w.live = isTerminal(w.out) && !w.json
	err := s.Live(ctx, c.Args().First(), func(e api.Event) error {
		if e.Kind == client.Reset {
			list, err := s.Stations(ctx)
			if err != nil {
				return err
			}
			for _, st := range list.Stations {
				if id := c.Args().First(); id == "" || id == st.ID {
					w.see(st)
				}
			}
			return nil
		}
		return w.event(e)
	})
	w.clear()
	if errors.Is(err, errEnough) {
		return nil
	}
	return err
}

// watcher prints items as they come; on a terminal, the stations' counters stay in
// the last lines.
type watcher struct {
	out      io.Writer
	json     bool
	live     bool
	badOnly  bool
	left     int // 0: no end
	stations map[string]api.Station
	order    []string
	footer   int // lines printed below the items
}

func (w *watcher) see(st api.Station) {
	old, known := w.stations[st.ID]
	if !known {
		w.order = append(w.order, st.ID)
	}
	w.stations[st.ID] = st
	if !w.live && !w.json && (!known || old.Status != st.Status || old.Why != st.Why) {
		line(w.out, "%s", w.counters(st))
	}
	w.draw()
}

func (w *watcher) event(e api.Event) error {
	if w.json {
		data, err := json.Marshal(e)
		if err != nil {
			return err
		}
		if e.Kind == "item" || !w.badOnly {
			line(w.out, "%s", data)
		}
	}
	if e.Station != nil {
		w.see(*e.Station)
	}
	if e.Item == nil || w.badOnly && e.Item.Route == "pass" {
		return nil
	}
	if !w.json {
		w.clear()
		line(w.out, "%s  %-16s  %-10s  %s", e.Item.Time.Local().Format("15:04:05"), e.Item.ID, routeMark(w.out, e.Item.Route, e.Item.Fault != ""), e.Item.Sentence)
		w.draw()
	}
	if w.left > 0 {
		if w.left--; w.left == 0 {
			return errEnough
		}
	}
	return nil
}

func (w *watcher) counters(st api.Station) string {
	n := st.Counters
	s := fmt.Sprintf("%-12s %-8s %6d inspected   yield %-7s %4d rework %5d reject %4d faults", st.ID, st.Status, n.Inspected,
		share(n.Routes["pass"], n.Inspected), n.Routes["rework"], n.Routes["reject"], n.Faults)
	if st.Why != "" {
		s += "\n  ! " + st.Why
	}
	return s
}

func (w *watcher) clear() {
	if w.live && w.footer > 0 {
		fmt.Fprintf(w.out, "\x1b[%dA\x1b[J", w.footer)
		w.footer = 0
	}
}

func (w *watcher) draw() {
	if !w.live {
		return
	}
	w.clear()
	var rows []string
	for _, id := range w.order {
		rows = append(rows, strings.Split(w.counters(w.stations[id]), "\n")...)
	}
	rows = append([]string{strings.Repeat("─", 78)}, rows...)
	line(w.out, "%s", strings.Join(rows, "\n"))
	w.footer = len(rows)
}
