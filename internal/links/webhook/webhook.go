// Package webhook posts what happens to addresses that want to know. A delivery is signed, kept on
// the disk until it was taken, and tried again for a day; then it is given up, and somebody may
// try it again. Receivers may hear the same twice: deliveries have numbers.
package webhook

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"os"
	"slices"
	"strings"
	"sync"
	"time"

	"ricetta/core/recipe"
	"ricetta/internal/alarm"
	"ricetta/internal/line"
	"ricetta/internal/links"
	"ricetta/internal/outbox"
)

// Config describes one receiver.
type Config struct {
	Name string `yaml:"name"`
	URL  string `yaml:"url"`
	// Events are what it wants to hear: package, reject, alarm, run, challenge, report.
	Events []string `yaml:"events"`
	// SecretFile holds the secret that its messages are signed with; without one they are not.
	SecretFile string `yaml:"secret_file,omitempty"`
}

// The events.
const (
	EventPackage   = "package"   // any
	EventReject    = "reject"    // one that did not pass
	EventAlarm     = "alarm"     // raised, gone, acknowledged
	EventRun       = "run"       // begun
	EventChallenge = "challenge" // ended
	EventReport    = "report"    // of a shift or a run that is over
)

var events = []string{EventPackage, EventReject, EventAlarm, EventRun, EventChallenge, EventReport}

// Bounds of the link.
const (
	answerIn = 10 * time.Second
	behind   = 5000 // events that may wait to be written down
	atOnce   = 20   // deliveries that are asked for at a time
)

// envelope is the body of a delivery.
type envelope struct {
	Event string    `json:"event"`
	Time  time.Time `json:"time"`
	Site  string    `json:"site"`
	Line  string    `json:"line,omitempty"`
	Data  any       `json:"data"`
}

// Sender is the link to one receiver. Close it.
type Sender struct {
	links.Deaf
	cfg    Config
	site   string
	secret []byte
	keep   outbox.Keeper
	clock  func() time.Time
	client *http.Client
	log    links.Log
	ctx    context.Context
	cancel context.CancelFunc
	wg     sync.WaitGroup
	in     chan outbox.Delivery
	wake   chan struct{}

	mu      sync.Mutex
	runs    map[string]int64 // of lines, that were told
	ended   map[string]int64 // challenges that were told
	trouble string
	lost    int64
}

// Open begins to deliver.
func Open(c Config, site string, states []line.State, keep outbox.Keeper, clock func() time.Time) (*Sender, error) {
	u, err := url.Parse(c.URL)
	switch {
	case c.Name == "":
		return nil, errors.New("a webhook has no name; give it one")
	case err != nil || u.Scheme != "http" && u.Scheme != "https" || u.Host == "":
		return nil, fmt.Errorf("webhook %s: url is %q; give it as in https://host/path", c.Name, c.URL)
	case len(c.Events) == 0:
		return nil, fmt.Errorf("webhook %s wants to hear nothing; give events: %s", c.Name, strings.Join(events, ", "))
	}
	for _, e := range c.Events {
		if !slices.Contains(events, e) {
			return nil, fmt.Errorf("webhook %s: there is no event %q; there are %s", c.Name, e, strings.Join(events, ", "))
		}
	}
	s := &Sender{
		cfg: c, site: site, keep: keep, clock: clock, in: make(chan outbox.Delivery, behind), wake: make(chan struct{}, 1),
		runs: map[string]int64{}, ended: map[string]int64{},
		client: &http.Client{Timeout: answerIn, CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }},
	}
	if c.SecretFile != "" {
		data, err := os.ReadFile(c.SecretFile)
		if err != nil {
			return nil, fmt.Errorf("webhook %s: secret_file: %w", c.Name, err)
		}
		if s.secret = bytes.TrimSpace(data); len(s.secret) < 16 {
			return nil, fmt.Errorf("webhook %s: the secret in %s has %d characters; give 16 or more", c.Name, c.SecretFile, len(s.secret))
		}
	}
	for _, st := range states { // they were told before the restart
		s.runs[st.Config.ID] = st.Run.ID
		if st.Challenge != nil {
			s.ended[st.Config.ID] = st.Challenge.ID
		}
	}
	s.ctx, s.cancel = context.WithCancel(context.Background())
	s.wg.Go(s.write)
	s.wg.Go(s.deliver)
	return s, nil
}

// Close ends; what was not delivered waits for the next start.
func (s *Sender) Close() {
	s.cancel()
	s.wg.Wait()
	s.client.CloseIdleConnections()
}

// State says how the link stands.
func (s *Sender) State() links.State {
	out := links.State{Name: "webhook " + s.cfg.Name, Address: s.cfg.URL}
	s.mu.Lock()
	out.Trouble = s.trouble
	if s.lost > 0 {
		out.Trouble = strings.TrimPrefix(fmt.Sprintf("%s; %d events could not be written down, and are lost", out.Trouble, s.lost), "; ")
	}
	s.mu.Unlock()
	if waiting, dead, err := s.keep.CountDeliveries(s.cfg.Name); err == nil && waiting+dead > 0 {
		out.Trouble = strings.TrimPrefix(fmt.Sprintf("%s; %d deliveries wait, %d were given up", out.Trouble, waiting, dead), "; ")
	}
	if out.Trouble == "" {
		out.Peers = 1
	}
	out.Messages, out.Count = s.log.Last()
	return out
}

func (s *Sender) wants(event string) bool { return slices.Contains(s.cfg.Events, event) }

// put hands an event over to be written down; it does not wait.
func (s *Sender) put(event, lineID string, at time.Time, data any) {
	body, err := json.Marshal(envelope{event, at.UTC(), s.site, lineID, data})
	if err == nil {
		select {
		case s.in <- outbox.Delivery{To: s.cfg.Name, Event: event, Body: body, Made: s.clock(), Next: s.clock()}:
			return
		default:
		}
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	s.lost++
}

// packed is the data of a package.
type packed struct {
	Seq       int64  `json:"seq"`
	Run       int64  `json:"run"`
	Product   string `json:"product"`
	Route     string `json:"route"`
	Station   string `json:"station,omitempty"`
	Fault     string `json:"fault,omitempty"`
	Reason    string `json:"reason,omitempty"`
	Sentence  string `json:"sentence,omitempty"`
	Challenge int64  `json:"challenge,omitempty"`
}

// Package implements links.Listener.
func (s *Sender) Package(p *line.Package) {
	event := EventPackage
	if !s.wants(event) {
		event = EventReject
		if !s.wants(event) || p.Route == recipe.Pass {
			return
		}
	}
	s.put(event, p.Line, p.Time, packed{p.Seq, p.Run, p.Product, p.Route, p.Station, string(p.Fault), p.Reason, p.Sentence, p.Challenge})
}

// Alarm implements links.Listener.
func (s *Sender) Alarm(a alarm.Alarm) {
	if !s.wants(EventAlarm) {
		return
	}
	s.put(EventAlarm, a.Line, s.clock(), map[string]any{
		"id": a.ID, "station": a.Station, "kind": a.Kind, "holds": a.Holds, "text": a.Text, "raised": a.Raised.UTC(), "stands": a.Gone.IsZero(), "who": a.Who, "note": a.Note,
	})
}

// Report tells of a report.
func (s *Sender) Report(at time.Time, data any) {
	if s.wants(EventReport) {
		s.put(EventReport, "", at, data)
	}
}

// Line implements links.Listener: a run that begins, a challenge that ended.
func (s *Sender) Line(st line.State) {
	id := st.Config.ID
	s.mu.Lock()
	newRun := st.Run.ID > 0 && st.Run.ID != s.runs[id]
	s.runs[id] = st.Run.ID
	c := st.Challenge
	newChallenge := c != nil && c.Result != line.GoesOn && c.ID > s.ended[id]
	if newChallenge {
		s.ended[id] = c.ID
	}
	s.mu.Unlock()
	if newRun && s.wants(EventRun) {
		s.put(EventRun, id, st.Run.Begin, map[string]any{"run": st.Run.ID, "product": st.Run.Product, "order": st.Run.Order, "who": st.Run.Who, "by": st.Run.By})
	}
	if newChallenge && s.wants(EventChallenge) {
		s.put(EventChallenge, id, c.End, map[string]any{"challenge": c.ID, "run": c.Run, "product": c.Product, "who": c.Who, "result": c.Result, "pieces": c.Sends})
	}
}

// write writes events down, many at a time.
func (s *Sender) write() {
	for {
		var batch []outbox.Delivery
		select {
		case d := <-s.in:
			batch = append(batch, d)
		case <-s.ctx.Done():
			if len(s.in) == 0 {
				return
			}
			batch = append(batch, <-s.in)
		}
		for len(batch) < 100 && len(s.in) > 0 {
			batch = append(batch, <-s.in)
		}
		if err := s.keep.AddDeliveries(batch); err != nil {
			s.mu.Lock()
			s.lost += int64(len(batch))
			s.mu.Unlock()
		}
		s.poke()
	}
}

func (s *Sender) poke() {
	select {
	case s.wake <- struct{}{}:
	default:
	}
}

// Poke lets it look for deliveries that somebody has given a new life.
func (s *Sender) Poke() { s.poke() }

// deliver posts what is due, in order, until the end.
func (s *Sender) deliver() {
	for s.ctx.Err() == nil {
		due, err := s.keep.Due(s.cfg.Name, s.clock(), atOnce)
		for _, d := range due {
			if s.ctx.Err() != nil {
				return
			}
			s.try(d)
		}
		if err == nil && len(due) > 0 {
			continue
		}
		wait := time.Minute
		if next, ok, err := s.keep.NextDue(s.cfg.Name); err == nil && ok {
			wait = min(max(next.Sub(s.clock()), 10*time.Millisecond), wait)
		}
		select {
		case <-s.ctx.Done():
		case <-s.wake:
		case <-time.After(wait):
		}
	}
}

// try posts one delivery and keeps what came of it.
func (s *Sender) try(d outbox.Delivery) {
	never, err := s.post(d)
	if s.ctx.Err() != nil {
		return // it was not its fault
	}
	text := fmt.Sprintf("%d %s %s", d.ID, d.Event, d.Body)
	if err == nil {
		s.log.Add(links.Message{Time: s.clock().UTC(), Out: true, Peer: s.cfg.Name, Text: text})
		s.say("")
		if _, err := s.keep.DropDelivery(d.ID); err != nil {
			s.say("a delivery is done, and cannot be crossed out: " + err.Error() + "; it will be sent again")
		}
		return
	}
	d.Failed(s.clock(), err.Error(), never)
	s.log.Add(links.Message{Time: s.clock().UTC(), Out: true, Peer: s.cfg.Name, Text: text + " – not taken: " + err.Error()})
	s.say(err.Error())
	if err := s.keep.KeepDelivery(d); err != nil {
		s.say("a delivery failed, and that cannot be written down: " + err.Error())
		time.Sleep(time.Second)
	}
}

func (s *Sender) say(trouble string) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.trouble = trouble
}

// post sends a delivery. never is set where the receiver says that it will not take it at any
// time: an answer of 400 to 499, but for those that mean later.
func (s *Sender) post(d outbox.Delivery) (never bool, err error) {
	r, err := http.NewRequestWithContext(s.ctx, http.MethodPost, s.cfg.URL, bytes.NewReader(d.Body))
	if err != nil {
		return true, err
	}
	r.Header.Set("Content-Type", "application/json")
	r.Header.Set("Idempotency-Key", fmt.Sprintf("%q", fmt.Sprintf("%s-%d", s.cfg.Name, d.ID)))
	r.Header.Set("User-Agent", "Ricetta")
	sign(r, d.Body, s.secret, s.cfg.Name, s.clock())
	a, err := s.client.Do(r)
	if err != nil {
		return false, err
	}
	defer a.Body.Close()
	_, _ = io.Copy(io.Discard, io.LimitReader(a.Body, 64<<10)) // so that the connection can be used again
	if a.StatusCode/100 == 2 {
		return false, nil
	}
	later := []int{http.StatusUnauthorized, http.StatusForbidden, http.StatusNotFound, http.StatusRequestTimeout, http.StatusConflict, http.StatusTooEarly, http.StatusTooManyRequests}
	return a.StatusCode/100 == 4 && !slices.Contains(later, a.StatusCode), fmt.Errorf("it answers %s", a.Status)
}
