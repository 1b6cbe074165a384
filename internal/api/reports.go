package api

import (
	"bytes"
	"errors"
	"net/http"
	"strings"
	"time"

	"github.com/labstack/echo/v5"

	"ricetta/internal/report"
	"ricetta/internal/shift"
	"ricetta/internal/statistics"
)

// ReportRequest names a report. It is exported because Echo binds embedded fields of exported types
// only.
type ReportRequest struct {
	Of      string `param:"of" path:"of" required:"true" enum:"shift,run,station" description:"What it is of"`
	Shift   string `query:"shift" description:"Of a shift: as in 2026-11-27/night, or last for the last one that is over"`
	Run     int64  `query:"run" description:"Of a run: its number"`
	Station string `query:"station" description:"Of a station: which"`
	From    string `query:"from" format:"date-time" description:"Of a station: from when"`
	Until   string `query:"until" format:"date-time" description:"and until when"`
}

type reportFileRequest struct {
	ReportRequest
	Format string `query:"format" required:"true" enum:"pdf,csv,xlsx"`
}

func (s *Server) reportOf(in ReportRequest) (*statistics.Report, error) {
	f, err := ItemFilter{From: in.From, Until: in.Until}.filter()
	if err != nil {
		return nil, err
	}
	now := time.Now()
	if in.Of == statistics.OfShift && in.Shift == "last" {
		for _, x := range s.deps.Records.Shifts(now.AddDate(0, 0, -30), now) {
			if !x.End.After(now) && x.Name != shift.None {
				in.Shift = x.Key
			}
		}
	}
	r, err := statistics.Make(s.deps.Records, statistics.Ask{Of: in.Of, Shift: in.Shift, Run: in.Run, Station: in.Station, From: f.From, Until: f.Until, Now: now})
	switch {
	case errors.Is(err, statistics.ErrNoReport):
		return nil, problem(http.StatusNotFound, "Nothing to report", strings.ToUpper(err.Error()[:1])+err.Error()[1:]+".")
	case err != nil:
		return nil, problem(http.StatusBadRequest, "No such report", err.Error())
	}
	return r, nil
}

func (s *Server) showReport(_ *echo.Context, in *ReportRequest) (*statistics.Report, error) {
	return s.reportOf(*in)
}

func (s *Server) reportFile(c *echo.Context, in *reportFileRequest) error {
	media := report.MediaType(in.Format)
	if media == "" {
		return problem(http.StatusBadRequest, "No such format", "A report is written as "+strings.Join(report.Formats, ", ")+".")
	}
	r, err := s.reportOf(in.ReportRequest)
	if err != nil {
		return err
	}
	t := report.Tally{Report: r, Site: s.deps.Site, Zone: s.deps.Zone, Made: time.Now(), Version: s.deps.Version}
	var b bytes.Buffer
	if err := t.Write(&b, in.Format); err != nil {
		return err
	}
	c.Response().Header().Set("Content-Disposition", `attachment; filename="`+t.FileName()+"."+in.Format+`"`)
	return c.Blob(http.StatusOK, media, b.Bytes())
}
