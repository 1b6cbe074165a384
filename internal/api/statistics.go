package api

import (
	"math"
	"net/http"
	"time"

	"github.com/labstack/echo/v5"

	"ricetta/core/spc"
	"ricetta/internal/statistics"
)

// Comparison compares what items have in common.
type Comparison struct {
	By     string             `json:"by" required:"true"`
	Groups []statistics.Group `json:"groups" required:"true" nullable:"false"`
}

// ParetoChart has the reasons of what did not pass.
type ParetoChart struct {
	Total int64            `json:"total" required:"true"`
	Bars  []statistics.Bar `json:"bars" required:"true" nullable:"false" description:"The most frequent first"`
}

// TrendChart is the share of what did not pass over time.
type TrendChart struct {
	By    string            `json:"by" required:"true"`
	Steps []statistics.Step `json:"steps" required:"true" nullable:"false"`
	// Rules says what the numbers of Nelson's rules mean, from the first.
	Rules []string `json:"rules" required:"true" nullable:"false"`
}

func notCounted(err error) error {
	return problem(http.StatusBadRequest, "Not counted so", err.Error())
}

func (s *Server) overview(_ *echo.Context, in *ItemFilter) (*statistics.Overview, error) {
	f, err := in.filter()
	if err != nil {
		return nil, err
	}
	out, err := statistics.Look(s.deps.Records, f)
	return &out, err
}

func (s *Server) pareto(_ *echo.Context, in *ItemFilter) (*ParetoChart, error) {
	f, err := in.filter()
	if err != nil {
		return nil, err
	}
	bars, err := statistics.Pareto(s.deps.Records, f)
	out := &ParetoChart{Bars: bars}
	for _, b := range bars {
		out.Total += b.Count
	}
	return out, err
}

// ByRequest chooses items and what to go by.
type ByRequest struct {
	ItemFilter
	By string `query:"by" required:"true" description:"What to go by: of a comparison line, station, product, revision, run, lot, team, shift_name (early, late, …), shift, day or week; of a trend hour, shift, day or week"`
}

func (s *Server) compare(_ *echo.Context, in *ByRequest) (*Comparison, error) {
	f, err := in.filter()
	if err != nil {
		return nil, err
	}
	groups, err := statistics.Compare(s.deps.Records, f, in.By)
	if err != nil {
		return nil, notCounted(err)
	}
	return &Comparison{in.By, groups}, nil
}

type trendRequest struct {
	ByRequest
	Base  int    `query:"base" minimum:"0" description:"How many of the first steps set center and limits; 0: all"`
	Chart string `query:"chart" enum:"p,u" default:"p" description:"p: shares of items (p′ chart); u: events for each item (u chart)"`
}

func (s *Server) trend(_ *echo.Context, in *trendRequest) (*TrendChart, error) {
	f, err := in.filter()
	if err != nil {
		return nil, err
	}
	if in.Chart != "" && in.Chart != "p" && in.Chart != "u" {
		return nil, problem(http.StatusBadRequest, "No such chart", "A trend is drawn as p or u.")
	}
	steps, err := statistics.Trend(s.deps.Records, f, in.By, statistics.How{Base: in.Base, Rate: in.Chart == "u"})
	if err != nil {
		return nil, notCounted(err)
	}
	return &TrendChart{in.By, steps, spc.NelsonSays}, nil
}

type readingRequest struct {
	ItemFilter
	Name  string `query:"name" required:"true" description:"CHECK.NAME, as in tips.count"`
	Size  int    `query:"size" minimum:"1" maximum:"25" default:"1" description:"Values in a subgroup; 1: single values"`
	Limit int    `query:"limit" minimum:"2" maximum:"20000" default:"500" description:"How many of the newest items"`
}

// ReadingPoint is one point of the chart of a reading, with the item it ends with.
type ReadingPoint struct {
	spc.Point
	Item string    `json:"item" required:"true"`
	Time time.Time `json:"time" required:"true"`
}

// Index is a capability index with its range; absent where it has no meaning.
type Index struct {
	Value float64      `json:"value" required:"true"`
	Range spc.Interval `json:"range" required:"true" description:"It lies in it in 95 of 100 cases"`
}

// ReadingChart is the control chart of a reading, its histogram and what it is capable of.
type ReadingChart struct {
	Name  string         `json:"name" required:"true"`
	N     int            `json:"n" required:"true"`
	Chart []ReadingPoint `json:"chart" required:"true" nullable:"false" description:"Single values, or means of subgroups"`
	// Spread is empty of single values.
	Spread    []spc.Point `json:"spread" required:"true" nullable:"false" description:"Standard deviations of subgroups"`
	Histogram []spc.Bin   `json:"histogram" required:"true" nullable:"false"`
	Mean      float64     `json:"mean" required:"true"`
	Within    float64     `json:"within" required:"true" description:"Standard deviation from value to value"`
	Overall   float64     `json:"overall" required:"true" description:"Standard deviation of all"`
	Least     *float64    `json:"least,omitempty" nullable:"false" description:"Limits of the newest item"`
	Most      *float64    `json:"most,omitempty" nullable:"false"`
	Cp        *Index      `json:"cp,omitempty" nullable:"false"`
	Cpk       *Index      `json:"cpk,omitempty"`
	Pp        *Index      `json:"pp,omitempty"`
	Ppk       *Index      `json:"ppk,omitempty"`
	Rules     []string    `json:"rules" required:"true" nullable:"false"`
}

// barsOfHistogram is how many bars it has.
const barsOfHistogram = 24

func (s *Server) readingChart(_ *echo.Context, in *readingRequest) (*ReadingChart, error) {
	f, err := in.filter()
	if err != nil {
		return nil, err
	}
	if in.Size == 0 {
		in.Size = 1
	}
	if in.Limit == 0 {
		in.Limit = 500
	}
	if in.Size < 1 || in.Size > 25 || in.Limit < 2 || in.Limit > 20_000 {
		return nil, problem(http.StatusBadRequest, "Out of range", "Ask for subgroups of 1 to 25 values, and 2 to 20000 items.")
	}
	list, err := s.deps.Records.Readings(f, in.Name, in.Limit)
	if err != nil {
		return nil, err
	}
	out := &ReadingChart{Name: in.Name, N: len(list), Chart: []ReadingPoint{}, Spread: []spc.Point{}, Histogram: []spc.Bin{}, Rules: spc.NelsonSays}
	if len(list) == 0 {
		return out, nil
	}
	values := make([]float64, len(list))
	for i, r := range list {
		values[i] = r.Value.Value
	}
	var points []spc.Point
	var sigma float64
	if in.Size == 1 {
		points, sigma = spc.Individuals(values)
	} else {
		var groups [][]float64
		for i := 0; i+in.Size <= len(values); i += in.Size {
			groups = append(groups, values[i:i+in.Size])
		}
		points, out.Spread, sigma = spc.Subgroups(groups)
		spc.Nelson(out.Spread)
	}
	spc.Nelson(points)
	for i, p := range points {
		last := list[(i+1)*in.Size-1]
		out.Chart = append(out.Chart, ReadingPoint{p, itemID(last.Station, last.Seq), last.Time})
	}
	if out.Spread == nil {
		out.Spread = []spc.Point{}
	}
	out.Histogram = spc.Histogram(values, barsOfHistogram)
	least, most := math.NaN(), math.NaN()
	newest := list[len(list)-1].Value
	if newest.Least != nil {
		least, out.Least = *newest.Least, newest.Least
	}
	if newest.Most != nil {
		most, out.Most = *newest.Most, newest.Most
	}
	c := spc.Capable(values, least, most, sigma)
	out.Mean, out.Within, out.Overall = c.Mean, c.Within, c.Overall
	for _, x := range []struct {
		to *(*Index)
		v  float64
		in spc.Interval
	}{{&out.Cp, c.Cp, c.CpIn}, {&out.Cpk, c.Cpk, c.CpkIn}, {&out.Pp, c.Pp, c.PpIn}, {&out.Ppk, c.Ppk, c.PpkIn}} {
		if !math.IsNaN(x.v) && !math.IsInf(x.v, 0) {
			*x.to = &Index{x.v, x.in}
		}
	}
	return out, nil
}
