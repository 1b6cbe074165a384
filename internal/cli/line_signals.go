package cli

import (
	"context"
	"slices"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/urfave/cli/v3"

	"ricetta/internal/api"
	"ricetta/internal/client"
)

// signalCommands show the signals of a line and set them by hand.
func signalCommands(flags func(more ...cli.Flag) []cli.Flag) []*cli.Command {
	words := map[string]*bool{"on": ptr(true), "off": ptr(false), "free": nil}
	board := func(name, usage, args string, n int, f func(ctx context.Context, s *client.Client, a []string) (api.SignalBoard, error)) *cli.Command {
		return &cli.Command{
			Name: name, Usage: usage, UsageText: "line " + name + " " + args, Flags: flags(),
			Action: onService(func(ctx context.Context, c *cli.Command, s *client.Client) error {
				a := c.Args().Slice()
				if len(a) != n {
					return usagef("line %s wants %s", name, args)
				}
				b, err := f(ctx, s, a)
				if err != nil {
					return err
				}
				if c.Bool("json") {
					return printJSON(c.Root().Writer, b)
				}
				printSignals(c, b)
				return nil
			}),
		}
	}
	byHand := func(output bool) func(ctx context.Context, s *client.Client, a []string) (api.SignalBoard, error) {
		return func(ctx context.Context, s *client.Client, a []string) (api.SignalBoard, error) {
			on, ok := words[a[2]]
			if !ok {
				return api.SignalBoard{}, usagef("%q is none of on, off and free", a[2])
			}
			return s.SetSignal(ctx, a[0], a[1], output, on)
		}
	}
	return []*cli.Command{
		board("signals", "the inputs and outputs of a line as they are now", "LINE", 1, func(ctx context.Context, s *client.Client, a []string) (api.SignalBoard, error) {
			return s.Signals(ctx, a[0])
		}),
		board("setup", "begin or end set-up of a stopped line, in which signals are set by hand", "LINE on|off", 2, func(ctx context.Context, s *client.Client, a []string) (api.SignalBoard, error) {
			if !slices.Contains([]string{"on", "off"}, a[1]) {
				return api.SignalBoard{}, usagef("%q is neither on nor off", a[1])
			}
			return s.Setup(ctx, a[0], a[1] == "on")
		}),
		board("force", "set an output by hand, in set-up; free gives it back", "LINE OUTPUT on|off|free", 3, byHand(true)),
		board("simulate", "set what an input means by hand, in set-up; free gives it back", "LINE INPUT on|off|free", 3, byHand(false)),
	}
}

func ptr[T any](v T) *T { return &v }

func printSignals(c *cli.Command, b api.SignalBoard) {
	out := c.Root().Writer
	if b.Setup && b.Until != nil {
		line(out, "SET-UP until %s: signals are set by hand", clock(*b.Until))
	}
	t := newTable(out, "signal", "", "means", "on the wire", "by hand", "since", "went on")
	right(t, 7)
	for _, s := range b.Signals {
		dir, hand := "input", ""
		if s.Output {
			dir = "output"
		}
		if s.Forced {
			hand = "by hand"
		}
		t.AppendRow(table.Row{s.Name, dir, map[bool]string{true: "● on", false: "○ off"}[s.On], map[bool]string{true: "high", false: "low"}[s.High], hand, clock(s.Since), s.Trips})
	}
	t.Render()
}
