// Package testhall is for tests of links only: a hall of one line that takes note of what it is
// asked, and does nothing.
package testhall

import (
	"context"
	"fmt"
	"net"
	"sync"
	"testing"

	"ricetta/core/check"
	"ricetta/internal/line"
	"ricetta/internal/links"
	"ricetta/internal/station"
)

// Hall implements links.Lines and links.Limits.
type Hall struct {
	mu    sync.Mutex
	asked []string
	run   line.Run
	err   error
	least float64
}

// New returns a hall whose line packs something.
func New() *Hall {
	return &Hall{run: line.Run{ID: 3, Product: "pencil-tin-12", Order: check.Order{"lot": "L 47"}}, least: 12}
}

// Fail lets everything that is asked from now on fail.
func (h *Hall) Fail(err error) {
	h.mu.Lock()
	defer h.mu.Unlock()
	h.err = err
}

// Asked returns what was asked so far.
func (h *Hall) Asked() []string {
	h.mu.Lock()
	defer h.mu.Unlock()
	return append([]string{}, h.asked...)
}

func (h *Hall) note(format string, args ...any) error {
	h.mu.Lock()
	defer h.mu.Unlock()
	h.asked = append(h.asked, fmt.Sprintf(format, args...))
	return h.err
}

// State is how the line stands.
func (h *Hall) State() line.State {
	h.mu.Lock()
	defer h.mu.Unlock()
	return line.State{
		Config: line.Config{ID: "line1"}, Status: station.Held, Why: `item 3 was not seen leaving; look at "it"`, Run: h.run,
		Counters: line.Counters{Packages: 12, Routes: map[string]int64{"pass": 10, "reject": 2}, Faults: 1}, Underway: 4,
	}
}

// States implements links.Lines.
func (h *Hall) States() []line.State { return []line.State{h.State()} }

// Change implements links.Lines.
func (h *Hall) Change(id string, r line.Run) (line.Run, error) {
	err := h.note("change %s %s %v by %s", id, r.Product, r.Order, r.By)
	r.ID = 7
	return r, err
}

// Start implements links.Lines.
func (h *Hall) Start(id string, cleared bool) error { return h.note("start %s %v", id, cleared) }

// Stop implements links.Lines.
func (h *Hall) Stop(id string) error { return h.note("stop %s", id) }

// Trigger implements links.Lines.
func (h *Hall) Trigger(id string) error { return h.note("trigger %s", id) }

// Acknowledge implements links.Lines.
func (h *Hall) Acknowledge(id int64, who, _ string) error {
	return h.note("acknowledge %d %s", id, who)
}

// Limit implements links.Limits.
func (h *Hall) Limit(_, _, _, _ string) (float64, error) {
	h.mu.Lock()
	defer h.mu.Unlock()
	return h.least, nil
}

// SetLimit implements links.Limits.
func (h *Hall) SetLimit(_ context.Context, stationID, checkID, reading, bound string, v float64, _ string) error {
	err := h.note("limit %s %s.%s.%s %g", stationID, checkID, reading, bound, v)
	if err == nil {
		h.mu.Lock()
		defer h.mu.Unlock()
		h.least = v
	}
	return err
}

// Tags returns tags of the hall: a counter, a reading, and a limit that may be written.
func (h *Hall) Tags(t testing.TB) *links.Tags {
	tags, err := links.NewTags([]links.Tag{
		{Name: "rejected", Line: "line1", Counter: "reject", Modbus: &links.Register{At: 1000, As: "int32"}},
		{Name: "tips", Station: "line1-top", Reading: "tips.count", Modbus: &links.Register{At: 1002}},
		{Name: "tips-least", Station: "line1-top", Limit: "tips.count.least", Write: &links.Bounds{Least: 10, Most: 12}, Modbus: &links.Register{At: 1004}},
		{Name: "lot", Station: "line1-top", Text: "lot.text"},
		{Name: "last", Line: "line1", Verdict: "route", Modbus: &links.Register{At: 1010, As: "int32"}},
	}, []line.Config{{ID: "line1", Stations: []station.Config{{ID: "line1-top"}}}}, h)
	if err != nil {
		t.Fatal(err)
	}
	return tags
}

// Item is one of the hall, with a reading and a text.
func Item(seq int64, tips float64) *station.Item {
	return &station.Item{
		Station: "line1-top", Line: "line1", Seq: seq, Product: "pencil-tin-12", Route: "pass", Reason: "", Sentence: "4 checks ok", Run: 3,
		Findings: []check.FindingJSON{
			{Check: "tips", Readings: map[string]check.ReadingJSON{"count": {Value: tips}}},
			{Check: "lot", Texts: map[string]string{"text": "L 47"}},
		},
	}
}

// FreeAddress is one that nobody listens on.
func FreeAddress(t testing.TB) string {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	defer l.Close()
	return l.Addr().String()
}
