package api

import (
	"github.com/labstack/echo/v5"

	"ricetta/core/recipe"
	"ricetta/internal/workbench"
)

type releaseRequest struct {
	RecipeRequest
	Tag    string `json:"tag,omitempty" description:"Of the draft as it was looked at"`
	Who    string `json:"who" required:"true" maxLength:"60"`
	Note   string `json:"note,omitempty" maxLength:"2000"`
	Reason string `json:"reason,omitempty" maxLength:"2000" description:"Why it is released although samples are judged wrong"`
}

func (s *Server) release(c *echo.Context, in *releaseRequest) (*workbench.Release, error) {
	r, err := s.deps.Book.Release(c.Request().Context(), in.key(), workbench.Wish{Tag: in.Tag, Who: in.Who, Note: in.Note, Reason: in.Reason})
	if err != nil {
		return nil, err
	}
	s.log.Info("recipe released", "recipe", in.key().String(), "revision", r.Revision, "who", r.Who, "wrong", r.Wrong)
	return &r, nil
}

// RetireRequest says who takes a recipe out of use.
type RetireRequest struct {
	RecipeRequest
	Who  string `json:"who" required:"true" maxLength:"60"`
	Note string `json:"note,omitempty" maxLength:"2000"`
}

func (s *Server) retire(_ *echo.Context, in *RetireRequest) (*workbench.Release, error) {
	r, err := s.deps.Book.Retire(in.key(), in.Who, in.Note)
	return &r, err
}

type restoreRequest struct {
	RetireRequest
	Revision string `json:"revision" required:"true"`
}

func (s *Server) restore(_ *echo.Context, in *restoreRequest) (*workbench.Release, error) {
	r, err := s.deps.Book.Restore(in.key(), in.Revision, in.Who, in.Note)
	return &r, err
}

// ReleaseList lists what happened to a recipe, newest first.
type ReleaseList struct {
	Releases []workbench.Release `json:"releases" required:"true" nullable:"false"`
}

func (s *Server) listReleases(_ *echo.Context, in *RecipeRequest) (*ReleaseList, error) {
	list, err := s.deps.Book.Releases(in.key())
	if err != nil {
		return nil, err
	}
	return &ReleaseList{append([]workbench.Release{}, list...)}, nil
}

type diffRequest struct {
	RecipeRequest
	From string `query:"from" json:"-" description:"A revision; absent: the draft"`
	To   string `query:"to" json:"-" description:"A revision; absent: the draft"`
}

// ChangeList says what differs.
type ChangeList struct {
	Changes []recipe.Change `json:"changes" required:"true" nullable:"false"`
}

func (s *Server) diff(_ *echo.Context, in *diffRequest) (*ChangeList, error) {
	list, err := s.deps.Book.Diff(in.key(), in.From, in.To)
	if err != nil {
		return nil, err
	}
	return &ChangeList{append([]recipe.Change{}, list...)}, nil
}
