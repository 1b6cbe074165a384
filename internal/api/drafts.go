package api

import (
	"errors"
	"fmt"
	"io"
	"net/http"
	"path"
	"strings"

	"github.com/labstack/echo/v5"

	"ricetta/core/raster"
	"ricetta/core/recipe"
	"ricetta/internal/folder"
	"ricetta/internal/workbench"
)

// RecipeRequest names a recipe.
type RecipeRequest struct {
	Product string `param:"product" path:"product" json:"-" required:"true" description:"Code of the product"`
	Role    string `param:"role" path:"role" json:"-" required:"true" description:"Role of the stations"`
}

func (in *RecipeRequest) key() workbench.Key {
	return workbench.Key{Product: in.Product, Role: in.Role}
}

// Draft is a recipe as it is being worked on.
type Draft struct {
	Product string `json:"product" required:"true"`
	Role    string `json:"role" required:"true"`
	// Tag is the ETag as well.
	Tag   string         `json:"tag" required:"true" description:"Changes with every save; send it as If-Match"`
	Text  string         `json:"text" required:"true" description:"recipe.yaml"`
	Tree  map[string]any `json:"tree" required:"true" nullable:"false" description:"The same as values; of a variant base and change"`
	Whole map[string]any `json:"whole" required:"true" nullable:"false" description:"With what a variant takes from its base"`
	Base  string         `json:"base" required:"true" description:"Of a variant: the base; else empty"`
	Below map[string]any `json:"below,omitempty" description:"Of a variant: the tree of its base"`
	// Released is the revision that is released, empty where none is.
	Released string           `json:"released" required:"true"`
	Revision string           `json:"revision" required:"true" description:"What it would be released as; empty with problems"`
	Problems []recipe.Problem `json:"problems" required:"true" nullable:"false"`
	Pictures []string         `json:"pictures" required:"true" nullable:"false"`
	Kept     []string         `json:"kept" required:"true" nullable:"false" description:"Earlier documents, newest first"`
}

func (s *Server) draftOf(d *workbench.Draft) (*Draft, error) {
	now, ok, err := s.deps.Book.Current(d.Key)
	if err != nil {
		return nil, err
	}
	out := &Draft{
		Product: d.Product, Role: d.Role, Tag: d.Tag, Text: d.Text, Tree: d.Tree, Whole: d.Whole, Base: recipe.Base(d.Tree), Below: d.Below,
		Revision: d.Revision, Problems: d.Problems, Pictures: d.Pictures, Kept: d.Kept,
	}
	if ok {
		out.Released = now.Revision
	}
	if out.Problems == nil {
		out.Problems = []recipe.Problem{}
	}
	if out.Pictures == nil {
		out.Pictures = []string{}
	}
	if out.Kept == nil {
		out.Kept = []string{}
	}
	return out, nil
}

func (s *Server) showDraft(c *echo.Context, in *RecipeRequest) (*Draft, error) {
	d, err := s.deps.Book.Draft(in.key())
	if err != nil {
		return nil, err
	}
	c.Response().Header().Set("ETag", `"`+d.Tag+`"`)
	return s.draftOf(d)
}

type saveRequest struct {
	RecipeRequest
	Tree map[string]any `json:"tree" required:"true" nullable:"false"`
	Who  string         `json:"who,omitempty" maxLength:"60" description:"Who saves it"`
}

func (s *Server) saveDraft(c *echo.Context, in *saveRequest) (*Draft, error) {
	tag := strings.Trim(c.Request().Header.Get("If-Match"), `"`)
	if tag == "" {
		return nil, problem(http.StatusPreconditionRequired, "Which draft was edited?", "Send the tag of the draft that was edited as If-Match, so that nobody is overwritten.")
	}
	d, err := s.deps.Book.Save(in.key(), in.Tree, tag, in.Who)
	if err != nil {
		return nil, err
	}
	c.Response().Header().Set("ETag", `"`+d.Tag+`"`)
	return s.draftOf(d)
}

type fileRequest struct {
	RecipeRequest
	Name string `param:"name" path:"name" json:"-" required:"true" description:"Name of the file"`
	Size string `query:"size" json:"-" enum:"full,preview,thumb" default:"full" description:"full: the file as it is; preview: JPEG of the same size; thumb: small JPEG"`
}

func (s *Server) draftPicture(c *echo.Context, in *fileRequest) error {
	data, err := s.deps.Book.Picture(in.key(), in.Name)
	if err != nil {
		return err
	}
	return s.sendPicture(c, in.Name, in.Size, data)
}

// sendPicture sends a picture file as it is or as JPEG. It may be replaced, so browsers ask
// again each time, and are told when nothing has changed.
func (s *Server) sendPicture(c *echo.Context, name, size string, data []byte) error {
	types := map[string]string{".png": "image/png", ".jpg": "image/jpeg", ".jpeg": "image/jpeg", ".bmp": "image/bmp", ".tif": "image/tiff", ".tiff": "image/tiff"}
	kind := types[strings.ToLower(path.Ext(name))]
	h := c.Response().Header()
	h.Set("Cache-Control", "private, no-cache")
	tag := `"` + folder.HashOf(data)[:16] + size + `"`
	h.Set("ETag", tag)
	if c.Request().Header.Get("If-None-Match") == tag {
		return c.NoContent(http.StatusNotModified)
	}
	if size == "preview" || size == "thumb" {
		data, err := s.previews.get(tag, func() ([]byte, error) {
			pic, err := folder.DecodeCached(data, path.Ext(name), raster.DefaultDecodeLimits)
			if err != nil {
				return nil, err
			}
			return jpegOf(pic, size)
		})
		if err != nil {
			return err
		}
		return c.Blob(http.StatusOK, "image/jpeg", data)
	}
	return c.Blob(http.StatusOK, kind, data)
}

// body reads an upload, which may be larger than other requests.
func body(c *echo.Context, most int64) ([]byte, error) {
	data, err := io.ReadAll(http.MaxBytesReader(c.Response(), c.Request().Body, most))
	return data, tooLarge(err, most)
}

// tooLarge tells of an upload beyond its bound; other errors stay as they are.
func tooLarge(err error, most int64) error {
	var large *http.MaxBytesError
	if errors.As(err, &large) {
		return problem(http.StatusRequestEntityTooLarge, "The file is too large", fmt.Sprintf("It has more than %d MiB; save it smaller.", most>>20))
	}
	return err
}

func (s *Server) putDraftPicture(c *echo.Context, in *fileRequest) (*Draft, error) {
	data, err := body(c, int64(raster.DefaultDecodeLimits.Bytes))
	if err != nil {
		return nil, err
	}
	if err := s.deps.Book.PutPicture(in.key(), in.Name, data); err != nil {
		return nil, badPicture(in.Name, err)
	}
	return s.showDraft(c, &in.RecipeRequest)
}

func badPicture(name string, err error) error {
	return problem(http.StatusUnprocessableEntity, "This is no picture that can be used", name+": "+err.Error())
}

func (s *Server) keptDocument(c *echo.Context, in *fileRequest) error {
	data, err := s.deps.Book.Kept(in.key(), in.Name)
	if err != nil {
		return err
	}
	return c.Blob(http.StatusOK, "application/yaml", data)
}
