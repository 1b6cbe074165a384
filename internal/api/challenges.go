package api

import (
	"strconv"
	"time"

	"github.com/labstack/echo/v5"

	"ricetta/internal/line"
)

// ChallengeControl is what the interface can do with the challenges of a line.
type ChallengeControl interface {
	BeginChallenge(who string) error
	// SendPiece says that the next package is the next piece.
	SendPiece() error
	GiveUpChallenge() error
}

// Challenge is one that was begun: which pieces were sent, and where they went.
type Challenge struct {
	ID      int64       `json:"id" required:"true"`
	Line    string      `json:"line" required:"true"`
	Run     int64       `json:"run" required:"true"`
	Product string      `json:"product" required:"true"`
	Who     string      `json:"who" required:"true"`
	Begin   time.Time   `json:"begin" required:"true"`
	End     *time.Time  `json:"end,omitempty" description:"Absent while it goes on"`
	Result  string      `json:"result" required:"true" enum:"goes_on,passed,failed,given_up"`
	Sends   []line.Send `json:"sends" required:"true" nullable:"false"`
}

// ChallengePage is a part of a list of challenges, newest first.
type ChallengePage struct {
	Challenges []Challenge `json:"challenges" required:"true" nullable:"false"`
	Next       string      `json:"next" required:"true"`
}

func challengeOf(c line.Challenge) Challenge {
	out := Challenge{
		ID: c.ID, Line: c.Line, Run: c.Run, Product: c.Product, Who: c.Who, Begin: c.Begin.UTC(),
		Result: string(c.Result), Sends: c.Sends,
	}
	if !c.End.IsZero() {
		end := c.End.UTC()
		out.End = &end
	}
	return out
}

type challengesRequest struct {
	LineRequest
	Cursor string `query:"cursor" description:"The next of the part before"`
}

func (s *Server) listChallenges(_ *echo.Context, in *challengesRequest) (*ChallengePage, error) {
	if s.line(in.ID) == nil {
		return nil, noLine(in.ID)
	}
	before, err := cursorOf(in.Cursor)
	if err != nil {
		return nil, err
	}
	all, err := s.deps.Records.Challenges(in.ID, before, runsAPart+1)
	if err != nil {
		return nil, err
	}
	out := &ChallengePage{Challenges: []Challenge{}}
	if len(all) > runsAPart {
		all = all[:runsAPart]
		out.Next = strconv.FormatInt(all[runsAPart-1].ID, 36)
	}
	for _, c := range all {
		out.Challenges = append(out.Challenges, challengeOf(c))
	}
	return out, nil
}

type beginChallengeRequest struct {
	LineRequest
	Who string `json:"who" required:"true" description:"Who is there for it"`
}

func (s *Server) beginChallenge(_ *echo.Context, in *beginChallengeRequest) (*Line, error) {
	return s.ofLine(in.ID, "The challenge was not begun", func(l LineControl) error {
		err := l.BeginChallenge(in.Who)
		if err == nil {
			s.log.Info("challenge begun", "line", in.ID, "who", in.Who)
		}
		return err
	})
}

func (s *Server) sendPiece(_ *echo.Context, in *LineRequest) (*Line, error) {
	return s.ofLine(in.ID, "No piece is waited for", LineControl.SendPiece)
}

func (s *Server) giveUpChallenge(_ *echo.Context, in *LineRequest) (*Line, error) {
	return s.ofLine(in.ID, "Nothing was given up", LineControl.GiveUpChallenge)
}
