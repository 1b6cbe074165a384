package line

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"ricetta/internal/station"
)

// Driver connects a line to its wires: it sets outputs, and tells the line's Input what the
// inputs see and its Advance how far the belt has come.
type Driver interface {
	// Write sets the level of an output. It does not wait for the other side.
	Write(output string, high bool) error
}

// The outputs that every line has, besides an ejector for each route that has one.
const (
	Permit    = "run"       // the belt may move
	Ready     = "ready"     // a pulse: the result of a package is there to be read
	Busy      = "busy"      // a picture is being judged
	Alarm     = "alarm"     // somebody must look
	Heartbeat = "heartbeat" // changes as long as the line works
)

// The inputs that mean something by their names; one more is the photo-eye of the trigger, and
// confirm_ROUTE the sensor behind an ejector.
const (
	StopInput  = "stop"  // stops the line as somebody would
	FaultInput = "fault" // another machine is in trouble: holds the line
	confirms   = "confirm_"
)

// Wire is how a signal is wired.
type Wire struct {
	// Active is the level at which the signal is on: High if it is empty, or Low.
	Active string `json:"active,omitempty" yaml:"active,omitempty"`
}

// The levels.
const (
	High = "high"
	Low  = "low"
)

// Signals says how the wires of a line are meant. Outputs and inputs that are not named are
// active high.
type Signals struct {
	Inputs  map[string]Wire `json:"inputs,omitempty" yaml:"inputs,omitempty"`
	Outputs map[string]Wire `json:"outputs,omitempty" yaml:"outputs,omitempty"`
	// ReadyMS is how long the pulse of ready is, HeartbeatMS how often the heartbeat changes.
	ReadyMS     int64 `json:"ready_ms,omitempty" yaml:"ready_ms,omitempty"`
	HeartbeatMS int64 `json:"heartbeat_ms,omitempty" yaml:"heartbeat_ms,omitempty"`
}

func (s Signals) ready() time.Duration { return orElse(s.ReadyMS, 20) }

func (s Signals) heartbeat() time.Duration { return orElse(s.HeartbeatMS, 500) }

func orElse(ms, usual int64) time.Duration {
	if ms == 0 {
		ms = usual
	}
	return time.Duration(ms) * time.Millisecond
}

// OutputNames lists the outputs of a line: the ejectors, sorted, then those that every line has.
func (c Config) OutputNames() []string {
	var out []string
	for r := range c.Ejectors {
		out = append(out, r)
	}
	slices.Sort(out)
	return append(out, Permit, Ready, Busy, Alarm, Heartbeat)
}

// InputNames lists the inputs of a line: those that mean something, and those that are named in
// its signals.
func (c Config) InputNames() []string {
	var out []string
	if c.Trigger.By == Eye {
		out = append(out, c.Trigger.Input)
	}
	for r, e := range c.Ejectors {
		if e.Confirm > 0 {
			out = append(out, confirms+r)
		}
	}
	out = append(out, StopInput, FaultInput)
	for n := range c.Signals.Inputs {
		if !slices.Contains(out, n) {
			out = append(out, n)
		}
	}
	slices.Sort(out)
	return out
}

func (c Config) validateSignals() error {
	for r := range c.Ejectors {
		switch r {
		case Permit, Ready, Busy, Alarm, Heartbeat:
			return fmt.Errorf("a route is called %s, as an output that every line has; give it another name", r)
		}
	}
	known := c.OutputNames()
	for n := range c.Signals.Outputs {
		if !slices.Contains(known, n) {
			return fmt.Errorf("there is no output %s; there are %s", n, strings.Join(known, ", "))
		}
	}
	for _, wires := range []map[string]Wire{c.Signals.Inputs, c.Signals.Outputs} {
		for n, w := range wires {
			if w.Active != "" && w.Active != High && w.Active != Low {
				return fmt.Errorf("%s is active %q; give %s or %s", n, w.Active, High, Low)
			}
		}
	}
	if s := c.Signals; s.ReadyMS < 0 || s.ReadyMS > 10_000 || s.HeartbeatMS < 0 || s.HeartbeatMS > 60_000 {
		return errors.New("ready_ms or heartbeat_ms is out of range; give 1 to 10000, and 1 to 60000")
	}
	return nil
}

// SignalState is a signal as it is now.
type SignalState struct {
	Name   string    `json:"name" required:"true"`
	Output bool      `json:"output" required:"true"`
	On     bool      `json:"on" required:"true" description:"What it means"`
	High   bool      `json:"high" required:"true" description:"What lies on the wire"`
	Forced bool      `json:"forced" required:"true" description:"Set by hand, in set-up"`
	Since  time.Time `json:"since" required:"true"`
	Trips  int64     `json:"trips" required:"true" description:"How often it went on since the service started"`
}

// wire is one signal at work.
type wire struct {
	SignalState
	low    bool // active low
	wanted bool // of an output: what the line wants while it is forced
	fails  bool // the last write of an output failed
}

// wires are the signals of a line.
type wires struct {
	in, out  map[string]*wire
	readyBy  time.Time // when ready goes off
	beatAt   time.Time // when the heartbeat changes next
	setup    bool
	setupEnd time.Time
}

func newWires(c Config, now time.Time) wires {
	w := wires{in: map[string]*wire{}, out: map[string]*wire{}}
	for _, n := range c.InputNames() {
		low := c.Signals.Inputs[n].Active == Low
		w.in[n] = &wire{SignalState: SignalState{Name: n, High: low, Since: now}, low: low}
	}
	for _, n := range c.OutputNames() {
		low := c.Signals.Outputs[n].Active == Low
		w.out[n] = &wire{SignalState: SignalState{Name: n, Output: true, High: low, Since: now}, low: low}
	}
	return w
}

// rest sets every output to what it is when nothing is to happen. It needs the lock.
func (l *Line) rest() error {
	var errs []error
	for _, n := range l.cfg.OutputNames() {
		w := l.wires.out[n]
		if err := l.parts.Driver.Write(n, w.High); err != nil {
			errs = append(errs, fmt.Errorf("output %s: %w", n, err))
		}
	}
	return errors.Join(errs...)
}

// put sets what an output means. It needs the lock.
func (l *Line) put(name string, on bool) error {
	w := l.wires.out[name]
	w.wanted = on
	if w.Forced {
		return nil
	}
	return l.drive(w, on)
}

func (l *Line) drive(w *wire, on bool) error {
	if on == w.On && !w.fails {
		return nil
	}
	w.High = on != w.low
	err := l.parts.Driver.Write(w.Name, w.High)
	w.fails = err != nil
	if on && !w.On {
		w.Trips++
	}
	w.On, w.Since = on, l.parts.Clock()
	return err
}

// Input tells that an input went high or low at a count.
func (l *Line) Input(name string, high bool, count int64) {
	l.mu.Lock()
	defer l.mu.Unlock()
	w := l.wires.in[name]
	if w == nil || w.Forced {
		return // what is simulated counts
	}
	l.sense(w, high, count)
}

// sense does what an input means. It needs the lock.
func (l *Line) sense(w *wire, high bool, count int64) {
	on := high != w.low
	w.High = high
	if on == w.On {
		return
	}
	w.On, w.Since = on, l.parts.Clock()
	if on {
		w.Trips++
	}
	route, confirm := strings.CutPrefix(w.Name, confirms)
	switch {
	case w.Name == l.cfg.Trigger.Input && l.cfg.Trigger.By == Eye:
		if at, ok := l.eye.input(on, count); ok {
			l.act(l.tracker.Enter(at))
		}
	case !on:
	case confirm:
		l.confirm(route)
	case w.Name == StopInput:
		l.halt(station.Stopped, "")
	case w.Name == FaultInput:
		l.halt(station.Held, "another machine tells a fault by the input "+FaultInput+"; mend that, then start again")
	}
}

// beat moves what goes by the clock. It needs the lock.
func (l *Line) beat() {
	now := l.parts.Clock()
	w := &l.wires
	if w.setup && !now.Before(w.setupEnd) {
		l.endSetup()
	}
	if !now.Before(w.beatAt) {
		w.beatAt = now.Add(l.cfg.Signals.heartbeat())
		l.soft(Heartbeat, !w.out[Heartbeat].wanted)
		l.alarmed()
	}
	if w.out[Ready].wanted && !now.Before(w.readyBy) {
		l.soft(Ready, false)
	}
}

// alarmed sets the alarm: the line is held, or an alarm waits for somebody. It needs the lock.
func (l *Line) alarmed() {
	n, _ := l.parts.Alarms.Waiting(l.cfg.ID)
	l.soft(Alarm, l.status == station.Held || n > 0)
}

// soft sets an output that nothing bad hangs on: where it fails, the line goes on and says so.
func (l *Line) soft(name string, on bool) {
	if err := l.put(name, on); err != nil {
		l.trouble = fmt.Sprintf("the output %s could not be switched: %v", name, err)
	}
}

// judging tells whether a picture is being judged whose verdict is waited for. It needs the
// lock.
func (l *Line) judging() {
	busy := false
	for _, o := range l.under {
		for i, v := range o.verdicts {
			busy = busy || v == nil && o.asked[i]
		}
	}
	l.soft(Busy, busy)
}

// told raises ready: the result of a package is there. It needs the lock.
func (l *Line) told() {
	l.wires.readyBy = l.parts.Clock().Add(l.cfg.Signals.ready())
	l.soft(Ready, true)
}

// setupFor is how long set-up lasts when nobody ends it.
const setupFor = 10 * time.Minute

// ErrSetup says what set-up is not for.
var ErrSetup = errors.New("signals are set by hand in set-up only; stop the line, and begin set-up")

// Setup begins or ends set-up, in which outputs are forced and inputs simulated by hand. It is
// for a line that stands, and ends by itself after ten minutes.
func (l *Line) Setup(on bool) error {
	l.mu.Lock()
	defer l.mu.Unlock()
	if !on {
		l.endSetup()
		return nil
	}
	if l.status == station.Running {
		return errors.New("the line runs; stop it before set-up")
	}
	l.wires.setup, l.wires.setupEnd = true, l.parts.Clock().Add(setupFor)
	l.changed()
	return nil
}

// endSetup needs the lock.
func (l *Line) endSetup() {
	if !l.wires.setup {
		return
	}
	l.wires.setup = false
	for _, w := range l.wires.out {
		if w.Forced {
			w.Forced = false
			if err := l.drive(w, w.wanted); err != nil {
				l.trouble = fmt.Sprintf("the output %s could not be switched: %v", w.Name, err)
			}
		}
	}
	for _, w := range l.wires.in {
		w.Forced = false
	}
	l.changed()
}

// Force sets an output by hand, or gives it back to the line (nil). It needs set-up.
func (l *Line) Force(output string, on *bool) error {
	return l.byHand(l.wires.out, "output", output, on, func(w *wire) error {
		if on == nil {
			return l.drive(w, w.wanted)
		}
		return l.drive(w, *on)
	})
}

// Simulate sets what an input means by hand, or gives it back to its wire (nil). It needs
// set-up.
func (l *Line) Simulate(input string, on *bool) error {
	return l.byHand(l.wires.in, "input", input, on, func(w *wire) error {
		if on != nil {
			l.sense(w, *on != w.low, l.tracker.Count())
		}
		return nil
	})
}

func (l *Line) byHand(of map[string]*wire, what, name string, on *bool, set func(*wire) error) error {
	l.mu.Lock()
	defer l.mu.Unlock()
	w := of[name]
	if w == nil {
		names := l.cfg.InputNames()
		if what == "output" {
			names = l.cfg.OutputNames()
		}
		return fmt.Errorf("line %s has no %s %s; it has %s", l.cfg.ID, what, name, strings.Join(names, ", "))
	}
	if !l.wires.setup {
		return ErrSetup
	}
	w.Forced = on != nil
	return set(w)
}

// Board are the signals of a line as they are now.
type Board struct {
	Signals []SignalState `json:"signals" required:"true" nullable:"false" description:"Inputs first, each sorted by name"`
	Setup   bool          `json:"setup" required:"true" description:"Signals may be set by hand"`
	// Until is when set-up ends by itself.
	Until *time.Time `json:"until,omitempty"`
}

// Signals returns the signals as they are now.
func (l *Line) Signals() Board {
	l.mu.Lock()
	defer l.mu.Unlock()
	b := Board{Setup: l.wires.setup, Signals: []SignalState{}}
	if b.Setup {
		end := l.wires.setupEnd.UTC()
		b.Until = &end
	}
	for _, n := range l.cfg.InputNames() {
		b.Signals = append(b.Signals, l.wires.in[n].SignalState)
	}
	for _, n := range l.cfg.OutputNames() {
		b.Signals = append(b.Signals, l.wires.out[n].SignalState)
	}
	for i := range b.Signals {
		b.Signals[i].Since = b.Signals[i].Since.UTC()
	}
	return b
}
