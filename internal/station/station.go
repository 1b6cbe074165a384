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
	Line     Line
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

// Station is one station at work: it takes pictures of what its line tells it of, and judges
// them. Its methods may be called concurrently. It never calls its line with its lock held, so
// that the line may call it with its own.
type Station struct {
	cfg   Config
	parts Parts

	mu     sync.Mutex
	runner *inspect.Runner
	// calibration is what was found after the station was built in; nil where nobody looked.
	calibration *raster.Calibration
	order       check.Order
	day         string // that the runner goes by
	run         int64  // of the line
	status      Status // of the line
	why         string
	since       time.Time
	counters    Counters
	last        int64  // number of the last item
	trouble     string // the last record could not be written, and why

	waiting chan job // for the camera
	taken   chan job // for judging
	ctx     context.Context
	cancel  context.CancelFunc
	wg      sync.WaitGroup
	watch   *watching
}

// New returns a station at rest, whose last item was lastSeq. Close it.
func New(cfg Config, parts Parts, lastSeq int64) (*Station, error) {
	if err := cfg.Validate(); err != nil {
		return nil, err
	}
	if parts.PictureTimeout == 0 {
		parts.PictureTimeout = 500 * time.Millisecond
	}
	s := &Station{
		cfg: cfg, parts: parts, last: lastSeq,
		status: Stopped, since: parts.Clock(), counters: Counters{Routes: map[string]int64{}},
		watch: newWatching(cfg, parts.Line.Drift), waiting: make(chan job, queue), taken: make(chan job, queue),
	}
	s.ctx, s.cancel = context.WithCancel(context.Background())
	s.wg.Go(s.takePictures)
	s.wg.Go(s.judgePictures)
	s.wg.Go(s.watch.run)
	return s, nil
}

// Close waits until every item taken is judged and handed to the recorder. Closing it again
// changes nothing.
func (s *Station) Close() {
	s.mu.Lock()
	if s.ctx.Err() == nil {
		s.cancel()
		close(s.waiting) // Take sends only before, under the lock
	}
	s.mu.Unlock()
	s.wg.Wait()
}

// Config returns how the station is built in.
func (s *Station) Config() Config { return s.cfg }

// Plan returns the recipe that the station judges by, nil where it has none.
func (s *Station) Plan() *inspect.Plan {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.runner == nil {
		return nil
	}
	return s.runner.Plan()
}

// Use sets the recipe for the items triggered from now on; those before keep theirs. Another
// product than before is a changeover of the whole line, and is refused while that runs.
func (s *Station) Use(p *inspect.Plan) error {
	if err := s.Takes(p); err != nil {
		return err
	}
	runner := p.NewRunner()
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.status == Running && s.runner.Plan().Recipe.Product != p.Recipe.Product {
		return errors.New("the station is running another product; change the line over, or stop it first")
	}
	s.judgeBy(runner)
	return nil
}

// Takes reports why a recipe is none for the station.
func (s *Station) Takes(p *inspect.Plan) error {
	if p.Recipe.Role != s.cfg.Role {
		return fmt.Errorf("the recipe is for the role %s, and station %s has the role %s; choose one for its role", p.Recipe.Role, s.cfg.ID, s.cfg.Role)
	}
	return nil
}

// Switch gives the station the runner, order and run of another product: the line calls it for
// all its stations at once. The runner must be new, and of a recipe that the station takes.
func (s *Station) Switch(r *inspect.Runner, o check.Order, run int64) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.order, s.run = o, run
	s.counters = Counters{Routes: map[string]int64{}}
	s.judgeBy(r)
}

// judgeBy lets a runner judge the items from now on, by the station's scale and order. It needs
// the lock.
func (s *Station) judgeBy(r *inspect.Runner) {
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
	s.judgeBy(s.runner.Plan().NewRunner())
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

var ErrNoRecipe = errors.New("there is no recipe for this station; release one for its product and role first")

// Tell says what the line is doing.
func (s *Station) Tell(status Status, why string, since time.Time) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.status, s.why, s.since = status, why, since
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
		Trouble: s.trouble, Calibration: s.scale(), Order: s.order, Counters: s.counters.clone(), LastSeq: s.last,
		Watched: s.watch.state(),
	}
	if s.runner != nil {
		r := s.runner.Plan().Recipe
		st.Product, st.Revision = r.Product, r.Revision
	}
	return st
}

// Ticket is what a package will be judged by at a station: the recipe, order and run of the
// moment at which it came to the line's trigger.
type Ticket struct {
	// Challenge is the one whose piece the package is, 0 in production.
	Challenge         int64
	runner            *inspect.Runner
	run               int64
	product, revision string
	order             check.Order
}

// Ticket returns what a package that comes now is judged by, wherever it is when the line is
// changed over.
func (s *Station) Ticket() Ticket {
	s.mu.Lock()
	defer s.mu.Unlock()
	t := Ticket{run: s.run, order: s.order}
	if s.runner == nil {
		return t
	}
	if s.parts.Clock().Format(time.DateOnly) != s.day { // midnight: what is expected of dates has changed
		s.again()
	}
	r := s.runner.Plan().Recipe
	t.runner, t.product, t.revision = s.runner, r.Product, r.Revision
	return t
}

// Take has a package pictured and judged that lies under the camera now. It does not wait, and
// returns false where earlier items are in the way: such an item is recorded as a fault, and
// its line must reject it.
func (s *Station) Take(t Ticket, seq, count int64) bool {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.ctx.Err() != nil {
		return false
	}
	it := &Item{
		Station: s.cfg.ID, Line: s.cfg.Line, Role: s.cfg.Role,
		Seq: seq, Run: t.run, Challenge: t.Challenge, Count: count, Time: s.parts.Clock(), Route: recipe.Reject,
		Product: t.product, Revision: t.revision, Order: t.order,
	}
	s.last = seq
	select {
	case s.waiting <- job{it, t.runner}:
		return true
	default:
		it.Fault, it.Reason, it.Sentence = TooFast, string(TooFast), SaysTooFast
		s.record(it)
		return false
	}
}

// SaysTooFast is what is said of an item that is.
const SaysTooFast = "came before earlier items were judged; slow the belt or shorten the recipe"

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
			s.finish(it.Item, NoPicture, "there is no picture: "+err.Error())
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
	defer close(s.watch.in)
	for it := range s.taken {
		begin := s.parts.Clock()
		fault, sentence := judge(it.runner, it.Item)
		it.Took = s.parts.Clock().Sub(begin)
		s.finish(it.Item, fault, sentence)
		s.watch.see(it.runner, it.Picture, s.parts.Clock())
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

// finish settles the item's route with the line and hands it to the recorder.
func (s *Station) finish(it *Item, fault Fault, sentence string) {
	it.Fault, it.Sentence = fault, sentence
	s.mu.Lock()
	failing := s.trouble != ""
	s.mu.Unlock()
	if failing && fault == NoFault {
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
	route, late := s.parts.Line.Decide(s.verdict(it))
	if late && it.Fault == NoFault {
		it.Fault, it.Reason = Late, string(Late)
		it.Sentence = "its verdict came after it had reached the ejector; it would have been " + it.Route + " (" + sentence + ")"
	}
	it.Route = route
	s.record(it)
}

func (s *Station) verdict(it *Item) Verdict {
	return Verdict{s.cfg.ID, it.Seq, it.Route, it.Fault, it.Reason, it.Sentence}
}

// record hands an item on that has its route.
func (s *Station) record(it *Item) {
	it.Delay = s.parts.Clock().Sub(it.Time)
	s.parts.Recorder.Record(it, func(err error) { s.recorded(it, err) })
}

func (s *Station) recorded(it *Item, err error) {
	if err != nil {
		lost := s.verdict(it)
		lost.Route, lost.Fault, lost.Reason = recipe.Reject, NotRecorded, string(NotRecorded)
		lost.Sentence = "its record could not be written: " + err.Error()
		s.parts.Line.Decide(lost)
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	if err != nil {
		s.counters.NotRecorded++
		s.trouble = "records cannot be written, so every item is rejected: " + err.Error() + "; free the disk or mend it, work goes on by itself then"
		s.changed()
		return
	}
	s.trouble = ""
	if it.Challenge == 0 { // a test piece is no production
		s.counters.Inspected++
		s.counters.Routes[it.Route]++
		if it.Fault != NoFault {
			s.counters.Faults++
		}
	}
	s.parts.Listener.Recorded(it)
	s.changed()
}
