package api

import (
	"net/http"
	"time"

	"github.com/labstack/echo/v5"

	"ricetta/core/spc"
	"ricetta/internal/store"
)

// Review is what a person says an item truly was.
type Review struct {
	Item string    `json:"item" required:"true"`
	Good bool      `json:"good" required:"true" description:"It was a good one: a false reject where it did not pass"`
	Who  string    `json:"who" required:"true"`
	Note string    `json:"note" required:"true"`
	Time time.Time `json:"time" required:"true"`
}

type reviewRequest struct {
	ID   string `param:"id" path:"id" json:"-" required:"true" description:"Id of the item, as in line1-top.123"`
	Good *bool  `json:"good,omitempty" required:"true" description:"Whether the item was a good one"`
	Who  string `json:"who,omitempty"`
	Note string `json:"note,omitempty"`
}

// reviewWord is good, bad, or empty where nobody has said.
func reviewWord(r *store.Review) string {
	switch {
	case r == nil:
		return ""
	case r.Good:
		return "good"
	}
	return "bad"
}

func (s *Server) review(_ *echo.Context, in *reviewRequest) (*Review, error) {
	if in.Good == nil {
		return nil, problem(http.StatusBadRequest, "Good or bad?", "Say with good: true or good: false what the item truly was.")
	}
	k, err := s.kept(in.ID)
	if err != nil {
		return nil, err
	}
	r := store.Review{Good: *in.Good, Who: in.Who, Note: in.Note, Time: time.Now().UTC().Truncate(time.Millisecond)}
	if err := s.deps.Records.Review(k.ID, r); err != nil {
		return nil, problem(http.StatusConflict, "It is not reviewed", err.Error())
	}
	return &Review{in.ID, r.Good, r.Who, r.Note, r.Time}, nil
}

func (s *Server) unreview(_ *echo.Context, in *itemRequest) (*Item, error) {
	k, err := s.kept(in.ID)
	if err != nil {
		return nil, err
	}
	if err := s.deps.Records.Unreview(k.ID); err != nil {
		return nil, err
	}
	out := keptItem(k)
	return &out, nil
}

// reviewed says of items what people said of them.
func (s *Server) reviewed(items []Item, ids []store.ID) error {
	said, err := s.deps.Records.Reviews(ids)
	for i, id := range ids {
		if r, ok := said[id]; ok {
			items[i].Review = reviewWord(&r)
		}
	}
	return err
}

// Rate is a share of the items that somebody has looked at.
type Rate struct {
	N     int64        `json:"n" required:"true"`
	Of    int64        `json:"of" required:"true"`
	Share float64      `json:"share" required:"true"`
	Range spc.Interval `json:"range" required:"true" description:"It lies in it in 95 of 100 cases (Wilson), if those looked at were taken at random"`
}

// ReviewRates are how often people found verdicts wrong.
type ReviewRates struct {
	FalseRejects Rate `json:"false_rejects" required:"true" description:"Good ones among the items that did not pass and were reviewed"`
	Missed       Rate `json:"missed" required:"true" description:"Bad ones among the items that passed and were reviewed"`
}

func rateOf(n, of int64) Rate {
	r := Rate{N: n, Of: of, Range: spc.Wilson(n, of)}
	if of > 0 {
		r.Share = float64(n) / float64(of)
	}
	return r
}

func (s *Server) reviewRates(_ *echo.Context, in *ItemFilter) (*ReviewRates, error) {
	f, err := in.filter()
	if err != nil {
		return nil, err
	}
	n, err := s.deps.Records.Reviewed(f)
	if err != nil {
		return nil, err
	}
	return &ReviewRates{rateOf(n.RejectedGood, n.RejectedGood+n.RejectedBad), rateOf(n.PassedBad, n.PassedGood+n.PassedBad)}, nil
}
