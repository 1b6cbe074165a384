package api

import (
	"net/http"

	"github.com/labstack/echo/v5"

	"ricetta/core/check"
	"ricetta/internal/workbench"
)

// useRelease gives a station the released revision of a recipe for its role.
type useRequest struct {
	StationRequest
	Product string      `json:"product,omitempty" description:"Absent: the product that it runs"`
	Order   check.Order `json:"order,omitempty" nullable:"false" description:"What the line packs from the next item on: lot, expiry, …; absent: as before"`
}

func (s *Server) useRelease(_ *echo.Context, in *useRequest) (*Station, error) {
	c := s.station(in.ID)
	if c == nil {
		return nil, noStation(in.ID)
	}
	st := c.State()
	k := workbench.Key{Product: in.Product, Role: st.Config.Role}
	if k.Product == "" {
		k.Product = st.Product
	}
	if k.Product == "" {
		k.Product = s.line(st.Config.Line).State().Config.Product
	}
	r, ok, err := s.deps.Book.Current(k)
	if err != nil {
		return nil, err
	}
	if !ok {
		return nil, problem(http.StatusConflict, "Nothing is released", "No revision of "+k.String()+" is released; release one first.")
	}
	p, err := s.deps.Book.Plan(r.Revision)
	if err != nil {
		return nil, err
	}
	if err := c.Use(p); err != nil {
		return nil, problem(http.StatusConflict, "The station keeps its recipe", err.Error())
	}
	if in.Order != nil {
		s.line(st.Config.Line).Order(in.Order)
	}
	s.log.Info("station uses another revision", "station", in.ID, "recipe", k.String(), "revision", r.Revision)
	out := s.view(c)
	return &out, nil
}
