package cli

import (
	"context"
	"errors"
	"time"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/urfave/cli/v3"

	"ricetta/internal/client"
)

func linkCommand() *cli.Command {
	flags := func() []cli.Flag { return []cli.Flag{serverFlag(), jsonFlag()} }
	return &cli.Command{
		Name: "link", Usage: "show the links to machines outside, and what goes over them", Action: unknownCommand,
		Commands: []*cli.Command{
			{Name: "list", Usage: "the links and how they stand", Flags: flags(), Action: onService(listLinks)},
			{Name: "watch", Usage: "what goes out and comes in, as it does", UsageText: "link watch [NAME]", Flags: flags(), Action: onService(watchLinks)},
		},
	}
}

func listLinks(ctx context.Context, c *cli.Command, s *client.Client) error {
	list, err := s.Links(ctx)
	if err != nil {
		return err
	}
	out := c.Root().Writer
	if c.Bool("json") {
		return printJSON(out, list)
	}
	if len(list.Links) == 0 {
		line(out, "There are no links; describe them in site.yaml under links.")
		return nil
	}
	t := newTable(out, "link", "address", "connected", "messages", "look at")
	right(t, 3, 4)
	for _, l := range list.Links {
		t.AppendRow(table.Row{l.Name, l.Address, l.Peers, l.Count, l.Trouble})
	}
	t.Render()
	return nil
}

// watchLinks asks again and again, and prints what is new.
func watchLinks(ctx context.Context, c *cli.Command, s *client.Client) error {
	out := c.Root().Writer
	seen := map[string]int64{}
	for {
		list, err := s.Links(ctx)
		if err != nil {
			if ctx.Err() != nil && errors.Is(err, ctx.Err()) {
				return nil
			}
			return err
		}
		for _, l := range list.Links {
			if name := c.Args().First(); name != "" && name != l.Name {
				continue
			}
			fresh := min(int(l.Count-seen[l.Name]), len(l.Messages))
			seen[l.Name] = l.Count
			for _, m := range l.Messages[len(l.Messages)-fresh:] {
				if c.Bool("json") {
					if err := printJSON(out, m); err != nil {
						return err
					}
					continue
				}
				arrow := "◀"
				if m.Out {
					arrow = "▶"
				}
				line(out, "%s  %s %-9s %-21s  %s", m.Time.Local().Format("15:04:05.000"), arrow, l.Name, m.Peer, m.Text)
			}
		}
		select {
		case <-ctx.Done():
			return nil
		case <-time.After(300 * time.Millisecond):
		}
	}
}
