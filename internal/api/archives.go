package api

import (
	"bytes"
	"errors"
	"io"
	"net/http"
	"net/url"
	"os"

	"github.com/labstack/echo/v5"

	"ricetta/core/recipe"
	"ricetta/internal/folder"
	"ricetta/internal/workbench"
)

func (s *Server) exportRecipe(c *echo.Context, in *RecipeRequest) error {
	var b bytes.Buffer
	if err := s.deps.Book.Export(in.key(), &b); err != nil {
		return err
	}
	c.Response().Header().Set("Content-Disposition", `attachment; filename="`+url.PathEscape(in.Product+"-"+in.Role+folder.ArchiveEnding)+`"`)
	return c.Blob(http.StatusOK, "application/zip", b.Bytes())
}

// mostArchive bounds an archive that is brought.
const mostArchive = 1 << 30

func (s *Server) importRecipe(c *echo.Context, _ *none) (*Draft, error) {
	// An archive may be larger than the memory that the service has.
	f, err := os.CreateTemp("", "ricetta-import-*")
	if err != nil {
		return nil, err
	}
	defer os.Remove(f.Name()) //nolint:errcheck // a temporary file
	defer f.Close()           //nolint:errcheck // read only by now
	n, err := io.Copy(f, http.MaxBytesReader(c.Response(), c.Request().Body, mostArchive))
	if err != nil {
		return nil, tooLarge(err, mostArchive)
	}
	d, err := s.deps.Book.Import(f, n)
	var p recipe.Problems
	switch {
	case errors.As(err, &p), errors.Is(err, workbench.ErrExists):
		return nil, err
	case err != nil:
		return nil, problem(http.StatusUnprocessableEntity, "The archive was not imported", err.Error())
	}
	return s.draftOf(d)
}
