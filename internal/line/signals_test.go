package line

import (
	"errors"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ricetta/core/raster"
	"ricetta/core/recipe"
	"ricetta/internal/station"
)

// signal is one of a line as it is now.
func (b *bench) signal(name string) SignalState {
	b.t.Helper()
	for _, s := range b.Signals().Signals {
		if s.Name == name {
			return s
		}
	}
	b.t.Fatalf("there is no signal %s", name)
	return SignalState{}
}

// What the other side reads: busy while a picture is judged, ready when the result is there, a
// heartbeat that goes on while the belt stands, and each at the level it is wired for.
func TestTheOtherSideReadsTheSignals(t *testing.T) {
	c := cfg
	c.Signals = Signals{Outputs: map[string]Wire{recipe.Reject: {Active: Low}, Ready: {Active: Low}}, ReadyMS: 30, HeartbeatMS: 5}
	b := newBenchWith(t, c, 5*time.Second)
	b.mu.Lock()
	b.low = map[string]bool{recipe.Reject: true, Ready: true}
	gate := make(chan struct{})
	b.take = func(string, int64) (raster.Picture, error) { <-gate; return pictureOf(200), nil }
	b.mu.Unlock()
	assert.True(t, b.signal(recipe.Reject).High, "an ejector that is active low rests at high")
	assert.False(t, b.signal(recipe.Reject).On)
	assert.True(t, b.signal(Permit).On)

	b.Advance(100)
	assert.True(t, b.level(Busy))
	close(gate)
	b.item(1)
	require.Eventually(t, func() bool { return !b.level(Busy) }, 5*time.Second, time.Millisecond)
	assert.False(t, b.signal(Ready).On)
	b.Advance(430)
	assert.Equal(t, recipe.Pass, b.parcel(1).Route)
	assert.True(t, b.signal(Ready).On, "the result is there")
	assert.False(t, b.signal(Ready).High)
	require.Eventually(t, func() bool { b.Advance(430); return !b.signal(Ready).On }, 5*time.Second, time.Millisecond, "the pulse ends by the clock, on a belt that stands")
	beats := b.signal(Heartbeat).Trips
	require.Eventually(t, func() bool { b.Advance(430); return b.signal(Heartbeat).Trips >= beats+3 }, 5*time.Second, time.Millisecond)
}

func TestInputsStopAndHoldTheLine(t *testing.T) {
	b := newBench(t)
	b.pulse(StopInput)
	assert.Equal(t, station.Stopped, b.State().Status)
	require.NoError(t, b.Start(0, 100, false))
	b.Input(FaultInput, true, 0)
	assert.Equal(t, station.Held, b.State().Status)
	assert.Contains(t, b.State().Why, "another machine tells a fault")
	assert.ErrorContains(t, b.Start(0, 100, false), "mend that first")
	b.Input(FaultInput, false, 0)
	require.NoError(t, b.Start(0, 100, false))
	b.Input("nobody", true, 0)
	b.pulse("confirm_reject")
	assert.EqualValues(t, 1, b.State().Counters.Unexpected, "something left that should not have")
}

// Signals are set by hand in set-up only, which a running line refuses and which ends by itself;
// then all is as the line wants it.
func TestSetUpForcesAndSimulates(t *testing.T) {
	b := newBench(t)
	on, off := true, false
	assert.ErrorIs(t, b.Force(recipe.Rework, &on), ErrSetup)
	assert.ErrorContains(t, b.Setup(true), "stop it before set-up")
	b.Stop()
	require.NoError(t, b.Setup(true))
	assert.ErrorContains(t, b.Start(0, 100, false), "the line is in set-up")
	b.seen()
	require.NoError(t, b.Force(recipe.Rework, &on))
	assert.Equal(t, "rework", b.ejections())
	assert.True(t, b.signal(recipe.Rework).Forced)
	assert.ErrorContains(t, b.Force("nothing", &on), "line l1 has no output nothing; it has reject, rework, run")
	assert.ErrorContains(t, b.Simulate("eye", &on), "it has confirm_reject, fault, stop")
	require.NoError(t, b.Simulate(FaultInput, &on))
	assert.Equal(t, station.Held, b.State().Status, "an external fault, simulated")
	b.Input(FaultInput, false, 0)
	assert.True(t, b.signal(FaultInput).On, "what is simulated counts")
	require.NoError(t, b.Simulate(FaultInput, &off))
	require.NoError(t, b.Force(recipe.Rework, nil))
	assert.False(t, b.level(recipe.Rework), "given back")
	require.NoError(t, b.Force(Alarm, &on))

	b.Line.mu.Lock()
	b.wires.setupEnd = time.Now()
	b.Line.mu.Unlock()
	b.Advance(1)
	assert.False(t, b.Signals().Setup, "it ends by itself")
	assert.False(t, b.signal(Alarm).Forced)
	require.NoError(t, b.Start(0, 100, false))
	require.NoError(t, b.Setup(false), "there is none to end")
}

func TestALineWhoseOutputsDoNotAnswerIsHeld(t *testing.T) {
	b := &bench{t: t, levels: map[string]bool{}, low: map[string]bool{}, ejectErr: errors.New("no answer from the output module")}
	l, err := New(cfg, Parts{Driver: b, Recorder: b, Runs: b, Recipes: b, Listener: b, Clock: time.Now}, 0)
	require.NoError(t, err)
	assert.Equal(t, station.Held, l.State().Status)
	assert.Contains(t, l.State().Why, "output reject: no answer from the output module")
}

func TestSignalsThatCannotBeMeantAreRefused(t *testing.T) {
	for say, s := range map[string]Signals{
		"there is no output lamp; there are reject, rework, run": {Outputs: map[string]Wire{"lamp": {}}},
		"stop is active \"up\"; give high or low":                {Inputs: map[string]Wire{StopInput: {Active: "up"}}},
		"out of range": {ReadyMS: -1},
	} {
		c := cfg
		c.Signals = s
		assert.ErrorContains(t, c.Validate(), say)
	}
	c := cfg
	c.Ejectors = map[string]Ejector{recipe.Reject: {Offset: 350, Pulse: 60}, Alarm: {Offset: 350, Pulse: 60}}
	assert.ErrorContains(t, c.Validate(), "a route is called alarm")
	assert.Equal(t, []string{"reject", "rework", "run", "ready", "busy", "alarm", "heartbeat"}, cfg.OutputNames())
}
