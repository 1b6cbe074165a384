package cli

import (
	"context"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/urfave/cli/v3"

	"ricetta/internal/client"
)

func tallyCommand() *cli.Command {
	return &cli.Command{
		Name: "tally", Usage: "count recorded items by their fields",
		UsageText: "tally --by station,route --from 2026-03-02T06:00:00Z",
		Flags: append(filterFlags(), serverFlag(), jsonFlag(),
			&cli.StringFlag{Name: "by", Value: "station,route,reason", Usage: "fields to count by: hour, shift, day, week, team, line, station, product, revision, run, lot, route, reason, fault"}),
		Action: onService(tally),
	}
}

func tally(ctx context.Context, c *cli.Command, s *client.Client) error {
	q := filterQuery(c)
	q.Set("by", c.String("by"))
	list, err := s.Tally(ctx, q)
	if err != nil {
		return err
	}
	out := c.Root().Writer
	if c.Bool("json") {
		return printJSON(out, list)
	}
	head := make([]any, 0, len(list.By)+2)
	for _, b := range list.By {
		head = append(head, b)
	}
	t := newTable(out, append(head, "items", "share")...)
	right(t, len(list.By)+1, len(list.By)+2)
	for _, x := range list.Tallies {
		row := table.Row{}
		for _, b := range list.By {
			v := x.Key[b]
			if b == "revision" {
				v = short(v)
			}
			row = append(row, v)
		}
		t.AppendRow(append(row, x.Count, share(x.Count, list.Total)))
	}
	t.Render()
	line(out, "\n%d items", list.Total)
	return nil
}
