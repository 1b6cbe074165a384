package line

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"ricetta/core/recipe"
	"ricetta/internal/alarm"
	"ricetta/internal/station"
)

// Challenges is the plan by which a line is proven: pieces known to be good and bad are sent
// through it, and must take the route that each belongs to.
type Challenges struct {
	// Pieces in the order in which they are sent.
	Pieces []ChallengePiece `json:"pieces" yaml:"pieces"`
	// AtStart asks for one at the first start, and after the line stood for an hour;
	// AtChangeover when another run begins; EveryHours so long after the last one that passed,
	// 0: never; At at times of the day, as in 06:00.
	AtStart      bool     `json:"at_start,omitempty" yaml:"at_start,omitempty"`
	AtChangeover bool     `json:"at_changeover,omitempty" yaml:"at_changeover,omitempty"`
	EveryHours   float64  `json:"every_hours,omitempty" yaml:"every_hours,omitempty"`
	At           []string `json:"at,omitempty" yaml:"at,omitempty"`
	// GraceMinutes is how long one may wait. Where it holds, none may at a start or changeover.
	GraceMinutes float64 `json:"grace_minutes,omitempty" yaml:"grace_minutes,omitempty"`
	// Act is what one that is overdue, or failed, does: Warn or Hold. Where it holds, the line
	// runs for the challenge only, and everything else is rejected until it is proven.
	Act string `json:"act" yaml:"act"`
}

// ChallengePiece is one kind of test piece.
type ChallengePiece struct {
	// Name says which one, as it is written on it.
	Name string `json:"name" yaml:"name"`
	// Route is the one that it must take.
	Route string `json:"route" yaml:"route"`
	// Reason, where it is given, is the check that must reject it.
	Reason string `json:"reason,omitempty" yaml:"reason,omitempty"`
	// Count is how often it is sent; once if it is 0.
	Count int `json:"count,omitempty" yaml:"count,omitempty"`
}

// stoodLong is a stand after which a line is proven anew.
const stoodLong = time.Hour

func (c *Challenges) validate(ejectors map[string]Ejector) error {
	if c == nil {
		return nil
	}
	if len(c.Pieces) == 0 {
		return errors.New("challenges need pieces; name at least one that is good and one that is bad")
	}
	routes := map[string]bool{}
	for _, p := range c.Pieces {
		_, known := ejectors[p.Route]
		switch {
		case strings.TrimSpace(p.Name) == "":
			return errors.New("a piece of the challenges has no name; give it the one that is written on it")
		case p.Route != recipe.Pass && !known:
			return fmt.Errorf("the piece %s must go by %q, and the line has no ejector for that", p.Name, p.Route)
		case p.Count < 0 || p.Count > 20:
			return fmt.Errorf("the piece %s is sent %d times; give 1 to 20", p.Name, p.Count)
		}
		routes[p.Route] = true
	}
	if len(routes) < 2 {
		return errors.New("the pieces of the challenges all go one way; a line that does so too would pass, name a good one and a bad one")
	}
	for _, at := range c.At {
		if _, err := time.Parse("15:04", at); err != nil {
			return fmt.Errorf("a challenge at %q: write the time of the day as in 06:00", at)
		}
	}
	if c.EveryHours < 0 || c.EveryHours > 24*31 || c.GraceMinutes < 0 || c.GraceMinutes > 24*60 {
		return errors.New("every_hours or grace_minutes of the challenges is out of range; give 0 to 744 hours, and 0 to 1440 minutes")
	}
	if c.Act != Warn && c.Act != Hold {
		return fmt.Errorf("act of the challenges is %q; give %s or %s", c.Act, Warn, Hold)
	}
	return nil
}

// Challenge is one that was begun.
type Challenge struct {
	ID      int64
	Line    string
	Run     int64
	Product string
	Who     string
	Begin   time.Time
	End     time.Time // zero while it goes on
	Result  ChallengeResult
	Sends   []Send
}

// ChallengeResult is what came out.
type ChallengeResult string

// The results.
const (
	GoesOn  ChallengeResult = "goes_on"
	Passed  ChallengeResult = "passed"
	Failed  ChallengeResult = "failed"
	GivenUp ChallengeResult = "given_up"
)

// Send is one piece of a challenge on its way.
type Send struct {
	Piece string `json:"piece" required:"true"`
	N     int    `json:"n" required:"true" description:"Which of its kind, from 1"`
	Of    int    `json:"of" required:"true"`
	Want  string `json:"want" required:"true" description:"The route that it must take"`
	// Check must be the reason, where it is given.
	Check string `json:"check,omitempty"`
	Seq   int64  `json:"seq" required:"true" description:"The package that it was; 0 before it came"`
	Got   string `json:"got" required:"true" description:"The route that it took; empty before"`
	OK    bool   `json:"ok" required:"true"`
	Says  string `json:"says" required:"true"`
}

// sends lists the pieces of the plan one by one.
func (c *Challenges) sends() (out []Send) {
	for _, p := range c.Pieces {
		of := max(p.Count, 1)
		for n := range of {
			out = append(out, Send{Piece: p.Name, N: n + 1, Of: of, Want: p.Route, Check: p.Reason})
		}
	}
	return out
}

// Proof is how a line stands with its challenges.
type Proof struct {
	Planned bool       `json:"planned" required:"true" description:"The line has challenges"`
	Due     bool       `json:"due" required:"true"`
	Overdue bool       `json:"overdue" required:"true"`
	Why     string     `json:"why" required:"true" description:"What makes it due, now or next"`
	By      *time.Time `json:"by,omitempty" description:"When it is overdue, or when the next one is due; absent where none will be"`
	Armed   bool       `json:"armed" required:"true" description:"The next package at the trigger is the piece"`
	Holds   bool       `json:"holds" required:"true" description:"Overdue or failed, it holds the line"`
}

// Challengers keeps challenges.
type Challengers interface {
	// KeepChallenge writes a challenge, a new one where its ID is 0, and returns its number.
	KeepChallenge(Challenge) (int64, error)
	// LastPassed returns the last one that a line passed, its zero value where it never did, and
	// whether one has failed since.
	LastPassed(lineID string) (c Challenge, failed bool, err error)
}

// proving is what a line knows of its challenges.
type proving struct {
	passed  Challenge // the last one; its ID is 0 where there is none
	failed  bool      // the last one failed, and none has passed since
	started time.Time // since when a start asks for one; zero: none does
	stood   time.Time // since when the line stands
	now     *Challenge
	armed   bool
	told    bool // that it is overdue
}

// due says when the plan asks for the next challenge, when that is overdue, and why. It is pure.
func (c *Challenges) due(p *proving, run Run, born, now time.Time) (at, over time.Time, why string) {
	consider := func(t time.Time, grace time.Duration, says string) {
		if why == "" || t.Add(grace).Before(over) {
			at, over, why = t, t.Add(grace), says
		}
	}
	grace := time.Duration(c.GraceMinutes * float64(time.Minute))
	first := grace
	if c.Act == Hold {
		first = 0
	}
	if p.failed {
		consider(p.passed.End, 0, "the last one failed")
	}
	if !p.started.IsZero() {
		consider(p.started, first, "the line starts")
	}
	if c.AtChangeover && run.ID > 0 && p.passed.Run != run.ID {
		consider(run.Begin, first, "the line was changed over to "+run.Product)
	}
	last := p.passed.End
	if p.passed.ID == 0 {
		last = born
		if c.EveryHours > 0 || len(c.At) > 0 {
			consider(born, grace, "the line was never proven")
		}
	}
	if c.EveryHours > 0 {
		consider(last.Add(time.Duration(c.EveryHours*float64(time.Hour))), grace, fmt.Sprintf("every %g hours", c.EveryHours))
	}
	for _, s := range c.At {
		day, _ := time.Parse("15:04", s) // validated
		local := last.In(now.Location())
		t := time.Date(local.Year(), local.Month(), local.Day(), day.Hour(), day.Minute(), 0, 0, now.Location())
		if !t.After(last) {
			t = time.Date(local.Year(), local.Month(), local.Day()+1, day.Hour(), day.Minute(), 0, 0, now.Location())
		}
		consider(t, grace, "at "+s)
	}
	return at, over, why
}

// proof needs the lock.
func (l *Line) proof() Proof {
	plan := l.cfg.Challenges
	if plan == nil {
		return Proof{}
	}
	now := l.parts.Clock()
	at, over, why := plan.due(&l.proving, l.run, l.born, now)
	p := Proof{Planned: true, Why: why, Armed: l.proving.armed, Holds: plan.Act == Hold}
	if why == "" {
		return p
	}
	p.Due, p.Overdue = !now.Before(at), !now.Before(over)
	by := at.UTC()
	if p.Due {
		by = over.UTC()
	}
	p.By = &by
	return p
}

// unproven reports whether packages other than test pieces may not pass. It needs the lock.
func (l *Line) unproven() bool {
	p := l.proof()
	return p.Holds && p.Overdue
}

// ErrChallengeDue says that the line must be proven before it runs.
type ErrChallengeDue struct{ Why string }

func (e *ErrChallengeDue) Error() string {
	return "a challenge is due (" + e.Why + "); begin it, then start the line and send the pieces"
}

// mayStart reports why a line that is not proven does not start. It needs the lock.
func (l *Line) mayStart() error {
	plan, p := l.cfg.Challenges, &l.proving
	if plan == nil {
		return nil
	}
	now := l.parts.Clock()
	if plan.AtStart && p.started.IsZero() && (p.stood.IsZero() || now.Sub(p.stood) >= stoodLong) {
		p.started = now
	}
	if state := l.proof(); state.Holds && state.Overdue && p.now == nil {
		l.changed()
		return &ErrChallengeDue{state.Why}
	}
	return nil
}

// watchProof tells and holds when a challenge becomes overdue, and ends one whose pieces are all
// where they went. It needs the lock.
func (l *Line) watchProof() {
	if l.cfg.Challenges == nil {
		return
	}
	l.conclude()
	p := &l.proving
	state := l.proof()
	if !state.Overdue {
		return
	}
	if !p.told {
		p.told = true
		l.parts.Alarms.Raise(alarm.Alarm{Line: l.cfg.ID, Kind: alarm.Challenge, Text: "a challenge is overdue (" + state.Why + "); begin it on the line's page, and send the pieces"})
		l.alarmed()
		l.changed()
	}
	if state.Holds && p.now == nil && l.status == station.Running {
		l.halt(station.Held, (&ErrChallengeDue{state.Why}).Error())
	}
}

// BeginChallenge begins a challenge, which somebody is there for.
func (l *Line) BeginChallenge(who string) error {
	l.changing.Lock()
	defer l.changing.Unlock()
	c, err := l.mayBegin(strings.TrimSpace(who))
	if err != nil {
		return err
	}
	// Without the line's lock: outputs never wait for the disk.
	if c.ID, err = l.parts.Challenges.KeepChallenge(c); err != nil {
		return fmt.Errorf("the challenge could not be recorded, so it is not begun: %w", err)
	}
	l.mu.Lock()
	defer l.mu.Unlock()
	l.proving.now = &c
	l.changed()
	return nil
}

// mayBegin returns the challenge that can be begun now.
func (l *Line) mayBegin(who string) (c Challenge, err error) {
	l.mu.Lock()
	defer l.mu.Unlock()
	plan, p := l.cfg.Challenges, &l.proving
	switch {
	case plan == nil:
		return c, fmt.Errorf("line %s has no challenges; describe them in site.yaml", l.cfg.ID)
	case p.now != nil:
		return c, fmt.Errorf("%s has begun a challenge already; go on with it, or give it up", p.now.Who)
	case who == "":
		return c, errors.New("a challenge is somebody's; give a name")
	case l.run.ID == 0:
		return c, fmt.Errorf("line %s packs nothing; change it over first", l.cfg.ID)
	}
	return Challenge{Line: l.cfg.ID, Run: l.run.ID, Product: l.run.Product, Who: who, Begin: l.parts.Clock(), Result: GoesOn, Sends: plan.sends()}, nil
}

// Placer is a Driver that puts test pieces on the belt itself, as a simulated one can.
type Placer interface{ Place(piece string) }

// SendPiece says that the next package at the trigger is the next piece of the challenge.
func (l *Line) SendPiece() error {
	l.mu.Lock()
	defer l.mu.Unlock()
	p := &l.proving
	switch {
	case p.now == nil:
		return errors.New("no challenge goes on; begin one first")
	case l.status != station.Running:
		return errors.New("the line does not run; start it, so that the piece comes through")
	case p.now.next() < 0:
		return errors.New("all pieces are sent; wait until the last one is where it goes")
	}
	p.armed = true
	if d, ok := l.parts.Driver.(Placer); ok {
		d.Place(p.now.Sends[p.now.next()].Piece)
	}
	l.changed()
	return nil
}

// next is the piece that comes next, -1 where all are sent.
func (c *Challenge) next() int {
	return slices.IndexFunc(c.Sends, func(s Send) bool { return s.Seq == 0 })
}

// of is the piece that a package is, -1 where it is none.
func (c *Challenge) of(seq int64) int {
	if c == nil {
		return -1
	}
	return slices.IndexFunc(c.Sends, func(s Send) bool { return s.Seq == seq })
}

// GiveUpChallenge ends a challenge that is not finished. What was due stays due.
func (l *Line) GiveUpChallenge() error {
	l.mu.Lock()
	defer l.mu.Unlock()
	if l.proving.now == nil {
		return errors.New("no challenge goes on")
	}
	l.end(GivenUp)
	return nil
}

// piece takes a package that comes to the trigger as the piece that is waited for, and returns
// the number of the challenge; 0 where none is. It needs the lock.
func (l *Line) piece(seq int64) int64 {
	p := &l.proving
	if p.now == nil || !p.armed {
		return 0
	}
	p.armed = false
	p.now.Sends[p.now.next()].Seq = seq
	return p.now.ID
}

// went tells where a package went that is a piece. It needs the lock.
func (l *Line) went(pack *Package) {
	i := l.proving.now.of(pack.Seq)
	if i < 0 {
		return
	}
	s := &l.proving.now.Sends[i]
	s.Got, s.Says = pack.Route, pack.Sentence
	switch {
	case pack.Fault != station.NoFault:
		s.Says = "a fault, so it proves nothing: " + pack.Sentence
	case pack.Route != s.Want:
		s.Says = fmt.Sprintf("it went to %s and should have gone to %s", pack.Route, s.Want)
		if pack.Sentence != "" {
			s.Says += ": " + pack.Sentence
		}
	case s.Check != "" && pack.Reason != s.Check:
		s.Says = fmt.Sprintf("it was rejected for %s and should have been for %s: %s", pack.Reason, s.Check, pack.Sentence)
	default:
		s.OK = true
	}
}

// notSeen tells that a piece was not seen leaving. It needs the lock.
func (l *Line) notSeen(seq int64, route string) {
	if i := l.proving.now.of(seq); i >= 0 {
		l.proving.now.Sends[i].OK, l.proving.now.Sends[i].Says = false, "it was not seen leaving by the ejector for "+route
	}
}

// conclude ends a challenge whose pieces all are where they went. It needs the lock.
func (l *Line) conclude() {
	c := l.proving.now
	if c == nil {
		return
	}
	result := Passed
	for _, s := range c.Sends {
		if s.Got == "" || l.tracker.Pending(s.Seq) {
			return
		}
		if !s.OK {
			result = Failed
		}
	}
	l.end(result)
}

// end needs the lock.
func (l *Line) end(r ChallengeResult) {
	p := &l.proving
	c := p.now
	c.Result, c.End = r, l.parts.Clock()
	p.now, p.armed = nil, false
	go func(c Challenge) { // outputs never wait for the disk
		if _, err := l.parts.Challenges.KeepChallenge(c); err != nil {
			l.mu.Lock()
			defer l.mu.Unlock()
			l.raise(alarm.Records, "", Warn, fmt.Sprintf("the result of challenge %d (%s) could not be recorded: %v; make it again when the disk is mended", c.ID, c.Result, err))
		}
	}(*c)
	switch r {
	case Passed:
		p.passed, p.failed, p.told, p.started = *c, false, false, time.Time{}
		l.clear(alarm.Challenge, "")
	case Failed:
		p.failed, p.told = true, true
		var says []string
		for _, s := range c.Sends {
			if !s.OK {
				says = append(says, fmt.Sprintf("%s (%d of %d): %s", s.Piece, s.N, s.Of, s.Says))
			}
		}
		l.raise(alarm.Challenge, "", l.cfg.Challenges.Act, "the challenge failed: "+strings.Join(says, "; ")+"; find out why, and make another one")
	}
	l.changed()
}
