package api

import (
	"net/http"

	"github.com/labstack/echo/v5"

	"ricetta/core/inspect"
	"ricetta/core/raster"
	"ricetta/internal/station"
)

// Control is what the interface can do with a station.
type Control interface {
	State() station.State
	Use(*inspect.Plan) error
	// Source is what its pictures come from. It is a station.Camera as well where there is
	// something to set.
	Source() station.Viewer
	Calibrate(*raster.Calibration) error
}

// StationRequest names a station.
type StationRequest struct {
	ID string `param:"id" path:"id" json:"-" required:"true" description:"Id of the station"`
}

type none struct{}

func (s *Server) station(id string) Control {
	for _, c := range s.deps.Stations {
		if c.State().Config.ID == id {
			return c
		}
	}
	return nil
}

func noStation(id string) error {
	return problem(http.StatusNotFound, "No such station", "There is no station "+id+"; see "+prefix+"/stations for those there are.")
}

// view is a station with its last item.
func (s *Server) view(c Control) Station {
	out := stationOf(c.State())
	if it := s.hub.latest(out.ID); it != nil {
		i := itemOf(it)
		out.Last = &i
	}
	return out
}

func (s *Server) listStations(*echo.Context, *none) (*StationList, error) {
	out := &StationList{Stations: []Station{}}
	for _, c := range s.deps.Stations {
		out.Stations = append(out.Stations, s.view(c))
	}
	return out, nil
}

func (s *Server) showStation(_ *echo.Context, in *StationRequest) (*Station, error) {
	c := s.station(in.ID)
	if c == nil {
		return nil, noStation(in.ID)
	}
	out := s.view(c)
	return &out, nil
}

// startStation starts the line that a station stands on.
func (s *Server) startStation(_ *echo.Context, in *StationRequest) (*Station, error) {
	return s.onLine(in.ID, func(l LineControl) error { return l.Start(false) })
}

func (s *Server) stopStation(_ *echo.Context, in *StationRequest) (*Station, error) {
	return s.onLine(in.ID, func(l LineControl) error { l.Stop(); return nil })
}

// onLine does something to the line of a station.
func (s *Server) onLine(id string, f func(LineControl) error) (*Station, error) {
	c := s.station(id)
	if c == nil {
		return nil, noStation(id)
	}
	l := s.line(c.State().Config.Line)
	if err := f(l); err != nil {
		return nil, problem(http.StatusConflict, "The line did not start", err.Error())
	}
	s.log.Info("line started or stopped", "line", l.State().Config.ID, "status", l.State().Status)
	out := s.view(c)
	return &out, nil
}

// latestItem returns the last item with its findings, for a live view that opens.
func (s *Server) latestItem(_ *echo.Context, in *StationRequest) (*ItemDetail, error) {
	if s.station(in.ID) == nil {
		return nil, noStation(in.ID)
	}
	it := s.hub.latest(in.ID)
	if it == nil {
		return nil, problem(http.StatusNotFound, "No item yet", "Station "+in.ID+" has judged nothing since the service started; start it, or look at the items of before.")
	}
	out := detailOfItem(it)
	return &out, nil
}
