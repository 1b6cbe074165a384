package api

import (
	"net/http"

	"github.com/labstack/echo/v5"

	"ricetta/internal/line"
)

// SignalBoard are the signals of a line as they are now.
type SignalBoard = line.Board

// SignalControl is what the interface can do with the signals of a line.
type SignalControl interface {
	Signals() line.Board
	// Setup begins or ends set-up, in which signals are set by hand.
	Setup(on bool) error
	// Force sets an output, Simulate an input; nil gives it back.
	Force(output string, on *bool) error
	Simulate(input string, on *bool) error
}

func (s *Server) signals(id string, failed string, f func(SignalControl) error) (*line.Board, error) {
	l := s.line(id)
	if l == nil {
		return nil, noLine(id)
	}
	if err := f(l); err != nil {
		return nil, problem(http.StatusConflict, failed, err.Error())
	}
	out := l.Signals()
	return &out, nil
}

func (s *Server) showSignals(_ *echo.Context, in *LineRequest) (*line.Board, error) {
	return s.signals(in.ID, "", func(SignalControl) error { return nil })
}

type setupRequest struct {
	LineRequest
	On bool `json:"on" required:"true"`
}

func (s *Server) setupLine(_ *echo.Context, in *setupRequest) (*line.Board, error) {
	return s.signals(in.ID, "No set-up now", func(l SignalControl) error {
		err := l.Setup(in.On)
		if err == nil {
			s.log.Info("set-up of signals", "line", in.ID, "on", in.On)
		}
		return err
	})
}

type signalRequest struct {
	LineRequest
	Name   string `param:"name" path:"name" json:"-" required:"true" description:"Name of the signal"`
	Output bool   `json:"output" required:"true" description:"An output is forced, an input simulated"`
	On     *bool  `json:"on" description:"null gives it back to the line, or to its wire"`
}

func (s *Server) setSignal(_ *echo.Context, in *signalRequest) (*line.Board, error) {
	return s.signals(in.ID, "The signal was not set", func(l SignalControl) error {
		set := l.Simulate
		if in.Output {
			set = l.Force
		}
		err := set(in.Name, in.On)
		if err == nil {
			s.log.Info("signal set by hand", "line", in.ID, "signal", in.Name, "on", in.On)
		}
		return err
	})
}
