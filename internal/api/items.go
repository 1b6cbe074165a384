package api

import (
	"context"
	"fmt"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/labstack/echo/v5"

	"ricetta/internal/alarm"
	"ricetta/internal/line"
	"ricetta/internal/statistics"
	"ricetta/internal/store"
	"ricetta/internal/whatif"
)

// Records is what the interface reads from the store.
type Records interface {
	ItemOf(stationID string, seq int64) (store.Kept, error)
	Readings(f store.Filter, name string, limit int) ([]store.Reading, error)
	whatif.Pictures
	Review(id store.ID, r store.Review) error
	Unreview(id store.ID) error
	statistics.Records
	Tallies(f store.Filter, by []string) ([]store.Tally, error)
	EachItem(ctx context.Context, f store.Filter, each func(k *store.Kept) error) error
	CountItems(f store.Filter) (int64, error)
	Boards() ([]store.Board, error)
	Board(name string) (store.Board, error)
	KeepBoard(b store.Board, since time.Time) error
	DropBoard(name string) error
	Columns(f store.Filter) ([]string, error)
	Runs(lineID string, before int64, limit int) ([]store.CountedRun, error)
	PackageOf(lineID string, seq int64) (line.Package, error)
	Challenges(lineID string, before int64, limit int) ([]line.Challenge, error)
	Alarms(line string, before int64, limit int) ([]alarm.Alarm, error)
	Healthy() error
	PictureBytes() int64
}

func itemID(stationID string, seq int64) string { return stationID + "." + strconv.FormatInt(seq, 10) }

func parseItemID(id string) (stationID string, seq int64, err error) {
	i := strings.LastIndexByte(id, '.')
	if i > 0 {
		if seq, err = strconv.ParseInt(id[i+1:], 10, 64); err == nil && seq > 0 {
			return id[:i], seq, nil
		}
	}
	return "", 0, problem(http.StatusNotFound, "No such item", fmt.Sprintf("%q is not the id of an item; ids are a station and a number, as in line1-top.123.", id))
}

// ItemFilter holds the parameters that choose items. It is exported because Echo binds
// embedded fields of exported types only.
type ItemFilter struct {
	Station   string `query:"station" description:"Id of a station"`
	Line      string `query:"line" description:"Id of a line"`
	Product   string `query:"product" description:"Code of a product"`
	Route     string `query:"route" description:"pass, rework, reject or a named route"`
	Reason    string `query:"reason" description:"Id of the main failed check, or a kind of fault"`
	Revision  string `query:"revision" description:"Revision of a recipe"`
	Shift     string `query:"shift" description:"A shift, as in 2026-11-27/night"`
	Day       string `query:"day" description:"The day on which a shift began, as in 2026-11-27"`
	Week      string `query:"week" description:"Its week (ISO 8601), as in 2026-W48"`
	Run       int64  `query:"run" description:"Number of a run"`
	Lot       string `query:"lot" description:"What a run packs"`
	NotPassed bool   `query:"not_passed" description:"Everything that did not pass"`
	Faults    bool   `query:"faults" description:"Only items with a fault"`
	From      string `query:"from" format:"date-time" description:"Not before this time (RFC 3339)"`
	Until     string `query:"until" format:"date-time" description:"Before this time (RFC 3339)"`
}

func (r ItemFilter) filter() (store.Filter, error) {
	f := store.Filter{Station: r.Station, Line: r.Line, Product: r.Product, Route: r.Route, Reason: r.Reason, Revision: r.Revision, Shift: r.Shift, Day: r.Day, Week: r.Week, Run: r.Run, Lot: r.Lot, NotPassed: r.NotPassed, Faults: r.Faults}
	for _, t := range []struct {
		name, text string
		to         *time.Time
	}{{"from", r.From, &f.From}, {"until", r.Until, &f.Until}} {
		if t.text == "" {
			continue
		}
		v, err := time.Parse(time.RFC3339, t.text)
		if err != nil {
			return f, problem(http.StatusBadRequest, "Not a time", fmt.Sprintf("%s is %q; write it as in 2026-03-02T06:00:00Z.", t.name, t.text))
		}
		*t.to = v
	}
	return f, nil
}

type itemsRequest struct {
	ItemFilter
	Pictured bool   `query:"pictured" description:"Only items whose picture is kept"`
	Cursor   string `query:"cursor" description:"The next of the part before"`
	Limit    int    `query:"limit" minimum:"1" maximum:"500" default:"50" description:"How many at most"`
}

func (s *Server) listItems(_ *echo.Context, in *itemsRequest) (*ItemPage, error) {
	f, err := in.filter()
	if err != nil {
		return nil, err
	}
	if in.Limit == 0 {
		in.Limit = 50
	}
	if in.Limit < 1 || in.Limit > 500 {
		return nil, problem(http.StatusBadRequest, "Too many", fmt.Sprintf("limit is %d; ask for 1 to 500 items and go on with the cursor.", in.Limit))
	}
	before, err := cursorOf(in.Cursor)
	if err != nil {
		return nil, err
	}
	f.Before, f.Pictured = store.ID(before), in.Pictured
	kept, err := s.deps.Records.Items(f, in.Limit+1)
	if err != nil {
		return nil, err
	}
	out := &ItemPage{Items: []Item{}}
	if len(kept) > in.Limit {
		kept = kept[:in.Limit]
		out.Next = strconv.FormatInt(int64(kept[in.Limit-1].ID), 36)
	}
	ids := make([]store.ID, len(kept))
	for i, k := range kept {
		ids[i] = k.ID
		out.Items = append(out.Items, keptItem(k))
	}
	return out, s.reviewed(out.Items, ids)
}

type itemRequest struct {
	ID string `param:"id" path:"id" required:"true" description:"Id of the item, as in line1-top.123"`
}

func (s *Server) kept(id string) (store.Kept, error) {
	stationID, seq, err := parseItemID(id)
	if err != nil {
		return store.Kept{}, err
	}
	return s.deps.Records.ItemOf(stationID, seq)
}

func (s *Server) showItem(_ *echo.Context, in *itemRequest) (*ItemDetail, error) {
	k, err := s.kept(in.ID)
	if err != nil {
		return nil, err
	}
	list := []Item{keptItem(k)}
	if err := s.reviewed(list, []store.ID{k.ID}); err != nil {
		return nil, err
	}
	return &ItemDetail{list[0], k.Findings}, nil
}

type tallyRequest struct {
	ItemFilter
	By string `query:"by" description:"Fields to count by, separated by commas: hour, shift, shift_name, day, week, team, line, station, product, revision, run, lot, route, reason, fault"`
}

func (s *Server) tally(_ *echo.Context, in *tallyRequest) (*TallyList, error) {
	f, err := in.filter()
	if err != nil {
		return nil, err
	}
	out := &TallyList{By: []string{}, Tallies: []Tally{}}
	if in.By != "" {
		out.By = strings.Split(in.By, ",")
	}
	for _, b := range out.By {
		if !slices.Contains(store.Groups, b) {
			return nil, problem(http.StatusBadRequest, "Not counted so", fmt.Sprintf("Items are not counted by %q; choose from %s.", b, strings.Join(store.Groups, ", ")))
		}
	}
	tallies, err := s.deps.Records.Tallies(f, out.By)
	if err != nil {
		return nil, err
	}
	for _, t := range tallies {
		out.Total += t.Count
		out.Tallies = append(out.Tallies, Tally{t.Key, t.Count})
	}
	return out, nil
}
