// Package remoteio connects a line to input and output modules over the network: a file for each
// protocol. Each is the line's Driver, and moves it on as its encoder counts.
package remoteio

import (
	"context"
	"errors"
	"fmt"
	"io"
	"log"
	"maps"
	"slices"
	"sync"
	"time"

	"github.com/simonvetter/modbus"

	"ricetta/internal/line"
)

// ModbusConfig says what is wired to a module that speaks Modbus TCP.
type ModbusConfig struct {
	// Address is host:port of the module, Unit its unit id.
	Address string `yaml:"address"`
	Unit    uint8  `yaml:"unit"`
	// Outputs are the coils of the line's outputs, Inputs the discrete inputs of its inputs; of
	// the outputs the ejectors and run must be wired.
	Outputs map[string]uint16 `yaml:"outputs"`
	Inputs  map[string]uint16 `yaml:"inputs,omitempty"`
	// Encoder is a counter of the module; without one the belt is taken to move on by one count
	// each millisecond while it has its permit.
	Encoder *ModbusEncoder `yaml:"encoder,omitempty"`
	// PollMS is how often inputs and encoder are asked; 10 if it is 0.
	PollMS int64 `yaml:"poll_ms,omitempty"`
}

// ModbusEncoder is where the counter of the belt stands.
type ModbusEncoder struct {
	Register uint16 `yaml:"register"`
	// Holding is set where it is a holding register, and not an input register.
	Holding bool `yaml:"holding,omitempty"`
	// Bits are 32, the usual, or 16. It counts on from 0 when it is full.
	Bits int `yaml:"bits,omitempty"`
	// LowFirst says that the low one of two registers comes first.
	LowFirst bool `yaml:"low_first,omitempty"`
}

// Validate reports wires that are missing, and such that lead nowhere.
func (c ModbusConfig) Validate(l line.Config) error {
	if c.Address == "" {
		return errors.New("the module has no address; give host:port")
	}
	needed := append(slices.Sorted(maps.Keys(l.Ejectors)), line.Permit)
	for _, n := range needed {
		if _, ok := c.Outputs[n]; !ok {
			return fmt.Errorf("the output %s is not wired; give the coil of it", n)
		}
	}
	for _, x := range []struct {
		what  string
		wires map[string]uint16
		known []string
	}{{"output", c.Outputs, l.OutputNames()}, {"input", c.Inputs, l.InputNames()}} {
		at := map[uint16]string{}
		for _, n := range slices.Sorted(maps.Keys(x.wires)) {
			if !slices.Contains(x.known, n) {
				return fmt.Errorf("the line has no %s %s; take it out", x.what, n)
			}
			if other := at[x.wires[n]]; other != "" {
				return fmt.Errorf("%s %s and %s are wired to the same place, %d", x.what, other, n, x.wires[n])
			}
			at[x.wires[n]] = n
		}
	}
	for r, e := range l.Ejectors {
		if _, ok := c.Inputs["confirm_"+r]; e.Confirm > 0 && !ok {
			return fmt.Errorf("the input confirm_%s is not wired, and the ejector must be confirmed; wire it, or take confirm out", r)
		}
	}
	if t := l.Trigger; t.By == line.Eye {
		if _, ok := c.Inputs[t.Input]; !ok {
			return fmt.Errorf("the input %s of the trigger is not wired", t.Input)
		}
	}
	if e := c.Encoder; e != nil && e.Bits != 0 && e.Bits != 16 && e.Bits != 32 {
		return fmt.Errorf("the encoder has %d bits; give 16 or 32", e.Bits)
	}
	if c.PollMS < 0 || c.PollMS > 1000 {
		return fmt.Errorf("poll_ms is %d; give 1 to 1000", c.PollMS)
	}
	return nil
}

// Modbus is a module at work.
type Modbus struct {
	cfg    ModbusConfig
	client *modbus.ModbusClient
	line   *line.Line
	wake   chan struct{}
	open   bool // used by whoever builds it, then by Run alone

	mu    sync.Mutex
	want  map[string]bool // levels of outputs
	stale map[string]bool // outputs that the module does not have yet
	down  error           // why it does not answer
	count int64

	last  uint32 // what the encoder said
	known bool   // it said something since it answers
	seen  map[string]bool
}

// How long an answer may take, and a module that does not answer waits.
const (
	answerIn = 500 * time.Millisecond
	tryAgain = time.Second
)

// NewModbus connects to a module. One that does not answer is tried again while it runs; until
// then every output fails.
func NewModbus(c ModbusConfig) (*Modbus, error) {
	if c.PollMS == 0 {
		c.PollMS = 10
	}
	m := &Modbus{cfg: c, wake: make(chan struct{}, 1), want: map[string]bool{}, stale: map[string]bool{}, seen: map[string]bool{}}
	var err error
	m.client, err = modbus.NewClient(&modbus.ClientConfiguration{URL: "tcp://" + c.Address, Timeout: answerIn, Logger: log.New(io.Discard, "", 0)})
	if err != nil {
		return nil, fmt.Errorf("%q is not the address of a module: %w", c.Address, err)
	}
	order := modbus.HIGH_WORD_FIRST
	if e := c.Encoder; e != nil && e.LowFirst {
		order = modbus.LOW_WORD_FIRST
	}
	if err := errors.Join(m.client.SetUnitId(c.Unit), m.client.SetEncoding(modbus.BIG_ENDIAN, order)); err != nil {
		return nil, err
	}
	m.connect()
	return m, nil
}

func (m *Modbus) connect() {
	err := m.client.Open()
	m.open = err == nil
	m.mu.Lock()
	defer m.mu.Unlock()
	m.down = nil
	if err != nil {
		m.down = fmt.Errorf("the module at %s does not answer: %w", m.cfg.Address, err)
		return
	}
	for n := range m.want { // it may have lost its power
		m.stale[n] = true
	}
	m.known = false
	clear(m.seen)
}

// Attach tells which line to keep informed.
func (m *Modbus) Attach(l *line.Line) { m.line = l }

// Write implements line.Driver. An output that is not wired takes every level.
func (m *Modbus) Write(output string, high bool) error {
	if _, ok := m.cfg.Outputs[output]; !ok {
		return nil
	}
	m.mu.Lock()
	m.want[output], m.stale[output] = high, true
	err := m.down
	m.mu.Unlock()
	select {
	case m.wake <- struct{}{}:
	default:
	}
	return err
}

// Count returns where the belt is, and how far it is to the next package.
func (m *Modbus) Count() (count, next int64) {
	m.mu.Lock()
	defer m.mu.Unlock()
	every := int64(1)
	if t := m.line.Config().Trigger; t.By == line.Encoder {
		every = t.Every
	}
	return m.count, every
}

// Run keeps module and line in step until ctx ends; then the outputs go to rest.
func (m *Modbus) Run(ctx context.Context) {
	poll := time.NewTicker(time.Duration(m.cfg.PollMS) * time.Millisecond)
	defer poll.Stop()
	defer func() {
		if m.open {
			_ = m.flush()
			_ = m.client.Close()
		}
	}()
	last := time.Now()
	for {
		select {
		case <-ctx.Done():
			return
		case <-m.wake:
			if m.open {
				m.failed(m.flush())
			}
		case now := <-poll.C:
			if !m.open {
				if now.Sub(last) < tryAgain {
					m.line.Advance(m.at()) // what goes by the clock goes on
					continue
				}
				last = now
				m.connect()
				continue
			}
			passed := now.Sub(last)
			last = now
			if err := m.flush(); err != nil {
				m.failed(err)
				continue
			}
			m.failed(m.look(passed))
		}
	}
}

func (m *Modbus) at() int64 {
	m.mu.Lock()
	defer m.mu.Unlock()
	return m.count
}

// failed closes a connection that does not answer and holds the line.
func (m *Modbus) failed(err error) {
	if err == nil {
		return
	}
	_ = m.client.Close()
	m.open = false
	err = fmt.Errorf("the module at %s does not answer: %w; look at its power and cable", m.cfg.Address, err)
	m.mu.Lock()
	m.down = err
	m.mu.Unlock()
	m.line.Hold(err.Error())
}

// flush writes the outputs that the module does not have yet.
func (m *Modbus) flush() error {
	for {
		m.mu.Lock()
		names := slices.Sorted(maps.Keys(m.stale))
		if len(names) == 0 {
			m.mu.Unlock()
			return nil
		}
		name := names[0]
		level := m.want[name]
		delete(m.stale, name)
		m.mu.Unlock()
		if err := m.client.WriteCoil(m.cfg.Outputs[name], level); err != nil {
			m.mu.Lock()
			m.stale[name] = true
			m.mu.Unlock()
			return fmt.Errorf("output %s: %w", name, err)
		}
	}
}

// look asks for encoder and inputs, and tells the line.
func (m *Modbus) look(passed time.Duration) error {
	count, err := m.encoder(passed)
	if err != nil {
		return fmt.Errorf("encoder: %w", err)
	}
	for _, r := range ranges(m.cfg.Inputs) {
		bits, err := m.client.ReadDiscreteInputs(r.from, r.n)
		if err != nil {
			return fmt.Errorf("inputs: %w", err)
		}
		for _, name := range r.names {
			level := bits[m.cfg.Inputs[name]-r.from]
			if was, ok := m.seen[name]; !ok || was != level {
				m.seen[name] = level
				m.line.Input(name, level, count)
			}
		}
	}
	m.line.Advance(count)
	return nil
}

// encoder returns where the belt is.
func (m *Modbus) encoder(passed time.Duration) (int64, error) {
	e := m.cfg.Encoder
	if e == nil {
		m.mu.Lock()
		defer m.mu.Unlock()
		low := m.line.Config().Signals.Outputs[line.Permit].Active == line.Low
		if m.want[line.Permit] != low {
			m.count += passed.Milliseconds()
		}
		return m.count, nil
	}
	kind := modbus.INPUT_REGISTER
	if e.Holding {
		kind = modbus.HOLDING_REGISTER
	}
	var now uint32
	var err error
	if e.Bits == 16 {
		var v uint16
		v, err = m.client.ReadRegister(e.Register, kind)
		now = uint32(v)
	} else {
		now, err = m.client.ReadUint32(e.Register, kind)
	}
	if err != nil {
		return 0, err
	}
	m.mu.Lock()
	defer m.mu.Unlock()
	if m.known { // what it counted while it did not answer, nobody knows
		if e.Bits == 16 {
			m.count += int64(int16(uint16(now) - uint16(m.last)))
		} else {
			m.count += int64(int32(now - m.last))
		}
	}
	m.last, m.known = now, true
	return m.count, nil
}

// span is a row of inputs that are asked for at once.
type span struct {
	from, n uint16
	names   []string
}

// ranges gathers inputs that lie near each other.
func ranges(inputs map[string]uint16) (out []span) {
	names := slices.SortedFunc(maps.Keys(inputs), func(a, b string) int { return int(inputs[a]) - int(inputs[b]) })
	for _, n := range names {
		at := inputs[n]
		if k := len(out) - 1; k >= 0 && at-out[k].from < 64 {
			out[k].n = at - out[k].from + 1
			out[k].names = append(out[k].names, n)
			continue
		}
		out = append(out, span{at, 1, []string{n}})
	}
	return out
}
