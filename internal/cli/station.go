package cli

import (
	"context"
	"fmt"
	"io"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/urfave/cli/v3"

	"ricetta/core/check"
	"ricetta/internal/api"
	"ricetta/internal/client"
)

func stationCommand() *cli.Command {
	flags := func() []cli.Flag { return []cli.Flag{serverFlag(), jsonFlag()} }
	one := func(name, usage string, f func(ctx context.Context, s *client.Client, id string) (api.Station, error)) *cli.Command {
		return &cli.Command{
			Name: name, Usage: usage, UsageText: "station " + name + " STATION", Flags: flags(),
			Action: onService(func(ctx context.Context, c *cli.Command, s *client.Client) error {
				id, err := oneArg(c, "the id of a station")
				if err != nil {
					return err
				}
				st, err := f(ctx, s, id)
				if err != nil {
					return err
				}
				if c.Bool("json") {
					return printJSON(c.Root().Writer, st)
				}
				printStation(c.Root().Writer, st)
				return nil
			}),
		}
	}
	return &cli.Command{
		Name: "station", Usage: "list, show, start and stop stations, give them what is released", Action: unknownCommand,
		Commands: []*cli.Command{
			{Name: "list", Usage: "all stations and how they do", Flags: flags(), Action: onService(listStations)},
			one("show", "one station", func(ctx context.Context, s *client.Client, id string) (api.Station, error) { return s.Station(ctx, id) }),
			one("start", "start the line of a station, or release a held one", func(ctx context.Context, s *client.Client, id string) (api.Station, error) { return s.Start(ctx, id) }),
			cameraCommand(),
			stationCalibrateCommand(),
			useCommand(one),
			one("stop", "stop the line of a station, and its belt", func(ctx context.Context, s *client.Client, id string) (api.Station, error) { return s.Stop(ctx, id) }),
		},
	}
}

// useCommand gives a station what is released, and tells it what is packed.
func useCommand(one func(name, usage string, f func(ctx context.Context, s *client.Client, id string) (api.Station, error)) *cli.Command) *cli.Command {
	var order check.Order
	c := one("use", "run the released revision of the station's product from the next item on", func(ctx context.Context, s *client.Client, id string) (api.Station, error) {
		return s.UseFor(ctx, id, "", order)
	})
	c.UsageText = "station use [--order FILE] STATION"
	c.Flags = append(c.Flags, orderFlag())
	c.Before = func(ctx context.Context, c *cli.Command) (context.Context, error) {
		var err error
		order, err = orderOf(c)
		return ctx, err
	}
	return c
}

func listStations(ctx context.Context, c *cli.Command, s *client.Client) error {
	list, err := s.Stations(ctx)
	if err != nil {
		return err
	}
	out := c.Root().Writer
	if c.Bool("json") {
		return printJSON(out, list)
	}
	t := newTable(out, "station", "line", "status", "product", "inspected", "yield", "rework", "reject", "faults", "last")
	right(t, 5, 6, 7, 8, 9)
	for _, st := range list.Stations {
		last := "–"
		if st.Last != nil {
			last = routeMark(out, st.Last.Route, st.Last.Fault != "") + "  " + st.Last.Sentence
		}
		n := st.Counters
		t.AppendRow(table.Row{st.ID, st.Line, status(st), st.Product, n.Inspected, share(n.Routes["pass"], n.Inspected), n.Routes["rework"], n.Routes["reject"], n.Faults, last})
	}
	t.Render()
	return nil
}

func status(st api.Station) string {
	if st.Why != "" {
		return st.Status + " (!)"
	}
	return st.Status
}

func printStation(w io.Writer, st api.Station) {
	line(w, "%s  %s, %s, role %s", st.ID, st.Name, st.Line, st.Role)
	t := newTable(w)
	row := func(name string, v any) { t.AppendRow(table.Row{name, v}) }
	row("status", fmt.Sprintf("%s since %s", st.Status, clock(st.Since)))
	if st.Why != "" {
		row("look at", st.Why)
	}
	row("recipe", fmt.Sprintf("%s %s", st.Product, short(st.Revision)))
	if k := st.Calibration; k != nil {
		row("one pixel", fmt.Sprintf("%.6g mm", k.MMPerPx))
	}
	row("inspected", st.Counters.Inspected)
	printRoutes(row, st.Counters.Routes, st.Counters.Inspected)
	row("faults", st.Counters.Faults)
	row("not recorded", st.Counters.NotRecorded)
	for _, w := range st.Watched {
		allowed := "not watched"
		if w.Allowed > 0 {
			allowed = fmt.Sprintf("allowed are %g %%", w.Allowed)
		}
		off := ""
		if w.Off {
			off = ", off"
		}
		row("picture "+w.Name, fmt.Sprintf("%+.1f %% from the reference (%s)%s", w.Percent, allowed, off))
	}
	if st.Last != nil {
		row("last item", fmt.Sprintf("%s  %s  %s", st.Last.ID, routeMark(w, st.Last.Route, st.Last.Fault != ""), st.Last.Sentence))
	}
	t.Render()
}
