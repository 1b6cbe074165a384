package api

import (
	"errors"
	"io"
	"net/http"
	"path"
	"time"

	"github.com/labstack/echo/v5"

	"ricetta/core/inspect"
	"ricetta/core/recipe"
)

// Released is a recipe that stations can run.
type Released struct {
	Plan     *inspect.Plan
	Document []byte
	Loaded   time.Time
}

type recipeRequest struct {
	Product string `param:"product" path:"product" required:"true" description:"Code of the product"`
	Role    string `param:"role" path:"role" required:"true" description:"Role of the stations"`
}

func (s *Server) listRecipes(*echo.Context, *none) (*RecipeList, error) {
	out := &RecipeList{Recipes: []Recipe{}}
	for _, r := range s.deps.Recipes {
		out.Recipes = append(out.Recipes, s.recipeOf(r))
	}
	return out, nil
}

func (s *Server) recipeOf(r Released) Recipe {
	d := r.Plan.Recipe
	out := Recipe{
		Product: d.Product, Role: d.Role, Revision: d.Revision, Kind: string(d.Picture.Kind), Checks: len(d.Checks),
		Reference: d.Picture.Reference != "", Stations: []string{}, Loaded: r.Loaded.UTC(),
	}
	for _, c := range s.deps.Stations {
		if st := c.State(); st.Revision == d.Revision {
			out.Stations = append(out.Stations, st.Config.ID)
		}
	}
	return out
}

func (s *Server) findRecipe(in *recipeRequest) (Released, error) {
	for _, r := range s.deps.Recipes {
		if r.Plan.Recipe.Product == in.Product && r.Plan.Recipe.Role == in.Role {
			return r, nil
		}
	}
	return Released{}, problem(http.StatusNotFound, "No such recipe", "There is no recipe for "+in.Product+" in the role "+in.Role+"; see "+prefix+"/recipes for those there are.")
}

func (s *Server) showRecipe(_ *echo.Context, in *recipeRequest) (*RecipeDetail, error) {
	r, err := s.findRecipe(in)
	if err != nil {
		return nil, err
	}
	out := &RecipeDetail{Recipe: s.recipeOf(r), Document: string(r.Document), Steps: []RecipeCheck{}, Warnings: []string{}}
	for _, c := range r.Plan.Recipe.Checks {
		out.Steps = append(out.Steps, RecipeCheck{c.ID, c.Kind, c.On, c.MeasureOnly})
	}
	for _, w := range r.Plan.Warnings {
		out.Warnings = append(out.Warnings, w.Check+": "+w.Text)
	}
	return out, nil
}

func (s *Server) recipeReference(c *echo.Context, in *recipeRequest) error {
	r, err := s.findRecipe(in)
	if err != nil {
		return err
	}
	name := r.Plan.Recipe.Picture.Reference
	data, ok := r.Plan.Recipe.Files[name]
	if !ok {
		return problem(http.StatusNotFound, "No reference picture", "This recipe is taught on nothing and has none.")
	}
	types := map[string]string{".png": "image/png", ".jpg": "image/jpeg", ".jpeg": "image/jpeg", ".bmp": "image/bmp", ".tif": "image/tiff", ".tiff": "image/tiff"}
	c.Response().Header().Set("ETag", `"`+r.Plan.Recipe.Revision+`"`)
	return c.Blob(http.StatusOK, types[path.Ext(name)], data)
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
