package api

import (
	"bytes"
	"errors"
	"image/png"
	"net/http"

	"github.com/labstack/echo/v5"

	"ricetta/core/raster"
	"ricetta/core/recipe"
	"ricetta/internal/workbench"
)

type newRecipeRequest struct {
	Product string `json:"product" required:"true" minLength:"1"`
	Role    string `json:"role" required:"true" minLength:"1"`
	// Where it begins: a recipe, or the last picture of a station.
	From    *RecipeName `json:"from,omitempty" description:"Copy this recipe"`
	Variant bool        `json:"variant,omitempty" description:"Take everything from it but what will be changed"`
	Station string      `json:"station,omitempty" description:"Begin with the last picture of this station as reference"`
	Look    bool        `json:"look,omitempty" description:"With station: take what was looked at last instead of what was judged last"`
}

// RecipeName names a recipe.
type RecipeName struct {
	Product string `json:"product" required:"true"`
	Role    string `json:"role" required:"true"`
}

func (s *Server) newRecipe(c *echo.Context, in *newRecipeRequest) (*Draft, error) {
	k := workbench.Key{Product: in.Product, Role: in.Role}
	if in.From != nil {
		d, err := s.deps.Book.Copy(workbench.Key(*in.From), k, in.Variant)
		if err != nil {
			return nil, err
		}
		return s.draftOf(d)
	}
	var pic raster.Picture
	var err error
	if in.Look {
		pic, err = s.lastLook(c.Request().Context(), in.Station)
	} else {
		pic, err = s.lastPicture(in.Station)
	}
	if err != nil {
		return nil, err
	}
	var b bytes.Buffer
	if err := png.Encode(&b, pic.Image()); err != nil {
		return nil, err
	}
	d, err := s.deps.Book.Create(k, "reference.png", b.Bytes())
	if err != nil {
		return nil, err
	}
	return s.draftOf(d)
}

// lastPicture is the last picture that a station has taken.
func (s *Server) lastPicture(stationID string) (raster.Picture, error) {
	if s.station(stationID) == nil {
		return raster.Picture{}, noStation(stationID)
	}
	it := s.hub.latest(stationID)
	if it == nil || it.Picture.Kind() == "" {
		return raster.Picture{}, problem(http.StatusConflict, "There is no picture yet", "Station "+stationID+" has taken none since the service started; start it, or upload a picture.")
	}
	return it.Picture, nil
}

type uploadRecipeRequest struct {
	Product string `query:"product" required:"true"`
	Role    string `query:"role" required:"true"`
	Name    string `query:"name" required:"true" description:"Name of the picture file, for its ending"`
}

func (s *Server) uploadRecipe(c *echo.Context, in *uploadRecipeRequest) (*Draft, error) {
	data, err := body(c, int64(raster.DefaultDecodeLimits.Bytes))
	if err != nil {
		return nil, err
	}
	d, err := s.deps.Book.Create(workbench.Key{Product: in.Product, Role: in.Role}, in.Name, data)
	var p recipe.Problems
	switch {
	case errors.As(err, &p), errors.Is(err, workbench.ErrExists):
		return nil, err
	case err != nil:
		return nil, badPicture(in.Name, err)
	}
	return s.draftOf(d)
}

// Done says that something was done.
type Done struct {
	Done bool `json:"done" required:"true"`
}

func (s *Server) deleteRecipe(_ *echo.Context, in *RecipeRequest) (*Done, error) {
	if err := s.deps.Book.Delete(in.key()); err != nil {
		if errors.Is(err, workbench.ErrNoRecipe) {
			return nil, err
		}
		return nil, problem(http.StatusConflict, "It cannot be deleted", err.Error())
	}
	return &Done{true}, nil
}
