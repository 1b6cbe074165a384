package line

import (
	"errors"
	"fmt"
	"time"

	"ricetta/core/check"
	"ricetta/core/inspect"
)

// Run is the production of one product between two changeovers.
type Run struct {
	ID      int64
	Line    string
	Product string
	Order   check.Order
	// Who changed the line over, and by what: console, terminal, …
	Who, By    string
	Begin, End time.Time // End is zero while it goes on
}

// Recipes is where the recipes of a product come from.
type Recipes interface {
	// Plan returns the released recipe of a product for a role, made ready.
	Plan(product, role string) (*inspect.Plan, error)
}

// Runs keeps the runs of a line.
type Runs interface {
	// BeginRun ends the line's run, if it has one, begins another and returns its number.
	BeginRun(Run) (int64, error)
}

// ErrRefused says why a changeover was refused: the line goes on with what it packs.
type ErrRefused struct{ Why string }

func (e *ErrRefused) Error() string { return e.Why }

// Prepare makes the recipes of a product ready, so that a changeover to it takes an instant. It
// returns one for each station.
func (l *Line) Prepare(product string) ([]*inspect.Plan, error) {
	if product == "" {
		return nil, &ErrRefused{"no product is named; name the one to pack"}
	}
	plans := make([]*inspect.Plan, len(l.stations))
	for i, s := range l.stations {
		c := s.Config()
		p, err := l.parts.Recipes.Plan(product, c.Role)
		if err != nil {
			return nil, &ErrRefused{fmt.Sprintf("station %s cannot judge %s: %v", c.ID, product, err)}
		}
		if err := s.Takes(p); err != nil {
			return nil, &ErrRefused{err.Error()}
		}
		plans[i] = p
	}
	return plans, nil
}

// Change changes the line over: all stations judge what comes to the trigger from now on by the
// recipes of another product, and a run begins. Packages that came before keep theirs. Where it
// is refused (an *ErrRefused) or cannot be recorded, the line goes on with what it packs.
func (l *Line) Change(r Run) (Run, error) {
	l.changing.Lock()
	defer l.changing.Unlock()
	if err := r.Order.Check(); err != nil {
		return Run{}, &ErrRefused{err.Error()}
	}
	plans, err := l.Prepare(r.Product)
	if err != nil {
		return Run{}, err
	}
	r.Line, r.Begin, r.End = l.cfg.ID, l.parts.Clock(), time.Time{}
	if r.ID, err = l.parts.Runs.BeginRun(r); err != nil {
		return Run{}, fmt.Errorf("the run could not be recorded, so the line goes on with %s: %w", l.State().Run.Product, err)
	}
	l.switchTo(r, plans, Counters{Routes: map[string]int64{}})
	return r, nil
}

// Resume goes on with a run that was begun before the service ended. Where its recipes cannot
// be had the line knows the run, and does not start.
func (l *Line) Resume(r Run, c Counters) error {
	plans, err := l.Prepare(r.Product)
	var refused *ErrRefused
	if err != nil && !errors.As(err, &refused) {
		return err
	}
	l.switchTo(r, plans, c)
	return err
}

// switchTo lets all stations judge by other plans between two packages; without plans they keep
// what they have. The runners are made before anything is held up.
func (l *Line) switchTo(r Run, plans []*inspect.Plan, c Counters) {
	runners := make([]*inspect.Runner, len(plans))
	for i, p := range plans {
		runners[i] = p.NewRunner()
	}
	l.mu.Lock()
	defer l.mu.Unlock()
	for i, runner := range runners {
		l.stations[i].Switch(runner, r.Order, r.ID)
	}
	l.run, l.counters = r, c
	if l.proving.now != nil && l.proving.now.Run != r.ID {
		l.end(GivenUp)
	}
	l.changed()
}

// Order tells what is packed from the next package on; those before are compared with what was
// packed then.
func (l *Line) Order(o check.Order) {
	l.mu.Lock()
	defer l.mu.Unlock()
	for _, s := range l.stations {
		s.Order(o)
	}
	l.run.Order = o
	l.changed()
}
