package plant

import (
	"context"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ricetta/core/inspect"
	"ricetta/core/recipe"
	"ricetta/internal/line"
	"ricetta/internal/station"
)

// keeper records nothing and says so at once.
type keeper struct {
	items chan *station.Item
	plan  *inspect.Plan
}

func (k keeper) Record(_ *station.Item, done func(error))        { go done(nil) }
func (k keeper) RecordPackage(_ *line.Package, done func(error)) { go done(nil) }
func (k keeper) Recorded(it *station.Item)                       { k.items <- it }
func (k keeper) Changed(station.State)                           {}
func (k keeper) PackageRecorded(*line.Package)                   {}
func (k keeper) LineChanged(line.State)                          {}
func (k keeper) BeginRun(line.Run) (int64, error)                { return 1, nil }
func (k keeper) Plan(string, string) (*inspect.Plan, error)      { return k.plan, nil }

// darkTins rejects what is dark all over where pencils should be: enough to tell a
// tin from an empty place.
const darkTins = `ricetta: 1
product: pencil-tin-12
role: top
picture: {kind: color}
checks:
  - {id: tin, kind: presence.tone, region: {rect: [420, 400, 500, 200]}, tone: {most: 110}, limits: {share: {most: 0.9}}}
`

func lineWith(t *testing.T, rates Rates) (*Line, keeper) {
	return lineBy(t, rates, func(*line.Config) {})
}

func lineBy(t *testing.T, rates Rates, change func(*line.Config)) (*Line, keeper) {
	d := DemoLine{LineConfig: LineConfig{Seed: 3, Speed: 300, Rates: rates}, ID: "l", Stations: []station.Config{{ID: "s", Role: Role}}}
	belt := NewLine(d.LineConfig)
	doc, err := inspect.Reader.Parse([]byte(darkTins))
	require.NoError(t, err)
	r, err := recipe.New(doc, nil)
	require.NoError(t, err)
	p, err := inspect.Prepare(r)
	require.NoError(t, err)
	k := keeper{make(chan *station.Item, 100), p}
	c := d.Config()
	change(&c)
	l, err := line.New(c, line.Parts{Driver: belt, Recorder: k, Runs: k, Recipes: k, Listener: k, Clock: time.Now}, 0)
	require.NoError(t, err)
	s, err := station.New(d.Stations[0], station.Parts{Source: belt.Camera("s", 0), Line: l, Recorder: k, Listener: k, Clock: time.Now, PictureTimeout: time.Minute}, 0)
	require.NoError(t, err)
	l.Add(s)
	t.Cleanup(l.Close)
	belt.Attach(l)
	_, err = l.Change(line.Run{Product: Tins})
	require.NoError(t, err)
	count, next := belt.Count()
	require.NoError(t, l.Start(count, next, false))
	return belt, k
}

// run moves the belt by n tins, waiting for each verdict.
func (l *Line) run(t *testing.T, k keeper, n int) {
	for range n {
		for range Pitch / 300 {
			l.Step(300)
		}
		select {
		case <-k.items:
		case <-time.After(time.Minute):
			t.Fatal("no verdict")
		}
	}
}

func TestTheBeltTakesOffWhatIsRejected(t *testing.T) {
	l, k := lineWith(t, Rates{NoTin: 0.3})
	l.run(t, k, 25)
	s := l.Score()
	assert.Zero(t, s.LetThrough())
	assert.Zero(t, s.FalseRejects(), "%v", s.Left)
	assert.Positive(t, s.Left[NoTin][recipe.Reject])
	assert.Positive(t, s.Left[Good][recipe.Pass])
	assert.Equal(t, station.Running, l.line.State().Status, "every reject was confirmed")
}

func TestADeadSensorHoldsTheBelt(t *testing.T) {
	l, k := lineWith(t, Rates{NoTin: 1})
	l.Break(false, true)
	l.run(t, k, 4)
	for range 20 {
		l.Step(300)
	}
	assert.Equal(t, station.Held, l.line.State().Status)
	assert.False(t, l.Moves())
}

func TestADeadCameraLetsNothingThrough(t *testing.T) {
	l, k := lineWith(t, Rates{Missing: 0.5})
	l.Break(true, false)
	l.run(t, k, 15)
	s := l.Score()
	assert.Positive(t, s.Tins())
	for d, routes := range s.Left {
		assert.Zero(t, routes[recipe.Pass], "%s", d)
	}
}

func TestRunMovesTheBeltWithItsPermitOnly(t *testing.T) {
	l, k := lineWith(t, nil)
	ctx, cancel := context.WithCancel(t.Context())
	done := make(chan struct{})
	go func() { l.Run(ctx); close(done) }()
	select {
	case <-k.items:
	case <-time.After(20 * time.Second):
		t.Fatal("the belt does not move")
	}
	l.line.Stop()
	at, _ := l.Count()
	time.Sleep(30 * time.Millisecond)
	later, _ := l.Count()
	assert.InDelta(t, at, later, 60)
	cancel()
	<-done
}

// By its photo-eye the line knows of what is there only, and active low wires mean the same.
func TestThePhotoEyeOfTheBelt(t *testing.T) {
	l, k := lineBy(t, Rates{NoTin: 0.3}, func(c *line.Config) {
		c.Trigger = line.Trigger{By: line.Eye, Input: "eye", Debounce: 30, Least: 2 * Pitch / 3}
		low := line.Wire{Active: line.Low}
		c.Signals = line.Signals{
			Inputs:  map[string]line.Wire{"eye": low, "confirm_reject": low},
			Outputs: map[string]line.Wire{recipe.Reject: low, line.Permit: low},
		}
	})
	assert.True(t, l.Moves())
	there := 0
	l.Step(300) // a package is known when the eye has been dark for a while
	for i := int64(1); i <= 20; i++ {
		for range Pitch / 300 {
			l.Step(300)
		}
		if !l.Piece(i).absent() {
			there++
			select {
			case it := <-k.items:
				assert.Equal(t, recipe.Pass, it.Route, "%s", it.Sentence)
				assert.Equal(t, i*Pitch, it.Count)
			case <-time.After(time.Minute):
				t.Fatal("no verdict")
			}
		}
	}
	require.Less(t, there, 20)
	assert.EqualValues(t, there, l.line.State().LastSeq)
	assert.Zero(t, l.Score().FalseRejects())
	assert.Equal(t, station.Running, l.line.State().Status)
}

func TestATestPieceGoesWhereItBelongs(t *testing.T) {
	l, k := lineWith(t, nil)
	l.run(t, k, 1)
	l.Place(string(NoTin))
	l.run(t, k, 1)
	l.Place("no name of a defect")
	l.run(t, k, 8)
	s := l.Score()
	assert.EqualValues(t, 1, s.Left[NoTin][recipe.Reject])
	assert.EqualValues(t, s.Tins()-1, s.Left[Good][recipe.Pass])
	assert.Empty(t, l.placed)
}
