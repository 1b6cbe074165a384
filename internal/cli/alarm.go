package cli

import (
	"context"
	"io"
	"net/url"
	"strconv"
	"strings"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/urfave/cli/v3"

	"ricetta/internal/api"
	"ricetta/internal/client"
)

func alarmCommand() *cli.Command {
	flags := func(more ...cli.Flag) []cli.Flag { return append(more, serverFlag(), jsonFlag()) }
	return &cli.Command{
		Name: "alarm", Usage: "show what somebody has to look at, and say that somebody has", Action: unknownCommand,
		Commands: []*cli.Command{
			{Name: "list", Usage: "the alarms whose cause stands, or that nobody has acknowledged", Flags: flags(), Action: onService(listAlarms)},
			{
				Name: "history", Usage: "all alarms, newest first", UsageText: "alarm history [LINE]",
				Flags: flags(), Action: onService(alarmHistory),
			},
			{
				Name: "acknowledge", Usage: "say that somebody has looked", UsageText: "alarm acknowledge [--who NAME] [--note TEXT] NUMBER",
				Flags: flags(
					&cli.StringFlag{Name: "who", Usage: "who has looked", Sources: cli.EnvVars("USER")},
					&cli.StringFlag{Name: "note", Usage: "what it was, and what was done"},
				),
				Action: onService(acknowledgeAlarm),
			},
		},
	}
}

func listAlarms(ctx context.Context, c *cli.Command, s *client.Client) error {
	list, err := s.StandingAlarms(ctx)
	if err != nil {
		return err
	}
	return printAlarms(c, list, list.Alarms, "All is well: no alarm stands, and none waits for somebody.")
}

func alarmHistory(ctx context.Context, c *cli.Command, s *client.Client) error {
	q := url.Values{}
	if id := c.Args().First(); id != "" {
		q.Set("line", id)
	}
	page, err := s.Alarms(ctx, q)
	if err != nil {
		return err
	}
	return printAlarms(c, page, page.Alarms, "There were no alarms.")
}

func acknowledgeAlarm(ctx context.Context, c *cli.Command, s *client.Client) error {
	arg, err := oneArg(c, "the number of an alarm")
	if err != nil {
		return err
	}
	id, err := strconv.ParseInt(arg, 10, 64)
	if err != nil {
		return usagef("%q is not the number of an alarm; alarm list shows them", arg)
	}
	a, err := s.AcknowledgeAlarm(ctx, id, c.String("who"), c.String("note"))
	if err != nil {
		return err
	}
	return printAlarms(c, a, []api.Alarm{a}, "")
}

func printAlarms(c *cli.Command, answer any, alarms []api.Alarm, none string) error {
	out := c.Root().Writer
	if c.Bool("json") {
		return printJSON(out, answer)
	}
	if len(alarms) == 0 {
		line(out, "%s", none)
		return nil
	}
	alarmTable(out, alarms)
	return nil
}

func alarmTable(out io.Writer, alarms []api.Alarm) {
	t := newTable(out, "alarm", "raised", "where", "kind", "did", "stands", "acknowledged", "what")
	right(t, 1)
	for _, a := range alarms {
		where := a.Station
		if where == "" {
			where = a.Line
		}
		if where == "" {
			where = "service"
		}
		did, stands, ack := "warned", "yes", "–"
		if a.Holds {
			did = "held the line"
		}
		if a.Gone != nil {
			stands = "until " + clock(*a.Gone)
		}
		if a.Acknowledged != nil {
			ack = strings.TrimSpace(a.Who + " " + clock(*a.Acknowledged))
		}
		text := a.Text
		if a.Note != "" {
			text += " – " + a.Note
		}
		if a.Times > 1 {
			text += " (" + strconv.FormatInt(a.Times, 10) + " times)"
		}
		t.AppendRow(table.Row{a.ID, clock(a.Raised), where, a.Kind, did, stands, ack, text})
	}
	t.Render()
}
