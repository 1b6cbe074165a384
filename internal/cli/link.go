package cli

import (
	"context"
	"errors"
	"fmt"
	"strconv"
	"time"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/urfave/cli/v3"

	"ricetta/internal/api"
	"ricetta/internal/client"
)

func linkCommand() *cli.Command {
	flags := func(more ...cli.Flag) []cli.Flag { return append(more, serverFlag(), jsonFlag()) }
	who := &cli.StringFlag{Name: "who", Usage: "who writes it", Sources: cli.EnvVars("USER")}
	return &cli.Command{
		Name: "link", Usage: "show the links to machines outside, and what goes over them", Action: unknownCommand,
		Commands: []*cli.Command{
			{Name: "list", Usage: "the links and how they stand", Flags: flags(), Action: onService(listLinks)},
			{Name: "watch", Usage: "what goes out and comes in, as it does", UsageText: "link watch [NAME]", Flags: flags(), Action: onService(watchLinks)},
			{Name: "dead", Usage: "messages that could not be delivered and were given up", Flags: flags(), Action: onService(func(ctx context.Context, c *cli.Command, s *client.Client) error {
				list, err := s.DeadDeliveries(ctx)
				return printDeliveries(c, list, err)
			})},
			{Name: "again", Usage: "try such a message again", UsageText: "link again NUMBER", Flags: flags(), Action: onService(onDelivery((*client.Client).DeliverAgain))},
			{Name: "drop", Usage: "forget such a message", UsageText: "link drop NUMBER", Flags: flags(), Action: onService(onDelivery((*client.Client).DropDelivery))},
			{Name: "tags", Usage: "the tags with what they are now", Flags: flags(), Action: onService(listTags)},
			{Name: "set", Usage: "write a tag that may be written", UsageText: "link set [--who NAME] TAG VALUE", Flags: flags(who), Action: onService(setTag)},
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

// onDelivery does something with the delivery whose number is given.
func onDelivery(f func(*client.Client, context.Context, int64) (api.DeliveryList, error)) func(context.Context, *cli.Command, *client.Client) error {
	return func(ctx context.Context, c *cli.Command, s *client.Client) error {
		arg, err := oneArg(c, "the number of a delivery")
		if err != nil {
			return err
		}
		id, err := strconv.ParseInt(arg, 10, 64)
		if err != nil {
			return usagef("%q is not the number of a delivery; link dead shows them", arg)
		}
		list, err := f(s, ctx, id)
		return printDeliveries(c, list, err)
	}
}

func printDeliveries(c *cli.Command, list api.DeliveryList, err error) error {
	if err != nil {
		return err
	}
	out := c.Root().Writer
	if c.Bool("json") {
		return printJSON(out, list)
	}
	if len(list.Deliveries) == 0 {
		line(out, "No message was given up.")
		return nil
	}
	t := newTable(out, "message", "made", "to", "event", "tries", "why", "what")
	right(t, 1, 5)
	for _, d := range list.Deliveries {
		t.AppendRow(table.Row{d.ID, clock(d.Made), d.To, d.Event, d.Tries, d.Error, d.Body})
	}
	t.Render()
	return nil
}

func listTags(ctx context.Context, c *cli.Command, s *client.Client) error {
	list, err := s.Tags(ctx)
	return printTags(c, list, err)
}

func setTag(ctx context.Context, c *cli.Command, s *client.Client) error {
	if c.Args().Len() != 2 {
		return usagef("link set wants the name of a tag and a number, as in link set tips-least 11")
	}
	v, err := strconv.ParseFloat(c.Args().Get(1), 64)
	if err != nil {
		return usagef("%q is not a number", c.Args().Get(1))
	}
	list, err := s.WriteTag(ctx, c.Args().Get(0), v, c.String("who"))
	return printTags(c, list, err)
}

func printTags(c *cli.Command, list api.TagList, err error) error {
	if err != nil {
		return err
	}
	out := c.Root().Writer
	if c.Bool("json") {
		return printJSON(out, list)
	}
	if len(list.Tags) == 0 {
		line(out, "There are no tags; describe them in site.yaml under tags.")
		return nil
	}
	t := newTable(out, "tag", "value", "since", "may be written", "what")
	right(t, 2)
	for _, v := range list.Tags {
		value, since, write := "–", "", ""
		if v.Valid {
			value = v.Text
		}
		if v.Time != nil {
			since = clock(*v.Time)
		}
		if v.Write != nil {
			write = fmt.Sprintf("%g to %g", v.Write.Least, v.Write.Most)
		}
		t.AppendRow(table.Row{v.Name, value, since, write, v.What})
	}
	t.Render()
	return nil
}
