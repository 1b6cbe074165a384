package station

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"sync"
	"time"

	"ricetta/core/check"
	"ricetta/core/inspect"
	"ricetta/core/raster"
	"ricetta/core/recipe"
)

// Parts are what a station works with.
type Parts struct {
	Source   Source
	Outputs  Outputs
	Recorder Recorder
	Listener Listener
	Clock    func() time.Time
	// PictureTimeout bounds how long a picture may take; 0 means half a second.
	PictureTimeout time.Duration
}

// How many items may wait for the camera and for judging. What comes on top is a
// fault: a longer queue would only make every verdict late.
const queue = 4

// job is an item on its way to a verdict, with the runner of the revision that was
// current when it was triggered.
type job struct {
	*Item
	runner *inspect.Runner // nil where there was no recipe
}

// Station is one station at work. Its methods may be called concurrently.
type Station struct {
	cfg   Config
	parts Parts

	mu      sync.Mutex
	tracker *Tracker
	runner  *inspect.Runner
	// calibration is what was found after the station was built in; nil where nobody looked.
	calibration *raster.Calibration
	order       check.Order
	day         string // that the runner goes by
	status      Status
	why         string
	since       time.Time
	counters    Counters
	failing     bool // the last record could not be written

	waiting chan job // for the camera
	taken   chan job // for judging
	ctx     context.Context
	cancel  context.CancelFunc
	wg      sync.WaitGroup
}

// New returns a stopped station whose items are numbered from lastSeq+1. Close it.
func New(cfg Config, parts Parts, lastSeq int64) (*Station, error) {
	if err := cfg.Validate(); err != nil {
		return nil, err
	}
	if parts.PictureTimeout == 0 {
		parts.PictureTimeout = 500 * time.Millisecond
	}
	s := &Station{
		cfg: cfg, parts: parts, order: cfg.Order, tracker: NewTracker(cfg, lastSeq),
		status: Stopped, since: parts.Clock(), counters: Counters{Routes: map[string]int64{}},
		waiting: make(chan job, queue), taken: make(chan job, queue),
	}
	s.ctx, s.cancel = context.WithCancel(context.Background())
	s.wg.Go(s.takePictures)
	s.wg.Go(s.judgePictures)
	return s, nil
}

// Close stops the station and waits until every item taken is judged and handed to
// the recorder. Closing it again changes nothing.
func (s *Station) Close() {
	s.Stop()
	s.mu.Lock()
	if s.ctx.Err() == nil {
		s.cancel()
		close(s.waiting) // Advance sends only while running, under the lock
	}
	s.mu.Unlock()
	s.wg.Wait()
}

// Config returns how the station is built in.
func (s *Station) Config() Config { return s.cfg }

// Use sets the recipe for the items triggered from now on; those before keep theirs. While
// the station runs, only another revision of the same product is taken.
func (s *Station) Use(p *inspect.Plan) error {
	if p.Recipe.Role != s.cfg.Role {
		return fmt.Errorf("the recipe is for the role %s, and station %s has the role %s; choose one for its role", p.Recipe.Role, s.cfg.ID, s.cfg.Role)
	}
	runner := p.NewRunner()
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.status == Running && s.runner.Plan().Recipe.Product != p.Recipe.Product {
		return errors.New("the station is running another product; stop it first")
	}
	s.run(runner)
	return nil
}

// run lets a runner judge the items from now on, by the station's scale and order. It needs
// the lock.
func (s *Station) run(r *inspect.Runner) {
	r.Calibrate(s.scale())
	s.day = s.parts.Clock().Format(time.DateOnly)
	r.Order(s.dated())
	s.runner = r
	s.changed()
}

// again does so with another runner of the same plan: the one before may be judging still. It
// needs the lock.
func (s *Station) again() {
	if s.runner == nil {
		s.changed()
		return
	}
	s.run(s.runner.Plan().NewRunner())
}

// Calibrate tells how the pixels of the station's pictures lie in the world; nil takes what
// its configuration says. It is refused while the station runs: items before and after
// would be measured by different scales.
func (s *Station) Calibrate(c *raster.Calibration) error {
	if c != nil {
		if err := CheckCalibration(*c); err != nil {
			return err
		}
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.status == Running {
		return errors.New("the station is running; stop it before its scale is changed")
	}
	s.calibration = c
	s.again()
	return nil
}

// Order tells what is packed from the next item on; those before are compared with what was
// packed then.
func (s *Station) Order(o check.Order) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.order = o
	s.again()
}

// dated is the order with the day of production, by the clock here where nobody said another.
// It needs the lock.
func (s *Station) dated() check.Order {
	out := maps.Clone(s.order)
	if out == nil {
		out = check.Order{}
	}
	if _, said := out["date"]; !said {
		out["date"] = s.day
	}
	return out
}

// scale needs the lock.
func (s *Station) scale() raster.Calibration {
	c := s.calibration
	if c == nil {
		c = s.cfg.Calibration
	}
	if c == nil {
		return raster.Calibration{}
	}
	return *c
}

// ErrNoRecipe says that a station cannot start.
var ErrNoRecipe = errors.New("there is no recipe for this station; release one for its product and role first")

// Start begins taking pictures, first counts further on. Starting a running station
// changes nothing.
func (s *Station) Start(count, first int64) error {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.ctx.Err() != nil {
		return errors.New("the station is closed")
	}
	if s.status == Running {
		return nil
	}
	if s.runner == nil {
		return ErrNoRecipe
	}
	if err := s.parts.Outputs.Permit(true); err != nil {
		return fmt.Errorf("the belt could not be released: %w", err)
	}
	s.tracker.Start(count, first)
	s.set(Running, "")
	return nil
}

// Stop ends taking pictures and takes the permit from the belt. Items under way are
// judged and, when the belt moves on, still ejected.
func (s *Station) Stop() {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.halt(Stopped, "")
}

// halt needs the lock.
func (s *Station) halt(to Status, why string) {
	s.tracker.Stop()
	if s.status != to || s.why != why {
		if err := s.parts.Outputs.Permit(false); err != nil {
			why += "; the belt could not be stopped: " + err.Error()
		}
		s.set(to, why)
	}
}

// set needs the lock.
func (s *Station) set(to Status, why string) {
	if s.status != to {
		s.since = s.parts.Clock()
	}
	s.status, s.why = to, why
	s.changed()
}

// changed needs the lock.
func (s *Station) changed() { s.parts.Listener.Changed(s.state()) }

// State returns what the station is doing.
func (s *Station) State() State {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.state()
}

func (s *Station) state() State {
	st := State{
		Config: s.cfg, Status: s.status, Why: s.why, Since: s.since,
		Calibration: s.scale(), Order: s.order, Underway: s.tracker.Underway(), Counters: s.counters.clone(), LastSeq: s.tracker.LastSeq(),
	}
	if s.runner != nil {
		r := s.runner.Plan().Recipe
		st.Product, st.Revision = r.Product, r.Revision
	}
	return st
}

// Advance tells how far the belt has come. It acts on the outputs before it returns
// and waits for nothing. Calls must come more often than the shortest pulse.
func (s *Station) Advance(count int64) {
	s.mu.Lock()
	defer s.mu.Unlock()
	for _, a := range s.tracker.Advance(count) {
		switch a.Kind {
		case TakePicture:
			s.trigger(a)
		case OutputOn, OutputOff:
			if err := s.parts.Outputs.Eject(a.Route, a.Kind == OutputOn); err != nil {
				s.halt(Held, fmt.Sprintf("the ejector for %s could not be switched: %v; check the output, look at the belt, then start again", a.Route, err))
			}
		case NotConfirmed:
			s.counters.Unconfirmed++
			s.halt(Held, fmt.Sprintf("item %d was not seen leaving by the ejector for %s; take it off the belt, check ejector and sensor, then start again", a.Seq, a.Route))
		case WasLate:
			// Told when its verdict comes, with everything known by then.
		}
	}
}

// Confirm tells that the confirm sensor of a route's ejector saw an item leave.
func (s *Station) Confirm(route string) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.tracker.Confirm(route)
}

// trigger needs the lock.
func (s *Station) trigger(a Action) {
	it := &Item{
		Station: s.cfg.ID, Line: s.cfg.Line, Role: s.cfg.Role,
		Seq: a.Seq, Count: a.At, Time: s.parts.Clock(), Route: recipe.Reject,
	}
	if s.runner != nil {
		if it.Time.Format(time.DateOnly) != s.day { // midnight: what is expected of dates has changed
			s.again()
		}
		r := s.runner.Plan().Recipe
		it.Product, it.Revision = r.Product, r.Revision
	}
	select {
	case s.waiting <- job{it, s.runner}:
	default:
		s.finish(it, TooFast, "came before earlier items were judged; slow the belt or shorten the recipe")
	}
}

func (s *Station) takePictures() {
	defer close(s.taken)
	for it := range s.waiting {
		ctx, cancel := context.WithTimeout(s.ctx, s.parts.PictureTimeout)
		pic, err := s.take(ctx, it.Count)
		cancel()
		if err == nil && pic.Kind() == "" {
			err = errors.New("the source gave none")
		}
		if err != nil {
			s.mu.Lock()
			s.finish(it.Item, NoPicture, "there is no picture: "+err.Error())
			s.mu.Unlock()
			continue
		}
		it.Picture = pic
		s.taken <- it
	}
}

// take keeps a source that hangs or panics from stopping the station.
func (s *Station) take(ctx context.Context, count int64) (raster.Picture, error) {
	type answer struct {
		pic raster.Picture
		err error
	}
	got := make(chan answer, 1)
	go func() {
		var a answer
		defer func() {
			if p := recover(); p != nil {
				a = answer{err: fmt.Errorf("the source broke down (%v)", p)}
			}
			got <- a
		}()
		a.pic, a.err = s.parts.Source.Take(ctx, count)
	}()
	select {
	case a := <-got:
		return a.pic, a.err
	case <-ctx.Done():
		return raster.Picture{}, fmt.Errorf("the source did not answer within %v", s.parts.PictureTimeout)
	}
}

func (s *Station) judgePictures() {
	for it := range s.taken {
		begin := s.parts.Clock()
		fault, sentence := judge(it.runner, it.Item)
		it.Took = s.parts.Clock().Sub(begin)
		s.mu.Lock()
		s.finish(it.Item, fault, sentence)
		s.mu.Unlock()
	}
}

// judge fills in the verdict. The runner keeps panics of checks to itself; this
// keeps any other from the process.
func judge(r *inspect.Runner, it *Item) (fault Fault, sentence string) {
	defer func() {
		if p := recover(); p != nil {
			fault, sentence = Crash, fmt.Sprintf("judging broke down (%v)", p)
		}
	}()
	if r == nil {
		return NoRecipe, ErrNoRecipe.Error()
	}
	v := r.Inspect(it.Picture)
	out := v.JSON()
	it.Route, it.Reason, it.Findings = out.Route, out.Reason, out.Findings
	if out.Fault {
		return CheckFault, out.Sentence
	}
	return NoFault, out.Sentence
}

// finish settles the item's route with the tracker and hands it to the recorder. It
// needs the lock.
func (s *Station) finish(it *Item, fault Fault, sentence string) {
	it.Fault, it.Sentence = fault, sentence
	if s.failing && fault == NoFault {
		// Until a record gets through again, no item is known to be kept.
		it.Fault = NotRecorded
		it.Sentence = "rejected because records cannot be written; its own verdict was " + it.Route + " (" + sentence + ")"
	}
	if it.Fault != NoFault {
		it.Route = recipe.Reject
		if it.Reason == "" || it.Fault != CheckFault {
			it.Reason = string(it.Fault)
		}
	}
	route, late := s.tracker.Decide(it.Seq, it.Route)
	if late && it.Fault == NoFault {
		it.Fault, it.Reason = Late, string(Late)
		it.Sentence = "its verdict came after it had reached the ejector; it would have been " + it.Route + " (" + sentence + ")"
	}
	it.Route = route
	it.Delay = s.parts.Clock().Sub(it.Time)
	s.parts.Recorder.Record(it, func(err error) { s.recorded(it, err) })
}

func (s *Station) recorded(it *Item, err error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if err != nil {
		s.tracker.Decide(it.Seq, recipe.Reject)
		s.counters.NotRecorded++
		s.failing = true
		s.set(s.status, "records cannot be written, so every item is rejected: "+err.Error()+"; free the disk or mend it, work goes on by itself then")
		return
	}
	if s.failing {
		s.failing = false
		if s.status == Running {
			s.why = ""
		}
	}
	s.counters.Inspected++
	s.counters.Routes[it.Route]++
	if it.Fault != NoFault {
		s.counters.Faults++
	}
	s.parts.Listener.Recorded(it)
	s.changed()
}
