package line

import (
	"errors"
	"fmt"
	"slices"

	"ricetta/core/check"
	"ricetta/core/recipe"
	"ricetta/internal/station"
)

// Config says how a line is built. Distances are encoder counts along the belt, or
// milliseconds where a clock stands for the encoder.
type Config struct {
	ID   string `json:"id" yaml:"id"`
	Name string `json:"name" yaml:"name"`
	// Product is what the line packs when it starts for the first time, Order its lot, expiry, …
	Product string      `json:"product" yaml:"product"`
	Order   check.Order `json:"order,omitempty" yaml:"-"`
	Trigger Trigger     `json:"trigger" yaml:"trigger"`
	// Ejectors by route. The one for reject is required; a route without one of its own goes
	// there.
	Ejectors map[string]Ejector `json:"ejectors" yaml:"ejectors"`
	// Overlap says what becomes of two uses of one ejector that touch: Merge or HoldLine.
	Overlap string `json:"overlap,omitempty" yaml:"overlap,omitempty"`
	// AfterStop says what becomes of packages that nobody saw go by, behind the first camera:
	// Eject or Hold.
	AfterStop string `json:"after_stop,omitempty" yaml:"after_stop,omitempty"`
	// WorstFirst are routes, the worst first: of the verdicts of one package the worst counts.
	// Routes that are not named come after reject and before rework and pass.
	WorstFirst []string `json:"worst_first,omitempty" yaml:"worst_first,omitempty"`
	// Rules are asked first, once all stations have judged a package and none of them has a fault:
	// the first that holds counts, whatever its stations say.
	Rules []recipe.JoinRule `json:"rules,omitempty" yaml:"rules,omitempty"`
	// Signals says how its wires are meant.
	Signals Signals `json:"signals" yaml:"signals,omitempty"`
	// Alarms says what makes somebody look.
	Alarms Alarms `json:"alarms" yaml:"alarms,omitempty"`
	// Challenges is the plan by which the line is proven; nil: it is not.
	Challenges *Challenges `json:"challenges,omitempty" yaml:"challenges,omitempty"`
	// Stations in the order in which a package passes them.
	Stations []station.Config `json:"stations" yaml:"-"`
}

// What Overlap and AfterStop can be.
const (
	Merge    = "merge" // the output stays on from the first to the second
	HoldLine = "hold"  // the belt stops before the second

	Eject = "eject" // what was not seen is rejected
	Hold  = "hold"  // the line starts when somebody says that the belt is cleared
)

// Trigger says how the line knows that a package comes.
type Trigger struct {
	// By is Encoder, Eye, Interval or Software.
	By string `json:"by" yaml:"by"`
	// Every is the distance from one package to the next; of Interval the time in milliseconds.
	Every int64 `json:"every,omitempty" yaml:"every,omitempty"`
	// Input is the name of the photo-eye's input.
	Input string `json:"input,omitempty" yaml:"input,omitempty"`
	// Debounce is how far the belt must move with the eye dark for a package to count.
	Debounce int64 `json:"debounce,omitempty" yaml:"debounce,omitempty"`
	// Least is the least distance between packages: what darkens the eye nearer than that
	// belongs to the one before.
	Least int64 `json:"least,omitempty" yaml:"least,omitempty"`
}

// The triggers.
const (
	Encoder  = "encoder"  // a package each time the belt has moved by Every
	Eye      = "eye"      // when a photo-eye goes dark
	Interval = "interval" // each so many milliseconds
	Software = "software" // when a program or a person says so
)

// Pitch is the least distance that the trigger lets between two packages, in counts; 0 where
// it says nothing.
func (t Trigger) Pitch() int64 {
	switch t.By {
	case Encoder:
		return t.Every
	case Eye:
		return t.Least
	}
	return 0
}

// Ejector says where and how long an output acts on a package.
type Ejector struct {
	// Offset is the distance from the trigger to the middle of the ejector.
	Offset int64 `json:"offset" yaml:"offset"`
	// Pulse is how long the output stays on, centered on Offset.
	Pulse int64 `json:"pulse" yaml:"pulse"`
	// Confirm is how far after Offset the confirm sensor must have seen the package at the
	// latest; 0 where there is no sensor.
	Confirm int64 `json:"confirm" yaml:"confirm"`
}

// start is the distance from the trigger at which the ejector begins to act.
func (e Ejector) start() int64 { return e.Offset - e.Pulse/2 }

// Validate reports a configuration that could let a package slip through or act on the wrong
// one.
func (c Config) Validate() error {
	if c.ID == "" {
		return errors.New("a line has no id; give it one")
	}
	fail := func(what string, args ...any) error {
		return fmt.Errorf("line %s: "+what, append([]any{c.ID}, args...)...)
	}
	if len(c.Stations) == 0 {
		return fail("it has no stations; give at least one station this line")
	}
	if err := c.Trigger.validate(); err != nil {
		return fail("%w", err)
	}
	if c.Overlap != "" && c.Overlap != Merge && c.Overlap != HoldLine {
		return fail("overlap is %q; give %s or %s", c.Overlap, Merge, HoldLine)
	}
	if c.AfterStop != "" && c.AfterStop != Eject && c.AfterStop != Hold {
		return fail("after_stop is %q; give %s or %s", c.AfterStop, Eject, Hold)
	}
	if _, err := c.join(); err != nil {
		return fail("%w", err)
	}
	if err := c.validateSignals(); err != nil {
		return fail("%w", err)
	}
	if err := c.validateAlarms(); err != nil {
		return fail("%w", err)
	}
	if err := c.Challenges.validate(c.Ejectors); err != nil {
		return fail("%w", err)
	}
	if slices.Contains(c.WorstFirst, recipe.Pass) {
		return fail("%s stands in worst_first; nothing is better than it, take it out", recipe.Pass)
	}
	last := int64(0)
	for _, s := range c.Stations {
		if err := s.Validate(); err != nil {
			return err
		}
		if s.Offset < last {
			return fail("station %s lies at %d, before the one named ahead of it; name them as packages pass them", s.ID, s.Offset)
		}
		last = s.Offset
	}
	return c.validateEjectors(last, fail)
}

func (c Config) validateEjectors(last int64, fail func(string, ...any) error) error {
	if _, ok := c.Ejectors[recipe.Reject]; !ok {
		return fail("there is no ejector for %s; every line needs one", recipe.Reject)
	}
	pitch := c.Trigger.Pitch()
	for route, e := range c.Ejectors {
		switch {
		case route == recipe.Pass:
			return fail("an ejector for %s would throw out good items; take it out", recipe.Pass)
		case e.Pulse <= 0 || pitch > 0 && e.Pulse > pitch:
			if pitch == 0 {
				return fail("the pulse of %s is %d; give 1 or more counts", route, e.Pulse)
			}
			return fail("the pulse of %s is %d; give 1 to %d counts, or it reaches the neighbors", route, e.Pulse, pitch)
		case e.Offset-last < e.Pulse:
			return fail("the offset of %s is %d; the ejector must sit behind the last camera by more than its pulse", route, e.Offset)
		case e.Confirm < 0:
			return fail("confirm of %s is %d; give 0 or more counts", route, e.Confirm)
		}
	}
	return nil
}

// join compiles the rules; nil where there are none.
func (c Config) join() (*recipe.Join, error) {
	if len(c.Rules) == 0 {
		return nil, nil
	}
	var ids []string
	for _, s := range c.Stations {
		ids = append(ids, s.ID)
	}
	for i, r := range c.Rules {
		if _, ok := c.Ejectors[r.To]; !ok && r.To != recipe.Pass {
			return nil, fmt.Errorf("rule %d sends packages to %q, and the line has no ejector for that", i+1, r.To)
		}
	}
	return recipe.NewJoin(ids, c.Rules)
}

func (t Trigger) validate() error {
	switch t.By {
	case Encoder:
		if t.Every <= 0 {
			return fmt.Errorf("every is %d; give the distance between items in encoder counts", t.Every)
		}
	case Interval:
		if t.Every <= 0 {
			return fmt.Errorf("every is %d; give the time between items in milliseconds", t.Every)
		}
	case Eye:
		if t.Input == "" {
			return errors.New("a trigger by eye needs its input; give the name of one")
		}
		if t.Debounce < 0 || t.Least <= t.Debounce {
			return fmt.Errorf("debounce is %d and least %d; give 0 or more, and a least distance beyond it", t.Debounce, t.Least)
		}
	case Software:
	default:
		return fmt.Errorf("the trigger is %q; give %s, %s, %s or %s", t.By, Encoder, Eye, Interval, Software)
	}
	return nil
}

// ejectorFor returns the route whose ejector takes packages of the given route, "" for pass.
func (c Config) ejectorFor(route string) string {
	if route == recipe.Pass {
		return ""
	}
	if _, ok := c.Ejectors[route]; ok {
		return route
	}
	return recipe.Reject
}

// rank says how bad a route is: the lower, the worse.
func (c Config) rank(route string) int {
	if i := slices.Index(c.WorstFirst, route); i >= 0 {
		return i
	}
	n := len(c.WorstFirst)
	switch route {
	case recipe.Reject:
		return n
	case recipe.Rework:
		return n + 2
	case recipe.Pass:
		return n + 3
	}
	return n + 1
}
