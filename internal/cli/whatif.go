package cli

import (
	"context"
	"fmt"
	"strconv"
	"strings"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/urfave/cli/v3"

	"ricetta/internal/api"
	"ricetta/internal/client"
)

func whatIfCommand() *cli.Command {
	return &cli.Command{
		Name: "what-if", Usage: "what other limits would have made of the items of the past",
		UsageText: "recipe what-if --limit CHECK.READING.BOUND=VALUE PRODUCT/ROLE   (as in --limit tips.count.least=11)",
		Flags: []cli.Flag{
			serverFlag(), jsonFlag(), quietFlag(),
			&cli.StringSliceFlag{Name: "limit", Usage: "a limit of the draft to move, as in tips.count.least=11; nothing after the = takes it away"},
			&cli.StringFlag{Name: "station", Usage: "only items of this station"},
			&cli.StringFlag{Name: "shift", Usage: "only items of this shift, as in 2026-11-27/night"},
			&cli.StringFlag{Name: "until-shift", Usage: "and of all shifts up to this one"},
			&cli.StringFlag{Name: "from", Usage: "from the shift of this time on, as in 2026-03-02T06:00:00Z"},
			&cli.StringFlag{Name: "until", Usage: "up to the shift of this time"},
			&cli.IntFlag{Name: "list", Value: 20, Usage: "how many of the changed items are listed"},
			&cli.BoolFlag{Name: "pictures", Usage: "judge the pictures that are kept, and not the readings"},
			&cli.BoolFlag{Name: "draft", Usage: "make the moved limits the draft, after that"},
			&cli.StringFlag{Name: "who", Usage: "your name", Sources: cli.EnvVars("RICETTA_WHO", "USER")},
		},
		Action: onService(whatIf),
	}
}

// limitMoves reads CHECK.READING.BOUND=VALUE.
func limitMoves(list []string) ([]api.LimitMove, error) {
	out := []api.LimitMove{}
	for _, s := range list {
		name, value, ok := strings.Cut(s, "=")
		parts := strings.Split(name, ".")
		if !ok || len(parts) != 3 {
			return nil, usagef("%q moves no limit; write it as in tips.count.least=11", s)
		}
		m := api.LimitMove{Check: parts[0], Reading: parts[1], Bound: parts[2]}
		if value != "" {
			v, err := strconv.ParseFloat(value, 64)
			if err != nil {
				return nil, usagef("%q is no number", value)
			}
			m.Value = &v
		}
		out = append(out, m)
	}
	return out, nil
}

func whatIf(ctx context.Context, c *cli.Command, s *client.Client) error {
	k, err := oneKey(c)
	if err != nil {
		return err
	}
	moves, err := limitMoves(c.StringSlice("limit"))
	if err != nil {
		return err
	}
	if c.Bool("draft") && len(moves) == 0 {
		return usagef("--draft needs a limit to move")
	}
	in := map[string]any{"limits": moves, "station": c.String("station"), "shift": c.String("shift"), "until_shift": c.String("until-shift"), "from": c.String("from"), "until": c.String("until"), "list": c.Int("list")}
	var a api.WhatIf
	if c.Bool("pictures") {
		each, finish := counting(c, "pictures")
		a, err = s.WhatIfPictures(ctx, k, in, each)
		finish()
	} else {
		a, err = s.WhatIf(ctx, k, in)
	}
	if err != nil {
		return err
	}
	out := c.Root().Writer
	if c.Bool("json") {
		if err := printJSON(out, a); err != nil {
			return err
		}
	} else {
		printWhatIf(c, a, len(moves) > 0)
	}
	if !c.Bool("draft") {
		return nil
	}
	d, err := s.MoveLimits(ctx, k, moves, c.String("who"))
	if err == nil && !c.Bool("json") {
		line(out, "\nThe draft of %s has the moved limits. Try it on the samples: ricetta trial --of %s", k, k)
		for _, p := range d.Problems {
			line(out, "problem: %s", p)
		}
	}
	return err
}

func printWhatIf(c *cli.Command, a api.WhatIf, moved bool) {
	out := c.Root().Writer
	what := "readings"
	if c.Bool("pictures") {
		what = "pictures"
	}
	changed := 0
	for _, x := range a.Changes {
		changed += x.N
	}
	line(out, "%d items judged anew from their %s in %.0f ms: %d would have gone elsewhere (passed: %d before, %d then)", a.Items, what, a.TookMS, changed, a.Before["pass"], a.After["pass"])
	if a.Faults > 0 {
		line(out, "%s stay faults: no limit decided on them", many(a.Faults, "item"))
	}
	if a.Unclear > 0 && !c.Bool("pictures") {
		line(out, "%s were judged by a revision that looks at pictures otherwise; only the pictures can tell: add --pictures", many(a.Unclear, "item"))
	}
	if len(a.Changes) > 0 {
		line(out, "")
		t := newTable(out, "from", "to", "items", "marked good", "marked bad")
		right(t, 3, 4, 5)
		for _, x := range a.Changes {
			t.AppendRow(table.Row{routeMark(out, x.From, false), routeMark(out, x.To, false), x.N, x.Good, x.Bad})
		}
		t.Render()
		line(out, "")
		t = newTable(out, "item", "time", "from", "to", "marked", "says")
		for _, x := range a.List {
			says := x.WithSentence
			if x.To == "pass" {
				says = fmt.Sprintf("was: %s", x.Sentence)
			}
			t.AppendRow(table.Row{x.ID, clock(x.Time), routeMark(out, x.Route, x.Fault != ""), routeMark(out, x.To, false), x.Review, says})
		}
		t.Render()
	}
	if moved {
		return
	}
	line(out, "\nLimits that can be moved with --limit:")
	for _, l := range a.Limits {
		for _, b := range []struct {
			word string
			v    *float64
		}{{"least", l.Least}, {"most", l.Most}, {"nominal", l.Nominal}, {"tolerance", l.Tolerance}} {
			if b.v != nil {
				line(out, "  %s.%s.%s=%s %s", l.Check, l.Reading, b.word, number(*b.v), l.Unit)
			}
		}
	}
}
