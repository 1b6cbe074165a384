package station

import (
	"context"
	"errors"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"go.uber.org/goleak"

	"ricetta/core/check"
	"ricetta/core/inspect"
	"ricetta/core/raster"
	"ricetta/core/recipe"
)

func TestMain(m *testing.M) { goleak.VerifyTestMain(m) }

const lightItems = `ricetta: 1
product: card
role: top
picture: {kind: gray}
checks:
  - {id: light, kind: presence.tone, region: {rect: [0, 0, 40, 40]}, tone: {least: 100}, limits: {share: {least: 0.5}}}
`

// bench is a station with hand-driven parts, working for a line that takes every verdict.
type bench struct {
	*Station
	t *testing.T

	mu       sync.Mutex
	seq      int64
	take     func(count int64) (raster.Picture, error)
	save     func(*Item) error
	verdicts []Verdict
	items    []*Item
	clock    func() time.Time
}

func pictureOf(tone uint8) raster.Picture {
	g := raster.NewGray(40, 40)
	for i := range g.Pix {
		g.Pix[i] = tone
	}
	return raster.Picture{Gray: g}
}

func newBench(t *testing.T) *bench {
	b := &bench{t: t, clock: time.Now}
	b.take = func(int64) (raster.Picture, error) { return pictureOf(200), nil }
	b.save = func(*Item) error { return nil }
	s, err := New(Config{ID: "s1", Role: "top"}, Parts{
		Source: b, Line: b, Recorder: b, Listener: b, Clock: func() time.Time { return b.clock() }, PictureTimeout: 5 * time.Second,
	}, 0)
	require.NoError(t, err)
	b.Station = s
	t.Cleanup(s.Close)
	require.NoError(t, s.Use(planOf(t, lightItems)))
	s.Tell(Running, "", time.Now())
	return b
}

// come takes the next item.
func (b *bench) come() bool {
	b.seq++
	return b.Station.Take(b.Ticket(), b.seq, 100*b.seq)
}

func (b *bench) Take(_ context.Context, count int64) (raster.Picture, error) {
	b.mu.Lock()
	f := b.take
	b.mu.Unlock()
	return f(count)
}

func (b *bench) Decide(v Verdict) (string, bool) {
	b.mu.Lock()
	defer b.mu.Unlock()
	b.verdicts = append(b.verdicts, v)
	return v.Route, false
}

// Drift implements Line.
func (b *bench) Drift(string, string, string) {}

func (b *bench) Record(it *Item, done func(error)) {
	b.mu.Lock()
	f := b.save
	b.mu.Unlock()
	go func() { done(f(it)) }()
}

func (b *bench) Recorded(it *Item) {
	b.mu.Lock()
	defer b.mu.Unlock()
	b.items = append(b.items, it)
}

func (b *bench) Changed(State) {}

// item waits for the record of an item.
func (b *bench) item(seq int64) *Item {
	b.t.Helper()
	var got *Item
	require.Eventually(b.t, func() bool {
		b.mu.Lock()
		defer b.mu.Unlock()
		for _, it := range b.items {
			if it.Seq == seq {
				got = it
			}
		}
		return got != nil
	}, 5*time.Second, time.Millisecond, "item %d is recorded", seq)
	return got
}

func planOf(t *testing.T, yaml string) *inspect.Plan {
	d, err := inspect.Reader.Parse([]byte(yaml))
	require.NoError(t, err)
	r, err := recipe.New(d, nil)
	require.NoError(t, err)
	p, err := inspect.Prepare(r)
	require.NoError(t, err)
	return p
}

// The day of production is that of the clock, item by item, unless the order says another.
func TestTheDayOfProductionIsTheClocks(t *testing.T) {
	b := newBench(t)
	var now atomic.Value
	now.Store(time.Date(2026, 3, 1, 23, 59, 0, 0, time.UTC))
	b.clock = func() time.Time { return now.Load().(time.Time) }
	require.NoError(t, b.Use(planOf(t, lightItems+"  - {id: day, kind: logic.rule, when: 'order.date == \"2026-03-01\"'}\n")))
	b.come()
	assert.Equal(t, recipe.Pass, b.item(1).Route, "%s", b.item(1).Sentence)
	now.Store(time.Date(2026, 3, 2, 0, 1, 0, 0, time.UTC))
	b.come()
	assert.Equal(t, recipe.Reject, b.item(2).Route, "another day has begun")
	b.Order(check.Order{"date": "2026-03-01"})
	b.come()
	assert.Equal(t, recipe.Pass, b.item(3).Route, "%s", b.item(3).Sentence)
	assert.Equal(t, check.Order{"date": "2026-03-01"}, b.State().Order)
}

// What is packed belongs to an item as its revision does; without it a recipe that asks for
// it lets nothing pass. So does the scale, which a running station does not change.
func TestOrderAndScaleOfAStation(t *testing.T) {
	b := newBench(t)
	require.NoError(t, b.Use(planOf(t, lightItems+"  - {id: lot, kind: logic.rule, when: 'order.lot == \"L1\"'}\n")))
	gate := make(chan struct{})
	b.take = func(int64) (raster.Picture, error) { <-gate; return pictureOf(200), nil }
	b.come()
	b.Order(check.Order{"lot": "L1"})
	b.come()
	b.Order(check.Order{"lot": "L2"})
	b.come()
	close(gate)
	assert.Equal(t, "the order says nothing of lot; give it with the order", strings.TrimPrefix(b.item(1).Sentence, "lot: "), "told to nobody")
	assert.Equal(t, recipe.Reject, b.item(1).Route)
	assert.Equal(t, recipe.Pass, b.item(2).Route, "%s", b.item(2).Sentence)
	assert.Equal(t, recipe.Reject, b.item(3).Route)
	assert.Equal(t, "lot", b.item(3).Reason)
	assert.Equal(t, check.Order{"lot": "L2"}, b.State().Order)

	k := &raster.Calibration{MMPerPx: 0.2}
	assert.ErrorContains(t, b.Calibrate(k), "stop it before")
	b.Tell(Stopped, "", time.Now())
	assert.ErrorContains(t, b.Calibrate(&raster.Calibration{MMPerPx: -1}), "its calibration is not one")
	require.NoError(t, b.Calibrate(k))
	assert.Equal(t, *k, b.State().Calibration)
	assert.Equal(t, check.Order{"lot": "L2"}, b.State().Order, "what is packed stays")
	require.NoError(t, b.Calibrate(nil))
	assert.Zero(t, b.State().Calibration)
}

// What the queue has no room for is a fault, told to the line at once and recorded.
func TestWhatComesTooFastIsTold(t *testing.T) {
	b := newBench(t)
	gate := make(chan struct{})
	b.take = func(int64) (raster.Picture, error) { <-gate; return pictureOf(200), nil }
	for b.come() {
		require.Less(t, b.seq, int64(20))
	}
	it := b.item(b.seq)
	assert.Equal(t, TooFast, it.Fault)
	assert.Equal(t, recipe.Reject, it.Route)
	close(gate)
	assert.Equal(t, recipe.Pass, b.item(1).Route)
	b.Close()
	assert.False(t, b.come(), "a closed station takes nothing")
}

// An item that is not recorded is taken back from the line, which may have let it pass; the next
// ones are rejected until a record gets through.
func TestAnItemThatIsNotRecordedIsRejected(t *testing.T) {
	b := newBench(t)
	b.save = func(*Item) error { return errors.New("no space left on device") }
	b.come()
	require.Eventually(t, func() bool { return b.State().Counters.NotRecorded == 1 }, 5*time.Second, time.Millisecond)
	b.mu.Lock()
	require.Len(t, b.verdicts, 2)
	assert.Equal(t, recipe.Pass, b.verdicts[0].Route)
	assert.Equal(t, recipe.Reject, b.verdicts[1].Route)
	assert.Contains(t, b.verdicts[1].Sentence, "no space left on device")
	b.save = func(*Item) error { return nil }
	b.mu.Unlock()
	b.come()
	assert.Equal(t, NotRecorded, b.item(2).Fault)
	b.come()
	assert.Equal(t, NoFault, b.item(3).Fault)
}
