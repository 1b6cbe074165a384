package cli

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"os"
	"path/filepath"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/urfave/cli/v3"

	"ricetta/core/raster"
	"ricetta/core/trial"
	"ricetta/internal/api"
	"ricetta/internal/client"
	"ricetta/internal/folder"
	"ricetta/internal/workbench"
)

// bench is where samples are kept: in a recipe's folder, or in the service.
type bench interface {
	add(name, label string, data []byte) (kept, labeled string, err error)
	label(label string, names []string) error
	list() ([]api.Sample, error)
	remove(names []string) error
	close() error // keeps what was added
}

// inFolder keeps samples in a recipe's folder.
type inFolder struct {
	*folder.Samples
	ids []string
}

func (b inFolder) add(name, label string, data []byte) (string, string, error) {
	l, err := folder.LabelOf(name, label, b.ids)
	if err != nil {
		return "", "", err
	}
	kept, err := b.Add(filepath.Base(name), data, l)
	if errors.Is(err, folder.ErrThere) {
		err = fmt.Errorf("%w as %s", err, kept)
	}
	return kept, l.String(), err
}

func (b inFolder) label(label string, names []string) error {
	l, err := trial.ParseLabel(label)
	if err != nil {
		return usageError{err}
	}
	return noSample(b.Relabel(l, names...), "labeled")
}

// noSample makes a call that cannot be meant so of an unknown sample.
func noSample(err error, done string) error {
	if errors.Is(err, folder.ErrNoSample) {
		return usagef("%w; nothing was %s", err, done)
	}
	return err
}

func (b inFolder) list() ([]api.Sample, error) {
	out := []api.Sample{}
	for _, e := range b.List {
		out = append(out, api.Sample{Sample: e.Picture, Label: e.Label, Note: e.Note})
	}
	return out, nil
}

func (b inFolder) remove(names []string) error { return noSample(b.Remove(names...), "removed") }

func (b inFolder) close() error { return b.Save() }

// inService keeps samples in the service.
type inService struct {
	ctx context.Context //nolint:containedctx // of one command
	s   *client.Client
	k   workbench.Key
}

func (b inService) add(name, label string, data []byte) (string, string, error) {
	e, err := b.s.AddSample(b.ctx, b.k, name, label, data)
	var p *api.Problem
	if errors.As(err, &p) && p.Status == http.StatusConflict {
		err = folder.ErrThere
	}
	return e.Sample, e.Label, err
}

func (b inService) label(label string, names []string) error {
	_, err := b.s.LabelSamples(b.ctx, b.k, label, names...)
	return err
}

func (b inService) list() ([]api.Sample, error) {
	l, err := b.s.Samples(b.ctx, b.k)
	return l.Samples, err
}

func (b inService) remove(names []string) error {
	_, err := b.s.RemoveSamples(b.ctx, b.k, names...)
	return err
}

func (b inService) close() error { return nil }

// onBench runs f where the flags say that the samples are.
func onBench(f func(c *cli.Command, b bench) error) cli.ActionFunc {
	return func(ctx context.Context, c *cli.Command) error {
		k, on, err := onServiceOf(c)
		if err != nil {
			return err
		}
		if on {
			return onService(func(ctx context.Context, c *cli.Command, s *client.Client) error { return f(c, inService{ctx, s, k}) })(ctx, c)
		}
		r, _, err := folder.RecipeDir(c.String("recipe"))
		if err != nil {
			return usageError{err}
		}
		s, err := folder.ReadSamples(c.String("recipe"))
		if err != nil {
			return usageError{err}
		}
		return f(c, inFolder{s, r.IDs()})
	}
}

func sampleCommand() *cli.Command {
	label := &cli.StringFlag{Name: "label", Usage: "good, bad, bad: CHECK, rework, unlabeled, or a route; without it folder and file name tell, as in bad/tips/a.png or good-1.png"}
	return &cli.Command{
		Name: "sample", Usage: "keep labeled pictures with a recipe, in a folder (--recipe) or of the service (--of), to try it on", Action: unknownCommand,
		Commands: []*cli.Command{
			{Name: "add", Usage: "make picture files samples (they are copied)", UsageText: "sample add --recipe FOLDER [--label LABEL] PICTURE…", Flags: recipeFlags(label), Action: onBench(addSamples)},
			{Name: "label", Usage: "label samples anew", UsageText: "sample label --recipe FOLDER LABEL SAMPLE…", Flags: recipeFlags(), Action: onBench(labelSamples)},
			{Name: "list", Usage: "list the samples", UsageText: "sample list --recipe FOLDER", Flags: recipeFlags(jsonFlag()), Action: onBench(listSamples)},
			{Name: "remove", Usage: "remove samples with their pictures", UsageText: "sample remove --recipe FOLDER SAMPLE…", Flags: recipeFlags(), Action: onBench(removeSamples)},
		},
	}
}

func addSamples(c *cli.Command, b bench) error {
	if c.NArg() == 0 {
		return usagef("no picture is named; as in: ricetta sample add --recipe FOLDER PICTURE…")
	}
	if _, err := trial.ParseLabel(c.String("label")); err != nil {
		return usageError{err}
	}
	out, errs := c.Root().Writer, c.Root().ErrWriter
	added, broken := 0, 0
	for _, f := range below(c.Args().Slice()) {
		data, err := pictureFile(f)
		var name, label string
		if err == nil {
			name, label, err = b.add(f, c.String("label"), data)
		}
		switch {
		case errors.Is(err, folder.ErrThere):
			line(errs, "%s: %s", f, err)
		case err != nil:
			broken++
			line(errs, "%s: %s", f, err)
		default:
			added++
			line(out, "%s  %s", name, label)
		}
	}
	if err := b.close(); err != nil {
		return err
	}
	all, err := b.list()
	if err != nil {
		return err
	}
	line(out, "%s added, %d in all", many(added, "sample"), len(all))
	if broken > 0 {
		line(errs, "%s could not be read and were left out", many(broken, "file"))
		return errSome
	}
	return nil
}

// pictureFile reads a file that may be a picture, by its size.
func pictureFile(file string) ([]byte, error) {
	info, err := os.Stat(file)
	if err != nil {
		return nil, err
	}
	if limit := int64(raster.DefaultDecodeLimits.Bytes); info.IsDir() || info.Size() > limit {
		_, err := folder.Picture(file, raster.DefaultDecodeLimits) // says what is wrong
		return nil, err
	}
	return os.ReadFile(file)
}

func labelSamples(c *cli.Command, b bench) error {
	if c.NArg() < 2 {
		return usagef("name a label and samples; as in: ricetta sample label --recipe FOLDER \"bad: tips\" a.png b.png")
	}
	if err := b.label(c.Args().First(), c.Args().Tail()); err != nil {
		return err
	}
	line(c.Root().Writer, "%s labeled %s", many(c.NArg()-1, "sample"), c.Args().First())
	return nil
}

func listSamples(c *cli.Command, b bench) error {
	list, err := b.list()
	if err != nil {
		return err
	}
	out := c.Root().Writer
	if c.Bool("json") {
		return printJSON(out, api.SampleList{Samples: list})
	}
	t := newTable(out, "sample", "label", "note")
	for _, e := range list {
		t.AppendRow(table.Row{e.Sample, e.Label, e.Note})
	}
	t.Render()
	line(out, "\n%s", many(len(list), "sample"))
	return nil
}

func removeSamples(c *cli.Command, b bench) error {
	if c.NArg() == 0 {
		return usagef("no sample is named; as in: ricetta sample remove --recipe FOLDER a.png")
	}
	if err := b.remove(c.Args().Slice()); err != nil {
		return err
	}
	list, err := b.list()
	if err != nil {
		return err
	}
	line(c.Root().Writer, "%s removed, %d left", many(c.NArg(), "sample"), len(list))
	return nil
}
