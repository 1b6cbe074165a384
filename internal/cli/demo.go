package cli

import (
	"context"
	"fmt"
	"io"
	"time"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/schollz/progressbar/v3"
	"github.com/urfave/cli/v3"

	"ricetta/internal/api"
	"ricetta/internal/app"
	"ricetta/internal/plant"
)

func demoCommand(version string) *cli.Command {
	return &cli.Command{
		Name:  "demo",
		Usage: "run the service with the simulated demo plant",
		Flags: append(serveFlags(),
			&cli.BoolFlag{Name: "score", Usage: "run no service: carry pieces as fast as this machine judges, compare with the truth and print it"},
			&cli.IntFlag{Name: "tins", Value: 500, Usage: "with --score: pieces on each line"},
			&cli.DurationFlag{Name: "for", Usage: "stop by itself after this time and print the score"},
			jsonFlag(),
		),
		Action: func(ctx context.Context, c *cli.Command) error { return demo(ctx, c, version) },
	}
}

func demo(ctx context.Context, c *cli.Command, version string) error {
	out := c.Root().Writer
	if c.Bool("score") {
		return score(ctx, c)
	}
	if err := app.InstallDemo(c.String("data")); err != nil {
		return err
	}
	begin := time.Now()
	items, err := app.InstallHistory(c.String("data"), begin, func() {
		line(out, "Making up a year of the plant's past; that takes about half a minute, once.")
	})
	if err != nil {
		return err
	}
	if items > 0 {
		line(out, "%d items in %.0f s; those of the last day are there with their readings and pictures.", items, time.Since(begin).Seconds())
	}
	if d := c.Duration("for"); d > 0 {
		var cancel context.CancelFunc
		ctx, cancel = context.WithTimeout(ctx, d)
		defer cancel()
	}
	var running *app.App
	err = serve(ctx, c, version, func(a *app.App) {
		running = a
		line(out, `
  The demo plant is running at Cartoleria Fiordaliso: two lines of colored-pencil tins,
  one each of watercolor trays, glue sticks, masking tape and lids, and one of two stations
  that a simulated line controller runs, over Modbus TCP and text lines.

    Look at   http://%s
    First     the floor; then open "Line 1" and wait for a reject (one tin in 25);
              then Items, filter "did not pass", and open one.
    Terminal  ricetta station list · ricetta watch · ricetta items list --not-passed
    Data in   %s (kept for the next start)
    Stop      Ctrl-C
`, a.Addr(), c.String("data"))
	})
	if running != nil && err == nil {
		printTruth(out, app.TruthOf(running.Score()))
		for id, r := range running.Reports() {
			line(out, "\nThe line controller of %s saw: %s.", id, r)
			for _, odd := range r.Odd {
				line(out, "  odd: %s", odd)
			}
		}
	}
	return err
}

func score(ctx context.Context, c *cli.Command) error {
	tins := c.Int("tins")
	if tins < 1 || tins > 1_000_000 {
		return usagef("--tins is %d; give 1 to 1000000", tins)
	}
	out, errs := c.Root().Writer, c.Root().ErrWriter
	progress := func() {}
	var bar *progressbar.ProgressBar
	if isTerminal(errs) {
		bar = progressbar.NewOptions(len(plant.Lines())*tins, progressbar.OptionSetWriter(errs), progressbar.OptionSetDescription("pieces"),
			progressbar.OptionShowCount(), progressbar.OptionClearOnFinish(), progressbar.OptionThrottle(100*time.Millisecond))
		progress = func() { _ = bar.Add(1) }
	}
	s, err := app.ScoreDemo(ctx, tins, progress)
	if bar != nil {
		_ = bar.Finish()
	}
	if err != nil {
		return err
	}
	t := app.TruthOf(s)
	if c.Bool("json") {
		return printJSON(out, t)
	}
	printTruth(out, t)
	return nil
}

// printTruth prints what became of the tins, by what was wrong with them.
func printTruth(w io.Writer, truth api.Truth) {
	if truth.Tins == 0 {
		line(w, "Nothing has left the belts yet.")
		return
	}
	t := newTable(w, "truth", "pieces", "pass", "rework", "reject")
	right(t, 2, 3, 4, 5)
	for _, r := range truth.Rows {
		n := int64(0)
		for _, k := range r.Routes {
			n += k
		}
		t.AppendRow(table.Row{r.Defect, n, r.Routes["pass"], r.Routes["rework"], r.Routes["reject"]})
	}
	t.Render()
	bad := truth.Tins
	for _, k := range truth.Rows[0].Routes {
		bad -= k
	}
	fmt.Fprintf(w, "\n%d pieces: %d of %d bad ones let through, %d of %d good ones rejected\n",
		truth.Tins, truth.LetThrough, bad, truth.FalseRejects, truth.Tins-bad)
}
