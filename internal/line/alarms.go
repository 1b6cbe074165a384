package line

import (
	"fmt"

	"ricetta/core/recipe"
	"ricetta/internal/alarm"
	"ricetta/internal/station"
)

// Alarms says what makes somebody look. What is not given goes by its usual rule.
type Alarms struct {
	RejectsInRow *Rule `json:"rejects_in_row,omitempty" yaml:"rejects_in_row,omitempty"`
	RejectRate   *Rule `json:"reject_rate,omitempty" yaml:"reject_rate,omitempty"`
	// Late counts packages whose verdict came too late, NoPicture the items of one station
	// whose camera gave none.
	Late      *Rule `json:"late,omitempty" yaml:"late,omitempty"`
	NoPicture *Rule `json:"no_picture,omitempty" yaml:"no_picture,omitempty"`
	// NotConfirmed and Unexpected count what the confirm sensors did not see, and saw.
	NotConfirmed *Rule `json:"not_confirmed,omitempty" yaml:"not_confirmed,omitempty"`
	Unexpected   *Rule `json:"unexpected,omitempty" yaml:"unexpected,omitempty"`
}

// Rule is so many out of the last so many packages.
type Rule struct {
	// Count of them raise the alarm; 0 switches it off.
	Count int64 `json:"count" yaml:"count"`
	// Of is how many are looked back on; 0: in a row.
	Of int64 `json:"of,omitempty" yaml:"of,omitempty"`
	// Act is Warn or Hold.
	Act string `json:"act" yaml:"act"`
}

// Warn is what an alarm does that does not hold the line.
const Warn = "warn"

// usual are the rules that hold where nobody has said otherwise.
var usual = map[alarm.Kind]Rule{
	alarm.RejectsInRow: {10, 0, Warn},
	alarm.RejectRate:   {40, 100, Warn},
	alarm.Late:         {3, 100, Warn},
	alarm.NoPicture:    {3, 0, Warn},
	alarm.NotConfirmed: {1, 0, Hold},
	alarm.Unexpected:   {1, 0, Warn},
}

// farBack bounds Rule.Of.
const farBack = 10_000

// rules returns the rules of the line by their kinds.
func (c Config) rules() map[alarm.Kind]Rule {
	out := map[alarm.Kind]Rule{}
	for k, r := range map[alarm.Kind]*Rule{
		alarm.RejectsInRow: c.Alarms.RejectsInRow, alarm.RejectRate: c.Alarms.RejectRate, alarm.Late: c.Alarms.Late,
		alarm.NoPicture: c.Alarms.NoPicture, alarm.NotConfirmed: c.Alarms.NotConfirmed, alarm.Unexpected: c.Alarms.Unexpected,
	} {
		out[k] = usual[k]
		if r != nil {
			out[k] = *r
		}
	}
	return out
}

func (c Config) validateAlarms() error {
	for k, r := range c.rules() {
		switch {
		case r.Act != Warn && r.Act != Hold && r.Count != 0:
			return fmt.Errorf("act of the alarm %s is %q; give %s or %s", k, r.Act, Warn, Hold)
		case r.Count < 0 || r.Of < 0 || r.Of > farBack || r.Of > 0 && r.Count > r.Of || r.Count > farBack:
			return fmt.Errorf("the alarm %s is raised by %d of %d; give a count of at least 1 (0: never) of at most %d, and no more than of", k, r.Count, r.Of, farBack)
		case (k == alarm.NotConfirmed || k == alarm.Unexpected) && r.Of != 0:
			return fmt.Errorf("the alarm %s looks back on all packages since the start; take out of", k)
		}
	}
	return nil
}

// window looks back on the last of a rule. The zero of a rule never trips.
type window struct {
	rule Rule
	ring []bool // of the last rule.Of, a ring
	at   int
	n    int64 // of them that count
}

func newWindow(r Rule) *window { return &window{rule: r, ring: make([]bool, r.Of)} }

// add takes the next one, and reports whether the rule is broken now.
func (w *window) add(counts bool) bool {
	if w.rule.Of == 0 {
		w.n++
		if !counts {
			w.n = 0
		}
	} else {
		if w.ring[w.at] {
			w.n--
		}
		if counts {
			w.n++
		}
		w.ring[w.at] = counts
		w.at = (w.at + 1) % len(w.ring)
	}
	return w.broken()
}

func (w *window) broken() bool { return w.rule.Count > 0 && w.n >= w.rule.Count }

func (w *window) reset() {
	clear(w.ring)
	w.at, w.n = 0, 0
}

// watch is what a line looks back on. Packages settle in the order of their ejectors; it takes
// them in the order in which they came.
type watch struct {
	windows  map[alarm.Kind]*window
	pictures map[string]*window // by station
	next     int64              // number of the package that comes next
	settled  map[int64]settled  // those that came before their turn
}

type settled struct{ rejected, late bool }

func newWatch(c Config, lastSeq int64) watch {
	w := watch{windows: map[alarm.Kind]*window{}, pictures: map[string]*window{}, next: lastSeq + 1, settled: map[int64]settled{}}
	for k, r := range c.rules() {
		w.windows[k] = newWindow(r)
	}
	for _, s := range c.Stations {
		w.pictures[s.ID] = newWindow(w.windows[alarm.NoPicture].rule)
	}
	return w
}

// forget begins anew: what made the line stop does not make it stop again.
func (w *watch) forget() {
	for _, x := range w.windows {
		x.reset()
	}
	for _, x := range w.pictures {
		x.reset()
	}
}

// Book is where alarms go. It does not call the line.
type Book interface {
	Raise(alarm.Alarm)
	Clear(line, station string, kind alarm.Kind)
	// Waiting tells how many alarms of a line nobody has acknowledged, and the first that holds
	// the line.
	Waiting(line string) (n int, holds *alarm.Alarm)
}

// noBook is for lines whose alarms nobody keeps.
type noBook struct{}

func (noBook) Raise(alarm.Alarm)                  {}
func (noBook) Clear(_, _ string, _ alarm.Kind)    {}
func (noBook) Waiting(string) (int, *alarm.Alarm) { return 0, nil }

// raise raises an alarm and holds the line where its act says so. It needs the lock.
func (l *Line) raise(kind alarm.Kind, stationID, act, text string) {
	holds := act == Hold
	l.parts.Alarms.Raise(alarm.Alarm{Line: l.cfg.ID, Station: stationID, Kind: kind, Holds: holds, Text: text})
	if holds {
		l.halt(station.Held, text)
	}
	l.alarmed()
	l.changed()
}

// clear needs the lock.
func (l *Line) clear(kind alarm.Kind, stationID string) {
	l.parts.Alarms.Clear(l.cfg.ID, stationID, kind)
}

// see tells the watch of a package that has settled. It needs the lock.
func (l *Line) see(seq int64, rejected, late bool) {
	w := &l.watch
	w.settled[seq] = settled{rejected: rejected, late: late}
	for {
		s, ok := w.settled[w.next]
		if !ok {
			return
		}
		delete(w.settled, w.next)
		at := w.next
		w.next++
		l.judge(alarm.RejectsInRow, s.rejected, func(r Rule) string {
			return fmt.Sprintf("%d packages in a row were rejected, the last one is %d; look at what they have in common", r.Count, at)
		})
		l.judge(alarm.RejectRate, s.rejected, func(r Rule) string {
			return fmt.Sprintf("%d of the last %d packages were rejected; look at what they have in common", r.Count, r.Of)
		})
		l.judge(alarm.Late, s.late, func(r Rule) string {
			return fmt.Sprintf("%s came too late for their ejector; slow the belt, or shorten the recipe", share(r, "verdicts"))
		})
	}
}

// rejects reports whether a route counts as one of rejects.
func rejects(route string) bool { return route != recipe.Pass && route != recipe.Rework }

func share(r Rule, what string) string {
	if r.Of == 0 {
		return fmt.Sprintf("%d %s in a row", r.Count, what)
	}
	return fmt.Sprintf("%d of the last %d %s", r.Count, r.Of, what)
}

// judge adds to a window, and raises or clears its alarm. It needs the lock.
func (l *Line) judge(kind alarm.Kind, counts bool, says func(Rule) string) {
	l.judgeBy(l.watch.windows[kind], kind, "", counts, says)
}

func (l *Line) judgeBy(w *window, kind alarm.Kind, stationID string, counts bool, says func(Rule) string) {
	was := w.broken()
	switch is := w.add(counts); {
	case is && !was:
		l.raise(kind, stationID, w.rule.Act, says(w.rule))
	case was && !is:
		l.clear(kind, stationID)
	}
}

// pictured tells the watch whether a station had a picture. It needs the lock.
func (l *Line) pictured(v station.Verdict) {
	w := l.watch.pictures[v.Station]
	l.judgeBy(w, alarm.NoPicture, v.Station, v.Fault == station.NoPicture, func(r Rule) string {
		return fmt.Sprintf("%s of %s are missing: %s; look at the camera and its cable", share(r, "pictures"), v.Station, v.Sentence)
	})
}

// unconfirmed tells the watch of a package that was not seen leaving, or seen though it should
// not have left. It happens and is over; what is left is to acknowledge it. It needs the lock.
func (l *Line) unconfirmed(kind alarm.Kind, text string) {
	w := l.watch.windows[kind]
	w.n++
	if w.broken() {
		l.raise(kind, "", w.rule.Act, text)
		l.clear(kind, "")
		w.reset()
	}
}

// Drift implements station.Line: the pictures of a station drift from the reference, or do not
// any more (text is empty).
func (l *Line) Drift(stationID, act, text string) {
	l.mu.Lock()
	defer l.mu.Unlock()
	if text == "" {
		l.clear(alarm.Picture, stationID)
		return
	}
	l.raise(alarm.Picture, stationID, act, text)
}
