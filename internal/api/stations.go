package api

import (
	"errors"
	"net/http"

	"github.com/labstack/echo/v5"

	"ricetta/core/check"
	"ricetta/core/inspect"
	"ricetta/core/raster"
	"ricetta/internal/station"
)

// Control is what the interface can do with a station.
type Control interface {
	State() station.State
	Start() error
	Stop()
	Use(*inspect.Plan) error
	// Source is what its pictures come from. It is a station.Camera as well where there is
	// something to set.
	Source() station.Viewer
	Calibrate(*raster.Calibration) error
	// Order tells what is packed from the next item on.
	Order(check.Order)
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

func (s *Server) startStation(_ *echo.Context, in *StationRequest) (*Station, error) {
	c := s.station(in.ID)
	if c == nil {
		return nil, noStation(in.ID)
	}
	if err := c.Start(); err != nil {
		if errors.Is(err, station.ErrNoRecipe) {
			return nil, problem(http.StatusConflict, "The station cannot start", err.Error())
		}
		return nil, problem(http.StatusConflict, "The station did not start", err.Error())
	}
	s.log.Info("station started", "station", in.ID)
	out := s.view(c)
	return &out, nil
}

func (s *Server) stopStation(_ *echo.Context, in *StationRequest) (*Station, error) {
	c := s.station(in.ID)
	if c == nil {
		return nil, noStation(in.ID)
	}
	c.Stop()
	s.log.Info("station stopped", "station", in.ID)
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
