package api

import (
	"errors"
	"net/http"
	"strconv"

	"github.com/labstack/echo/v5"

	"ricetta/core/check"
	"ricetta/core/inspect"
	"ricetta/internal/catalog"
	"ricetta/internal/line"
)

// LineControl is what the interface can do with a line.
type LineControl interface {
	State() line.State
	// Start begins taking packages; cleared says that nothing lies on the belt unseen.
	Start(cleared bool) error
	Stop()
	// Prepare makes the recipes of a product ready, Change changes the line over to it.
	Prepare(product string) ([]*inspect.Plan, error)
	Change(line.Run) (line.Run, error)
	// Order tells what is packed from the next package on.
	Order(check.Order)
	// Find tells what is to be packed by the number of an order, a code, or a product.
	Find(text string) (catalog.Found, error)
	// Trigger takes a package that lies at the trigger now.
	Trigger() error
	ChallengeControl
	SignalControl
}

// LineRequest names a line.
type LineRequest struct {
	ID string `param:"id" path:"id" json:"-" required:"true" description:"Id of the line"`
}

func (s *Server) line(id string) LineControl {
	for _, l := range s.deps.Lines {
		if l.State().Config.ID == id {
			return l
		}
	}
	return nil
}

func noLine(id string) error {
	return problem(http.StatusNotFound, "No such line", "There is no line "+id+"; see "+prefix+"/lines for those there are.")
}

// ofLine does something with a line and answers with how it stands then.
func (s *Server) ofLine(id, failed string, f func(LineControl) error) (*Line, error) {
	l := s.line(id)
	if l == nil {
		return nil, noLine(id)
	}
	if err := f(l); err != nil {
		var refused *line.ErrRefused
		if errors.As(err, &refused) || failed != "" {
			return nil, problem(http.StatusConflict, failed, err.Error())
		}
		return nil, err
	}
	out := lineOf(l.State())
	return &out, nil
}

func (s *Server) listLines(*echo.Context, *none) (*LineList, error) {
	out := &LineList{Lines: []Line{}}
	for _, l := range s.deps.Lines {
		out.Lines = append(out.Lines, lineOf(l.State()))
	}
	return out, nil
}

func (s *Server) showLine(_ *echo.Context, in *LineRequest) (*Line, error) {
	return s.ofLine(in.ID, "", func(LineControl) error { return nil })
}

type startRequest struct {
	LineRequest
	Cleared bool `json:"cleared,omitempty" description:"Somebody says that nothing lies on the belt unseen: nothing is rejected for that"`
}

func (s *Server) startLine(_ *echo.Context, in *startRequest) (*Line, error) {
	return s.ofLine(in.ID, "The line did not start", func(l LineControl) error { return l.Start(in.Cleared) })
}

func (s *Server) stopLine(_ *echo.Context, in *LineRequest) (*Line, error) {
	return s.ofLine(in.ID, "", func(l LineControl) error { l.Stop(); return nil })
}

func (s *Server) triggerLine(_ *echo.Context, in *LineRequest) (*Line, error) {
	return s.ofLine(in.ID, "Nothing was triggered", LineControl.Trigger)
}

type changeRequest struct {
	LineRequest
	Product string      `json:"product" required:"true" description:"Code of the product to pack"`
	Order   check.Order `json:"order,omitempty" nullable:"false" description:"What is packed: lot, expiry, …"`
	Who     string      `json:"who,omitempty" description:"Who changes over"`
	By      string      `json:"by,omitempty" description:"And by what: console, terminal, …"`
}

func (s *Server) prepareLine(_ *echo.Context, in *changeRequest) (*Line, error) {
	return s.ofLine(in.ID, "The product cannot be packed here", func(l LineControl) error {
		_, err := l.Prepare(in.Product)
		return err
	})
}

func (s *Server) changeLine(_ *echo.Context, in *changeRequest) (*Line, error) {
	return s.ofLine(in.ID, "The line goes on with what it packs", func(l LineControl) error {
		if in.By == "" {
			in.By = "the interface"
		}
		r, err := l.Change(line.Run{Product: in.Product, Order: in.Order, Who: in.Who, By: in.By})
		if err == nil {
			s.log.Info("changeover", "line", in.ID, "product", in.Product, "run", r.ID, "who", in.Who, "by", in.By)
		}
		return err
	})
}

// Catalog is what the interface shows of products and orders.
type Catalog interface {
	Products() []catalog.Product
	Orders() ([]catalog.Entry, error)
}

// OrderList lists what can be packed.
type OrderList struct {
	Products []catalog.Product `json:"products" required:"true" nullable:"false"`
	Orders   []catalog.Entry   `json:"orders" required:"true" nullable:"false"`
}

func (s *Server) listOrders(*echo.Context, *none) (*OrderList, error) {
	orders, err := s.deps.Catalog.Orders()
	if err != nil {
		return nil, problem(http.StatusConflict, "The orders cannot be read", err.Error())
	}
	out := &OrderList{Products: s.deps.Catalog.Products(), Orders: orders}
	if out.Products == nil {
		out.Products = []catalog.Product{}
	}
	if out.Orders == nil {
		out.Orders = []catalog.Entry{}
	}
	return out, nil
}

type packRequest struct {
	LineRequest
	Text string `query:"text" required:"true" description:"What was typed, scanned or read"`
}

// ToPack is what is to be packed.
type ToPack struct {
	Product string      `json:"product" required:"true"`
	Order   check.Order `json:"order" required:"true" nullable:"false"`
	What    string      `json:"what" required:"true" description:"What it was found by, as in order 4711"`
}

func (s *Server) findToPack(_ *echo.Context, in *packRequest) (*ToPack, error) {
	l := s.line(in.ID)
	if l == nil {
		return nil, noLine(in.ID)
	}
	f, err := l.Find(in.Text)
	if err != nil {
		return nil, problem(http.StatusConflict, "Nothing was found", err.Error())
	}
	return &ToPack{f.Product, f.Order, f.What}, nil
}

type runsRequest struct {
	LineRequest
	Cursor string `query:"cursor" description:"The next of the part before"`
}

// runsAPart is how many runs a part of a list has.
const runsAPart = 50

func (s *Server) listRuns(_ *echo.Context, in *runsRequest) (*RunPage, error) {
	if s.line(in.ID) == nil {
		return nil, noLine(in.ID)
	}
	before, err := cursorOf(in.Cursor)
	if err != nil {
		return nil, err
	}
	runs, err := s.deps.Records.Runs(in.ID, before, runsAPart+1)
	if err != nil {
		return nil, err
	}
	out := &RunPage{Runs: []Run{}}
	if len(runs) > runsAPart {
		runs = runs[:runsAPart]
		out.Next = strconv.FormatInt(runs[runsAPart-1].ID, 36)
	}
	for _, r := range runs {
		run := runOf(r.Run)
		run.Counters = &r.Counters
		out.Runs = append(out.Runs, run)
	}
	return out, nil
}

type packageRequest struct {
	ID string `param:"id" path:"id" required:"true" description:"Id of the package, as in line1.123"`
}

func (s *Server) showPackage(_ *echo.Context, in *packageRequest) (*PackageDetail, error) {
	lineID, seq, err := parseItemID(in.ID)
	if err != nil {
		return nil, problem(http.StatusNotFound, "No such package", strconv.Quote(in.ID)+" is not the id of a package; ids are a line and a number, as in line1.123.")
	}
	l := s.line(lineID)
	if l == nil {
		return nil, noLine(lineID)
	}
	p, err := s.deps.Records.PackageOf(lineID, seq)
	if err != nil {
		return nil, err
	}
	out := &PackageDetail{Package: packageOf(&p), Items: []Item{}}
	for _, st := range l.State().Config.Stations {
		if k, err := s.deps.Records.ItemOf(st.ID, seq); err == nil {
			out.Items = append(out.Items, keptItem(k))
		}
	}
	return out, nil
}
