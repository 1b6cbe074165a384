package cli

import (
	"context"
	"fmt"
	"io"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/urfave/cli/v3"

	"ricetta/internal/api"
	"ricetta/internal/client"
)

func challengeCommand() *cli.Command {
	flags := func(more ...cli.Flag) []cli.Flag { return append(more, serverFlag(), jsonFlag()) }
	one := func(name, usage, args string, more []cli.Flag, f func(ctx context.Context, c *cli.Command, s *client.Client, id string) (api.Line, error)) *cli.Command {
		return &cli.Command{
			Name: name, Usage: usage, UsageText: "challenge " + name + " " + args, Flags: flags(more...),
			Action: onService(func(ctx context.Context, c *cli.Command, s *client.Client) error {
				id, err := oneArg(c, "the id of a line")
				if err != nil {
					return err
				}
				l, err := f(ctx, c, s, id)
				if err != nil {
					return err
				}
				if c.Bool("json") {
					return printJSON(c.Root().Writer, l)
				}
				printProof(c.Root().Writer, l)
				return nil
			}),
		}
	}
	return &cli.Command{
		Name: "challenge", Usage: "prove a line with pieces known to be good and bad", Action: unknownCommand,
		Commands: []*cli.Command{
			one("show", "how a line stands with its challenges, and what to do next", "LINE", nil, func(ctx context.Context, _ *cli.Command, s *client.Client, id string) (api.Line, error) {
				return s.Line(ctx, id)
			}),
			one("begin", "begin a challenge", "[--who NAME] LINE", []cli.Flag{&cli.StringFlag{Name: "who", Usage: "who is there for it", Sources: cli.EnvVars("USER")}}, func(ctx context.Context, c *cli.Command, s *client.Client, id string) (api.Line, error) {
				return s.BeginChallenge(ctx, id, c.String("who"))
			}),
			one("send", "the next package at the trigger is the next piece", "LINE", nil, func(ctx context.Context, _ *cli.Command, s *client.Client, id string) (api.Line, error) {
				return s.SendPiece(ctx, id)
			}),
			one("give-up", "end a challenge that is not finished", "LINE", nil, func(ctx context.Context, _ *cli.Command, s *client.Client, id string) (api.Line, error) {
				return s.GiveUpChallenge(ctx, id)
			}),
			{Name: "list", Usage: "the challenges of a line, newest first", UsageText: "challenge list LINE", Flags: flags(), Action: onService(listChallenges)},
		},
	}
}

func printProof(w io.Writer, l api.Line) {
	line(w, "%s  %s, %s", l.ID, l.Name, l.Status)
	line(w, "%s", proofWords(l))
	c := l.Challenge
	if c == nil {
		return
	}
	line(w, "challenge %d of %s, begun by %s at %s: %s", c.ID, c.Product, c.Who, clock(c.Begin), resultWords[c.Result])
	t := newTable(w, "piece", "nr", "must go to", "went to", "package", "")
	right(t, 5)
	for _, s := range c.Sends {
		t.AppendRow(table.Row{s.Piece, fmt.Sprintf("%d of %d", s.N, s.Of), s.Want, orDash(s.Got), orDash(packageNumber(s.Seq)), sendWords(s.Got, s.Seq, s.OK, s.Says)})
	}
	t.Render()
}

var resultWords = map[string]string{"goes_on": "goes on", "passed": "passed", "failed": "failed", "given_up": "given up"}

func sendWords(got string, seq int64, ok bool, says string) string {
	switch {
	case seq == 0:
		return ""
	case got == "":
		return "on its way"
	case ok:
		return "right"
	}
	return "wrong: " + says
}

func packageNumber(seq int64) string {
	if seq == 0 {
		return ""
	}
	return fmt.Sprint(seq)
}

func orDash(s string) string {
	if s == "" {
		return "–"
	}
	return s
}

// proofWords say how a line stands, and what to do next.
func proofWords(l api.Line) string {
	p := l.Proof
	if !p.Planned {
		return "This line has no challenges; describe them in site.yaml."
	}
	if c := l.Challenge; c != nil && c.Result == "goes_on" {
		for _, s := range c.Sends {
			if s.Seq == 0 {
				what := fmt.Sprintf("%s, %d of %d", s.Piece, s.N, s.Of)
				if p.Armed {
					return "Put it on the belt now, the next package counts: " + what
				}
				return "Next piece: " + what + ". Say challenge send " + l.ID + ", then put it on the belt."
			}
		}
		return "All pieces are sent; the last one is on its way."
	}
	switch {
	case p.Overdue:
		return "A challenge is overdue (" + p.Why + "). Say challenge begin " + l.ID + "."
	case p.Due:
		return fmt.Sprintf("A challenge is due by %s (%s). Say challenge begin %s.", clock(*p.By), p.Why, l.ID)
	case p.By != nil:
		return fmt.Sprintf("Proven; the next challenge is due at %s (%s).", clock(*p.By), p.Why)
	}
	return "Proven."
}

func listChallenges(ctx context.Context, c *cli.Command, s *client.Client) error {
	id, err := oneArg(c, "the id of a line")
	if err != nil {
		return err
	}
	page, err := s.Challenges(ctx, id, nil)
	if err != nil {
		return err
	}
	out := c.Root().Writer
	if c.Bool("json") {
		return printJSON(out, page)
	}
	if len(page.Challenges) == 0 {
		line(out, "There was no challenge of this line yet.")
		return nil
	}
	t := newTable(out, "challenge", "begun", "by", "product", "run", "pieces", "right", "result")
	right(t, 1, 5, 6, 7)
	for _, ch := range page.Challenges {
		ok := 0
		for _, s := range ch.Sends {
			if s.OK {
				ok++
			}
		}
		t.AppendRow(table.Row{ch.ID, clock(ch.Begin), ch.Who, ch.Product, ch.Run, len(ch.Sends), ok, resultWords[ch.Result]})
	}
	t.Render()
	return nil
}
