package cli

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/urfave/cli/v3"

	"ricetta/core/inspect"
	"ricetta/core/raster"
	"ricetta/core/recipe"
	"ricetta/internal/disk"
	"ricetta/internal/folder"
)

// Commands on recipes in folders, without a service.

func recipeFolderCommands() []*cli.Command {
	return []*cli.Command{
		{
			Name: "new", Usage: "begin a recipe in a new folder, from its reference picture",
			UsageText: "recipe new --product CODE --role ROLE --reference PICTURE FOLDER",
			Flags: []cli.Flag{
				&cli.StringFlag{Name: "product", Required: true, Usage: "code of the product"},
				&cli.StringFlag{Name: "role", Required: true, Usage: "role of the stations, as in top"},
				&cli.StringFlag{Name: "reference", Required: true, Usage: "picture of a good item, on which everything is taught"},
			},
			Action: newRecipe,
		},
		{
			Name: "copy", Usage: "copy a recipe with its samples to a new folder, for another product",
			UsageText: "recipe copy --product CODE [--variant] FOLDER NEWFOLDER",
			Flags: []cli.Flag{
				&cli.StringFlag{Name: "product", Required: true, Usage: "code of the other product"},
				&cli.BoolFlag{Name: "variant", Usage: "take everything from the recipe beside it but what is changed (the new folder must lie beside the old one)"},
			},
			Action: copyRecipe,
		},
		{Name: "diff", Usage: "say in words what differs between two recipes; exit status 1 if anything does", UsageText: "recipe diff FOLDER FOLDER", Flags: []cli.Flag{jsonFlag()}, Action: diffRecipes},
		{Name: "export", Usage: "pack a recipe with its pictures and samples into one file", UsageText: "recipe export FOLDER FILE" + folder.ArchiveEnding, Action: exportRecipe},
		{Name: "import", Usage: "unpack a recipe file into a new folder", UsageText: "recipe import FILE" + folder.ArchiveEnding + " FOLDER", Action: importRecipe},
	}
}

// args returns exactly n arguments.
func args(c *cli.Command, n int) ([]string, error) {
	if c.NArg() != n {
		return nil, usagef("%s wants %d names; as in: ricetta %s", c.FullName(), n, c.UsageText)
	}
	return c.Args().Slice(), nil
}

func absent(dir string) error {
	if _, err := os.Stat(dir); err == nil {
		return usagef("%s exists already; name a new folder", dir)
	}
	return nil
}

func newRecipe(_ context.Context, c *cli.Command) error {
	to, err := oneArg(c, "a new folder")
	if err != nil {
		return err
	}
	if err := absent(to); err != nil {
		return err
	}
	from := c.String("reference")
	pic, err := folder.Picture(from, raster.DefaultDecodeLimits)
	if err != nil {
		return usagef("the reference picture %s: %w", from, err)
	}
	data, err := os.ReadFile(from)
	if err != nil {
		return err
	}
	reference := "reference" + strings.ToLower(filepath.Ext(from))
	text := inspect.Reader.Write(map[string]any{
		"ricetta": recipe.Version, "product": c.String("product"), "role": c.String("role"),
		"picture": map[string]any{"kind": string(pic.Kind()), "reference": reference}, "checks": []any{},
	})
	var p recipe.Problems
	if _, err := inspect.Reader.Parse(text); errors.As(err, &p) {
		for _, x := range p {
			if !strings.HasPrefix(x.Field, "checks") { // there are none yet
				return usageError{recipe.Problems{x}}
			}
		}
	}
	if err := os.MkdirAll(to, 0o755); err != nil {
		return err
	}
	if err := disk.Write(filepath.Join(to, reference), data, 0o644); err != nil {
		return err
	}
	if err := disk.Write(filepath.Join(to, recipe.FileName), text, 0o644); err != nil {
		return err
	}
	w, h := pic.Size()
	line(c.Root().Writer, "%s begun on a %s picture of %d×%d; now add checks to %s (docs/checks.md tells them), and see ricetta recipe check %s",
		to, pic.Kind(), w, h, filepath.Join(to, recipe.FileName), to)
	return nil
}

func copyRecipe(_ context.Context, c *cli.Command) error {
	names, err := args(c, 2)
	if err != nil {
		return err
	}
	from, to := filepath.Clean(names[0]), filepath.Clean(names[1])
	if err := absent(to); err != nil {
		return err
	}
	r, text, err := folder.RecipeDir(from)
	if err != nil {
		return usageError{err}
	}
	tree, err := recipe.Tree(text)
	if err != nil {
		return err
	}
	if c.Bool("variant") {
		if filepath.Dir(to) != filepath.Dir(from) {
			return usagef("a variant lies beside its base; name a folder in %s", filepath.Dir(from))
		}
		tree = map[string]any{"ricetta": recipe.Version, "role": r.Role, "base": filepath.Base(from), "change": map[string]any{}}
	}
	tree["product"] = c.String("product")
	written := inspect.Reader.Write(tree)
	if !c.Bool("variant") {
		if _, err := inspect.Reader.Parse(written); err != nil {
			return usageError{err}
		}
		if err := os.CopyFS(to, os.DirFS(from)); err != nil {
			return err
		}
		for name, data := range r.Files { // those of a variant's base as well
			if err := disk.Write(filepath.Join(to, name), data, 0o644); err != nil {
				return err
			}
		}
	}
	if err := os.MkdirAll(to, 0o755); err != nil {
		return err
	}
	if err := disk.Write(filepath.Join(to, recipe.FileName), written, 0o644); err != nil {
		return err
	}
	if _, _, err := folder.RecipeDir(to); err != nil {
		return usageError{err}
	}
	what := "a copy of " + from
	if c.Bool("variant") {
		what = "a variant of " + from + "; write what differs under change"
	}
	line(c.Root().Writer, "%s is %s", to, what)
	return nil
}

func diffRecipes(_ context.Context, c *cli.Command) error {
	names, err := args(c, 2)
	if err != nil {
		return err
	}
	var trees [2]map[string]any
	var files [2]map[string][]byte
	for i, n := range names {
		r, text, err := folder.RecipeDir(n)
		if err != nil {
			return usageError{err}
		}
		if trees[i], err = recipe.Tree(text); err != nil {
			return usageError{err}
		}
		files[i] = r.Files
	}
	list := recipe.Diff(trees[0], trees[1], files[0], files[1])
	out := c.Root().Writer
	if c.Bool("json") {
		if list == nil {
			list = []recipe.Change{}
		}
		if err := printJSON(out, map[string]any{"changes": list}); err != nil {
			return err
		}
	} else if len(list) == 0 {
		line(out, "nothing differs")
	} else {
		t := newTable(out, "check", "from "+names[0]+" to "+names[1])
		for _, x := range list {
			t.AppendRow(table.Row{x.Check, strings.TrimPrefix(x.Text, x.Check+": ")})
		}
		t.Render()
	}
	if len(list) > 0 {
		return errSome
	}
	return nil
}

func exportRecipe(_ context.Context, c *cli.Command) error {
	names, err := args(c, 2)
	if err != nil {
		return err
	}
	if err := absent(names[1]); err != nil {
		return err
	}
	f, err := os.CreateTemp(filepath.Dir(names[1]), ".exporting-*")
	if err != nil {
		return err
	}
	defer os.Remove(f.Name()) //nolint:errcheck // renamed when all went well
	err = folder.Export(names[0], f)
	if e := f.Close(); err == nil {
		err = e
	}
	if err != nil {
		return usageError{err}
	}
	if err := os.Chmod(f.Name(), 0o644); err != nil { //nolint:gosec // as any file that people make
		return err
	}
	if err := os.Rename(f.Name(), names[1]); err != nil {
		return err
	}
	info, err := os.Stat(names[1])
	if err == nil {
		line(c.Root().Writer, "%s: %s", names[1], fmt.Sprintf("%.1f MB", float64(info.Size())/1e6))
	}
	return err
}

func importRecipe(_ context.Context, c *cli.Command) error {
	names, err := args(c, 2)
	if err != nil {
		return err
	}
	f, err := os.Open(names[0])
	if err != nil {
		return usageError{err}
	}
	defer f.Close() //nolint:errcheck // read only
	info, err := f.Stat()
	if err != nil {
		return err
	}
	r, err := folder.Import(f, info.Size(), names[1], 0)
	if err != nil {
		return usageError{fmt.Errorf("%s was not imported: %w", names[0], err)}
	}
	line(c.Root().Writer, "%s/%s imported into %s: %s, revision %s", r.Product, r.Role, names[1], many(len(r.Checks), "check"), short(r.Revision))
	return nil
}
