package api

import (
	"errors"
	"net/http"

	"github.com/labstack/echo/v5"

	"ricetta/core/check"
	"ricetta/core/raster"
	"ricetta/internal/folder"
	"ricetta/internal/workbench"
)

// Sample is a labeled picture.
type Sample struct {
	Sample string `json:"sample" required:"true"`
	Label  string `json:"label" required:"true" description:"good, bad, bad: CHECK, rework, unlabeled, or a route"`
	Note   string `json:"note" required:"true"`
}

// SampleList lists samples.
type SampleList struct {
	Samples []Sample    `json:"samples" required:"true" nullable:"false"`
	Order   check.Order `json:"order,omitempty" nullable:"false" description:"What they were packed for: lot, expiry, …"`
}

func samplesOf(s *folder.Samples) *SampleList {
	out := &SampleList{Samples: []Sample{}, Order: s.Order}
	for _, e := range s.List {
		out.Samples = append(out.Samples, Sample{e.Picture, e.Label, e.Note})
	}
	return out
}

func (s *Server) listSamples(_ *echo.Context, in *RecipeRequest) (*SampleList, error) {
	list, err := s.deps.Book.Samples(in.key())
	if err != nil {
		return nil, err
	}
	return samplesOf(list), nil
}

type orderRequest struct {
	RecipeRequest
	Order check.Order `json:"order" required:"true" nullable:"false" description:"Names and values, as lot: L4711; days as in 2027-03-31"`
}

func (s *Server) orderOfSamples(_ *echo.Context, in *orderRequest) (*SampleList, error) {
	list, err := s.deps.Book.OrderOfSamples(in.key(), in.Order)
	if err != nil {
		return nil, err
	}
	return samplesOf(list), nil
}

type addSampleRequest struct {
	RecipeRequest
	Name  string `query:"name" json:"-" description:"Name of the file, with folders if they tell the label"`
	Label string `query:"label" json:"-" description:"Absent: folder and name tell"`
	Item  string `query:"item" json:"-" description:"Take the picture of this recorded item instead of the request's body"`
}

func (s *Server) addSample(c *echo.Context, in *addSampleRequest) (*Sample, error) {
	var data []byte
	var err error
	if in.Item != "" {
		if data, err = s.itemPNG(in.Item); err != nil {
			return nil, err
		}
		in.Name = in.Item + ".png"
	} else if data, err = body(c, int64(raster.DefaultDecodeLimits.Bytes)); err != nil {
		return nil, err
	}
	e, err := s.deps.Book.AddSample(in.key(), in.Name, data, in.Label)
	switch {
	case errors.Is(err, folder.ErrThere):
		return nil, problem(http.StatusConflict, "It is a sample already", in.Name+": the same picture is a sample already, as "+e.Picture)
	case errors.Is(err, workbench.ErrNoRecipe):
		return nil, err
	case err != nil:
		return nil, badPicture(in.Name, err)
	}
	return &Sample{e.Picture, e.Label, e.Note}, nil
}

type labelRequest struct {
	RecipeRequest
	Samples []string `json:"samples" required:"true" nullable:"false"`
	Label   string   `json:"label" required:"true"`
}

func (s *Server) labelSamples(_ *echo.Context, in *labelRequest) (*SampleList, error) {
	list, err := s.deps.Book.LabelSamples(in.key(), in.Samples, in.Label)
	if err != nil {
		return nil, err
	}
	return samplesOf(list), nil
}

type removeSamplesRequest struct {
	RecipeRequest
	Samples []string `json:"samples" required:"true" nullable:"false"`
}

func (s *Server) removeSamples(_ *echo.Context, in *removeSamplesRequest) (*SampleList, error) {
	list, err := s.deps.Book.RemoveSamples(in.key(), in.Samples)
	if err != nil {
		return nil, err
	}
	return samplesOf(list), nil
}

func (s *Server) samplePicture(c *echo.Context, in *fileRequest) error {
	list, err := s.deps.Book.Samples(in.key())
	if err != nil {
		return err
	}
	data, err := list.Read(in.Name)
	if err != nil {
		return err
	}
	return s.sendPicture(c, in.Name, in.Size, data)
}
