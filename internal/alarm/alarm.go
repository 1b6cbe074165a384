// Package alarm keeps what somebody has to look at: it is raised, it is gone when its cause is,
// and it is acknowledged by somebody with a name, in either order (after IEC 62682, clause 5,
// states of an alarm). What is gone and acknowledged is history.
package alarm

import (
	"errors"
	"fmt"
	"log/slog"
	"maps"
	"slices"
	"strings"
	"sync"
	"time"
)

// Kind says what an alarm is about.
type Kind string

// The kinds.
const (
	RejectsInRow Kind = "rejects_in_row"
	RejectRate   Kind = "reject_rate"
	NotConfirmed Kind = "not_confirmed" // should have left, and was not seen leaving
	Unexpected   Kind = "unexpected"    // was seen leaving, and should not have
	NoPicture    Kind = "no_picture"
	Late         Kind = "late"
	Output       Kind = "output" // an output cannot be switched
	Records      Kind = "records"
	Disk         Kind = "disk"
	Picture      Kind = "picture" // pictures drift from the reference
	Challenge    Kind = "challenge"
	Link         Kind = "link"
	Changeover   Kind = "changeover" // what a station read changes nothing
)

// Alarm is one of them.
type Alarm struct {
	ID   int64
	Line string // "" of the whole service
	// Station is "" of a whole line.
	Station string
	Kind    Kind
	Holds   bool // it has stopped the line
	Text    string
	Times   int64 // how often it was raised before it was acknowledged
	Raised  time.Time
	// Gone is when its cause was, Acknowledged when somebody said so; zero before.
	Gone, Acknowledged time.Time
	Who, Note          string
}

// Over reports whether nothing has to be done about it any more.
func (a Alarm) Over() bool { return !a.Gone.IsZero() && !a.Acknowledged.IsZero() }

// Keeper keeps alarms for good.
type Keeper interface {
	// KeepAlarm writes an alarm, over what was written of it before.
	KeepAlarm(Alarm) error
	// OpenAlarms returns those that are not over.
	OpenAlarms() ([]Alarm, error)
	// LastAlarm is the greatest number given, 0 where there is none.
	LastAlarm() (int64, error)
}

// place is what there is one open alarm of, at most.
type place struct {
	line, station string
	kind          Kind
}

func (a Alarm) place() place { return place{a.Line, a.Station, a.Kind} }

// Book has the alarms that are not over, and keeps all. It may be used concurrently, and waits
// for nothing. Close it.
type Book struct {
	keep  Keeper
	clock func() time.Time
	tell  func(Alarm)
	log   *slog.Logger

	mu     sync.Mutex
	last   int64
	open   map[place]*Alarm
	dirty  map[int64]Alarm // not written yet
	closed bool

	wake chan struct{}
	done chan struct{}
}

// again is how long a record that could not be written waits.
const again = time.Second

// Open returns the book with what was open when the service ended. The causes of then are gone:
// what is still so is raised anew. tell hears of every change, in order; it must be quick, and
// not ask the book.
func Open(k Keeper, clock func() time.Time, tell func(Alarm), log *slog.Logger) (*Book, error) {
	b := &Book{
		keep: k, clock: clock, tell: tell, log: log, open: map[place]*Alarm{}, dirty: map[int64]Alarm{},
		wake: make(chan struct{}, 1), done: make(chan struct{}),
	}
	var err error
	if b.last, err = k.LastAlarm(); err != nil {
		return nil, err
	}
	left, err := k.OpenAlarms()
	if err != nil {
		return nil, err
	}
	now := clock()
	for _, a := range left {
		if a.Gone.IsZero() {
			a.Gone = now
			b.dirty[a.ID] = a
		}
		if !a.Over() {
			b.open[a.place()] = &a
		}
	}
	b.poke()
	go b.write()
	return b, nil
}

// Close writes what is not written yet, as far as that is possible.
func (b *Book) Close() {
	b.mu.Lock()
	closed := b.closed
	b.closed = true
	b.mu.Unlock()
	if closed {
		return
	}
	b.poke()
	<-b.done
}

func (b *Book) poke() {
	select {
	case b.wake <- struct{}{}:
	default:
	}
}

// write is the one writer.
func (b *Book) write() {
	defer close(b.done)
	for {
		b.mu.Lock()
		todo, closed := slices.SortedFunc(maps.Values(b.dirty), func(x, y Alarm) int { return int(x.ID - y.ID) }), b.closed
		clear(b.dirty)
		b.mu.Unlock()
		failed := false
		for _, a := range todo {
			if err := b.keep.KeepAlarm(a); err != nil {
				b.log.Warn("an alarm was not recorded", "alarm", a.ID, "error", err)
				failed = true
				b.mu.Lock()
				if _, newer := b.dirty[a.ID]; !newer {
					b.dirty[a.ID] = a
				}
				b.mu.Unlock()
			}
		}
		switch {
		case closed:
			return
		case failed:
			time.Sleep(again)
		default:
			<-b.wake
		}
	}
}

// changed needs the lock.
func (b *Book) changed(a *Alarm) {
	b.dirty[a.ID] = *a
	if a.Over() {
		delete(b.open, a.place())
	}
	b.tell(*a)
	b.poke()
}

// Raise says that something is wrong: Line, Station, Kind, Holds and Text of a count. One that
// stands already stays as it is, unless it holds the line now and did not before; one that was
// gone, and is not acknowledged, comes back.
func (b *Book) Raise(a Alarm) {
	b.mu.Lock()
	defer b.mu.Unlock()
	if b.closed {
		return
	}
	now := b.clock()
	if old := b.open[a.place()]; old != nil {
		back := !old.Gone.IsZero()
		if !back && (old.Holds || !a.Holds) {
			return
		}
		if back || a.Holds {
			old.Times++
		}
		old.Gone, old.Text, old.Holds = time.Time{}, a.Text, old.Holds || a.Holds
		old.Acknowledged, old.Who, old.Note = time.Time{}, "", ""
		b.changed(old)
		return
	}
	b.last++
	a.ID, a.Times, a.Raised = b.last, 1, now
	a.Gone, a.Acknowledged, a.Who, a.Note = time.Time{}, time.Time{}, "", ""
	b.open[a.place()] = &a
	b.changed(&a)
}

// Clear says that what was wrong is not any more.
func (b *Book) Clear(line, station string, kind Kind) {
	b.mu.Lock()
	defer b.mu.Unlock()
	if a := b.open[place{line, station, kind}]; a != nil && a.Gone.IsZero() && !b.closed {
		a.Gone = b.clock()
		b.changed(a)
	}
}

// ErrNone says that no alarm of that number waits to be acknowledged.
var ErrNone = errors.New("no alarm of that number waits to be acknowledged")

// Acknowledge says that somebody has looked. An alarm is acknowledged once.
func (b *Book) Acknowledge(id int64, who, note string) (Alarm, error) {
	who = strings.TrimSpace(who)
	if who == "" {
		return Alarm{}, errors.New("an alarm is acknowledged by somebody; give a name")
	}
	b.mu.Lock()
	defer b.mu.Unlock()
	for _, a := range b.open {
		if a.ID != id {
			continue
		}
		if !a.Acknowledged.IsZero() {
			return *a, fmt.Errorf("%s has acknowledged alarm %d already", a.Who, id)
		}
		a.Acknowledged, a.Who, a.Note = b.clock(), who, note
		b.changed(a)
		return *a, nil
	}
	return Alarm{}, ErrNone
}

// Standing returns the alarms that are not over, the oldest first.
func (b *Book) Standing() []Alarm {
	b.mu.Lock()
	defer b.mu.Unlock()
	out := make([]Alarm, 0, len(b.open))
	for _, a := range b.open {
		out = append(out, *a)
	}
	slices.SortFunc(out, func(x, y Alarm) int { return int(x.ID - y.ID) })
	return out
}

// Waiting tells how a line stands: how many alarms of it and of the whole service nobody has
// acknowledged, and the first of them that holds the line, nil where none does.
func (b *Book) Waiting(line string) (n int, holds *Alarm) {
	b.mu.Lock()
	defer b.mu.Unlock()
	for _, a := range b.open {
		if a.Line != line && a.Line != "" || !a.Acknowledged.IsZero() {
			continue
		}
		n++
		if a.Holds && a.Line == line && (holds == nil || a.ID < holds.ID) {
			first := *a
			holds = &first
		}
	}
	return n, holds
}
