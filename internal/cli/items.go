package cli

import (
	"context"
	"fmt"
	"net/url"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/urfave/cli/v3"

	"ricetta/internal/client"
)

// filterFlags choose items; their names are those of the interface's parameters.
func filterFlags() []cli.Flag {
	return []cli.Flag{
		&cli.StringFlag{Name: "station", Usage: "only items of this station"},
		&cli.StringFlag{Name: "line", Usage: "only items of this line"},
		&cli.StringFlag{Name: "product", Usage: "only items of this product"},
		&cli.StringFlag{Name: "shift", Usage: "only items of this shift, as in 2026-11-27/night"},
		&cli.StringFlag{Name: "lot", Usage: "only items of this lot"},
		&cli.StringFlag{Name: "run", Usage: "only items of this run"},
		&cli.StringFlag{Name: "route", Usage: "only items with this route"},
		&cli.StringFlag{Name: "reason", Usage: "only items with this reason"},
		&cli.BoolFlag{Name: "not-passed", Usage: "only items that did not pass"},
		&cli.StringFlag{Name: "from", Usage: "not before this time, as in 2026-03-02T06:00:00Z"},
		&cli.StringFlag{Name: "until", Usage: "before this time"},
	}
}

func filterQuery(c *cli.Command) url.Values {
	q := client.Query("station", c.String("station"), "product", c.String("product"), "route", c.String("route"),
		"reason", c.String("reason"), "line", c.String("line"), "shift", c.String("shift"), "lot", c.String("lot"), "run", c.String("run"), "from", c.String("from"), "until", c.String("until"))
	if c.Bool("not-passed") {
		q.Set("not_passed", "true")
	}
	return q
}

func itemsCommand() *cli.Command {
	return &cli.Command{
		Name: "items", Usage: "list and show recorded items", Action: unknownCommand,
		Commands: []*cli.Command{
			{
				Name: "list", Usage: "recorded items, newest first",
				Flags: append(filterFlags(), serverFlag(), jsonFlag(),
					&cli.IntFlag{Name: "limit", Value: 20, Usage: "how many at most, 1 to 500"},
					&cli.StringFlag{Name: "cursor", Usage: "go on after an earlier list"},
					&cli.BoolFlag{Name: "faults", Usage: "only items with a fault"}),
				Action: onService(listItems),
			},
			{
				Name: "export", Usage: "write all items that fit into a file, with their readings", UsageText: "items export FILE.csv   (or FILE.jsonl)",
				Flags: append(filterFlags(), serverFlag(), jsonFlag(), quietFlag()), Action: onService(exportItems),
			},
			{
				Name: "review", Usage: "say what an item truly was: right or wrong is the verdict by that", UsageText: "items review ITEM good|bad|unsaid",
				Flags:  []cli.Flag{serverFlag(), jsonFlag(), &cli.StringFlag{Name: "note", Usage: "why"}, &cli.StringFlag{Name: "who", Usage: "your name", Sources: cli.EnvVars("RICETTA_WHO", "USER")}},
				Action: onService(reviewItem),
			},
			{Name: "show", Usage: "one item with everything found", UsageText: "items show ITEM   (as in line1-top.123)", Flags: []cli.Flag{serverFlag(), jsonFlag()}, Action: onService(showItem)},
		},
	}
}

func listItems(ctx context.Context, c *cli.Command, s *client.Client) error {
	if n := c.Int("limit"); n < 1 || n > 500 {
		return usagef("--limit is %d; give 1 to 500 and go on with --cursor", n)
	}
	q := filterQuery(c)
	q.Set("limit", client.Int(c.Int("limit")))
	if v := c.String("cursor"); v != "" {
		q.Set("cursor", v)
	}
	if c.Bool("faults") {
		q.Set("faults", "true")
	}
	page, err := s.Items(ctx, q)
	if err != nil {
		return err
	}
	out := c.Root().Writer
	if c.Bool("json") {
		return printJSON(out, page)
	}
	if len(page.Items) == 0 {
		line(out, "No items fit. Leave out a filter, or start a station: ricetta station start STATION")
		return nil
	}
	t := newTable(out, "item", "time", "route", "reason", "ms", "picture", "says")
	right(t, 5)
	for _, it := range page.Items {
		kept := ""
		if it.Picture {
			kept = "kept"
		}
		t.AppendRow(table.Row{it.ID, clock(it.Time), routeMark(out, it.Route, it.Fault != ""), it.Reason, fmt.Sprintf("%.1f", it.TookMS), kept, it.Sentence})
	}
	t.Render()
	if page.Next != "" {
		line(out, "\nMore: ricetta items list --cursor %s (with the same filters)", page.Next)
	}
	return nil
}

func showItem(ctx context.Context, c *cli.Command, s *client.Client) error {
	id, err := oneArg(c, "the id of an item")
	if err != nil {
		return err
	}
	it, err := s.Item(ctx, id)
	if err != nil {
		return err
	}
	out := c.Root().Writer
	if c.Bool("json") {
		return printJSON(out, it)
	}
	line(out, "%s  %s  %s", it.ID, routeMark(out, it.Route, it.Fault != ""), it.Sentence)
	line(out, "%s · %s %s · judged in %.1f ms, %.1f ms after the trigger\n", clock(it.Time), it.Product, short(it.Revision), it.TookMS, it.DelayMS)
	printFindings(out, it.Findings)
	return nil
}

func reviewItem(ctx context.Context, c *cli.Command, s *client.Client) error {
	if c.NArg() != 2 {
		return usagef("give an item and what it was, as in: items review line1-top.123 good")
	}
	id, word := c.Args().Get(0), c.Args().Get(1)
	out := c.Root().Writer
	switch word {
	case "good", "bad":
		r, err := s.Review(ctx, id, word == "good", c.String("who"), c.String("note"))
		if err != nil {
			return err
		}
		if c.Bool("json") {
			return printJSON(out, r)
		}
		line(out, "%s is marked as %s", id, word)
		return nil
	case "unsaid":
		it, err := s.Unreview(ctx, id)
		if err != nil {
			return err
		}
		if c.Bool("json") {
			return printJSON(out, it)
		}
		line(out, "%s is not marked any more", id)
		return nil
	}
	return usagef("%q is not what an item can be; write good, bad, or unsaid to take it back", word)
}
