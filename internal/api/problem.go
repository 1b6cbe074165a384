package api

import (
	"errors"
	"io/fs"
	"log/slog"
	"net/http"

	"github.com/labstack/echo/v5"

	"ricetta/core/recipe"
	"ricetta/internal/store"
	"ricetta/internal/workbench"
)

const problemType = "application/problem+json"

// Problem is an error as RFC 9457 writes it. Detail says what, where and the remedy.
type Problem struct {
	Type   string `json:"type" required:"true"`
	Title  string `json:"title" required:"true"`
	Status int    `json:"status" required:"true"`
	Detail string `json:"detail" required:"true"`
	// Problems are what is wrong with a recipe, each with its field and remedy.
	Problems []recipe.Problem `json:"problems,omitempty" nullable:"false"`
	// Kept names the document that was kept instead of saved, because somebody else had
	// saved the draft meanwhile.
	Kept string `json:"kept,omitempty"`
	// Wrong counts the samples that are judged wrong, for which a release was refused.
	Wrong int `json:"wrong,omitempty"`
}

func (p *Problem) Error() string { return p.Detail }

// StatusCode implements Echo's interface.
func (p *Problem) StatusCode() int { return p.Status }

func problem(status int, title, detail string) *Problem {
	return &Problem{Type: "about:blank", Title: title, Status: status, Detail: detail}
}

// answerError writes every error as problem details. What went wrong inside is
// logged and not told.
func answerError(log *slog.Logger) echo.HTTPErrorHandler {
	return func(c *echo.Context, err error) {
		if r, _ := echo.UnwrapResponse(c.Response()); r != nil && r.Committed {
			return
		}
		var p *Problem
		var coded echo.HTTPStatusCoder
		switch {
		case errors.As(err, &p):
		case ofWorkbench(err) != nil:
			p = ofWorkbench(err)
		case errors.Is(err, store.ErrNoItem), errors.Is(err, store.ErrNoPicture):
			p = problem(http.StatusNotFound, "Not found", err.Error())
		case errors.As(err, &coded) && coded.StatusCode() < 500:
			p = problem(coded.StatusCode(), http.StatusText(coded.StatusCode()), detailOf(coded.StatusCode(), c.Request()))
		default:
			log.Error("a request failed", "method", c.Request().Method, "path", c.Request().URL.Path, "error", err)
			p = problem(http.StatusInternalServerError, "Something went wrong in the service", "The service's log says what; the line goes on unhindered.")
		}
		h := c.Response().Header()
		h.Set("Content-Type", problemType)
		h.Set("Cache-Control", "no-store")
		if err := c.JSON(p.Status, p); err != nil {
			log.Debug("an error could not be told", "error", err)
		}
	}
}

// ofWorkbench tells the errors of the workbench, nil for others.
func ofWorkbench(err error) *Problem {
	var conflict *workbench.ErrConflict
	var wrong *workbench.ErrWrong
	var problems recipe.Problems
	switch {
	case errors.As(err, &conflict):
		p := problem(http.StatusPreconditionFailed, "Somebody else has saved this draft", conflict.Error())
		p.Kept = conflict.Kept
		return p
	case errors.As(err, &wrong):
		p := problem(http.StatusConflict, "Samples are judged wrong", wrong.Error())
		p.Wrong = wrong.Wrong
		return p
	case errors.As(err, &problems):
		p := problem(http.StatusUnprocessableEntity, "The recipe is not in order", problems.Error())
		p.Problems = problems
		return p
	case errors.Is(err, workbench.ErrNoRecipe), errors.Is(err, workbench.ErrNoPicture), errors.Is(err, fs.ErrNotExist):
		return problem(http.StatusNotFound, "Not found", err.Error())
	case errors.Is(err, workbench.ErrExists):
		return problem(http.StatusConflict, "It is there already", err.Error())
	}
	return nil
}

func detailOf(status int, r *http.Request) string {
	switch status {
	case http.StatusNotFound:
		return "There is nothing at " + r.URL.Path + "; see " + prefix + "/openapi.json for what there is."
	case http.StatusMethodNotAllowed:
		return r.Method + " is not possible at " + r.URL.Path + "."
	case http.StatusRequestEntityTooLarge:
		return "The request is larger than this service takes."
	}
	return http.StatusText(status)
}
