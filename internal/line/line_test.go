package line

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"go.uber.org/goleak"

	"ricetta/core/check"
	"ricetta/core/inspect"
	"ricetta/core/raster"
	"ricetta/core/recipe"
	"ricetta/internal/station"
)

func TestMain(m *testing.M) { goleak.VerifyTestMain(m) }

const lightItems = `ricetta: 1
product: card
role: top
picture: {kind: gray}
checks:
  - {id: light, kind: presence.tone, region: {rect: [0, 0, 40, 40]}, tone: {least: 100}, limits: {share: {least: 0.5}}}
`

// bench is a line with hand-driven parts.
type bench struct {
	*Line
	t *testing.T

	mu       sync.Mutex
	take     func(station string, count int64) (raster.Picture, error)
	save     func(*station.Item) error
	levels   map[string]bool // what outputs mean
	low      map[string]bool // those that are active low
	ejected  []string        // routes whose output went on
	ejectErr error
	items    []*station.Item
	packages []*Package
	states   []State
	plans    map[string]*inspect.Plan // by product and role
	runs     []Run
	runErr   error
}

// eye is the source of one station of a bench.
type camera struct {
	b  *bench
	id string
}

func (c camera) Take(_ context.Context, count int64) (raster.Picture, error) {
	c.b.mu.Lock()
	f := c.b.take
	c.b.mu.Unlock()
	return f(c.id, count)
}

func pictureOf(tone uint8) raster.Picture {
	g := raster.NewGray(40, 40)
	for i := range g.Pix {
		g.Pix[i] = tone
	}
	return raster.Picture{Gray: g}
}

func newBench(t *testing.T) *bench { return newBenchWith(t, cfg, 50*time.Millisecond) }

func newBenchWith(t *testing.T, c Config, timeout time.Duration, with ...func(*Parts)) *bench {
	b := &bench{t: t, levels: map[string]bool{}, low: map[string]bool{}, plans: map[string]*inspect.Plan{}}
	b.take = func(string, int64) (raster.Picture, error) { return pictureOf(200), nil }
	b.save = func(*station.Item) error { return nil }
	c.Stations = slices.Clone(c.Stations)
	for i := range c.Stations {
		if c.Stations[i].Role == "" {
			c.Stations[i].Role = "top"
		}
		c.Stations[i].Line = c.ID
	}
	parts := Parts{Driver: b, Recorder: b, Runs: b, Recipes: b, Listener: b, Clock: time.Now}
	for _, f := range with {
		f(&parts)
	}
	l, err := New(c, parts, 0)
	require.NoError(t, err)
	b.Line = l
	for _, sc := range c.Stations {
		s, err := station.New(sc, station.Parts{Source: camera{b, sc.ID}, Line: l, Recorder: b, Listener: b, Clock: time.Now, PictureTimeout: timeout}, 0)
		require.NoError(t, err)
		l.Add(s)
		b.plans["card/"+sc.Role] = planOf(t, strings.Replace(lightItems, "role: top", "role: "+sc.Role, 1))
	}
	t.Cleanup(l.Close)
	_, err = l.Change(Run{Product: "card"})
	require.NoError(t, err)
	if c.Challenges != nil {
		return b // whether it may start is what is tested
	}
	if c.AfterStop == Hold {
		assert.ErrorIs(t, l.Start(0, 100, false), ErrNotCleared, "nobody has seen what lies there")
	}
	require.NoError(t, l.Start(0, 100, c.AfterStop == Hold))
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

func (b *bench) Write(output string, high bool) error {
	b.mu.Lock()
	defer b.mu.Unlock()
	on := high != b.low[output]
	if on && !b.levels[output] && b.ejects(output) {
		b.ejected = append(b.ejected, output)
	}
	b.levels[output] = on
	if b.ejects(output) {
		return b.ejectErr
	}
	return nil
}

func (b *bench) ejects(output string) bool { return output == recipe.Reject || output == recipe.Rework }

// level is what an output means now.
func (b *bench) level(output string) bool {
	b.mu.Lock()
	defer b.mu.Unlock()
	return b.levels[output]
}

// pulse lets an input go on and off.
func (b *bench) pulse(input string) {
	b.Input(input, true, 0)
	b.Input(input, false, 0)
}

func (b *bench) Record(it *station.Item, done func(error)) {
	b.mu.Lock()
	f := b.save
	b.mu.Unlock()
	go func() { done(f(it)) }()
}

func (b *bench) RecordPackage(_ *Package, done func(error)) { go done(nil) }

func (b *bench) BeginRun(r Run) (int64, error) {
	b.mu.Lock()
	defer b.mu.Unlock()
	if b.runErr != nil {
		return 0, b.runErr
	}
	b.runs = append(b.runs, r)
	return int64(len(b.runs)), nil
}

func (b *bench) Plan(product, role string) (*inspect.Plan, error) {
	if p := b.plans[product+"/"+role]; p != nil {
		return p, nil
	}
	return nil, errors.New("nothing is released for it")
}

func (b *bench) Recorded(it *station.Item) {
	b.mu.Lock()
	defer b.mu.Unlock()
	b.items = append(b.items, it)
}

func (b *bench) Changed(station.State) {}

func (b *bench) PackageRecorded(p *Package) {
	b.mu.Lock()
	defer b.mu.Unlock()
	b.packages = append(b.packages, p)
}

func (b *bench) LineChanged(s State) {
	b.mu.Lock()
	defer b.mu.Unlock()
	b.states = append(b.states, s)
}

// wait returns the first of a list that fits, as soon as it is there.
func wait[T any](b *bench, what string, list *[]T, fits func(T) bool) (got T) {
	b.t.Helper()
	require.Eventually(b.t, func() bool {
		b.mu.Lock()
		defer b.mu.Unlock()
		i := slices.IndexFunc(*list, fits)
		if i >= 0 {
			got = (*list)[i]
		}
		return i >= 0
	}, 5*time.Second, time.Millisecond, what)
	return got
}

// item waits for the record of an item of the first station.
func (b *bench) item(seq int64) *station.Item {
	b.t.Helper()
	return b.itemOf(b.cfg.Stations[0].ID, seq)
}

func (b *bench) itemOf(id string, seq int64) *station.Item {
	b.t.Helper()
	return wait(b, fmt.Sprintf("item %d of %s is recorded", seq, id), &b.items, func(it *station.Item) bool { return it.Seq == seq && it.Station == id })
}

// parcel waits for the record of a package.
func (b *bench) parcel(seq int64) *Package {
	b.t.Helper()
	return wait(b, fmt.Sprintf("package %d is recorded", seq), &b.packages, func(p *Package) bool { return p.Seq == seq })
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
	b.take = func(_ string, count int64) (raster.Picture, error) {
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
	assert.Equal(t, station.NoFault, bad.Fault)
	assert.Len(t, bad.Findings, 1)
	b.item(3)
	b.Advance(415)
	b.seen()
	b.Advance(505)
	assert.Empty(t, b.ejections(), "item 1 passes")
	b.Advance(525)
	assert.Equal(t, "reject", b.ejections())
	b.pulse("confirm_reject")
	b.item(4)
	b.item(5)
	b.Advance(610)
	st := b.State()
	assert.Equal(t, station.Running, st.Status)
	assert.EqualValues(t, 0, st.Counters.Unconfirmed)
	assert.Equal(t, recipe.Pass, b.parcel(1).Route)
	p := b.parcel(2)
	assert.Equal(t, recipe.Reject, p.Route)
	assert.Equal(t, "light", p.Reason)
	assert.Equal(t, bad.Sentence, p.Sentence)
	assert.EqualValues(t, 1, b.State().Counters.Routes[recipe.Reject])
}

// Each fault path is forced, and each ends at the reject ejector.
func TestEveryFaultIsRejected(t *testing.T) {
	for name, tc := range map[string]struct {
		fault station.Fault
		say   string
		force func(b *bench)
	}{
		"the source fails": {station.NoPicture, "there is no picture: cable", func(b *bench) {
			b.take = func(string, int64) (raster.Picture, error) { return raster.Picture{}, errors.New("cable") }
		}},
		"the source gives nothing": {station.NoPicture, "the source gave none", func(b *bench) {
			b.take = func(string, int64) (raster.Picture, error) { return raster.Picture{}, nil }
		}},
		"the source hangs": {station.NoPicture, "did not answer within 50ms", func(b *bench) {
			b.take = func(string, int64) (raster.Picture, error) {
				time.Sleep(90 * time.Millisecond)
				return pictureOf(200), nil
			}
		}},
		"the source panics": {station.NoPicture, "the source broke down (driver)", func(b *bench) {
			b.take = func(string, int64) (raster.Picture, error) { panic("driver") }
		}},
		"a picture of another kind": {station.CheckFault, "it is a color picture", func(b *bench) {
			b.take = func(string, int64) (raster.Picture, error) { return raster.Picture{RGB: raster.NewRGB(40, 40)}, nil }
		}},
		"a picture too small for its check": {station.CheckFault, "outside the picture", func(b *bench) {
			b.take = func(string, int64) (raster.Picture, error) { return raster.Picture{Gray: raster.NewGray(9, 9)}, nil }
		}},
		"judging breaks down": {station.Crash, "judging broke down", func(b *bench) {
			b.take = func(string, int64) (raster.Picture, error) {
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
			if tc.fault == station.Crash {
				// A check's panic is kept by the runner, and is a fault of the check.
				assert.Contains(t, []station.Fault{station.Crash, station.CheckFault}, it.Fault)
				assert.Contains(t, it.Sentence, "broke down")
			} else {
				assert.Equal(t, tc.fault, it.Fault)
				assert.Contains(t, it.Sentence, tc.say)
			}
			assert.Equal(t, recipe.Reject, it.Route)
			assert.NotEmpty(t, it.Reason)
			assert.EqualValues(t, 1, b.stations[0].State().Counters.Faults)
			b.mu.Lock()
			b.take = func(string, int64) (raster.Picture, error) { return pictureOf(200), nil }
			b.mu.Unlock()
			b.Advance(419)
			b.seen()
			b.Advance(425)
			assert.Equal(t, "reject", b.ejections())
		})
	}
}

func TestALateVerdictIsRejectedAndSaid(t *testing.T) {
	b := newBenchWith(t, cfg, 5*time.Second)
	gate := make(chan struct{})
	b.take = func(_ string, count int64) (raster.Picture, error) {
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
	assert.Equal(t, station.Late, it.Fault)
	assert.Equal(t, recipe.Reject, it.Route)
	assert.Contains(t, it.Sentence, "it would have been pass")
}

func TestItemsThatComeTooFastAreRejected(t *testing.T) {
	c := cfg
	c.Ejectors = map[string]Ejector{recipe.Reject: {Offset: 350, Pulse: 60}}
	b := newBenchWith(t, c, 5*time.Second)
	gate := make(chan struct{})
	b.take = func(string, int64) (raster.Picture, error) { <-gate; return pictureOf(200), nil }
	for count := int64(100); count <= 1500; count += 100 {
		b.Advance(count)
	}
	it := b.item(15)
	assert.Equal(t, station.TooFast, it.Fault)
	assert.Equal(t, recipe.Reject, it.Route)
	close(gate)
	for seq := int64(1); seq <= 15; seq++ {
		assert.Equal(t, recipe.Reject, b.item(seq).Route, "none of them can pass, seq %d", seq)
	}
}

func TestWhatCannotBeRecordedIsRejected(t *testing.T) {
	b := newBench(t)
	full := errors.New("no space left on device")
	b.save = func(*station.Item) error { return full }
	b.Advance(100)
	require.Eventually(t, func() bool { return b.stations[0].State().Counters.NotRecorded == 1 }, 5*time.Second, time.Millisecond)
	assert.Contains(t, b.stations[0].State().Trouble, "no space left on device")
	b.Advance(200)
	require.Eventually(t, func() bool { return b.stations[0].State().Counters.NotRecorded == 2 }, 5*time.Second, time.Millisecond)
	b.mu.Lock()
	assert.Empty(t, b.items, "what is not kept is not told")
	b.save = func(*station.Item) error { return nil }
	b.mu.Unlock()
	b.Advance(300)
	it := b.item(3)
	assert.Equal(t, station.NotRecorded, it.Fault, "until a record got through, nothing passes")
	assert.Equal(t, recipe.Reject, it.Route)
	b.Advance(400)
	assert.Equal(t, recipe.Pass, b.item(4).Route, "then work goes on by itself")
	assert.Empty(t, b.stations[0].State().Trouble)
	b.Advance(419)
	b.seen()
	b.Advance(425)
	b.pulse("confirm_reject")
	b.Advance(485)
	b.Advance(525)
	assert.Equal(t, "reject reject", b.ejections(), "both unrecorded items leave")
}

func TestAnUnconfirmedRejectHoldsTheLine(t *testing.T) {
	b := newBench(t)
	b.take = func(string, int64) (raster.Picture, error) { return pictureOf(0), nil }
	b.Advance(100)
	b.item(1)
	b.Advance(425)
	assert.True(t, b.level(Permit))
	b.Advance(540)
	st := b.State()
	assert.Equal(t, station.Held, st.Status)
	assert.Contains(t, st.Why, "item 1 was not seen leaving by the ejector for reject; take it off the belt")
	assert.EqualValues(t, 1, st.Counters.Unconfirmed)
	assert.False(t, b.level(Permit), "the belt may not move")
	assert.True(t, b.level(Alarm))
	require.NoError(t, b.Start(540, 100, false))
	assert.Equal(t, station.Running, b.State().Status)
}

func TestAnOutputThatFailsHoldsTheLine(t *testing.T) {
	b := newBench(t)
	b.mu.Lock()
	b.ejectErr = errors.New("no answer from the output module")
	b.mu.Unlock()
	b.Advance(1)
	assert.Equal(t, station.Held, b.State().Status)
	assert.Contains(t, b.State().Why, "no answer from the output module")
}

func TestStartingAndStopping(t *testing.T) {
	b := newBench(t)
	st := b.stations[0]
	assert.ErrorContains(t, st.Use(planOf(t, strings.Replace(lightItems, "product: ", "product: other-", 1))), "change the line over, or stop it first")
	b.Stop()
	b.Advance(1000)
	assert.Equal(t, station.Stopped, b.State().Status)
	assert.Equal(t, station.Stopped, st.State().Status, "a station does what its line does")
	assert.EqualValues(t, 0, b.State().LastSeq, "no pictures while stopped")
	assert.ErrorContains(t, st.Use(planOf(t, strings.Replace(lightItems, "role: top", "role: side", 1))), "the recipe is for the role side")
	require.NoError(t, st.Use(planOf(t, strings.Replace(lightItems, "least: 100", "least: 250", 1))))
	require.NoError(t, b.Start(1000, 100, false))
	b.Advance(1100)
	assert.Equal(t, recipe.Reject, b.item(1).Route, "judged by the new revision")
	b.Close()
	assert.ErrorContains(t, b.Start(0, 100, false), "closed")

	l, err := New(cfg, Parts{Driver: b, Recorder: b, Runs: b, Recipes: b, Listener: b, Clock: time.Now}, 7)
	require.NoError(t, err)
	s, err := station.New(station.Config{ID: "s1", Role: "none"}, station.Parts{Source: camera{b, "s1"}, Line: l, Recorder: b, Listener: b, Clock: time.Now}, 0)
	require.NoError(t, err)
	l.Add(s)
	assert.ErrorIs(t, l.Start(0, 100, false), station.ErrNoRecipe)
	l.Close()
}

// An item belongs to the revision that was current when it was triggered, even if
// it is judged after the switch; the station runs on.
func TestOneItemOneRevision(t *testing.T) {
	b := newBenchWith(t, cfg, 5*time.Second)
	gate := make(chan struct{})
	b.take = func(string, int64) (raster.Picture, error) { <-gate; return pictureOf(200), nil }
	before := b.stations[0].State().Revision
	b.Advance(100)
	require.NoError(t, b.stations[0].Use(planOf(t, strings.Replace(lightItems, "least: 100", "least: 250", 1))))
	close(gate)
	it := b.item(1)
	assert.Equal(t, before, it.Revision)
	assert.Equal(t, recipe.Pass, it.Route)
	assert.NotEqual(t, before, b.stations[0].State().Revision)
	b.Advance(200)
	it = b.item(2)
	assert.Equal(t, b.stations[0].State().Revision, it.Revision)
	assert.Equal(t, recipe.Reject, it.Route, "the next one by the new revision")
}

var twoStations = Config{
	ID: "l2", Trigger: Trigger{By: Encoder, Every: 100},
	Stations: []station.Config{{ID: "top", Role: "top"}, {ID: "side", Role: "side", Offset: 150}},
	Ejectors: map[string]Ejector{recipe.Reject: {Offset: 600, Pulse: 60}, recipe.Rework: {Offset: 800, Pulse: 60}},
}

// The items of one package are joined: the worst verdict counts, the package is counted once,
// and what a station did not see is a fault.
func TestThePackageGoesWhereItsWorstItemSays(t *testing.T) {
	b := newBenchWith(t, twoStations, 5*time.Second)
	gate := make(chan struct{})
	b.mu.Lock()
	b.take = func(id string, count int64) (raster.Picture, error) {
		switch {
		case id == "side" && count == 250: // package 1
			return pictureOf(0), nil
		case id == "top" && count == 200: // package 2
			return pictureOf(0), nil
		case id == "side" && count == 550: // package 4
			<-gate
		}
		return pictureOf(200), nil
	}
	b.mu.Unlock()
	for count := int64(50); count <= 1000; count += 25 {
		b.Advance(count)
		if count == 450 {
			b.itemOf("side", 3)
		}
		if count == 600 {
			b.itemOf("top", 4)
		}
	}
	close(gate)
	one, two, three, four := b.parcel(1), b.parcel(2), b.parcel(3), b.parcel(4)
	assert.Equal(t, recipe.Pass, b.itemOf("top", 1).Route)
	assert.Equal(t, recipe.Reject, one.Route)
	assert.Equal(t, "side", one.Station)
	assert.Equal(t, "light", one.Reason)
	assert.Equal(t, "top", two.Station)
	assert.Equal(t, recipe.Pass, b.itemOf("side", 2).Route, "each station keeps its own figures")
	assert.Equal(t, recipe.Pass, three.Route)
	assert.Equal(t, recipe.Reject, four.Route, "a station that gave no item makes it a fault")
	assert.Equal(t, station.Late, four.Fault)
	assert.Equal(t, "side", four.Station)
	assert.Contains(t, four.Sentence, "side had no verdict when it came to the ejector")
	assert.Equal(t, station.Late, b.itemOf("side", 4).Fault)
	st := b.State().Counters
	assert.EqualValues(t, 1, st.Routes[recipe.Pass])
	assert.EqualValues(t, 3, st.Routes[recipe.Reject])
	assert.EqualValues(t, 1, st.Faults)
}

// A package that went by a camera while the line stood is rejected for that.
func TestWhatACameraDidNotSeeIsRejected(t *testing.T) {
	b := newBenchWith(t, twoStations, time.Second)
	b.Advance(110)
	b.itemOf("top", 1)
	b.Stop()
	b.Advance(300)
	require.NoError(t, b.Start(300, 100, false))
	b.Advance(680)
	p := b.parcel(1)
	assert.Equal(t, NotSeen, p.Fault)
	assert.Equal(t, "side", p.Station)
	assert.Contains(t, p.Sentence, "it went by side while the line stood")
}

// All stations switch together, between two packages: one that is on its way is judged by the
// recipe and counted for the run that it came by, also where it comes to a camera later.
func TestAChangeoverSwitchesBetweenPackages(t *testing.T) {
	b := newBenchWith(t, twoStations, time.Second)
	for _, role := range []string{"top", "side"} {
		b.plans["dark/"+role] = planOf(t, strings.NewReplacer("product: card", "product: dark", "role: top", "role: "+role, "least: 100", "most: 100").Replace(lightItems))
	}
	b.Advance(110)
	_, err := b.Change(Run{Product: "dark", Order: check.Order{"lot": "L2"}, Who: "Ada", By: "terminal"})
	require.NoError(t, err)
	for count := int64(125); count <= 800; count += 25 {
		b.Advance(count)
		if count == 275 {
			assert.Equal(t, "card", b.itemOf("side", 1).Product, "it came before the changeover")
			assert.Equal(t, "dark", b.itemOf("top", 2).Product)
		}
		if count == 425 {
			b.itemOf("side", 2)
		}
	}
	one, two := b.parcel(1), b.parcel(2)
	assert.Equal(t, recipe.Pass, one.Route)
	assert.Equal(t, "card", one.Product)
	assert.EqualValues(t, 1, one.Run)
	assert.Equal(t, recipe.Reject, two.Route)
	assert.EqualValues(t, 2, two.Run)
	st := b.State()
	assert.Equal(t, "dark", st.Run.Product)
	assert.EqualValues(t, 0, st.Counters.Routes[recipe.Pass], "counters start per run")
	assert.Equal(t, check.Order{"lot": "L2"}, b.stations[1].State().Order)

	// What is refused changes nothing.
	var refused *ErrRefused
	_, err = b.Change(Run{Product: "wrong"})
	require.ErrorAs(t, err, &refused)
	assert.ErrorContains(t, err, "station top cannot judge wrong: nothing is released for it")
	_, err = b.Change(Run{})
	require.ErrorAs(t, err, &refused)
	delete(b.plans, "card/side")
	_, err = b.Change(Run{Product: "card"})
	require.ErrorAs(t, err, &refused, "one station is not ready, so none switches")
	b.plans["card/side"] = b.plans["dark/side"]
	b.mu.Lock()
	b.runErr = errors.New("no space left on device")
	b.mu.Unlock()
	_, err = b.Change(Run{Product: "dark"})
	assert.ErrorContains(t, err, "the line goes on with dark: no space left on device")
	assert.Equal(t, "dark", b.State().Run.Product)
	assert.EqualValues(t, 2, b.State().Run.ID)
	assert.Equal(t, "dark", b.stations[0].State().Product)
}

// After a stop in which the belt moved, and after a power loss, a line that holds waits until
// somebody says that the belt is cleared; then nothing is rejected unseen.
func TestALineHoldsUntilItIsCleared(t *testing.T) {
	c := cfg
	c.AfterStop = Hold
	b := newBenchWith(t, c, time.Second)
	b.Advance(100)
	b.item(1)
	b.Stop()
	require.NoError(t, b.Start(110, 90, false), "the belt did not move on")
	b.Advance(200)
	b.item(2)
	b.Stop()
	b.Advance(320)
	assert.ErrorIs(t, b.Start(320, 80, false), ErrNotCleared)
	assert.Equal(t, station.Stopped, b.State().Status)
	b.seen()
	require.NoError(t, b.Start(320, 80, true))
	b.Advance(700)
	assert.Empty(t, b.ejections())
}

// A photo-eye makes packages of what it sees: each lies where the eye went dark.
func TestAPhotoEyeTriggers(t *testing.T) {
	c := Config{
		ID: "l3", Trigger: Trigger{By: Eye, Input: "eye", Debounce: 5, Least: 80}, Stations: []station.Config{{ID: "s1", Offset: 20}},
		Ejectors: map[string]Ejector{recipe.Reject: {Offset: 350, Pulse: 60}},
	}
	b := newBenchWith(t, c, time.Second)
	b.Advance(10)
	b.Input("eye", true, 12)
	b.Input("eye", false, 14) // dust
	b.Advance(90)
	b.Input("eye", true, 100)
	b.Advance(103)
	assert.EqualValues(t, 0, b.State().LastSeq, "not dark for long enough")
	b.Advance(130)
	b.Input("eye", false, 140)
	b.Input("eye", true, 150) // its handle
	b.Advance(170)
	b.Input("eye", false, 175)
	b.Input("eye", true, 260)
	b.Input("eye", false, 290) // seen between two steps of the belt
	b.Advance(300)
	it := b.item(1)
	assert.EqualValues(t, 120, it.Count, "it lies under the camera 20 counts after the eye went dark at 100")
	assert.EqualValues(t, 280, b.item(2).Count)
	assert.EqualValues(t, 2, b.State().LastSeq)
	assert.EqualValues(t, 1, b.eye.flickers)
	assert.EqualValues(t, 1, b.eye.parts)
	assert.ErrorContains(t, b.Trigger(), "only one triggered by software takes packages on demand")
}

// By time and on demand.
func TestTriggersByTimeAndOnDemand(t *testing.T) {
	c := cfg
	c.Trigger = Trigger{By: Software}
	b := newBenchWith(t, c, time.Second)
	b.Advance(50)
	require.NoError(t, b.Trigger())
	assert.EqualValues(t, 50, b.item(1).Count)
	b.Stop()
	assert.ErrorContains(t, b.Trigger(), "does not run; start it first")

	c.Trigger = Trigger{By: Interval, Every: 20}
	b = newBenchWith(t, c, time.Second)
	require.Eventually(t, func() bool { b.Advance(b.State().LastSeq + 1); return b.State().LastSeq >= 3 }, 5*time.Second, time.Millisecond)
	b.item(3)
}
