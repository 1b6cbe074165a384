package api

import (
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/labstack/echo/v5"

	"ricetta/internal/store"
)

// BoardList lists boards by name.
type BoardList struct {
	Boards []store.Board `json:"boards" required:"true" nullable:"false"`
}

type keepBoardRequest struct {
	BoardName
	Panels []store.Panel `json:"panels" required:"true" nullable:"false"`
	Who    string        `json:"who,omitempty"`
	Since  *time.Time    `json:"since,omitempty" description:"Time of the board that was changed; absent for a new one. Somebody else's change meanwhile is not overwritten (412)"`
}

// BoardName names a board. It is exported because Echo binds embedded fields of exported types only.
type BoardName struct {
	Name string `param:"name" path:"name" json:"-" required:"true" description:"Name of the board"`
}

// Bounds of a board.
const (
	mostPanels = 40
	mostName   = 60
)

var panelKinds = []string{"header", "picture", "strip", "counters", "reading", "trend", "reasons", "log"}

func boardError(err error) error {
	switch {
	case errors.Is(err, store.ErrNoBoard):
		return problem(http.StatusNotFound, "No such board", "There is no such board; it may have been deleted. See the list of boards.")
	case errors.Is(err, store.ErrBoardChanged):
		return problem(http.StatusPreconditionFailed, "Somebody else has saved it", err.Error())
	}
	return err
}

func (s *Server) listBoards(*echo.Context, *none) (*BoardList, error) {
	list, err := s.deps.Records.Boards()
	return &BoardList{list}, err
}

func (s *Server) showBoard(_ *echo.Context, in *BoardName) (*store.Board, error) {
	b, err := s.deps.Records.Board(in.Name)
	return &b, boardError(err)
}

func (s *Server) keepBoard(_ *echo.Context, in *keepBoardRequest) (*store.Board, error) {
	b := store.Board{Name: strings.TrimSpace(in.Name), Who: in.Who, Panels: in.Panels, Time: time.Now().UTC().Truncate(time.Millisecond)}
	if err := s.checkBoard(b); err != nil {
		return nil, problem(http.StatusUnprocessableEntity, "The board is not saved", err.Error())
	}
	if b.Panels == nil {
		b.Panels = []store.Panel{}
	}
	since := time.Time{}
	if in.Since != nil {
		since = *in.Since
	}
	return &b, boardError(s.deps.Records.KeepBoard(b, since))
}

func (s *Server) checkBoard(b store.Board) error {
	if b.Name == "" || len(b.Name) > mostName || strings.ContainsAny(b.Name, "/\\?#%") {
		return fmt.Errorf("%q is no name for a board; give 1 to %d letters without / \\ ? # %%", b.Name, mostName)
	}
	if len(b.Panels) > mostPanels {
		return fmt.Errorf("it has %d panels; %d is the most", len(b.Panels), mostPanels)
	}
	for i, p := range b.Panels {
		needs := slices.Contains([]string{"picture", "strip", "counters", "reading", "log"}, p.Kind)
		switch {
		case !slices.Contains(panelKinds, p.Kind):
			return fmt.Errorf("panel %d is a %q; choose from %s", i+1, p.Kind, strings.Join(panelKinds, ", "))
		case p.W < 1 || p.W > 12 || p.H < 1 || p.H > 12:
			return fmt.Errorf("panel %d is %d × %d; give 1 to 12 columns and rows", i+1, p.W, p.H)
		case (needs || p.Station != "") && s.station(p.Station) == nil:
			return fmt.Errorf("panel %d: there is no station %q", i+1, p.Station)
		case p.Kind == "reading" && !strings.Contains(p.Reading, "."):
			return fmt.Errorf("panel %d needs a reading, as in tips.count", i+1)
		case len(p.Text) > 200:
			return fmt.Errorf("panel %d has a text of %d letters; 200 is the most", i+1, len(p.Text))
		}
	}
	return nil
}

func (s *Server) dropBoard(_ *echo.Context, in *BoardName) (*BoardList, error) {
	if err := s.deps.Records.DropBoard(in.Name); err != nil {
		return nil, boardError(err)
	}
	return s.listBoards(nil, nil)
}
