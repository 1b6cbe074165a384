package api

import (
	"context"
	"net/http"
	"time"

	"github.com/labstack/echo/v5"

	"ricetta/internal/links"
	"ricetta/internal/outbox"
)

// Link is what the interface shows of a link.
type Link interface{ State() links.State }

// Tags is what the interface can do with tags.
type Tags interface {
	All() []links.Value
	Write(ctx context.Context, name string, v float64, who string) error
}

// Outbox is what the interface can do with deliveries that were given up.
type Outbox interface {
	DeadDeliveries(limit int) ([]outbox.Delivery, error)
	Delivery(id int64) (outbox.Delivery, bool, error)
	KeepDelivery(outbox.Delivery) error
	DropDelivery(id int64) (bool, error)
}

// LinkList lists the links of the site.
type LinkList struct {
	Links []links.State `json:"links" required:"true" nullable:"false"`
}

// TagList lists the tags with what they are now.
type TagList struct {
	Tags []links.Value `json:"tags" required:"true" nullable:"false"`
}

// Delivery is a message that could not be delivered and was given up.
type Delivery struct {
	ID    int64     `json:"id" required:"true"`
	To    string    `json:"to" required:"true" description:"Name of the webhook"`
	Event string    `json:"event" required:"true"`
	Body  string    `json:"body" required:"true" description:"JSON"`
	Made  time.Time `json:"made" required:"true"`
	Tries int       `json:"tries" required:"true"`
	Error string    `json:"error" required:"true" description:"Of the last try"`
}

// DeliveryList lists deliveries that were given up, newest first.
type DeliveryList struct {
	Deliveries []Delivery `json:"deliveries" required:"true" nullable:"false"`
}

func (s *Server) listLinks(*echo.Context, *none) (*LinkList, error) {
	out := &LinkList{Links: []links.State{}}
	for _, l := range s.deps.Links {
		out.Links = append(out.Links, l.State())
	}
	return out, nil
}

func (s *Server) listTags(*echo.Context, *none) (*TagList, error) {
	out := &TagList{Tags: s.deps.Tags.All()}
	if out.Tags == nil {
		out.Tags = []links.Value{}
	}
	return out, nil
}

type writeTagRequest struct {
	Name  string  `param:"name" path:"name" json:"-" required:"true" description:"Name of the tag"`
	Value float64 `json:"value" required:"true"`
	Who   string  `json:"who,omitempty" description:"Who writes it"`
}

func (s *Server) writeTag(c *echo.Context, in *writeTagRequest) (*TagList, error) {
	who := in.Who
	if who == "" {
		who = "the interface"
	}
	if err := s.deps.Tags.Write(c.Request().Context(), in.Name, in.Value, who); err != nil {
		return nil, problem(http.StatusConflict, "The tag was not written", err.Error())
	}
	return s.listTags(c, nil)
}

// mostDead is how many deliveries are listed.
const mostDead = 200

func (s *Server) listDead(*echo.Context, *none) (*DeliveryList, error) {
	dead, err := s.deps.Outbox.DeadDeliveries(mostDead)
	if err != nil {
		return nil, err
	}
	out := &DeliveryList{Deliveries: []Delivery{}}
	for _, d := range dead {
		out.Deliveries = append(out.Deliveries, Delivery{d.ID, d.To, d.Event, string(d.Body), d.Made.UTC(), d.Tries, d.Error})
	}
	return out, nil
}

type deliveryRequest struct {
	ID int64 `param:"id" path:"id" required:"true" description:"Number of the delivery"`
}

func noDelivery() error {
	return problem(http.StatusNotFound, "No such delivery", "No delivery of that number was given up; see "+prefix+"/deliveries.")
}

func (s *Server) deliverAgain(c *echo.Context, in *deliveryRequest) (*DeliveryList, error) {
	d, ok, err := s.deps.Outbox.Delivery(in.ID)
	if err != nil {
		return nil, err
	}
	if !ok || !d.Dead {
		return nil, noDelivery()
	}
	d.Again(time.Now())
	if err := s.deps.Outbox.KeepDelivery(d); err != nil {
		return nil, err
	}
	for _, l := range s.deps.Links {
		if w, ok := l.(interface{ Poke() }); ok {
			w.Poke()
		}
	}
	s.log.Info("a delivery is tried again", "delivery", d.ID, "to", d.To)
	return s.listDead(c, nil)
}

func (s *Server) dropDelivery(c *echo.Context, in *deliveryRequest) (*DeliveryList, error) {
	d, ok, err := s.deps.Outbox.Delivery(in.ID)
	if err != nil {
		return nil, err
	}
	if !ok || !d.Dead {
		return nil, noDelivery()
	}
	if _, err := s.deps.Outbox.DropDelivery(in.ID); err != nil {
		return nil, err
	}
	s.log.Info("a delivery was dropped", "delivery", d.ID, "to", d.To)
	return s.listDead(c, nil)
}
