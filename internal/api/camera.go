package api

import (
	"context"
	"net/http"
	"sync"
	"time"

	"github.com/labstack/echo/v5"

	"ricetta/core/check"
	"ricetta/core/raster"
	"ricetta/internal/station"
)

// CameraState is how a station's camera is set, and what it can.
type CameraState struct {
	Settings station.CameraSettings `json:"settings" required:"true"`
	Least    station.CameraSettings `json:"least" required:"true"`
	Most     station.CameraSettings `json:"most" required:"true"`
}

// Look is a picture to set a camera up by, with its figures.
type Look struct {
	ID        string  `json:"id" required:"true" description:"For the picture"`
	Width     int     `json:"width" required:"true"`
	Height    int     `json:"height" required:"true"`
	Histogram []int   `json:"histogram" required:"true" nullable:"false" description:"Pixels of each brightness, 0 to 255"`
	Crushed   float64 `json:"crushed" required:"true" description:"Share of pixels without detail in the dark"`
	Burnt     float64 `json:"burnt" required:"true" description:"Share of pixels without detail in the light"`
	Top       int     `json:"top" required:"true" description:"Brightness that one pixel in a hundred exceeds"`
	Mean      float64 `json:"mean" required:"true"`
	Sharpness float64 `json:"sharpness" required:"true" description:"Peaks at best focus"`
	Evenness  float64 `json:"evenness" required:"true" description:"Darkest part of the margin against the brightest, 1 for even light"`
	TookMS    float64 `json:"took_ms" required:"true"`
}

// looks keeps the last pictures that were looked at, one a station.
type looks struct {
	mu    sync.Mutex
	last  map[string]raster.Picture
	count int64
}

// lookTime bounds how long a camera may take to be set up.
const lookTime = 30 * time.Second

func (s *Server) camera(id string) (Control, station.Camera, error) {
	c := s.station(id)
	if c == nil {
		return nil, nil, noStation(id)
	}
	cam, ok := c.Source().(station.Camera)
	if !ok {
		return nil, nil, problem(http.StatusNotFound, "Nothing to set", "The pictures of station "+id+" come from a source without settings.")
	}
	return c, cam, nil
}

func cameraState(c station.Camera) *CameraState {
	out := &CameraState{Settings: c.Settings()}
	out.Least, out.Most = c.Range()
	return out
}

func (s *Server) showCamera(_ *echo.Context, in *StationRequest) (*CameraState, error) {
	_, cam, err := s.camera(in.ID)
	if err != nil {
		return nil, err
	}
	return cameraState(cam), nil
}

// settable refuses to change the camera of a line that runs.
func settable(id string, c Control) error {
	if c.State().Status == station.Running {
		return problem(http.StatusConflict, "The station is running", "Items are being judged on the pictures of "+id+"; stop it before its camera is set.")
	}
	return nil
}

type setCameraRequest struct {
	StationRequest
	Settings station.CameraSettings `json:"settings" required:"true"`
}

func (s *Server) setCamera(_ *echo.Context, in *setCameraRequest) (*CameraState, error) {
	c, cam, err := s.camera(in.ID)
	if err == nil {
		err = settable(in.ID, c)
	}
	if err != nil {
		return nil, err
	}
	if err := cam.Set(in.Settings); err != nil {
		return nil, problem(http.StatusUnprocessableEntity, "The camera cannot be set so", err.Error())
	}
	return cameraState(cam), s.keepCamera(in.ID, cam)
}

func (s *Server) keepCamera(id string, cam station.Camera) error {
	s.log.Info("camera set", "station", id, "settings", cam.Settings())
	return s.deps.KeepCamera(id, cam.Settings())
}

type findRequest struct {
	StationRequest
	What string `param:"what" path:"what" json:"-" required:"true" enum:"exposure,focus"`
}

func (s *Server) findCamera(c *echo.Context, in *findRequest) (*CameraState, error) {
	st, cam, err := s.camera(in.ID)
	if err == nil {
		err = settable(in.ID, st)
	}
	if err != nil {
		return nil, err
	}
	find := map[string]func(context.Context, station.Camera) (station.CameraSettings, error){"exposure": station.FindExposure, "focus": station.FindFocus}[in.What]
	if find == nil {
		return nil, problem(http.StatusNotFound, "Nothing to find", "Ask for exposure or focus.")
	}
	ctx, cancel := context.WithTimeout(c.Request().Context(), lookTime)
	defer cancel()
	_, findErr := find(ctx, cam)
	if err := s.keepCamera(in.ID, cam); err != nil {
		return nil, err
	}
	if findErr != nil {
		return nil, problem(http.StatusUnprocessableEntity, "Not found", findErr.Error())
	}
	return cameraState(cam), nil
}

func (s *Server) look(c *echo.Context, in *StationRequest) (*Look, error) {
	ctx, cancel := context.WithTimeout(c.Request().Context(), lookTime)
	defer cancel()
	begin := time.Now()
	pic, n, err := s.snap(ctx, in.ID)
	if err != nil {
		return nil, err
	}
	took := msSince(begin)
	q := raster.QualityOf(pic)
	out := &Look{
		ID: itemID(in.ID, n), Histogram: q.Histogram[:], Crushed: q.Crushed, Burnt: q.Burnt, Top: q.Top,
		Mean: check.Rounded(q.Mean, 10), Sharpness: check.Rounded(q.Sharpness, 100), Evenness: check.Rounded(q.Evenness, 1000), TookMS: took,
	}
	out.Width, out.Height = pic.Size()
	return out, nil
}

// snap takes a picture to look at and keeps it as the station's last; n tells it from
// those before.
func (s *Server) snap(ctx context.Context, id string) (pic raster.Picture, n int64, err error) {
	c := s.station(id)
	if c == nil {
		return pic, 0, noStation(id)
	}
	if pic, err = c.Source().Snap(ctx); err != nil {
		return pic, 0, problem(http.StatusBadGateway, "No picture", err.Error())
	}
	s.looks.mu.Lock()
	defer s.looks.mu.Unlock()
	if s.looks.last == nil {
		s.looks.last = map[string]raster.Picture{}
	}
	s.looks.last[id] = pic
	s.looks.count++
	return pic, s.looks.count, nil
}

// lastLook is the picture that was looked at last, or one that is taken now.
func (s *Server) lastLook(ctx context.Context, id string) (raster.Picture, error) {
	s.looks.mu.Lock()
	pic := s.looks.last[id]
	s.looks.mu.Unlock()
	if pic.Kind() != "" {
		return pic, nil
	}
	ctx, cancel := context.WithTimeout(ctx, lookTime)
	defer cancel()
	pic, _, err := s.snap(ctx, id)
	return pic, err
}

type lookPictureRequest struct {
	StationRequest
	Look string `query:"look" description:"Id of the look; another one is another picture"`
	Lost bool   `query:"lost" description:"Mark crushed pixels blue and burnt ones red"`
}

func (s *Server) lookPicture(c *echo.Context, in *lookPictureRequest) error {
	s.looks.mu.Lock()
	pic := s.looks.last[in.ID]
	s.looks.mu.Unlock()
	if pic.Kind() == "" {
		return problem(http.StatusNotFound, "No picture yet", "Ask for a look first.")
	}
	if in.Lost {
		pic = pic.MarkLost()
	}
	data, err := jpegOf(pic, "preview")
	if err != nil {
		return err
	}
	c.Response().Header().Set("Cache-Control", "no-store")
	return c.Blob(http.StatusOK, "image/jpeg", data)
}
