package cli

import (
	"context"
	"errors"
	"slices"
	"strings"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/urfave/cli/v3"

	"ricetta/core/check"
	"ricetta/core/inspect"
	"ricetta/core/recipe"
	"ricetta/internal/client"
	"ricetta/internal/folder"
)

func recipeCommand() *cli.Command {
	return &cli.Command{
		Name: "recipe", Usage: "the recipes of the service: list, edit, release; those in folders: begin, check, compare, pack", Action: unknownCommand,
		Commands: append([]*cli.Command{
			{Name: "list", Usage: "the recipes of the service", Flags: []cli.Flag{serverFlag(), jsonFlag()}, Action: onService(listRecipes)},
			{Name: "show", Usage: "one released recipe", UsageText: "recipe show PRODUCT/ROLE", Flags: []cli.Flag{serverFlag(), jsonFlag()}, Action: onService(showRecipe)},
			{Name: "check", Usage: "validate and teach a recipe in a folder, without a service", UsageText: "recipe check FOLDER", Flags: []cli.Flag{jsonFlag()}, Action: checkRecipe},
		}, append(recipeFolderCommands(), recipeServiceCommands()...)...),
	}
}

func listRecipes(ctx context.Context, c *cli.Command, s *client.Client) error {
	list, err := s.Recipes(ctx)
	if err != nil {
		return err
	}
	out := c.Root().Writer
	if c.Bool("json") {
		return printJSON(out, list)
	}
	t := newTable(out, "product", "role", "state", "revision", "by", "draft", "checks", "runs on")
	right(t, 7)
	for _, r := range list.Recipes {
		draft := "as released"
		switch {
		case r.Problems > 0:
			draft = many(r.Problems, "problem")
		case r.Edited:
			draft = "edited"
		}
		if r.Base != "" {
			draft += ", variant of " + r.Base
		}
		on := strings.Join(r.Stations, ", ")
		if r.Behind {
			on += " (another revision)"
		}
		t.AppendRow(table.Row{r.Product, r.Role, r.State, short(r.Revision), r.Who, draft, r.Checks, on})
	}
	t.Render()
	return nil
}

func showRecipe(ctx context.Context, c *cli.Command, s *client.Client) error {
	name, err := oneArg(c, "a product and a role")
	if err != nil {
		return err
	}
	product, role, ok := strings.Cut(name, "/")
	if !ok {
		return usagef("%q names no role; as in: ricetta recipe show pencil-tin-12/top", name)
	}
	r, err := s.Recipe(ctx, product, role)
	if err != nil {
		return err
	}
	out := c.Root().Writer
	if c.Bool("json") {
		return printJSON(out, r)
	}
	line(out, "# %s/%s, revision %s", r.Product, r.Role, r.Revision)
	for _, w := range r.Warnings {
		line(out, "# warning: %s", w)
	}
	line(out, "%s", strings.TrimRight(r.Document, "\n"))
	return nil
}

// checkedRecipe is what recipe check --json prints.
type checkedRecipe struct {
	OK       bool             `json:"ok"`
	Revision string           `json:"revision,omitempty"`
	Problems []recipe.Problem `json:"problems"`
	Warnings []string         `json:"warnings"`
	// Reference are the readings of the checks on the reference picture: the nominal
	// values to set limits from.
	Reference map[string]map[string]check.ReadingJSON `json:"reference,omitempty"`
}

// nominals are the readings on the reference: those with limits, or the main one.
func nominals(k recipe.Check, readings map[string]check.ReadingJSON) string {
	kind, _ := inspect.Kinds.Find(k.Kind)
	var out []string
	for i, m := range kind.Measures {
		r, taken := readings[m.Name]
		if _, limited := k.Limits[m.Name]; taken && (limited || len(k.Limits) == 0 && i == 0) {
			out = append(out, strings.TrimSpace(m.Name+" "+string(check.AppendNumber(nil, r.Value))+" "+r.Unit))
		}
	}
	return strings.Join(out, ", ")
}

func checkRecipe(_ context.Context, c *cli.Command) error {
	dir, err := oneArg(c, "the folder of a recipe")
	if err != nil {
		return err
	}
	out := c.Root().Writer
	result := checkedRecipe{Problems: []recipe.Problem{}, Warnings: []string{}}
	r, _, err := folder.RecipeDir(dir)
	var plan *inspect.Plan
	if err == nil {
		plan, err = inspect.Prepare(r)
	}
	var problems recipe.Problems
	switch {
	case errors.As(err, &problems):
		result.Problems = problems
	case err != nil:
		result.Problems = append(result.Problems, recipe.Problem{File: recipe.FileName, What: err.Error()})
	default:
		result.OK, result.Revision = true, r.Revision
		for _, w := range plan.Warnings {
			result.Warnings = append(result.Warnings, w.Check+": "+w.Text)
		}
		if on := plan.OnReference(); on != nil {
			result.Reference = map[string]map[string]check.ReadingJSON{}
			for _, f := range on.JSON().Findings {
				result.Reference[f.Check] = f.Readings
			}
		}
	}
	if c.Bool("json") {
		if err := printJSON(out, result); err != nil {
			return err
		}
	} else if result.OK {
		line(out, "%s/%s is in order: %s, %s, revision %s", r.Product, r.Role, many(len(r.Checks), "check"), many(len(r.Routes), "route"), short(r.Revision))
		t := newTable(out, "check", "kind", "rides on", "limits", "on the reference")
		for _, k := range r.Checks {
			var limits []string
			for name, l := range k.Limits {
				limits = append(limits, name+" "+l.Bounds().String())
			}
			slices.Sort(limits)
			t.AppendRow(table.Row{k.ID, k.Kind, k.On, strings.Join(limits, ", "), nominals(k, result.Reference[k.ID])})
		}
		t.Render()
		for _, w := range result.Warnings {
			line(out, "warning: %s", w)
		}
	}
	if result.OK {
		return nil
	}
	if c.Bool("json") {
		return usageError{errors.New("the recipe has problems; they are listed above")}
	}
	return usageError{recipe.Problems(result.Problems)}
}
