package cli

import (
	"context"
	"fmt"
	"io"
	"maps"
	"slices"
	"strings"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/urfave/cli/v3"

	"ricetta/internal/api"
	"ricetta/internal/client"
)

func lineCommand() *cli.Command {
	flags := func(more ...cli.Flag) []cli.Flag { return append(more, serverFlag(), jsonFlag()) }
	one := func(name, usage, args string, more []cli.Flag, f func(ctx context.Context, c *cli.Command, s *client.Client) (api.Line, error)) *cli.Command {
		return &cli.Command{
			Name: name, Usage: usage, UsageText: "line " + name + " " + args, Flags: flags(more...),
			Action: onService(func(ctx context.Context, c *cli.Command, s *client.Client) error {
				l, err := f(ctx, c, s)
				if err != nil {
					return err
				}
				if c.Bool("json") {
					return printJSON(c.Root().Writer, l)
				}
				printLine(c.Root().Writer, l)
				return nil
			}),
		}
	}
	named := func(f func(ctx context.Context, c *cli.Command, s *client.Client, id string) (api.Line, error)) func(context.Context, *cli.Command, *client.Client) (api.Line, error) {
		return func(ctx context.Context, c *cli.Command, s *client.Client) (api.Line, error) {
			id, err := oneArg(c, "the id of a line")
			if err != nil {
				return api.Line{}, err
			}
			return f(ctx, c, s, id)
		}
	}
	cleared := &cli.BoolFlag{Name: "cleared", Usage: "nothing lies on the belt unseen: nothing is rejected for that"}
	who := &cli.StringFlag{Name: "who", Usage: "who changes over", Sources: cli.EnvVars("USER")}
	return &cli.Command{
		Name: "line", Usage: "list, show, start and stop lines, change them over, list their runs, set up their signals", Action: unknownCommand,
		Commands: append([]*cli.Command{
			{Name: "list", Usage: "all lines and what they pack", Flags: flags(), Action: onService(listLines)},
			one("show", "one line", "LINE", nil, named(func(ctx context.Context, _ *cli.Command, s *client.Client, id string) (api.Line, error) {
				return s.Line(ctx, id)
			})),
			one("start", "start a line, or release a held one", "[--cleared] LINE", []cli.Flag{cleared}, named(func(ctx context.Context, c *cli.Command, s *client.Client, id string) (api.Line, error) {
				return s.StartLine(ctx, id, c.Bool("cleared"))
			})),
			one("stop", "stop a line and its belt", "LINE", nil, named(func(ctx context.Context, _ *cli.Command, s *client.Client, id string) (api.Line, error) {
				return s.StopLine(ctx, id)
			})),
			one("trigger", "take the package that lies at the trigger now", "LINE", nil, named(func(ctx context.Context, _ *cli.Command, s *client.Client, id string) (api.Line, error) {
				return s.TriggerLine(ctx, id)
			})),
			one("change", "change a line over, from the next package on: to a product, the number of an order, or a code", "[--order FILE] LINE PRODUCT|ORDER|CODE", []cli.Flag{orderFlag(), who}, changeLine),
			{Name: "orders", Usage: "the orders that can be packed", Flags: flags(), Action: onService(listOrders)},
			{Name: "runs", Usage: "the runs of a line with their counts", UsageText: "line runs LINE", Flags: flags(), Action: onService(listRuns)},
		}, signalCommands(flags)...),
	}
}

func changeLine(ctx context.Context, c *cli.Command, s *client.Client) (api.Line, error) {
	if c.Args().Len() != 2 {
		return api.Line{}, usagef("line change wants the id of a line and the code of a product, as in line change line1 pencil-tin-12")
	}
	order, err := orderOf(c)
	if err != nil {
		return api.Line{}, err
	}
	return s.ChangeLine(ctx, c.Args().Get(0), c.Args().Get(1), order, c.String("who"), "terminal")
}

func listLines(ctx context.Context, c *cli.Command, s *client.Client) error {
	list, err := s.Lines(ctx)
	if err != nil {
		return err
	}
	out := c.Root().Writer
	if c.Bool("json") {
		return printJSON(out, list)
	}
	t := newTable(out, "line", "status", "product", "lot", "run", "packages", "yield", "rework", "reject", "faults", "look at")
	right(t, 5, 6, 7, 8, 9, 10)
	for _, l := range list.Lines {
		product, lot, run := "–", "", "–"
		if l.Run != nil {
			product, lot, run = l.Run.Product, l.Run.Order["lot"], fmt.Sprint(l.Run.ID)
		}
		n := l.Counters
		t.AppendRow(table.Row{l.ID, l.Status, product, lot, run, n.Packages, share(n.Routes["pass"], n.Packages), n.Routes["rework"], n.Routes["reject"], n.Faults, l.Why})
	}
	t.Render()
	return nil
}

func printLine(w io.Writer, l api.Line) {
	line(w, "%s  %s", l.ID, l.Name)
	t := newTable(w)
	row := func(name string, v any) { t.AppendRow(table.Row{name, v}) }
	row("status", fmt.Sprintf("%s since %s", l.Status, clock(l.Since)))
	if l.Why != "" {
		row("look at", l.Why)
	}
	if r := l.Run; r != nil {
		row("packs", r.Product)
		keys := make([]string, 0, len(r.Order))
		for k := range r.Order {
			keys = append(keys, k)
		}
		slices.Sort(keys)
		for _, k := range keys {
			row("  "+k, r.Order[k])
		}
		row("run", fmt.Sprintf("%d since %s, by %s", r.ID, clock(r.Begin), whoBy(*r)))
	}
	row("packages", l.Counters.Packages)
	printRoutes(row, l.Counters.Routes, l.Counters.Packages)
	row("faults", l.Counters.Faults)
	row("not confirmed", l.Counters.Unconfirmed)
	row("under way", fmt.Sprintf("%d packages between trigger and last ejector", l.Underway))
	for _, s := range l.Stations {
		row("station", s)
	}
	t.Render()
}

func whoBy(r api.Run) string {
	if r.Who == "" {
		return r.By
	}
	return r.Who + ", " + r.By
}

// printRoutes prints how many took each route.
func printRoutes(row func(string, any), routes map[string]int64, of int64) {
	names := make([]string, 0, len(routes))
	for r := range routes {
		names = append(names, r)
	}
	slices.Sort(names)
	for _, r := range names {
		row("  "+r, fmt.Sprintf("%d (%s)", routes[r], share(routes[r], of)))
	}
}

func listOrders(ctx context.Context, c *cli.Command, s *client.Client) error {
	list, err := s.Orders(ctx)
	if err != nil {
		return err
	}
	out := c.Root().Writer
	if c.Bool("json") {
		return printJSON(out, list)
	}
	if len(list.Orders) == 0 {
		line(out, "There are no orders; put them into orders.csv in the data folder, with the columns order, product, lot, …")
		return nil
	}
	t := newTable(out, "order", "product", "with")
	for _, o := range list.Orders {
		var with []string
		for _, n := range slices.Sorted(maps.Keys(o.Order)) {
			if n != "order" {
				with = append(with, n+" "+o.Order[n])
			}
		}
		t.AppendRow(table.Row{o.Number, o.Product, strings.Join(with, ", ")})
	}
	t.Render()
	return nil
}

func listRuns(ctx context.Context, c *cli.Command, s *client.Client) error {
	id, err := oneArg(c, "the id of a line")
	if err != nil {
		return err
	}
	page, err := s.Runs(ctx, id, nil)
	if err != nil {
		return err
	}
	out := c.Root().Writer
	if c.Bool("json") {
		return printJSON(out, page)
	}
	t := newTable(out, "run", "product", "lot", "begin", "end", "by", "packages", "yield", "rework", "reject", "faults")
	right(t, 1, 7, 8, 9, 10, 11)
	for _, r := range page.Runs {
		end := "goes on"
		if r.End != nil {
			end = clock(*r.End)
		}
		n := r.Counters
		t.AppendRow(table.Row{r.ID, r.Product, r.Order["lot"], clock(r.Begin), end, whoBy(r), n.Packages, share(n.Routes["pass"], n.Packages), n.Routes["rework"], n.Routes["reject"], n.Faults})
	}
	t.Render()
	return nil
}
