package api

import (
	"context"
	"encoding/json"
	"errors"
	"net/http"
	"time"

	"github.com/labstack/echo/v5"

	"ricetta/core/recipe"
	"ricetta/core/trial"
)

type trialRequest struct {
	RecipeRequest
	Tree map[string]any `json:"tree,omitempty" description:"A draft that is not saved yet; the saved one if absent"`
}

// Progress is one line of a trial's answer: how far it is, and at last what it says.
type Progress struct {
	Done     int                  `json:"done" required:"true"`
	Of       int                  `json:"of" required:"true"`
	Report   *trial.ReportJSON    `json:"report,omitempty"`
	Envelope []trial.EnvelopeJSON `json:"envelope,omitempty" nullable:"false"`
	Used     int                  `json:"used,omitempty" description:"Samples that a stress trial could use"`
	Problems []recipe.Problem     `json:"problems,omitempty" nullable:"false"`
	Error    string               `json:"error,omitempty"`
}

// lines answers with the progress of a trial, one JSON object a line.
func lines(c *echo.Context, run func(ctx context.Context, tell func(Progress))) error {
	return linesOf(c, func(p Progress) bool {
		return p.Report != nil || p.Envelope != nil || p.Problems != nil || p.Error != ""
	}, run)
}

// linesOf answers with one JSON object a line, as they come; those in between only now and then.
func linesOf[T any](c *echo.Context, final func(T) bool, run func(ctx context.Context, tell func(T))) error {
	w := c.Response()
	w.Header().Set("Content-Type", "application/x-ndjson")
	w.Header().Set("Cache-Control", "no-store")
	w.WriteHeader(http.StatusOK)
	e := json.NewEncoder(w)
	flush := http.NewResponseController(w)
	last := time.Time{}
	run(c.Request().Context(), func(p T) {
		if !final(p) && time.Since(last) < 50*time.Millisecond {
			return
		}
		last = time.Now()
		if e.Encode(p) == nil {
			_ = flush.Flush() // who has gone is noticed by the context
		}
	})
	return nil
}

func progressOf(err error) Progress {
	var p recipe.Problems
	if errors.As(err, &p) {
		return Progress{Problems: p}
	}
	return Progress{Error: err.Error()}
}

// told runs a trial of some sort and tells how far it is and what it says.
func (s *Server) told(c *echo.Context, in *trialRequest, run func(ctx context.Context, each func(done, of int)) (Progress, error)) error {
	if _, err := s.deps.Book.Samples(in.key()); err != nil {
		return err
	}
	return lines(c, func(ctx context.Context, tell func(Progress)) {
		p, err := run(ctx, func(done, of int) { tell(Progress{Done: done, Of: of}) })
		if err != nil {
			p = progressOf(err)
		}
		tell(p)
	})
}

func (s *Server) trial(c *echo.Context, in *trialRequest) error {
	return s.told(c, in, func(ctx context.Context, each func(done, of int)) (Progress, error) {
		report, err := s.deps.Book.Trial(ctx, in.key(), in.Tree, each)
		if err != nil {
			return Progress{}, err
		}
		j := report.JSON()
		return Progress{Done: len(report.Results), Of: len(report.Results), Report: &j}, nil
	})
}

func (s *Server) stress(c *echo.Context, in *trialRequest) error {
	return s.told(c, in, func(ctx context.Context, each func(done, of int)) (Progress, error) {
		list, used, err := s.deps.Book.Stress(ctx, in.key(), in.Tree, each)
		out := make([]trial.EnvelopeJSON, len(list))
		for i := range list {
			out[i] = list[i].JSON()
		}
		return Progress{Done: 1, Of: 1, Envelope: out, Used: used}, err
	})
}
