package cli

import (
	"context"
	"errors"
	"os"
	"path/filepath"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/urfave/cli/v3"

	"ricetta/core/raster"
	"ricetta/core/trial"
	"ricetta/internal/folder"
)

func sampleCommand() *cli.Command {
	label := &cli.StringFlag{Name: "label", Usage: "good, bad, bad: CHECK, rework, unlabeled, or a route; without it folder and file name tell, as in bad/tips/a.png or good-1.png"}
	return &cli.Command{
		Name: "sample", Usage: "keep labeled pictures with a recipe, to try it on", Action: unknownCommand,
		Commands: []*cli.Command{
			{Name: "add", Usage: "make picture files samples (they are copied)", UsageText: "sample add --recipe FOLDER [--label LABEL] PICTURE…", Flags: []cli.Flag{recipeFlag(), label}, Action: addSamples},
			{Name: "label", Usage: "label samples anew", UsageText: "sample label --recipe FOLDER LABEL SAMPLE…", Flags: []cli.Flag{recipeFlag()}, Action: labelSamples},
			{Name: "list", Usage: "list the samples", UsageText: "sample list --recipe FOLDER", Flags: []cli.Flag{recipeFlag(), jsonFlag()}, Action: listSamples},
			{Name: "remove", Usage: "remove samples with their pictures", UsageText: "sample remove --recipe FOLDER SAMPLE…", Flags: []cli.Flag{recipeFlag()}, Action: removeSamples},
		},
	}
}

// samplesOf reads the samples of the recipe that the flags name, and the ids of its checks.
func samplesOf(c *cli.Command) (*folder.Samples, []string, error) {
	r, _, err := folder.RecipeDir(c.String("recipe"))
	if err != nil {
		return nil, nil, usageError{err}
	}
	s, err := folder.ReadSamples(c.String("recipe"))
	if err != nil {
		return nil, nil, usageError{err}
	}
	return s, checkIDs(&r.Document), nil
}

func addSamples(_ context.Context, c *cli.Command) error {
	if c.NArg() == 0 {
		return usagef("no picture is named; as in: ricetta %s", "sample add --recipe FOLDER PICTURE…")
	}
	s, ids, err := samplesOf(c)
	if err != nil {
		return err
	}
	given, err := trial.ParseLabel(c.String("label"))
	if err != nil {
		return usageError{err}
	}
	out, errs := c.Root().Writer, c.Root().ErrWriter
	added, broken := 0, 0
	for _, f := range below(c.Args().Slice()) {
		l := given
		if l.Route == "" && !c.IsSet("label") {
			l, _ = folder.GuessLabel(f, ids)
		}
		name, err := addSample(s, f, l)
		switch {
		case errors.Is(err, folder.ErrThere):
			line(errs, "%s: %s as %s", f, err, name)
		case err != nil:
			broken++
			line(errs, "%s: %s", f, err)
		default:
			added++
			line(out, "%s  %s", name, l)
		}
	}
	if err := s.Save(); err != nil {
		return err
	}
	line(out, "%s added, %d in all", many(added, "sample"), len(s.List))
	if broken > 0 {
		line(errs, "%s could not be read and were left out", many(broken, "file"))
		return errSome
	}
	return nil
}

func addSample(s *folder.Samples, file string, l trial.Label) (string, error) {
	info, err := os.Stat(file)
	if err != nil {
		return "", err
	}
	if limit := int64(raster.DefaultDecodeLimits.Bytes); info.IsDir() || info.Size() > limit {
		_, err := folder.Picture(file, raster.DefaultDecodeLimits) // says what is wrong
		return "", err
	}
	data, err := os.ReadFile(file)
	if err != nil {
		return "", err
	}
	return s.Add(filepath.Base(file), data, l)
}

func labelSamples(_ context.Context, c *cli.Command) error {
	if c.NArg() < 2 {
		return usagef("name a label and samples; as in: ricetta sample label --recipe FOLDER \"bad: tips\" a.png b.png")
	}
	l, err := trial.ParseLabel(c.Args().First())
	if err != nil {
		return usageError{err}
	}
	s, _, err := samplesOf(c)
	if err != nil {
		return err
	}
	for _, name := range c.Args().Tail() {
		e := s.Find(name)
		if e == nil {
			return usagef("there is no sample %s; see ricetta sample list --recipe %s", name, c.String("recipe"))
		}
		e.Label = l.String()
	}
	if err := s.Save(); err != nil {
		return err
	}
	line(c.Root().Writer, "%s labeled %s", many(c.NArg()-1, "sample"), l)
	return nil
}

func listSamples(_ context.Context, c *cli.Command) error {
	s, _, err := samplesOf(c)
	if err != nil {
		return err
	}
	out := c.Root().Writer
	if c.Bool("json") {
		type row struct {
			Sample string `json:"sample"`
			Label  string `json:"label"`
			Note   string `json:"note,omitempty"`
		}
		rows := []row{}
		for _, e := range s.List {
			rows = append(rows, row{e.Picture, e.Label, e.Note})
		}
		return printJSON(out, map[string]any{"samples": rows})
	}
	t := newTable(out, "sample", "label", "note")
	for _, e := range s.List {
		t.AppendRow(table.Row{e.Picture, e.Label, e.Note})
	}
	t.Render()
	line(out, "\n%s", many(len(s.List), "sample"))
	return nil
}

func removeSamples(_ context.Context, c *cli.Command) error {
	if c.NArg() == 0 {
		return usagef("no sample is named; as in: ricetta sample remove --recipe FOLDER a.png")
	}
	s, _, err := samplesOf(c)
	if err != nil {
		return err
	}
	for _, name := range c.Args().Slice() {
		if s.Find(name) == nil {
			return usagef("there is no sample %s; nothing was removed", name)
		}
	}
	for _, name := range c.Args().Slice() {
		if err := s.Remove(name); err != nil {
			return err
		}
	}
	line(c.Root().Writer, "%s removed, %d left", many(c.NArg(), "sample"), len(s.List))
	return nil
}
