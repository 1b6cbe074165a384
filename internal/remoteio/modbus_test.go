package remoteio

import (
	"context"
	"io"
	"log"
	"net"
	"slices"
	"sync"
	"testing"
	"time"

	"github.com/simonvetter/modbus"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ricetta/core/inspect"
	"ricetta/core/raster"
	"ricetta/core/recipe"
	"ricetta/internal/line"
	"ricetta/internal/station"
)

// module is one on the network: coils, discrete inputs, and an encoder that the test turns.
type module struct {
	mu     sync.Mutex
	coils  [16]bool
	trips  [16]int
	inputs [16]bool
	count  uint32
	server *modbus.ModbusServer
	at     string
}

func newModule(t *testing.T, at string) *module {
	if at == "" {
		l, err := net.Listen("tcp", "127.0.0.1:0")
		require.NoError(t, err)
		at = l.Addr().String()
		require.NoError(t, l.Close())
	}
	m := &module{at: at, count: 1<<32 - 500}
	var err error
	m.server, err = modbus.NewServer(&modbus.ServerConfiguration{URL: "tcp://" + at, Timeout: time.Minute, MaxClients: 4, Logger: log.New(io.Discard, "", 0)}, m)
	require.NoError(t, err)
	require.NoError(t, m.server.Start())
	t.Cleanup(func() { _ = m.server.Stop() })
	return m
}

func (m *module) HandleCoils(r *modbus.CoilsRequest) ([]bool, error) {
	m.mu.Lock()
	defer m.mu.Unlock()
	if r.IsWrite {
		for i, v := range r.Args {
			k := int(r.Addr) + i
			if v && !m.coils[k] {
				m.trips[k]++
			}
			m.coils[k] = v
		}
	}
	return m.coils[r.Addr : r.Addr+r.Quantity], nil
}

func (m *module) HandleDiscreteInputs(r *modbus.DiscreteInputsRequest) ([]bool, error) {
	m.mu.Lock()
	defer m.mu.Unlock()
	return slices.Clone(m.inputs[r.Addr : r.Addr+r.Quantity]), nil
}

func (m *module) HandleInputRegisters(r *modbus.InputRegistersRequest) ([]uint16, error) {
	m.mu.Lock()
	defer m.mu.Unlock()
	return []uint16{uint16(m.count >> 16), uint16(m.count)}[:r.Quantity], nil
}

func (m *module) HandleHoldingRegisters(*modbus.HoldingRegistersRequest) ([]uint16, error) {
	return nil, modbus.ErrIllegalDataAddress
}

// turn moves the belt on.
func (m *module) turn(n uint32) {
	m.mu.Lock()
	defer m.mu.Unlock()
	m.count += n
}

func (m *module) set(input int, on bool) {
	m.mu.Lock()
	defer m.mu.Unlock()
	m.inputs[input] = on
}

func (m *module) coil(k int) (on bool, trips int) {
	m.mu.Lock()
	defer m.mu.Unlock()
	return m.coils[k], m.trips[k]
}

// wired is what the tests wire a line to.
func wired(at string) ModbusConfig {
	return ModbusConfig{
		Address: at, Unit: 1, PollMS: 2, Encoder: &ModbusEncoder{Register: 0},
		Outputs: map[string]uint16{recipe.Reject: 0, line.Permit: 1, line.Alarm: 2, line.Heartbeat: 3},
		Inputs:  map[string]uint16{"eye": 0, "confirm_reject": 1, "stop": 9},
	}
}

var byEye = line.Config{
	ID: "l", Trigger: line.Trigger{By: line.Eye, Input: "eye", Debounce: 10, Least: 200}, Stations: []station.Config{{ID: "s", Role: "top"}},
	Ejectors: map[string]line.Ejector{recipe.Reject: {Offset: 600, Pulse: 100, Confirm: 300}},
}

// keeper keeps nothing; its pictures are black, so that everything is rejected.
type keeper struct{ plan *inspect.Plan }

func (keeper) Record(_ *station.Item, done func(error))        { go done(nil) }
func (keeper) RecordPackage(_ *line.Package, done func(error)) { go done(nil) }
func (keeper) Recorded(*station.Item)                          {}
func (keeper) Changed(station.State)                           {}
func (keeper) PackageRecorded(*line.Package)                   {}
func (keeper) LineChanged(line.State)                          {}
func (keeper) BeginRun(line.Run) (int64, error)                { return 1, nil }
func (k keeper) Plan(string, string) (*inspect.Plan, error)    { return k.plan, nil }
func (keeper) Take(context.Context, int64) (raster.Picture, error) {
	return raster.Picture{Gray: raster.NewGray(40, 40)}, nil
}

func lineOn(t *testing.T, m *Modbus) *line.Line {
	doc, err := inspect.Reader.Parse([]byte("ricetta: 1\nproduct: card\nrole: top\npicture: {kind: gray}\nchecks:\n  - {id: light, kind: presence.tone, region: {rect: [0, 0, 40, 40]}, tone: {least: 100}, limits: {share: {least: 0.5}}}\n"))
	require.NoError(t, err)
	r, err := recipe.New(doc, nil)
	require.NoError(t, err)
	plan, err := inspect.Prepare(r)
	require.NoError(t, err)
	k := keeper{plan}
	l, err := line.New(byEye, line.Parts{Driver: m, Recorder: k, Runs: k, Recipes: k, Listener: k, Clock: time.Now}, 0)
	require.NoError(t, err)
	s, err := station.New(byEye.Stations[0], station.Parts{Source: k, Line: l, Recorder: k, Listener: k, Clock: time.Now}, 0)
	require.NoError(t, err)
	l.Add(s)
	m.Attach(l)
	t.Cleanup(l.Close)
	_, err = l.Change(line.Run{Product: "card"})
	require.NoError(t, err)
	ctx, cancel := context.WithCancel(context.Background())
	done := make(chan struct{})
	go func() { defer close(done); m.Run(ctx) }()
	t.Cleanup(func() { cancel(); <-done })
	return l
}

func soon(t *testing.T, what string, f func() bool) {
	t.Helper()
	require.Eventually(t, f, 5*time.Second, time.Millisecond, what)
}

func TestALineWorksOverAModule(t *testing.T) {
	mod := newModule(t, "")
	require.NoError(t, wired(mod.at).Validate(byEye))
	m, err := NewModbus(wired(mod.at))
	require.NoError(t, err)
	l := lineOn(t, m)
	require.NoError(t, l.Start(0, 0, true))
	soon(t, "the belt is released", func() bool { on, _ := mod.coil(1); return on })
	step := func(n uint32) {
		at, _ := m.Count()
		mod.turn(n)
		soon(t, "the line knows", func() bool { now, _ := m.Count(); return now == at+int64(n) })
	}
	on := func(name string) bool {
		for _, x := range l.Signals().Signals {
			if x.Name == name {
				return x.On
			}
		}
		return false
	}
	mod.set(0, true)
	soon(t, "the eye is dark", func() bool { return on("eye") })
	step(20)
	soon(t, "the package is known", func() bool { return l.State().LastSeq == 1 })
	mod.set(0, false)
	for range 10 {
		step(49)
	}
	_, trips := mod.coil(0)
	assert.Zero(t, trips, "it is not there yet")
	step(60) // the counter has gone over its end
	soon(t, "it is ejected", func() bool { on, trips := mod.coil(0); return on && trips == 1 })
	mod.set(1, true)
	step(90)
	soon(t, "the pulse is over", func() bool { on, _ := mod.coil(0); return !on })
	mod.set(1, false)
	for range 10 {
		step(50)
	}
	assert.Equal(t, station.Running, l.State().Status, "it was seen leaving: %s", l.State().Why)
	_, beats := mod.coil(3)
	assert.Positive(t, beats)

	mod.set(9, true)
	soon(t, "a button stops the line", func() bool { on, _ := mod.coil(1); return !on && l.State().Status == station.Stopped })
}

func TestAModuleThatIsGoneHoldsTheLine(t *testing.T) {
	mod := newModule(t, "")
	m, err := NewModbus(wired(mod.at))
	require.NoError(t, err)
	l := lineOn(t, m)
	require.NoError(t, l.Start(0, 0, true))
	soon(t, "the belt is released", func() bool { on, _ := mod.coil(1); return on })
	require.NoError(t, mod.server.Stop())
	soon(t, "the line is held", func() bool { return l.State().Status == station.Held })
	assert.Contains(t, l.State().Why, "does not answer")
	assert.Error(t, l.Start(0, 0, true), "the belt cannot be released")

	again := newModule(t, mod.at) // it comes back, its outputs off
	soon(t, "it is used again", func() bool { return l.Start(0, 0, true) == nil })
	soon(t, "the belt is released again", func() bool { on, _ := again.coil(1); return on })
}

func TestWiresThatAreMissingAreRefused(t *testing.T) {
	for say, change := range map[string]func(*ModbusConfig){
		"the output reject is not wired":         func(c *ModbusConfig) { delete(c.Outputs, recipe.Reject) },
		"the output run is not wired":            func(c *ModbusConfig) { delete(c.Outputs, line.Permit) },
		"no output lamp":                         func(c *ModbusConfig) { c.Outputs["lamp"] = 7 },
		"wired to the same place, 0":             func(c *ModbusConfig) { c.Outputs[line.Alarm] = 0 },
		"the input confirm_reject is not wired":  func(c *ModbusConfig) { delete(c.Inputs, "confirm_reject") },
		"the input eye of the trigger":           func(c *ModbusConfig) { delete(c.Inputs, "eye") },
		"the encoder has 24 bits; give 16 or 32": func(c *ModbusConfig) { c.Encoder.Bits = 24 },
		"the module has no address":              func(c *ModbusConfig) { c.Address = "" },
		"poll_ms is -1":                          func(c *ModbusConfig) { c.PollMS = -1 },
	} {
		c := wired("127.0.0.1:1")
		change(&c)
		assert.ErrorContains(t, c.Validate(byEye), say)
	}
	assert.Equal(t, []span{{3, 8, []string{"a", "b"}}, {90, 1, []string{"c"}}}, ranges(map[string]uint16{"a": 3, "b": 10, "c": 90}))
}
