package api

import (
	"errors"
	"log/slog"
	"net/http"

	"github.com/labstack/echo/v5"

	"ricetta/internal/store"
)

const problemType = "application/problem+json"

// Problem is an error as RFC 9457 writes it. Detail says what, where and the remedy.
type Problem struct {
	Type   string `json:"type" required:"true"`
	Title  string `json:"title" required:"true"`
	Status int    `json:"status" required:"true"`
	Detail string `json:"detail" required:"true"`
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
