package api

import (
	"context"
	"errors"
	"net/http"
	"time"

	"github.com/labstack/echo/v5"

	"ricetta/core/inspect"
	"ricetta/core/raster"
	"ricetta/core/recipe"
	"ricetta/internal/whatif"
	"ricetta/internal/workbench"
)

// LimitMove sets one bound of a reading's limits.
type LimitMove struct {
	Check   string   `required:"true" json:"check"`
	Reading string   `json:"reading" required:"true"`
	Bound   string   `json:"bound" required:"true" enum:"least,most,nominal,tolerance"`
	Value   *float64 `json:"value,omitempty" nullable:"false" description:"Absent: the bound is taken away"`
}

func movesOf(list []LimitMove) map[workbench.LimitAt]*float64 {
	out := map[workbench.LimitAt]*float64{}
	for _, m := range list {
		out[workbench.LimitAt{Check: m.Check, Reading: m.Reading, Bound: m.Bound}] = m.Value
	}
	return out
}

type whatIfRequest struct {
	RecipeRequest
	Limits     []LimitMove `json:"limits,omitempty" nullable:"false" description:"Moves of limits of the draft; none: the draft as it is saved"`
	Station    string      `json:"station,omitempty" description:"Absent: all stations that use the recipe"`
	Shift      string      `json:"shift,omitempty" description:"The first shift, as in 2026-11-27/night; until_shift is the last one, the same if it is absent"`
	UntilShift string      `json:"until_shift,omitempty"`
	From       string      `json:"from,omitempty" format:"date-time" description:"Shifts that overlap the span are taken whole; absent: all that is kept"`
	Until      string      `json:"until,omitempty" format:"date-time"`
	List       int         `json:"list,omitempty" description:"How many of the changed items are told, up to 500; absent: 60"`
	Check      string      `json:"check,omitempty" description:"Tell the spread of this check's reading"`
	Reading    string      `json:"reading,omitempty"`
}

// ReadingLimits are the limits of a reading in the draft with its moves.
type ReadingLimits struct {
	Check     string   `required:"true" json:"check"`
	Reading   string   `json:"reading" required:"true"`
	Unit      string   `json:"unit" required:"true"`
	Whole     bool     `json:"whole" required:"true" description:"It counts, and has no values between"`
	Least     *float64 `json:"least,omitempty" nullable:"false"`
	Most      *float64 `json:"most,omitempty" nullable:"false"`
	Nominal   *float64 `json:"nominal,omitempty" nullable:"false"`
	Tolerance *float64 `json:"tolerance,omitempty" nullable:"false"`
}

// ChangedItem is an item that would have gone elsewhere.
type ChangedItem struct {
	Item
	To           string `json:"to" required:"true" description:"Route that it would have taken"`
	WithReason   string `json:"with_reason" required:"true" description:"Its reason then; empty where it would have passed"`
	WithSentence string `json:"with_sentence" required:"true"`
}

// WhatIf is what other limits would have done to items of the past.
type WhatIf struct {
	Items   int `json:"items" required:"true" description:"Items that could be judged anew from their readings, or pictures"`
	Unclear int `json:"unclear" required:"true" description:"Items judged by a revision that looks at pictures otherwise, or whose picture is gone: of them nothing is told"`
	Faults  int `json:"faults" required:"true" description:"Items with a fault: no limit decides on them"`
	// Before and After count items by route.
	Before  map[string]int  `json:"before" required:"true" nullable:"false"`
	After   map[string]int  `json:"after" required:"true" nullable:"false"`
	Changes []whatif.Change `json:"changes" required:"true" nullable:"false"`
	List    []ChangedItem   `json:"list" required:"true" nullable:"false" description:"The newest of the changed items"`
	Spread  []whatif.Bin    `json:"spread" required:"true" nullable:"false" description:"Of the reading that was asked for"`
	Limits  []ReadingLimits `json:"limits" required:"true" nullable:"false"`
	TookMS  float64         `json:"took_ms" required:"true"`
}

// Most changed items that are told, and pictures that are judged anew.
const (
	mostChanged   = 500
	mostRerun     = 2000
	usuallyListed = 60
)

func (s *Server) question(in *whatIfRequest) (q whatif.Question, err error) {
	_, _, q.Plan, err = s.deps.Book.Limits(in.key(), movesOf(in.Limits))
	if err != nil {
		return q, err
	}
	f, err := ItemFilter{From: in.From, Until: in.Until}.filter()
	if err != nil {
		return q, err
	}
	if in.Shift != "" {
		if in.UntilShift == "" {
			in.UntilShift = in.Shift
		}
		first, ok := s.deps.Records.ShiftOf(in.Shift)
		last, ok2 := s.deps.Records.ShiftOf(in.UntilShift)
		if !ok || !ok2 {
			return q, problem(http.StatusNotFound, "No such shift", "Nothing was inspected in "+in.Shift+" or in "+in.UntilShift+".")
		}
		if last.Begin.Before(first.Begin) {
			first, last = last, first
		}
		f.From, f.Until = first.Begin, last.End
	}
	q.Station, q.From, q.Until, q.Check, q.Reading = in.Station, f.From, f.Until, in.Check, in.Reading
	if q.List = in.List; q.List == 0 {
		q.List = usuallyListed
	}
	q.List = max(0, min(q.List, mostChanged))
	return q, nil
}

// toldProblems turns problems of a draft into an answer.
func toldProblems(err error) error {
	var p recipe.Problems
	if errors.As(err, &p) {
		return problem(http.StatusUnprocessableEntity, "The draft cannot judge", p.Error())
	}
	return err
}

func (s *Server) whatIf(c *echo.Context, in *whatIfRequest) (*WhatIf, error) {
	q, err := s.question(in)
	if err != nil {
		return nil, toldProblems(err)
	}
	begin := time.Now()
	a, err := whatif.Ask(c.Request().Context(), s.deps.Records, s.deps.Book.Plan, q)
	if err != nil {
		return nil, err
	}
	return whatIfOf(a, q.Plan, time.Since(begin)), nil
}

func whatIfOf(a *whatif.Answer, plan *inspect.Plan, took time.Duration) *WhatIf {
	out := &WhatIf{
		Items: a.Items, Unclear: a.Unclear, Faults: a.Faults, Before: a.Before, After: a.After, Changes: a.Changes, Spread: a.Spread,
		List: []ChangedItem{}, Limits: limitsOf(plan), TookMS: float64(took.Microseconds()) / 1000,
	}
	for _, x := range a.List {
		i := keptItem(x.Item)
		i.Review = reviewWord(x.Review)
		out.List = append(out.List, ChangedItem{i, x.To, x.Reason, x.Sentence})
	}
	return out
}

func limitsOf(plan *inspect.Plan) []ReadingLimits {
	out := []ReadingLimits{}
	for _, c := range plan.Recipe.Checks {
		kind, _ := inspect.Kinds.Find(c.Kind)
		for _, m := range kind.Measures {
			l, ok := c.Limits[m.Name]
			if !ok {
				continue
			}
			x := ReadingLimits{Check: c.ID, Reading: m.Name, Unit: m.Unit, Whole: m.Whole, Least: l.Least, Most: l.Most, Nominal: l.Nominal, Tolerance: l.Tolerance}
			if c.Unit == recipe.MM && m.Unit == "px" {
				x.Unit = recipe.MM
			}
			out = append(out, x)
		}
	}
	return out
}

// WhatIfProgress is one line of the answer about pictures.
type WhatIfProgress struct {
	Done   int     `json:"done" required:"true"`
	Of     int     `json:"of" required:"true"`
	WhatIf *WhatIf `json:"what_if,omitempty"`
	Error  string  `json:"error,omitempty"`
}

func (s *Server) whatIfPictures(c *echo.Context, in *whatIfRequest) error {
	q, err := s.question(in)
	if err != nil {
		return toldProblems(err)
	}
	return linesOf(c, func(p WhatIfProgress) bool { return p.WhatIf != nil || p.Error != "" }, func(ctx context.Context, tell func(WhatIfProgress)) {
		begin := time.Now()
		a, err := whatif.Rerun(ctx, s.deps.Records, q, mostRerun, s.calibrationAt, func(done, of int) { tell(WhatIfProgress{Done: done, Of: of}) })
		if err != nil {
			tell(WhatIfProgress{Error: err.Error()})
			return
		}
		n := a.Items + a.Faults + a.Unclear
		tell(WhatIfProgress{Done: n, Of: n, WhatIf: whatIfOf(a, q.Plan, time.Since(begin))})
	})
}

// calibrationAt is the scale of a station, as it is now.
func (s *Server) calibrationAt(stationID string) raster.Calibration {
	if c := s.station(stationID); c != nil {
		return c.State().Calibration
	}
	return raster.Calibration{}
}

type moveLimitsRequest struct {
	RecipeRequest
	Limits []LimitMove `json:"limits" required:"true" nullable:"false"`
	Who    string      `json:"who,omitempty"`
}

// moveLimits makes moves of limits the draft.
func (s *Server) moveLimits(c *echo.Context, in *moveLimitsRequest) (*Draft, error) {
	if len(in.Limits) == 0 {
		return nil, problem(http.StatusBadRequest, "Nothing is moved", "Name at least one limit.")
	}
	tree, tag, _, err := s.deps.Book.Limits(in.key(), movesOf(in.Limits))
	if err != nil {
		return nil, toldProblems(err)
	}
	d, err := s.deps.Book.Save(in.key(), tree, tag, in.Who)
	if err != nil {
		return nil, toldProblems(err)
	}
	c.Response().Header().Set("ETag", `"`+d.Tag+`"`)
	return s.draftOf(d)
}
