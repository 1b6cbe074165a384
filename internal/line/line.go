package line

import (
	"errors"
	"fmt"
	"maps"
	"slices"
	"sync"
	"time"

	"ricetta/core/recipe"
	"ricetta/internal/alarm"
	"ricetta/internal/station"
)

// Recorder keeps packages.
type Recorder interface {
	// RecordPackage writes a package for good and then calls done, once and from another
	// goroutine. It does not block: what it has no room for, it refuses by done.
	RecordPackage(p *Package, done func(error))
}

// Listener is told what happened. Its methods return quickly.
type Listener interface {
	// PackageRecorded comes after the package is on disk.
	PackageRecorded(p *Package)
	// LineChanged comes after the state of the line changed.
	LineChanged(s State)
}

// Parts are what a line works with.
type Parts struct {
	Driver   Driver
	Recorder Recorder
	Runs     Runs
	Recipes  Recipes
	Listener Listener
	// Alarms is where alarms go; nil: nowhere. Challenges keeps those of a line that has any.
	Alarms     Book
	Challenges Challengers
	Clock      func() time.Time
}

// State is what a line is doing and how it goes.
type State struct {
	Config   Config
	Status   station.Status
	Why      string // of Held, and of a running line in trouble
	Since    time.Time
	Run      Run
	Underway int
	Counters Counters
	LastSeq  int64
	Setup    bool // signals may be set by hand
	Proof    Proof
	// Challenge is the one that goes on, or else the last one that passed; nil where there is
	// none.
	Challenge *Challenge
}

// Counters count the recorded packages of a run.
type Counters struct {
	Packages    int64            `json:"packages" required:"true"`
	Routes      map[string]int64 `json:"routes" required:"true" nullable:"false"`
	Faults      int64            `json:"faults" required:"true"`
	Unconfirmed int64            `json:"unconfirmed" required:"true" description:"Should have left by an ejector, and were not seen leaving"`
	Unexpected  int64            `json:"unexpected" required:"true" description:"Seen leaving, though nothing should have left"`
	NotRecorded int64            `json:"not_recorded" required:"true"`
}

// Line is a line at work. Its methods may be called concurrently. Locks are taken in the order
// changing, mu, those of the stations; stations never call with theirs held.
type Line struct {
	cfg      Config
	parts    Parts
	stations []*station.Station
	changing sync.Mutex // one changeover at a time

	mu       sync.Mutex
	tracker  *Tracker
	eye      eye
	timed    time.Time // of Interval: when the next package is due
	under    map[int64]*open
	status   station.Status
	why      string
	trouble  string // the last record of a package could not be written, and why
	since    time.Time
	run      Run
	counters Counters
	wires    wires
	watch    watch
	proving  proving
	born     time.Time // when it was built
	closed   bool
}

// New returns a stopped line whose packages are numbered from lastSeq+1. It has no stations yet:
// Add them, in the order of the configuration.
func New(cfg Config, parts Parts, lastSeq int64) (*Line, error) {
	if err := cfg.Validate(); err != nil {
		return nil, err
	}
	if parts.Alarms == nil {
		parts.Alarms = noBook{}
	}
	l := &Line{
		cfg: cfg, parts: parts, tracker: NewTracker(cfg, lastSeq), under: map[int64]*open{},
		eye:    eye{debounce: cfg.Trigger.Debounce, least: cfg.Trigger.Least},
		status: station.Stopped, since: parts.Clock(), counters: Counters{Routes: map[string]int64{}},
		wires: newWires(cfg, parts.Clock()), watch: newWatch(cfg, lastSeq),
		born: parts.Clock(),
	}
	if cfg.Challenges != nil {
		var err error
		if l.proving.passed, l.proving.failed, err = parts.Challenges.LastPassed(cfg.ID); err != nil {
			return nil, err
		}
	}
	if err := l.rest(); err != nil {
		l.status, l.why = station.Held, fmt.Sprintf("the outputs do not answer: %v; check the wires, then start", err)
	}
	return l, nil
}

// Add gives the line its next station. It is for building, before anything runs.
func (l *Line) Add(s *station.Station) { l.stations = append(l.stations, s) }

// Config returns how the line is built.
func (l *Line) Config() Config { return l.cfg }

// Stations returns the stations in the order in which packages pass them.
func (l *Line) Stations() []*station.Station { return l.stations }

// ErrNotCleared says that somebody must look at the belt before the line starts.
var ErrNotCleared = errors.New("there may be packages behind the trigger that nobody has seen; clear the belt, and say so when you start")

// ErrNotAcknowledged says that an alarm held the line, and nobody has looked.
type ErrNotAcknowledged struct{ Alarm alarm.Alarm }

func (e *ErrNotAcknowledged) Error() string {
	return fmt.Sprintf("alarm %d held the line (%s); acknowledge it first", e.Alarm.ID, e.Alarm.Text)
}

// Start begins taking packages, by encoder the first one first counts further on. Starting a
// running line changes nothing. Where the line holds after a stop until it is cleared, somebody
// must have said that it is.
func (l *Line) Start(count, first int64, cleared bool) error {
	l.mu.Lock()
	defer l.mu.Unlock()
	if l.closed {
		return errors.New("the line is closed")
	}
	if l.status == station.Running {
		return nil
	}
	for _, s := range l.stations {
		if p := s.Plan(); p == nil {
			return fmt.Errorf("station %s: %w", s.Config().ID, station.ErrNoRecipe)
		}
	}
	if l.cfg.AfterStop == Hold && !cleared && l.tracker.Unseen(count) {
		return ErrNotCleared
	}
	if l.wires.setup {
		return errors.New("the line is in set-up, where signals are set by hand; end that first")
	}
	if w := l.wires.in[FaultInput]; w.On {
		return errors.New("the input " + FaultInput + " tells a fault of another machine; mend that first")
	}
	if _, holds := l.parts.Alarms.Waiting(l.cfg.ID); holds != nil {
		return &ErrNotAcknowledged{*holds}
	}
	if err := l.mayStart(); err != nil {
		return err
	}
	if err := l.put(Permit, true); err != nil {
		return fmt.Errorf("the belt could not be released: %w", err)
	}
	l.watch.forget()
	l.tracker.Start(count, first, cleared)
	l.timed = l.parts.Clock()
	l.set(station.Running, "")
	return nil
}

// Stop ends taking packages and takes the permit from the belt. Those under way are judged and,
// when the belt moves on, still ejected.
func (l *Line) Stop() {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.halt(station.Stopped, "")
}

// Hold stops the line because somebody has to look.
func (l *Line) Hold(why string) {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.halt(station.Held, why)
}

// Close stops the line, waits for its stations, and records what was under way as left over:
// nobody knows what becomes of it.
func (l *Line) Close() {
	l.mu.Lock()
	l.halt(station.Stopped, "")
	l.closed = true
	l.mu.Unlock()
	for _, s := range l.stations {
		s.Close()
	}
	l.mu.Lock()
	defer l.mu.Unlock()
	for _, seq := range sorted(l.under) {
		o := l.under[seq]
		delete(l.under, seq)
		l.record(LeftOnBelt(o.Package))
	}
}

// LeftOnBelt is the record of a package that was between trigger and ejector when the service
// ended.
func LeftOnBelt(p Package) *Package {
	p.Route, p.Fault, p.Reason = recipe.Reject, LeftOver, string(LeftOver)
	p.Sentence = "the service ended while it was on the belt; the next start rejects it, or waits until the belt is cleared"
	return &p
}

func sorted(m map[int64]*open) []int64 {
	out := make([]int64, 0, len(m))
	for k := range m {
		out = append(out, k)
	}
	slices.Sort(out)
	return out
}

// halt needs the lock.
func (l *Line) halt(to station.Status, why string) {
	l.tracker.Stop()
	if l.status != to || l.why != why {
		if err := l.put(Permit, false); err != nil {
			why += "; the belt could not be stopped: " + err.Error()
		}
		l.set(to, why)
	}
}

// set needs the lock.
func (l *Line) set(to station.Status, why string) {
	if l.status != to {
		l.since = l.parts.Clock()
		if l.status == station.Running {
			l.proving.stood = l.since
		}
	}
	l.status, l.why = to, why
	l.alarmed()
	for _, s := range l.stations {
		s.Tell(to, why, l.since)
	}
	l.changed()
}

// changed needs the lock.
func (l *Line) changed() { l.parts.Listener.LineChanged(l.state()) }

// State returns what the line is doing.
func (l *Line) State() State {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.state()
}

func (l *Line) state() State {
	c := l.counters
	c.Routes = maps.Clone(c.Routes)
	why := l.why
	if why == "" {
		why = l.trouble
	}
	return State{
		Setup: l.wires.setup, Proof: l.proof(), Challenge: l.challenge(),
		Config: l.cfg, Status: l.status, Why: why, Since: l.since, Run: l.run,
		Underway: l.tracker.Underway(), Counters: c, LastSeq: l.tracker.LastSeq(),
	}
}

// challenge needs the lock.
func (l *Line) challenge() *Challenge {
	c := l.proving.passed
	if l.proving.now != nil {
		c = *l.proving.now
	}
	if c.ID == 0 {
		return nil
	}
	c.Sends = slices.Clone(c.Sends)
	return &c
}

// Advance tells how far the belt has come. It acts on the outputs before it returns and waits
// for nothing. Calls must come more often than the shortest pulse; they may come while the belt
// stands.
func (l *Line) Advance(count int64) {
	l.mu.Lock()
	defer l.mu.Unlock()
	switch l.cfg.Trigger.By {
	case Eye:
		if at, ok := l.eye.due(count); ok {
			l.act(l.tracker.Enter(at))
		}
	case Interval:
		l.tick(count)
	}
	l.act(l.tracker.Advance(count))
	l.watchProof()
	l.beat()
}

// tick takes a package where it is time for one. It needs the lock.
func (l *Line) tick(count int64) {
	if l.status != station.Running {
		return
	}
	every := time.Duration(l.cfg.Trigger.Every) * time.Millisecond
	now := l.parts.Clock()
	if now.Sub(l.timed) < every {
		return
	}
	l.timed = l.timed.Add(every)
	if now.Sub(l.timed) > every { // it stood, or was busy: what was missed is not made up for
		l.timed = now
	}
	l.act(l.tracker.Enter(count))
}

// Trigger takes a package that lies at the trigger now, because somebody says so.
func (l *Line) Trigger() error {
	l.mu.Lock()
	defer l.mu.Unlock()
	if l.cfg.Trigger.By != Software {
		return fmt.Errorf("line %s is triggered by %s; only one triggered by %s takes packages on demand", l.cfg.ID, l.cfg.Trigger.By, Software)
	}
	if l.status != station.Running {
		return fmt.Errorf("line %s does not run; start it first", l.cfg.ID)
	}
	l.act(l.tracker.Enter(l.tracker.Count()))
	return nil
}

// act does what the tracker asks for. It needs the lock.
func (l *Line) act(actions []Action) {
	for _, a := range actions {
		switch a.Kind {
		case Entered:
			l.enter(a)
		case TakePicture:
			l.take(a)
		case OutputOn, OutputOff:
			if err := l.put(a.Route, a.Kind == OutputOn); err != nil {
				l.raise(alarm.Output, "", Hold, fmt.Sprintf("the ejector for %s could not be switched: %v; check the output, look at the belt, then start again", a.Route, err))
			} else {
				l.clear(alarm.Output, "")
			}
		case NotConfirmed:
			l.counters.Unconfirmed++
			l.notSeen(a.Seq, a.Route)
			l.unconfirmed(alarm.NotConfirmed, fmt.Sprintf("item %d was not seen leaving by the ejector for %s; take it off the belt, check ejector and sensor, then start again", a.Seq, a.Route))
		case TooClose:
			l.halt(station.Held, fmt.Sprintf("item %d follows the one before so closely that the ejector for %s cannot act on both; take it off the belt, then start again", a.Seq, a.Route))
		case Settled:
			if o := l.under[a.Seq]; o != nil {
				delete(l.under, a.Seq)
				l.told()
				p := o.judged(a.Route, a.Late, l.cfg.Stations)
				if a.Rule > 0 {
					p.Station, p.Reason, p.Sentence = "", ByRule, l.tracker.rules.Says(a.Rule)
				}
				l.went(p)
				l.record(p)
				// Pieces that shall be rejected are no sign of anything, and neither is what is
				// only because of them.
				odd := p.Challenge == 0 && !o.unproven
				l.see(a.Seq, odd && rejects(a.Route), odd && p.Fault == station.Late)
			}
		}
	}
}

// enter needs the lock.
func (l *Line) enter(a Action) {
	n := len(l.stations)
	o := &open{
		Package: Package{Line: l.cfg.ID, Seq: a.Seq, Run: l.run.ID, Time: l.parts.Clock(), Count: a.At, Product: l.run.Product},
		tickets: make([]station.Ticket, n), asked: make([]bool, n), verdicts: make([]*station.Verdict, n),
	}
	o.Challenge = l.piece(a.Seq)
	o.unproven = o.Challenge == 0 && l.unproven()
	for i, s := range l.stations {
		o.tickets[i] = s.Ticket()
		o.tickets[i].Challenge = o.Challenge
	}
	l.under[a.Seq] = o
}

// take needs the lock.
func (l *Line) take(a Action) {
	o := l.under[a.Seq]
	if o == nil {
		return // settled already: it came to its ejector before it was known
	}
	o.asked[a.Station] = true
	l.judging()
	if !l.stations[a.Station].Take(o.tickets[a.Station], a.Seq, a.At) {
		l.decide(a.Station, station.Verdict{
			Station: l.cfg.Stations[a.Station].ID, Seq: a.Seq, Route: recipe.Reject,
			Fault: station.TooFast, Reason: string(station.TooFast), Sentence: station.SaysTooFast,
		})
	}
}

// Decide implements station.Line.
func (l *Line) Decide(v station.Verdict) (stands string, late bool) {
	l.mu.Lock()
	defer l.mu.Unlock()
	for i, s := range l.cfg.Stations {
		if s.ID == v.Station {
			return l.decide(i, v)
		}
	}
	return recipe.Reject, true
}

// decide needs the lock.
func (l *Line) decide(i int, v station.Verdict) (stands string, late bool) {
	if o := l.under[v.Seq]; o != nil {
		o.verdicts[i] = &v
		l.judging()
		l.pictured(v)
		if o.unproven {
			_, late = l.tracker.Decide(v.Seq, i, recipe.Reject)
			return v.Route, late
		}
		if v.Fault != station.NoFault {
			l.tracker.Broken(v.Seq)
		}
	}
	return l.tracker.Decide(v.Seq, i, v.Route)
}

// confirm tells that the confirm sensor of a route's ejector saw a package leave. It needs the
// lock.
func (l *Line) confirm(route string) {
	if !l.tracker.Confirm(route) {
		l.counters.Unexpected++
		l.unconfirmed(alarm.Unexpected, fmt.Sprintf("something left by the ejector for %s that should not have; look at what lies there, and at ejector and sensor", route))
	}
}

// record needs the lock.
func (l *Line) record(p *Package) {
	l.parts.Recorder.RecordPackage(p, func(err error) { l.recorded(p, err) })
}

func (l *Line) recorded(p *Package, err error) {
	l.mu.Lock()
	defer l.mu.Unlock()
	if err != nil {
		l.counters.NotRecorded++
		l.trouble = "packages cannot be recorded: " + err.Error()
		l.raise(alarm.Records, "", Warn, l.trouble+"; free the disk or mend it")
		return
	}
	if l.trouble != "" {
		l.trouble = ""
		l.clear(alarm.Records, "")
	}
	if p.Run == l.run.ID && p.Challenge == 0 {
		l.counters.Packages++
		l.counters.Routes[p.Route]++
		if p.Fault != station.NoFault {
			l.counters.Faults++
		}
	}
	l.parts.Listener.PackageRecorded(p)
	l.changed()
}
