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

// bench is a station with hand-driven parts.
type bench struct {
	*Station
	t *testing.T

	mu       sync.Mutex
	take     func(count int64) (raster.Picture, error)
	save     func(*Item) error
	ejecting map[string]bool
	ejected  []string // routes whose output went on
	ejectErr error
	permit   bool
	items    []*Item
	states   []State
}

func pictureOf(tone uint8) raster.Picture {
	g := raster.NewGray(40, 40)
	for i := range g.Pix {
		g.Pix[i] = tone
	}
	return raster.Picture{Gray: g}
}

func newBench(t *testing.T) *bench { return newBenchWith(t, cfg) }

func newBenchWith(t *testing.T, c Config) *bench {
	b := &bench{t: t, ejecting: map[string]bool{}}
	b.take = func(int64) (raster.Picture, error) { return pictureOf(200), nil }
	b.save = func(*Item) error { return nil }
	c.Role = "top"
	s, err := New(c, Parts{Source: b, Outputs: b, Recorder: b, Listener: b, Clock: time.Now, PictureTimeout: 50 * time.Millisecond}, 0)
	require.NoError(t, err)
	b.Station = s
	t.Cleanup(s.Close)
	require.NoError(t, s.Use(planOf(t, lightItems)))
	require.NoError(t, s.Start(0, 100))
	return b
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

func (b *bench) Take(_ context.Context, count int64) (raster.Picture, error) {
	b.mu.Lock()
	f := b.take
	b.mu.Unlock()
	return f(count)
}

func (b *bench) Eject(route string, on bool) error {
	b.mu.Lock()
	defer b.mu.Unlock()
	b.ejecting[route] = on
	if on {
		b.ejected = append(b.ejected, route)
	}
	return b.ejectErr
}

func (b *bench) Permit(on bool) error {
	b.mu.Lock()
	defer b.mu.Unlock()
	b.permit = on
	return nil
}

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

func (b *bench) Changed(s State) {
	b.mu.Lock()
	defer b.mu.Unlock()
	b.states = append(b.states, s)
}

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

// seen drops what the ejectors did so far: the stretch not seen at the start.
func (b *bench) seen() {
	b.mu.Lock()
	defer b.mu.Unlock()
	b.ejected = nil
}

func (b *bench) ejections() string {
	b.mu.Lock()
	defer b.mu.Unlock()
	return strings.Join(b.ejected, " ")
}

func TestStationPassesTheGoodAndEjectsTheBad(t *testing.T) {
	b := newBench(t)
	b.take = func(count int64) (raster.Picture, error) {
		if count == 200 {
			return pictureOf(20), nil
		}
		return pictureOf(200), nil
	}
	b.Advance(100)
	b.Advance(200)
	b.Advance(300)
	assert.Equal(t, recipe.Pass, b.item(1).Route)
	bad := b.item(2)
	assert.Equal(t, recipe.Reject, bad.Route)
	assert.Equal(t, "light", bad.Reason)
	assert.Equal(t, "light: share 0, at least 0.5 expected", bad.Sentence)
	assert.Equal(t, NoFault, bad.Fault)
	assert.Len(t, bad.Findings, 1)
	b.item(3)
	b.Advance(415)
	b.seen()
	b.Advance(505)
	assert.Empty(t, b.ejections(), "item 1 passes")
	b.Advance(525)
	assert.Equal(t, "reject", b.ejections())
	b.Confirm(recipe.Reject)
	b.item(4)
	b.item(5)
	b.Advance(610)
	st := b.State()
	assert.Equal(t, Running, st.Status)
	assert.EqualValues(t, 0, st.Counters.Unconfirmed)
	assert.EqualValues(t, 1, st.Counters.Routes[recipe.Reject])
}

// Each fault path is forced, and each ends at the reject ejector.
func TestEveryFaultIsRejected(t *testing.T) {
	for name, tc := range map[string]struct {
		fault Fault
		say   string
		force func(b *bench)
	}{
		"the source fails": {NoPicture, "there is no picture: cable", func(b *bench) {
			b.take = func(int64) (raster.Picture, error) { return raster.Picture{}, errors.New("cable") }
		}},
		"the source gives nothing": {NoPicture, "the source gave none", func(b *bench) {
			b.take = func(int64) (raster.Picture, error) { return raster.Picture{}, nil }
		}},
		"the source hangs": {NoPicture, "did not answer within 50ms", func(b *bench) {
			b.take = func(int64) (raster.Picture, error) { time.Sleep(90 * time.Millisecond); return pictureOf(200), nil }
		}},
		"the source panics": {NoPicture, "the source broke down (driver)", func(b *bench) {
			b.take = func(int64) (raster.Picture, error) { panic("driver") }
		}},
		"a picture of another kind": {CheckFault, "it is a color picture", func(b *bench) {
			b.take = func(int64) (raster.Picture, error) { return raster.Picture{RGB: raster.NewRGB(40, 40)}, nil }
		}},
		"a picture too small for its check": {CheckFault, "outside the picture", func(b *bench) {
			b.take = func(int64) (raster.Picture, error) { return raster.Picture{Gray: raster.NewGray(9, 9)}, nil }
		}},
		"judging breaks down": {Crash, "judging broke down", func(b *bench) {
			b.take = func(int64) (raster.Picture, error) {
				return raster.Picture{Gray: &raster.Gray{W: 40, H: 40, Stride: -7}}, nil
			}
		}},
	} {
		t.Run(name, func(t *testing.T) {
			b := newBench(t)
			b.mu.Lock()
			tc.force(b)
			b.mu.Unlock()
			b.Advance(100)
			it := b.item(1)
			if tc.fault == Crash {
				// A check's panic is kept by the runner, and is a fault of the check.
				assert.Contains(t, []Fault{Crash, CheckFault}, it.Fault)
				assert.Contains(t, it.Sentence, "broke down")
			} else {
				assert.Equal(t, tc.fault, it.Fault)
				assert.Contains(t, it.Sentence, tc.say)
			}
			assert.Equal(t, recipe.Reject, it.Route)
			assert.NotEmpty(t, it.Reason)
			assert.EqualValues(t, 1, b.State().Counters.Faults)
			b.mu.Lock()
			b.take = func(int64) (raster.Picture, error) { return pictureOf(200), nil }
			b.mu.Unlock()
			b.Advance(419)
			b.seen()
			b.Advance(425)
			assert.Equal(t, "reject", b.ejections())
		})
	}
}

func TestALateVerdictIsRejectedAndSaid(t *testing.T) {
	b := newBench(t)
	gate := make(chan struct{})
	b.parts.PictureTimeout = 5 * time.Second
	b.take = func(count int64) (raster.Picture, error) {
		if count == 100 {
			<-gate
		}
		return pictureOf(200), nil
	}
	b.Advance(100)
	b.Advance(419)
	b.seen()
	b.Advance(425)
	assert.Equal(t, "reject", b.ejections(), "the ejector does not wait")
	close(gate)
	it := b.item(1)
	assert.Equal(t, Late, it.Fault)
	assert.Equal(t, recipe.Reject, it.Route)
	assert.Contains(t, it.Sentence, "it would have been pass")
}

func TestItemsThatComeTooFastAreRejected(t *testing.T) {
	c := cfg
	c.Ejectors = map[string]Ejector{recipe.Reject: {Offset: 350, Pulse: 60}}
	b := newBenchWith(t, c)
	gate := make(chan struct{})
	b.parts.PictureTimeout = 5 * time.Second
	b.take = func(int64) (raster.Picture, error) { <-gate; return pictureOf(200), nil }
	for count := int64(100); count <= 1500; count += 100 {
		b.Advance(count)
	}
	it := b.item(15)
	assert.Equal(t, TooFast, it.Fault)
	assert.Equal(t, recipe.Reject, it.Route)
	close(gate)
	for seq := int64(1); seq <= 15; seq++ {
		assert.Equal(t, recipe.Reject, b.item(seq).Route, "none of them can pass, seq %d", seq)
	}
}

func TestWhatCannotBeRecordedIsRejected(t *testing.T) {
	b := newBench(t)
	full := errors.New("no space left on device")
	b.save = func(*Item) error { return full }
	b.Advance(100)
	require.Eventually(t, func() bool { return b.State().Counters.NotRecorded == 1 }, 5*time.Second, time.Millisecond)
	assert.Contains(t, b.State().Why, "no space left on device")
	b.Advance(200)
	require.Eventually(t, func() bool { return b.State().Counters.NotRecorded == 2 }, 5*time.Second, time.Millisecond)
	b.mu.Lock()
	assert.Empty(t, b.items, "what is not kept is not told")
	b.save = func(*Item) error { return nil }
	b.mu.Unlock()
	b.Advance(300)
	it := b.item(3)
	assert.Equal(t, NotRecorded, it.Fault, "until a record got through, nothing passes")
	assert.Equal(t, recipe.Reject, it.Route)
	b.Advance(400)
	assert.Equal(t, recipe.Pass, b.item(4).Route, "then work goes on by itself")
	assert.Empty(t, b.State().Why)
	b.Advance(419)
	b.seen()
	b.Advance(425)
	b.Confirm(recipe.Reject)
	b.Advance(485)
	b.Advance(525)
	assert.Equal(t, "reject reject", b.ejections(), "both unrecorded items leave")
}

func TestAnUnconfirmedRejectHoldsTheLine(t *testing.T) {
	b := newBench(t)
	b.take = func(int64) (raster.Picture, error) { return pictureOf(0), nil }
	b.Advance(100)
	b.item(1)
	b.Advance(425)
	b.mu.Lock()
	assert.True(t, b.permit)
	b.mu.Unlock()
	b.Advance(540)
	st := b.State()
	assert.Equal(t, Held, st.Status)
	assert.Contains(t, st.Why, "item 1 was not seen leaving by the ejector for reject; take it off the belt")
	assert.EqualValues(t, 1, st.Counters.Unconfirmed)
	b.mu.Lock()
	assert.False(t, b.permit, "the belt may not move")
	b.mu.Unlock()
	require.NoError(t, b.Start(540, 100))
	assert.Equal(t, Running, b.State().Status)
}

func TestAnOutputThatFailsHoldsTheLine(t *testing.T) {
	b := newBench(t)
	b.mu.Lock()
	b.ejectErr = errors.New("no answer from the output module")
	b.mu.Unlock()
	b.Advance(1)
	assert.Equal(t, Held, b.State().Status)
	assert.Contains(t, b.State().Why, "no answer from the output module")
}

func TestStartingAndStopping(t *testing.T) {
	b := newBench(t)
	assert.ErrorContains(t, b.Use(planOf(t, strings.Replace(lightItems, "product: ", "product: other-", 1))), "stop it first", "another product is a changeover")
	b.Stop()
	b.Advance(1000)
	assert.Equal(t, Stopped, b.State().Status)
	assert.EqualValues(t, 0, b.State().LastSeq, "no pictures while stopped")
	assert.ErrorContains(t, b.Use(planOf(t, strings.Replace(lightItems, "role: top", "role: side", 1))), "the recipe is for the role side")
	require.NoError(t, b.Use(planOf(t, strings.Replace(lightItems, "least: 100", "least: 250", 1))))
	require.NoError(t, b.Start(1000, 100))
	b.Advance(1100)
	assert.Equal(t, recipe.Reject, b.item(1).Route, "judged by the new revision")
	s, err := New(Config{ID: "x", Every: 100, Ejectors: cfg.Ejectors}, b.parts, 7)
	require.NoError(t, err)
	assert.ErrorIs(t, s.Start(0, 100), ErrNoRecipe)
	s.Close()
	assert.ErrorContains(t, s.Start(0, 100), "closed")
}

// An item belongs to the revision that was current when it was triggered, even if
// it is judged after the switch; the station runs on.
func TestOneItemOneRevision(t *testing.T) {
	b := newBench(t)
	gate := make(chan struct{})
	b.parts.PictureTimeout = 5 * time.Second
	b.take = func(int64) (raster.Picture, error) { <-gate; return pictureOf(200), nil }
	before := b.State().Revision
	b.Advance(100)
	require.NoError(t, b.Use(planOf(t, strings.Replace(lightItems, "least: 100", "least: 250", 1))))
	close(gate)
	it := b.item(1)
	assert.Equal(t, before, it.Revision)
	assert.Equal(t, recipe.Pass, it.Route)
	assert.NotEqual(t, before, b.State().Revision)
	b.Advance(200)
	it = b.item(2)
	assert.Equal(t, b.State().Revision, it.Revision)
	assert.Equal(t, recipe.Reject, it.Route, "the next one by the new revision")
}

// The day of production is that of the clock, item by item, unless the order says another.
func TestTheDayOfProductionIsTheClocks(t *testing.T) {
	b := newBench(t)
	var now atomic.Value
	now.Store(time.Date(2026, 3, 1, 23, 59, 0, 0, time.UTC))
	b.parts.Clock = func() time.Time { return now.Load().(time.Time) }
	require.NoError(t, b.Use(planOf(t, lightItems+"  - {id: day, kind: logic.rule, when: 'order.date == \"2026-03-01\"'}\n")))
	b.Advance(100)
	assert.Equal(t, recipe.Pass, b.item(1).Route, "%s", b.item(1).Sentence)
	now.Store(time.Date(2026, 3, 2, 0, 1, 0, 0, time.UTC))
	b.Advance(200)
	assert.Equal(t, recipe.Reject, b.item(2).Route, "another day has begun")
	b.Order(check.Order{"date": "2026-03-01"})
	b.Advance(300)
	assert.Equal(t, recipe.Pass, b.item(3).Route, "%s", b.item(3).Sentence)
	assert.Equal(t, check.Order{"date": "2026-03-01"}, b.State().Order)
}

// What is packed belongs to an item as its revision does; without it a recipe that asks for
// it lets nothing pass. So does the scale, which a running station does not change.
func TestOrderAndScaleOfAStation(t *testing.T) {
	b := newBench(t)
	require.NoError(t, b.Use(planOf(t, lightItems+"  - {id: lot, kind: logic.rule, when: 'order.lot == \"L1\"'}\n")))
	gate := make(chan struct{})
	b.parts.PictureTimeout = 5 * time.Second
	b.take = func(int64) (raster.Picture, error) { <-gate; return pictureOf(200), nil }
	b.Advance(100)
	b.Order(check.Order{"lot": "L1"})
	b.Advance(200)
	b.Order(check.Order{"lot": "L2"})
	b.Advance(300)
	close(gate)
	assert.Equal(t, "the order says nothing of lot; give it with the order", strings.TrimPrefix(b.item(1).Sentence, "lot: "), "told to nobody")
	assert.Equal(t, recipe.Reject, b.item(1).Route)
	assert.Equal(t, recipe.Pass, b.item(2).Route, "%s", b.item(2).Sentence)
	assert.Equal(t, recipe.Reject, b.item(3).Route)
	assert.Equal(t, "lot", b.item(3).Reason)
	assert.Equal(t, check.Order{"lot": "L2"}, b.State().Order)

	k := &raster.Calibration{MMPerPx: 0.2}
	assert.ErrorContains(t, b.Calibrate(k), "stop it before")
	b.Stop()
	assert.ErrorContains(t, b.Calibrate(&raster.Calibration{MMPerPx: -1}), "its calibration is not one")
	require.NoError(t, b.Calibrate(k))
	assert.Equal(t, *k, b.State().Calibration)
	assert.Equal(t, check.Order{"lot": "L2"}, b.State().Order, "what is packed stays")
	require.NoError(t, b.Calibrate(nil))
	assert.Zero(t, b.State().Calibration)
}
