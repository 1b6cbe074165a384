package cli

import (
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/urfave/cli/v3"

	"ricetta/core/check"
	"ricetta/core/inspect"
	"ricetta/core/raster"
	"ricetta/core/trial"
	"ricetta/internal/api"
	"ricetta/internal/client"
	"ricetta/internal/folder"
	"ricetta/internal/workbench"
)

func trialCommand() *cli.Command {
	return &cli.Command{
		Name:  "trial",
		Usage: "judge a recipe's samples, or labeled picture files, and say how well it holds",
		UsageText: "trial --recipe FOLDER [PICTURE…]  or  trial --of PRODUCT/ROLE   (files, or folders with good/, bad/CHECK/, rework/ below;\n" +
			"   files may say it as well: good-1.png, bad-tips-3.png. Without pictures: the samples in the recipe's folder)\n\n" +
			"Exit status: 0 all samples went where their label says, 1 some did not or could not be read, 2 usage or recipe error.",
		Flags:  recipeFlags(jsonFlag(), orderFlag(), &cli.BoolFlag{Name: "all", Usage: "list the samples judged rightly as well"}, quietFlag()),
		Action: runTrial,
	}
}

func stressCommand() *cli.Command {
	return &cli.Command{
		Name:  "stress",
		Usage: "judge samples darker, blurred, noisier, shifted, turned …, until verdicts change",
		UsageText: "stress --recipe FOLDER [PICTURE…]  or  stress --of PRODUCT/ROLE   (as for trial)\n\n" +
			"Exit status: 0 done, 1 no sample is judged rightly as it is, 2 usage or recipe error.",
		Flags:  recipeFlags(jsonFlag(), orderFlag(), quietFlag()),
		Action: runStress,
	}
}

// recipeFlags name a recipe, in a folder or of the service, with more flags behind them.
func recipeFlags(more ...cli.Flag) []cli.Flag {
	return append([]cli.Flag{
		&cli.StringFlag{Name: "recipe", Usage: "folder of the recipe"},
		&cli.StringFlag{Name: "of", Usage: "a recipe of the service, as in pencil-tin-12/top, in place of a folder"},
		serverFlag(),
	}, more...)
}

// onServiceOf reports whether a recipe of the service is meant, and which.
func onServiceOf(c *cli.Command) (k workbench.Key, on bool, err error) {
	of, dir := c.String("of"), c.String("recipe")
	switch {
	case of != "" && dir != "":
		return k, false, usagef("both --recipe and --of are given; keep one")
	case of == "" && dir == "":
		return k, false, usagef("no recipe is named; give its folder with --recipe, or one of the service with --of PRODUCT/ROLE")
	case of == "":
		return k, false, nil
	}
	k, err = keyOf(of)
	return k, true, err
}

// rehearsal is a recipe made ready with the samples to try it on.
type rehearsal struct {
	plan    *inspect.Plan
	samples []trial.Sample
	order   check.Order
}

// rehearse reads recipe and samples from the flags and arguments.
func rehearse(c *cli.Command) (*rehearsal, error) {
	dir := c.String("recipe")
	plan, err := prepared(c)
	if err != nil {
		return nil, err
	}
	out := &rehearsal{plan: plan}
	if out.order, err = orderOf(c); err != nil {
		return nil, err
	}
	if c.NArg() == 0 {
		s, err := folder.ReadSamples(dir)
		if err != nil {
			return nil, usageError{err}
		}
		if len(s.List) == 0 {
			return nil, usagef("%s has no samples yet; name pictures, or add some: ricetta sample add --recipe %s PICTURE…", dir, dir)
		}
		out.samples = s.TrialSamples(raster.DefaultDecodeLimits)
		if out.order == nil {
			out.order = s.Order
		}
		return out, nil
	}
	ids := plan.Recipe.IDs()
	for _, f := range below(c.Args().Slice()) {
		l, _ := folder.GuessLabel(f, ids)
		out.samples = append(out.samples, trial.Sample{Name: f, Label: l, Open: func() (raster.Picture, error) { return folder.Cached(f, raster.DefaultDecodeLimits) }})
	}
	return out, nil
}

// below resolves names as folder.Pictures does, with the folders in folders.
func below(names []string) []string {
	var out []string
	for _, n := range names {
		info, err := os.Stat(n)
		if err != nil || !info.IsDir() {
			out = append(out, folder.Pictures([]string{n})...)
			continue
		}
		var dirs []string
		_ = filepath.WalkDir(n, func(path string, d fs.DirEntry, err error) error { // what cannot be read is told as empty
			if err == nil && d.IsDir() {
				dirs = append(dirs, path)
			}
			return nil
		})
		for _, d := range dirs {
			if found := folder.Pictures([]string{d}); !slices.Equal(found, []string{d}) {
				out = append(out, found...)
			}
		}
	}
	return out
}

// followed runs a trial of the service, with a bar.
func followed(ctx context.Context, c *cli.Command, run func(s *client.Client, each func(done, of int)) (api.Progress, error)) (p api.Progress, err error) {
	if c.NArg() > 0 {
		return p, usagef("pictures are named, but the samples of the service are tried; add them with ricetta sample add --of")
	}
	each, finish := counting(c, "judging")
	defer finish()
	return p, onService(func(_ context.Context, _ *cli.Command, s *client.Client) error {
		p, err = run(s, each)
		return err
	})(ctx, c)
}

func runTrial(ctx context.Context, c *cli.Command) error {
	k, on, err := onServiceOf(c)
	if err != nil {
		return err
	}
	if on {
		p, err := followed(ctx, c, func(s *client.Client, each func(done, of int)) (api.Progress, error) { return s.Trial(ctx, k, each) })
		if err != nil {
			return err
		}
		return tellTrial(c, *p.Report)
	}
	h, err := rehearse(c)
	if err != nil {
		return err
	}
	bar := barFor(c, len(h.samples), "judging")
	report, err := trial.Run(ctx, h.plan, h.samples, trial.Options{Order: h.order, Each: func(int, int) {
		if bar != nil {
			_ = bar.Add(1)
		}
	}})
	if bar != nil {
		_ = bar.Finish()
	}
	if err != nil {
		return errSome // interrupted
	}
	return tellTrial(c, report.JSON())
}

// tellTrial prints a report; the error is errSome where something is not as labeled.
func tellTrial(c *cli.Command, j trial.ReportJSON) error {
	out := c.Root().Writer
	if c.Bool("json") {
		if err := printJSON(out, j); err != nil {
			return err
		}
	} else {
		printTrial(out, j, c.Bool("all"))
	}
	if j.Wrong > 0 || j.Broken > 0 {
		return errSome
	}
	return nil
}

// printTrial prints a report: what is wrong first.
func printTrial(out io.Writer, j trial.ReportJSON, all bool) {
	printWrong(out, j, all)
	if len(j.Confusion) > 0 {
		columns := []string{"pass", "rework", "reject", trial.Fault}
		for _, c := range j.Confusion {
			for r := range c.Routes {
				if !slices.Contains(columns, r) {
					columns = append(columns, r)
				}
			}
		}
		slices.Sort(columns[4:])
		head := table.Row{"labeled"}
		for _, r := range columns {
			head = append(head, "→ "+r)
		}
		t := newTable(out, head...)
		for _, c := range j.Confusion {
			row := table.Row{c.Label}
			for _, r := range columns {
				row = append(row, strings.TrimPrefix(fmt.Sprint(c.Routes[r]), "0"))
			}
			t.AppendRow(row)
		}
		t.Render()
		line(out, "")
	}
	printLimits(out, j)
	line(out, "%s", trialSentence(j))
}

// trialSentence says how a trial went.
func trialSentence(j trial.ReportJSON) string {
	labeled := j.Samples - j.Unlabeled
	s := fmt.Sprintf("%s: %d of %d labeled ones judged rightly", many(j.Samples, "sample"), labeled-j.Wrong, labeled)
	if j.LetThrough > 0 {
		s += fmt.Sprintf("; %d let through that should not pass", j.LetThrough)
	}
	if j.Broken > 0 {
		s += fmt.Sprintf("; %d could not be read", j.Broken)
	}
	return s
}

func printWrong(out io.Writer, j trial.ReportJSON, all bool) {
	t := newTable(out, "sample", "label", "route", "", "says")
	rows := 0
	add := func(wrong bool) {
		for _, r := range j.Results {
			bad := !r.Right || r.Error != ""
			if bad != wrong || !wrong && !all && !r.OtherReason {
				continue
			}
			note := "wrong"
			switch {
			case r.Error != "":
				note = "unreadable"
			case r.OtherReason:
				note = "other reason"
			case r.Right && r.Label == trial.Unlabeled:
				note = ""
			case r.Right:
				note = "right"
			}
			rows++
			t.AppendRow(table.Row{r.Sample, r.Label, routeMark(out, r.Route, r.Fault), note, r.Sentence})
		}
	}
	add(true)
	add(false)
	if rows > 0 {
		t.Render()
		line(out, "")
	}
}

func printLimits(out io.Writer, j trial.ReportJSON) {
	if len(j.Limits) == 0 {
		return
	}
	t := newTable(out, "thinnest margin first", "reading", "limit", "good nearest", "bad nearest", "margin", "best at", "because")
	right(t, 6)
	number := func(v *float64) string {
		if v == nil {
			return "–"
		}
		return string(check.AppendNumber(nil, *v))
	}
	point := func(p *trial.PointJSON) string {
		if p == nil {
			return "–"
		}
		return number(&p.Value)
	}
	for _, l := range j.Limits {
		for i, e := range [2]*trial.EndJSON{l.Least, l.Most} {
			if e == nil {
				continue
			}
			margin := "–"
			if e.Margin != nil {
				margin = fmt.Sprintf("%.0f %%", *e.Margin*100)
			}
			reading := strings.TrimSpace(l.Reading + " " + l.Unit)
			t.AppendRow(table.Row{l.Check, reading, [2]string{"at least ", "at most "}[i] + number(&e.At), point(e.Good), point(e.Bad), margin, number(e.Proposed), e.Why})
		}
	}
	t.Render()
	line(out, "")
}

func runStress(ctx context.Context, c *cli.Command) error {
	k, on, err := onServiceOf(c)
	if err != nil {
		return err
	}
	if on {
		p, err := followed(ctx, c, func(s *client.Client, each func(done, of int)) (api.Progress, error) { return s.Stress(ctx, k, each) })
		if err != nil {
			return err
		}
		return tellStress(c, p.Envelope, p.Used)
	}
	h, err := rehearse(c)
	if err != nil {
		return err
	}
	bar := barFor(c, len(h.samples)*len(trial.Disturbances), "altering")
	list, used, err := trial.Stress(ctx, h.plan, h.samples, trial.Options{Order: h.order, Each: func(int, int) {
		if bar != nil {
			_ = bar.Add(1)
		}
	}})
	if bar != nil {
		_ = bar.Finish()
	}
	if err != nil {
		return errSome
	}
	var j []trial.EnvelopeJSON
	for i := range list {
		j = append(j, list[i].JSON())
	}
	return tellStress(c, j, used)
}

func tellStress(c *cli.Command, j []trial.EnvelopeJSON, used int) error {
	if used == 0 {
		return errors.New("no sample is judged rightly as it is, so there is nothing to disturb; see ricetta trial")
	}
	out := c.Root().Writer
	if c.Bool("json") {
		return printJSON(out, j)
	}
	printStress(out, j, used)
	return nil
}

func printStress(out io.Writer, list []trial.EnvelopeJSON, used int) {
	t := newTable(out, "disturbance", "holds up to", "then gives way", "let through", "says")
	for _, e := range list {
		holds := string(check.AppendNumber(nil, e.Holds)) + " " + e.Unit
		if e.Holds == 0 {
			holds = "not " + string(check.AppendNumber(nil, e.Steps[0].Amount)) + " " + e.Unit
		}
		says := e.Sentence
		if e.All {
			holds, says = "all of "+holds, "no verdict changes"
		} else {
			says = e.Sample + ": " + says
		}
		through := ""
		for _, s := range e.Steps {
			if s.LetThrough > 0 {
				through = fmt.Sprintf("%d at %s %s", s.LetThrough, check.AppendNumber(nil, s.Amount), e.Unit)
				break
			}
		}
		t.AppendRow(table.Row{e.Disturbance, strings.ReplaceAll(holds, " °", "°"), e.First, through, says})
	}
	t.Render()
	line(out, "\non %s that are judged rightly as they are", many(used, "sample"))
}
