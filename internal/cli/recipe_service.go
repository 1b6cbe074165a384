package cli

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"strings"
	"time"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/urfave/cli/v3"

	"ricetta/core/recipe"
	"ricetta/internal/api"
	"ricetta/internal/client"
	"ricetta/internal/workbench"
)

// Commands on the recipes of a service.

func recipeServiceCommands() []*cli.Command {
	who := func() cli.Flag {
		return &cli.StringFlag{Name: "who", Usage: "your name", Sources: cli.EnvVars("RICETTA_WHO", "USER")}
	}
	note := func() cli.Flag { return &cli.StringFlag{Name: "note", Usage: "what is new, for those who look later"} }
	return []*cli.Command{
		{Name: "edit", Usage: "edit the draft of a recipe with the editor that EDITOR names", UsageText: "recipe edit PRODUCT/ROLE", Flags: []cli.Flag{serverFlag(), who()}, Action: onService(editRecipe)},
		{
			Name: "release", Usage: "release the draft; refused while a sample is judged wrong, unless a reason is given", UsageText: "recipe release --note TEXT [--reason TEXT] PRODUCT/ROLE",
			Flags:  []cli.Flag{serverFlag(), jsonFlag(), who(), note(), &cli.StringFlag{Name: "reason", Usage: "why it is released although samples are judged wrong"}},
			Action: onService(releaseRecipe),
		},
		whatIfCommand(),
		{Name: "retire", Usage: "take the released revision out of use", UsageText: "recipe retire PRODUCT/ROLE", Flags: []cli.Flag{serverFlag(), jsonFlag(), who(), note()}, Action: onService(retireRecipe)},
		{Name: "restore", Usage: "release an earlier revision again", UsageText: "recipe restore PRODUCT/ROLE REVISION", Flags: []cli.Flag{serverFlag(), jsonFlag(), who(), note()}, Action: onService(restoreRecipe)},
		{Name: "history", Usage: "who released and retired what, when and why", UsageText: "recipe history PRODUCT/ROLE", Flags: []cli.Flag{serverFlag(), jsonFlag()}, Action: onService(recipeHistory)},
		{Name: "pull", Usage: "write a recipe of the service with its samples into a file, as recipe export does", UsageText: "recipe pull PRODUCT/ROLE FILE.ricetta", Flags: []cli.Flag{serverFlag()}, Action: onService(pullRecipe)},
		{Name: "push", Usage: "take a recipe file into the service as a new recipe", UsageText: "recipe push FILE.ricetta", Flags: []cli.Flag{serverFlag()}, Action: onService(pushRecipe)},
	}
}

// keyOf reads PRODUCT/ROLE.
func keyOf(name string) (workbench.Key, error) {
	product, role, ok := strings.Cut(name, "/")
	if !ok || product == "" || role == "" {
		return workbench.Key{}, usagef("%q names no recipe; write it as in pencil-tin-12/top", name)
	}
	return workbench.Key{Product: product, Role: role}, nil
}

func oneKey(c *cli.Command) (workbench.Key, error) {
	name, err := oneArg(c, "a product and a role")
	if err != nil {
		return workbench.Key{}, err
	}
	return keyOf(name)
}

func editRecipe(ctx context.Context, c *cli.Command, s *client.Client) error {
	k, err := oneKey(c)
	if err != nil {
		return err
	}
	d, err := s.Draft(ctx, k)
	if err != nil {
		return err
	}
	f, err := os.CreateTemp("", "recipe-*.yaml")
	if err != nil {
		return err
	}
	name := f.Name()
	_, err = f.WriteString(d.Text)
	if e := f.Close(); err == nil {
		err = e
	}
	if err != nil {
		return err
	}
	editor := os.Getenv("EDITOR")
	if editor == "" {
		editor = "vi"
	}
	words := append(strings.Fields(editor), name)
	edit := exec.CommandContext(ctx, words[0], words[1:]...) //nolint:gosec // the user's own editor
	edit.Stdin, edit.Stdout, edit.Stderr = os.Stdin, os.Stdout, os.Stderr
	if err := edit.Run(); err != nil {
		return fmt.Errorf("the editor %s: %w; the text is in %s", editor, err, name)
	}
	text, err := os.ReadFile(name) //nolint:gosec // written above
	if err != nil {
		return err
	}
	if bytes.Equal(text, []byte(d.Text)) {
		_ = os.Remove(name)
		line(c.Root().Writer, "nothing was changed")
		return nil
	}
	kept := func(err error) error { return fmt.Errorf("%w\nyour text is in %s", err, name) }
	tree, err := recipe.Tree(text)
	if err != nil {
		return kept(err)
	}
	d, err = s.SaveDraft(ctx, k, tree, d.Tag, c.String("who"))
	if err != nil {
		return kept(err)
	}
	_ = os.Remove(name)
	out := c.Root().Writer
	line(out, "the draft of %s is saved", k)
	for _, p := range d.Problems {
		line(out, "problem: %s", p)
	}
	if d.Revision != "" {
		list, err := s.Diff(ctx, k, d.Released, "")
		if err == nil && d.Released != "" {
			for _, x := range list.Changes {
				line(out, "%s", x.Text)
			}
		}
	}
	return nil
}

func printRelease(c *cli.Command, k workbench.Key, r workbench.Release, err error) error {
	if err != nil {
		var p *api.Problem
		if errors.As(err, &p) && p.Wrong > 0 {
			return fmt.Errorf("%w (--reason TEXT)", err)
		}
		return err
	}
	if c.Bool("json") {
		return printJSON(c.Root().Writer, r)
	}
	word := "released"
	if r.Action == workbench.ActionRetire {
		word = "retired"
	}
	line(c.Root().Writer, "%s: revision %s %s by %s", k, short(r.Revision), word, r.Who)
	if r.Wrong > 0 {
		line(c.Root().Writer, "although %s judged wrong: %s", many(r.Wrong, "sample"), r.Reason)
	}
	return nil
}

func releaseRecipe(ctx context.Context, c *cli.Command, s *client.Client) error {
	k, err := oneKey(c)
	if err != nil {
		return err
	}
	r, err := s.Release(ctx, k, workbench.Wish{Who: c.String("who"), Note: c.String("note"), Reason: c.String("reason")})
	return printRelease(c, k, r, err)
}

func retireRecipe(ctx context.Context, c *cli.Command, s *client.Client) error {
	k, err := oneKey(c)
	if err != nil {
		return err
	}
	r, err := s.Retire(ctx, k, c.String("who"), c.String("note"))
	return printRelease(c, k, r, err)
}

func restoreRecipe(ctx context.Context, c *cli.Command, s *client.Client) error {
	names, err := args(c, 2)
	if err != nil {
		return err
	}
	k, err := keyOf(names[0])
	if err != nil {
		return err
	}
	list, err := s.Releases(ctx, k)
	if err != nil {
		return err
	}
	revision := names[1]
	for _, r := range list.Releases { // the short form will do
		if strings.HasPrefix(strings.TrimPrefix(r.Revision, "sha256:"), strings.TrimPrefix(names[1], "sha256:")) {
			revision = r.Revision
			break
		}
	}
	r, err := s.Restore(ctx, k, revision, c.String("who"), c.String("note"))
	return printRelease(c, k, r, err)
}

func recipeHistory(ctx context.Context, c *cli.Command, s *client.Client) error {
	k, err := oneKey(c)
	if err != nil {
		return err
	}
	list, err := s.Releases(ctx, k)
	if err != nil {
		return err
	}
	out := c.Root().Writer
	if c.Bool("json") {
		return printJSON(out, list)
	}
	t := newTable(out, "when", "what", "revision", "who", "note", "samples judged wrong")
	for _, r := range list.Releases {
		wrong := ""
		if r.Wrong > 0 {
			wrong = fmt.Sprintf("%d: %s", r.Wrong, r.Reason)
		}
		t.AppendRow(table.Row{r.Time.Local().Format(time.DateTime), r.Action, short(r.Revision), r.Who, r.Note, wrong})
	}
	t.Render()
	return nil
}

func pullRecipe(ctx context.Context, c *cli.Command, s *client.Client) error {
	names, err := args(c, 2)
	if err != nil {
		return err
	}
	k, err := keyOf(names[0])
	if err != nil {
		return err
	}
	if err := absent(names[1]); err != nil {
		return err
	}
	var b bytes.Buffer
	if err := s.Export(ctx, k, &b); err != nil {
		return err
	}
	if err := os.WriteFile(names[1], b.Bytes(), 0o644); err != nil { //nolint:gosec // as any file that people make
		return err
	}
	line(c.Root().Writer, "%s: %.1f MB", names[1], float64(b.Len())/1e6)
	return nil
}

func pushRecipe(ctx context.Context, c *cli.Command, s *client.Client) error {
	file, err := oneArg(c, "a recipe file")
	if err != nil {
		return err
	}
	data, err := os.ReadFile(file)
	if err != nil {
		return usageError{err}
	}
	d, err := s.Import(ctx, data)
	if err != nil {
		return err
	}
	line(c.Root().Writer, "%s/%s is a draft now; release it with: ricetta recipe release %s/%s", d.Product, d.Role, d.Product, d.Role)
	return nil
}
