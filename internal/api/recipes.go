package api

import (
	"errors"
	"io"
	"net/http"

	"github.com/labstack/echo/v5"

	"ricetta/core/inspect"
	"ricetta/core/recipe"
	"ricetta/internal/workbench"
)

func (s *Server) listRecipes(*echo.Context, *none) (*RecipeList, error) {
	out := &RecipeList{Recipes: []Recipe{}}
	for _, k := range s.deps.Book.Keys() {
		r, err := s.recipeOf(k)
		if err != nil {
			return nil, err
		}
		out.Recipes = append(out.Recipes, *r)
	}
	return out, nil
}

// recipeOf tells of a recipe in short.
func (s *Server) recipeOf(k workbench.Key) (*Recipe, error) {
	out := &Recipe{Product: k.Product, Role: k.Role, State: "draft", Stations: []string{}}
	list, err := s.deps.Book.Releases(k)
	if err != nil {
		return nil, err
	}
	if len(list) > 0 {
		out.Who, out.Time = list[0].Who, &list[0].Time
		out.State = "retired"
		if list[0].Action == workbench.ActionRelease {
			out.State, out.Revision = "released", list[0].Revision
		}
	}
	for _, c := range s.deps.Stations {
		if st := c.State(); st.Product == k.Product && st.Config.Role == k.Role {
			out.Stations = append(out.Stations, st.Config.ID)
			out.Behind = out.Behind || st.Revision != out.Revision
		}
	}
	d, err := s.deps.Book.Draft(k)
	if err != nil {
		out.Problems = 1 // not readable at all; opening it says why
		return out, nil
	}
	out.Problems, out.Edited, out.Base = len(d.Problems), d.Revision != out.Revision, recipe.Base(d.Tree)
	if picture, ok := d.Whole["picture"].(map[string]any); ok {
		out.Kind, _ = picture["kind"].(string)
		out.Reference, _ = picture["reference"].(string)
	}
	if checks, ok := d.Whole["checks"].([]any); ok {
		out.Checks = len(checks)
	}
	return out, nil
}

// released is the released revision of a recipe, made ready, with its document.
func (s *Server) released(in *RecipeRequest) (*inspect.Plan, []byte, error) {
	r, ok, err := s.deps.Book.Current(in.key())
	if err != nil {
		return nil, nil, err
	}
	if !ok {
		return nil, nil, problem(http.StatusNotFound, "No such recipe", "No recipe for "+in.Product+" in the role "+in.Role+" is released; see "+prefix+"/recipes for those there are.")
	}
	p, err := s.deps.Book.Plan(r.Revision)
	if err != nil {
		return nil, nil, err
	}
	_, text, err := s.deps.Book.Revision(r.Revision)
	return p, text, err
}

func (s *Server) showRecipe(_ *echo.Context, in *RecipeRequest) (*RecipeDetail, error) {
	p, text, err := s.released(in)
	if err != nil {
		return nil, err
	}
	r, err := s.recipeOf(in.key())
	if err != nil {
		return nil, err
	}
	out := &RecipeDetail{Recipe: *r, Document: string(text), Steps: []RecipeCheck{}, Warnings: []string{}}
	for _, c := range p.Recipe.Checks {
		out.Steps = append(out.Steps, RecipeCheck{c.ID, c.Kind, c.On, c.MeasureOnly})
	}
	for _, w := range p.Warnings {
		out.Warnings = append(out.Warnings, w.Check+": "+w.Text)
	}
	return out, nil
}

func (s *Server) recipeReference(c *echo.Context, in *RecipeRequest) error {
	p, _, err := s.released(in)
	if err != nil {
		return err
	}
	name := p.Recipe.Picture.Reference
	data, ok := p.Recipe.Files[name]
	if !ok {
		return problem(http.StatusNotFound, "No reference picture", "This recipe is taught on nothing and has none.")
	}
	return s.sendPicture(c, name, "full", data)
}

// CheckedRecipe is what validation says of a recipe's document.
type CheckedRecipe struct {
	OK       bool             `json:"ok" required:"true"`
	Problems []recipe.Problem `json:"problems" required:"true" nullable:"false"`
}

// checkRecipe validates the text of a recipe.yaml without keeping it. Pictures are
// not looked at, and nothing is taught.
func (s *Server) checkRecipe(c *echo.Context, _ *none) (*CheckedRecipe, error) {
	text, err := io.ReadAll(c.Request().Body)
	if err != nil {
		return nil, err // the body limit's own status comes with it
	}
	out := &CheckedRecipe{OK: true, Problems: []recipe.Problem{}}
	if _, err := inspect.Reader.Parse(text); err != nil {
		var p recipe.Problems
		if !errors.As(err, &p) {
			return nil, err
		}
		out.OK, out.Problems = false, p
	}
	return out, nil
}
