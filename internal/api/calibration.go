package api

import (
	"net/http"

	"github.com/labstack/echo/v5"

	"ricetta/core/measure"
	"ricetta/core/raster"
)

// Calibration says how a station's pixels lie in the world.
type Calibration struct {
	MMPerPx float64 `json:"mm_per_px" required:"true" description:"Millimeters of one pixel"`
	Lens    *Lens   `json:"lens,omitempty" description:"How the lens bends; absent where it does not, or nobody has looked"`
}

// Lens is radial distortion to first order: a place r pixels from the center would lie at
// r·(1 + bend·(r/reach)²) without it.
type Lens struct {
	X     float64 `json:"x" required:"true" description:"Center of the distortion, pixels"`
	Y     float64 `json:"y" required:"true"`
	Reach float64 `json:"reach" required:"true" description:"Pixels from the center to a corner"`
	Bend  float64 `json:"bend" required:"true" description:"Share of its distance by which a corner is moved outwards to make the picture straight"`
}

func calibrationOf(c raster.Calibration) Calibration {
	out := Calibration{MMPerPx: c.MMPerPx}
	if l := c.Lens; l != nil {
		out.Lens = &Lens{l.Center.X, l.Center.Y, l.Reach, l.Bend}
	}
	return out
}

func (c Calibration) raster() *raster.Calibration {
	out := &raster.Calibration{MMPerPx: c.MMPerPx}
	if l := c.Lens; l != nil {
		out.Lens = &raster.Lens{Center: raster.Point{X: l.X, Y: l.Y}, Reach: l.Reach, Bend: l.Bend}
	}
	return out
}

type findCalibrationRequest struct {
	StationRequest
	LengthMM float64   `json:"length_mm,omitempty" description:"A known length …"`
	From     []float64 `json:"from,omitempty" nullable:"false" description:"… from this place, x and y in pixels"`
	To       []float64 `json:"to,omitempty" nullable:"false" description:"… to this one"`
	GridMM   float64   `json:"grid_mm,omitempty" description:"Or the pitch of a printed grid of round dots that fills the picture"`
}

// FoundCalibration is a calibration, and how well it fits.
type FoundCalibration struct {
	Calibration Calibration         `json:"calibration" required:"true"`
	Grid        *measure.GridReport `json:"grid,omitempty" description:"Of a grid of dots: how well they lie on it, in pixels and degrees"`
}

func (s *Server) findCalibration(c *echo.Context, in *findCalibrationRequest) (*FoundCalibration, error) {
	pic, err := s.lastLook(c.Request().Context(), in.ID)
	if err != nil {
		return nil, err
	}
	var found raster.Calibration
	var grid *measure.GridReport
	switch {
	case in.GridMM > 0:
		var report measure.GridReport
		found, report, err = measure.CalibrateGrid(pic.Luma(new(raster.Gray)), in.GridMM)
		grid = &report
	case len(in.From) == 2 && len(in.To) == 2:
		found, err = measure.ScaleOf(raster.Point{X: in.From[0], Y: in.From[1]}, raster.Point{X: in.To[0], Y: in.To[1]}, in.LengthMM)
	default:
		return nil, problem(http.StatusUnprocessableEntity, "Nothing to go by", "Give length_mm with from and to, or grid_mm.")
	}
	if err != nil {
		return nil, problem(http.StatusUnprocessableEntity, "Not found", err.Error())
	}
	return &FoundCalibration{calibrationOf(found), grid}, nil
}

type setCalibrationRequest struct {
	StationRequest
	Calibration *Calibration `json:"calibration,omitempty" description:"Absent: what the site's configuration says"`
}

func (s *Server) setCalibration(_ *echo.Context, in *setCalibrationRequest) (*Station, error) {
	c := s.station(in.ID)
	if c == nil {
		return nil, noStation(in.ID)
	}
	if err := settable(in.ID, c); err != nil {
		return nil, err
	}
	var k *raster.Calibration
	if in.Calibration != nil {
		k = in.Calibration.raster()
	}
	if err := c.Calibrate(k); err != nil {
		return nil, problem(http.StatusUnprocessableEntity, "The station cannot measure by that", err.Error())
	}
	s.log.Info("station calibrated", "station", in.ID, "calibration", k)
	if err := s.deps.KeepCalibration(in.ID, k); err != nil {
		return nil, err
	}
	out := s.view(c)
	return &out, nil
}
