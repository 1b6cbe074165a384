// Package links is what Ricetta and the machines round it say to each other: a folder for each
// protocol. Here is what they have in common: what a link can ask of the lines, and the log of
// what went out and came in. docs/links.md is for those on the other side.
package links

import (
	"sync"
	"time"

	"ricetta/internal/alarm"
	"ricetta/internal/line"
	"ricetta/internal/station"
)

// Link is one at work.
type Link interface {
	State() State
	Listener
	// Close ends it, and waits until it is over.
	Close()
}

// Listener is told what is on disk, and what changed. It does not wait, and asks nothing while
// it is told.
type Listener interface {
	Item(*station.Item)
	Package(*line.Package)
	Line(line.State)
	Alarm(alarm.Alarm)
}

// Deaf hears nothing: for links to embed that want only some of it.
type Deaf struct{}

// Item implements Listener.
func (Deaf) Item(*station.Item) {}

// Package implements Listener.
func (Deaf) Package(*line.Package) {}

// Line implements Listener.
func (Deaf) Line(line.State) {}

// Alarm implements Listener.
func (Deaf) Alarm(alarm.Alarm) {}

// Lines is what a link can do with the lines of the site. Errors say what, where and the remedy.
type Lines interface {
	// States returns all lines as they are.
	States() []line.State
	Change(lineID string, r line.Run) (line.Run, error)
	Start(lineID string, cleared bool) error
	Stop(lineID string) error
	Trigger(lineID string) error
	// Acknowledge says that somebody has looked at an alarm.
	Acknowledge(id int64, who, note string) error
}

// Message is something that went over a link.
type Message struct {
	Time time.Time `json:"time" required:"true"`
	Out  bool      `json:"out" required:"true" description:"It went out; else it came in"`
	Peer string    `json:"peer" required:"true" description:"The other side"`
	Text string    `json:"text" required:"true"`
}

// keptMessages is how many messages of a link are kept to be looked at.
const keptMessages = 200

// Log keeps the last messages of a link. Its zero value is ready; it may be used concurrently.
type Log struct {
	mu   sync.Mutex
	ring []Message
	n    int64
}

// Add keeps a message.
func (l *Log) Add(m Message) {
	l.mu.Lock()
	defer l.mu.Unlock()
	if len(l.ring) == keptMessages {
		l.ring = append(l.ring[:0:0], l.ring[keptMessages/2:]...)
	}
	l.ring = append(l.ring, m)
	l.n++
}

// Last returns the messages kept, oldest first, and how many there were in all.
func (l *Log) Last() ([]Message, int64) {
	l.mu.Lock()
	defer l.mu.Unlock()
	return append([]Message{}, l.ring...), l.n
}

// State is how a link stands.
type State struct {
	Name     string    `json:"name" required:"true"`
	Address  string    `json:"address" required:"true" description:"Where it listens, or what it is connected to"`
	Peers    int       `json:"peers" required:"true" description:"How many are connected"`
	Trouble  string    `json:"trouble" required:"true" description:"What is wrong; empty when all is well"`
	Count    int64     `json:"count" required:"true" description:"Messages since the service started"`
	Messages []Message `json:"messages" required:"true" nullable:"false" description:"The last ones, oldest first"`
}
