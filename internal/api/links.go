package api

import (
	"github.com/labstack/echo/v5"

	"ricetta/internal/links"
)

// Link is what the interface shows of a link.
type Link interface{ State() links.State }

// LinkList lists the links of the site.
type LinkList struct {
	Links []links.State `json:"links" required:"true" nullable:"false"`
}

func (s *Server) listLinks(*echo.Context, *none) (*LinkList, error) {
	out := &LinkList{Links: []links.State{}}
	for _, l := range s.deps.Links {
		out.Links = append(out.Links, l.State())
	}
	return out, nil
}
