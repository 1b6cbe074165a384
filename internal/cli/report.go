package cli

import (
	"context"
	"fmt"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"time"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/urfave/cli/v3"

	"ricetta/internal/client"
	"ricetta/internal/statistics"
)

func reportCommand() *cli.Command {
	flags := func(more ...cli.Flag) []cli.Flag {
		return append(more, serverFlag(), jsonFlag(), &cli.StringFlag{Name: "out", Usage: "write it into this file; its ending says how: .pdf, .csv or .xlsx"})
	}
	return &cli.Command{
		Name: "report", Usage: "what there is to say of a shift, a run or a station", Action: unknownCommand,
		Commands: []*cli.Command{
			{
				Name: "shift", Usage: "of a shift; the last one that is over, if none is named", UsageText: "report shift [--out FILE] [SHIFT]   (as in 2026-11-27/night)", Flags: flags(),
				Action: onService(func(ctx context.Context, c *cli.Command, s *client.Client) error {
					key := "last"
					if c.NArg() > 0 {
						key = c.Args().First()
					}
					return printReport(ctx, c, s, statistics.OfShift, client.Query("shift", key))
				}),
			},
			{
				Name: "run", Usage: "of a run, by its number", UsageText: "report run [--out FILE] RUN   (see ricetta line runs)", Flags: flags(),
				Action: onService(func(ctx context.Context, c *cli.Command, s *client.Client) error {
					id, err := oneArg(c, "the number of a run")
					if err != nil {
						return err
					}
					return printReport(ctx, c, s, statistics.OfRun, client.Query("run", id))
				}),
			},
			{
				Name: "station", Usage: "of a station in a span, if none is given of the last seven days", UsageText: "report station [--from TIME] [--until TIME] [--out FILE] STATION",
				Flags: flags(&cli.StringFlag{Name: "from", Usage: "from this time, as in 2026-03-02T06:00:00Z"}, &cli.StringFlag{Name: "until", Usage: "until this time; now if it is absent"}),
				Action: onService(func(ctx context.Context, c *cli.Command, s *client.Client) error {
					id, err := oneArg(c, "the id of a station")
					if err != nil {
						return err
					}
					from, until := c.String("from"), c.String("until")
					if until == "" {
						until = time.Now().UTC().Format(time.RFC3339)
					}
					if from == "" {
						from = time.Now().UTC().AddDate(0, 0, -7).Format(time.RFC3339)
					}
					return printReport(ctx, c, s, statistics.OfStation, client.Query("station", id, "from", from, "until", until))
				}),
			},
		},
	}
}

func printReport(ctx context.Context, c *cli.Command, s *client.Client, of string, q url.Values) error {
	out := c.Root().Writer
	if file := c.String("out"); file != "" {
		format := strings.TrimPrefix(filepath.Ext(file), ".")
		if format == "" {
			return usagef("--out is %q; end it with .pdf, .csv or .xlsx", file)
		}
		data, err := s.ReportFile(ctx, of, format, q)
		if err != nil {
			return err
		}
		if err := os.WriteFile(file, data, 0o644); err != nil { //nolint:gosec // the user's own file
			return err
		}
		line(out, "%s is written", file)
		return nil
	}
	r, err := s.Report(ctx, of, q)
	if err != nil {
		return err
	}
	if c.Bool("json") {
		return printJSON(out, r)
	}
	k := r.Total.Counts
	line(out, "%s, %s to %s", r.Title, clock(r.From), clock(r.Until))
	line(out, "%d inspected, %d passed (%.2f %%), %d reworked, %d rejected, %d of them faults", k.Inspected, k.Passed, 100*r.Total.Yield, k.Reworked, k.Rejected, k.Faults)
	line(out, "beside the 30 days before: %s", verdictWords[r.Total.Verdict])
	if r.FalseRejects.Of+r.Missed.Of > 0 {
		line(out, "reviewed: %d of %d rejects false, %d of %d passes missed", r.FalseRejects.N, r.FalseRejects.Of, r.Missed.N, r.Missed.Of)
	}
	line(out, "")
	t := newTable(out, "station", "inspected", "not passed", "passed", "", "main reason")
	right(t, 2, 3, 4)
	for _, g := range r.Stations {
		t.AppendRow(table.Row{g.Name, g.Counts.Inspected, g.Counts.Inspected - g.Counts.Passed, fmt.Sprintf("%.2f %%", 100*g.Yield), verdictWords[g.Verdict], g.Top})
	}
	t.Render()
	line(out, "")
	t = newTable(out, "reason", "items", "share", "so far")
	right(t, 2, 3, 4)
	for _, b := range r.Reasons {
		t.AppendRow(table.Row{b.Reason, b.Count, fmt.Sprintf("%.1f %%", 100*b.Share), fmt.Sprintf("%.1f %%", 100*b.Sum)})
	}
	t.Render()
	for _, s := range r.Trend {
		if len(s.Point.Rules) > 0 {
			line(out, "stands out: %s, %.2f %% did not pass", s.Name, 100*s.Point.Value)
		}
	}
	if len(r.Alarms) > 0 {
		line(out, "%s; see ricetta alarm history", many(len(r.Alarms), "alarm"))
	}
	return nil
}

// verdictWords say a comparison with what was before.
var verdictWords = map[string]string{"higher": "more rejects, by more than chance", "lower": "fewer rejects, by more than chance", "chance": "may be chance", "too_few": "too few to say"}
