package modbus

import (
	"context"
	"errors"
	"fmt"
	"io"
	"log"
	"net"
	"strings"
	"sync"
	"time"

	"github.com/simonvetter/modbus"

	"ricetta/core/check"
	"ricetta/internal/alarm"
	"ricetta/internal/line"
	"ricetta/internal/links"
	"ricetta/internal/station"
)

// Config says where the link listens and how numbers lie in registers.
type Config struct {
	// Listen is host:port, on this machine.
	Listen string `yaml:"listen"`
	// WordOrder is high_first, the usual, or low_first: how numbers of two registers lie.
	WordOrder string `yaml:"word_order,omitempty"`
	// Products are numbered from 1 for controllers that have no texts.
	Products []string `yaml:"products,omitempty"`
}

// What WordOrder can be.
const (
	HighFirst = "high_first"
	LowFirst  = "low_first"
)

// Bounds of the link.
const (
	mostClients = 8
	idle        = 2 * time.Minute
	seenAgain   = 10 * time.Second // how often the same read is logged
)

// answer is how a request of a line goes.
type answer struct {
	state   int // irAnswer
	request uint16
	says    string
}

const (
	working = iota + 1
	done
	refused
)

// unit is what the link knows of one line.
type unit struct {
	id       string
	state    line.State
	last     result
	holding  []uint16
	answer   answer
	counting map[int64]bool // numbers of its alarms that wait
}

// Server is the link at work. Close it.
type Server struct {
	cfg    Config
	lines  links.Lines
	tags   *links.Tags
	clock  func() time.Time
	server *modbus.ModbusServer
	log    links.Log
	ctx    context.Context
	cancel context.CancelFunc
	wg     sync.WaitGroup

	mu    sync.Mutex
	units []*unit
	site  map[int64]bool // alarms of the whole service that wait
	reads map[string]*seen
	peers map[string]time.Time
}

// seen is a read that comes again and again.
type seen struct {
	n    int
	told time.Time
}

// Open begins to listen.
func Open(c Config, l links.Lines, tags *links.Tags, clock func() time.Time) (*Server, error) {
	if c.WordOrder != "" && c.WordOrder != HighFirst && c.WordOrder != LowFirst {
		return nil, fmt.Errorf("word_order is %q; give %s or %s", c.WordOrder, HighFirst, LowFirst)
	}
	taken := map[uint16]string{}
	for _, t := range tags.List() {
		if t.Modbus == nil {
			continue
		}
		for _, at := range []uint16{t.Modbus.At, t.Modbus.At + 1} {
			if at < tagsFrom || at > 60_000 {
				return nil, fmt.Errorf("tag %s stands at register %d; give %d to 59999", t.Name, t.Modbus.At, tagsFrom)
			}
			if taken[at] != "" {
				return nil, fmt.Errorf("tags %s and %s share register %d; each takes two", taken[at], t.Name, at)
			}
			taken[at] = t.Name
		}
	}
	s := &Server{cfg: c, lines: l, tags: tags, clock: clock, site: map[int64]bool{}, reads: map[string]*seen{}, peers: map[string]time.Time{}}
	s.ctx, s.cancel = context.WithCancel(context.Background())
	for _, st := range l.States() {
		s.units = append(s.units, &unit{id: st.Config.ID, state: st, holding: make([]uint16, hrEnd), counting: map[int64]bool{}})
	}
	var err error
	if s.cfg.Listen, err = certain(c.Listen); err != nil {
		return nil, err
	}
	s.server, err = modbus.NewServer(&modbus.ServerConfiguration{
		URL: "tcp://" + s.cfg.Listen, Timeout: idle, MaxClients: mostClients, Logger: log.New(io.Discard, "", 0),
	}, s)
	if err == nil {
		err = s.server.Start()
	}
	if err != nil {
		return nil, fmt.Errorf("cannot listen on %s for Modbus: %w; choose another address under links", c.Listen, err)
	}
	return s, nil
}

// certain gives an address with port 0 a port that is free: the library would not say which one
// it took.
func certain(listen string) (string, error) {
	host, port, err := net.SplitHostPort(listen)
	if err != nil || port != "0" {
		return listen, err
	}
	l, err := net.Listen("tcp", host+":0")
	if err != nil {
		return "", err
	}
	return l.Addr().String(), l.Close()
}

// Close ends all connections.
func (s *Server) Close() {
	_ = s.server.Stop()
	s.cancel()
	s.wg.Wait()
}

// State says how the link stands. Who has asked within the last minute counts as connected.
func (s *Server) State() links.State {
	out := links.State{Name: "modbus", Address: s.cfg.Listen}
	s.mu.Lock()
	for _, at := range s.peers {
		if s.clock().Sub(at) < time.Minute {
			out.Peers++
		}
	}
	s.mu.Unlock()
	out.Messages, out.Count = s.log.Last()
	return out
}

// Item implements links.Listener; tags tell of items.
func (s *Server) Item(*station.Item) {}

// Package implements links.Listener.
func (s *Server) Package(p *line.Package) {
	s.mu.Lock()
	defer s.mu.Unlock()
	for _, u := range s.units {
		if u.id == p.Line {
			u.last = result{u.last.count + 1, *p}
		}
	}
}

// Line implements links.Listener.
func (s *Server) Line(st line.State) {
	s.mu.Lock()
	defer s.mu.Unlock()
	for _, u := range s.units {
		if u.id == st.Config.ID {
			u.state = st
		}
	}
}

// Alarm implements links.Listener.
func (s *Server) Alarm(a alarm.Alarm) {
	s.mu.Lock()
	defer s.mu.Unlock()
	waits := func(m map[int64]bool) {
		if a.Acknowledged.IsZero() {
			m[a.ID] = true
		} else {
			delete(m, a.ID)
		}
	}
	if a.Line == "" {
		waits(s.site)
	}
	for _, u := range s.units {
		if u.id == a.Line {
			waits(u.counting)
		}
	}
}

// unit returns the line of a unit id: 1 is the first one of the site; 0 and 255, what those say
// that know of no units, are the first one too. It needs the lock.
func (s *Server) unit(id uint8) (*unit, error) {
	if id == 0 || id == 255 {
		id = 1
	}
	if int(id) > len(s.units) {
		return nil, modbus.ErrGWTargetFailedToRespond
	}
	return s.units[id-1], nil
}

func (s *Server) low() bool { return s.cfg.WordOrder == LowFirst }

// read logs a read, the same one now and then. It needs the lock.
func (s *Server) read(peer, what string, unit uint8, at, n uint16) {
	now := s.clock()
	s.peers[peer] = now
	key := fmt.Sprintf("%s %d %s %d %d", peer, unit, what, at, n)
	r := s.reads[key]
	if r == nil {
		if len(s.reads) > 500 {
			clear(s.reads)
		}
		r = &seen{}
		s.reads[key] = r
	}
	r.n++
	if now.Sub(r.told) < seenAgain {
		return
	}
	text := fmt.Sprintf("unit %d: reads %d %s from %d", unit, n, what, at)
	if r.n > 1 {
		text += fmt.Sprintf(" (%d times)", r.n)
	}
	r.n, r.told = 0, now
	s.say(peer, false, text)
}

func (s *Server) say(peer string, out bool, text string) {
	s.log.Add(links.Message{Time: s.clock().UTC(), Out: out, Peer: peer, Text: text})
}

// HandleCoils implements modbus.RequestHandler: coil 0 starts and stops the line.
func (s *Server) HandleCoils(r *modbus.CoilsRequest) ([]bool, error) {
	s.mu.Lock()
	u, err := s.unit(r.UnitId)
	if err == nil && (r.Addr != 0 || r.Quantity != 1) {
		err = modbus.ErrIllegalDataAddress
	}
	if err != nil {
		s.mu.Unlock()
		return nil, err
	}
	if !r.IsWrite {
		defer s.mu.Unlock()
		s.read(r.ClientAddr, "coils", r.UnitId, r.Addr, r.Quantity)
		return []bool{flags(u.state, u.last, 0)[flagRunning]}, nil
	}
	s.peers[r.ClientAddr] = s.clock()
	s.mu.Unlock()
	word := "stop"
	if r.Args[0] {
		word, err = "start", s.lines.Start(u.id, false)
	} else {
		err = s.lines.Stop(u.id)
	}
	s.say(r.ClientAddr, false, fmt.Sprintf("unit %d: %s %s", r.UnitId, word, u.id))
	if err != nil {
		s.say(r.ClientAddr, true, "refused: "+err.Error())
		return nil, modbus.ErrServerDeviceFailure
	}
	return r.Args, nil
}

// HandleDiscreteInputs implements modbus.RequestHandler: the flags of a line, and from 1000 on
// whether the tags there have a value.
func (s *Server) HandleDiscreteInputs(r *modbus.DiscreteInputsRequest) ([]bool, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	u, err := s.unit(r.UnitId)
	if err != nil {
		return nil, err
	}
	s.read(r.ClientAddr, "discrete inputs", r.UnitId, r.Addr, r.Quantity)
	if r.Addr >= tagsFrom {
		out := make([]bool, r.Quantity)
		for i, t := range s.tags.List() {
			if t.Modbus == nil {
				continue
			}
			for _, at := range []uint16{t.Modbus.At, t.Modbus.At + 1} {
				if at >= r.Addr && at-r.Addr < r.Quantity {
					out[at-r.Addr] = s.tags.At(i).Valid
				}
			}
		}
		return out, nil
	}
	all := flags(u.state, u.last, len(u.counting)+len(s.site))
	if int(r.Addr)+int(r.Quantity) > len(all) {
		return nil, modbus.ErrIllegalDataAddress
	}
	return all[r.Addr : r.Addr+r.Quantity], nil
}

// HandleInputRegisters implements modbus.RequestHandler.
func (s *Server) HandleInputRegisters(r *modbus.InputRegistersRequest) ([]uint16, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	u, err := s.unit(r.UnitId)
	if err != nil {
		return nil, err
	}
	s.read(r.ClientAddr, "input registers", r.UnitId, r.Addr, r.Quantity)
	if r.Addr >= tagsFrom {
		return s.tagRegisters(r.Addr, r.Quantity)
	}
	regs := inputs(u.state, u.last, u.answer, len(u.counting)+len(s.site), s.clock(), s.low())
	if int(r.Addr)+int(r.Quantity) > len(regs) {
		return nil, modbus.ErrIllegalDataAddress
	}
	return regs[r.Addr : r.Addr+r.Quantity], nil
}

// tagRegisters are the registers of tags from a place; what no tag takes is 0.
func (s *Server) tagRegisters(at, n uint16) ([]uint16, error) {
	// One before and one behind, so that a tag that is cut is whole here.
	w := words{make([]uint16, int(n)+2), s.low()}
	for i, t := range s.tags.List() {
		if t.Modbus == nil {
			continue
		}
		if off := int(t.Modbus.At) - int(at) + 1; off >= 0 && off < int(n)+1 {
			w.tag(off, *t.Modbus, s.tags.At(i))
		}
	}
	return w.regs[1 : n+1], nil
}

// HandleHoldingRegisters implements modbus.RequestHandler: requests to a line, and from 1000 on
// tags that may be written.
func (s *Server) HandleHoldingRegisters(r *modbus.HoldingRegistersRequest) ([]uint16, error) {
	if r.Addr >= tagsFrom {
		return s.holdingTags(r)
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	u, err := s.unit(r.UnitId)
	if err != nil {
		return nil, err
	}
	if int(r.Addr)+int(r.Quantity) > hrEnd {
		return nil, modbus.ErrIllegalDataAddress
	}
	if !r.IsWrite {
		s.read(r.ClientAddr, "holding registers", r.UnitId, r.Addr, r.Quantity)
		return append([]uint16{}, u.holding[r.Addr:r.Addr+r.Quantity]...), nil
	}
	s.peers[r.ClientAddr] = s.clock()
	asks := r.Addr <= hrRequest && r.Addr+r.Quantity > hrRequest
	if asks && u.answer.state == working {
		return nil, modbus.ErrServerDeviceBusy
	}
	s.say(r.ClientAddr, false, fmt.Sprintf("unit %d: writes %d holding registers from %d", r.UnitId, r.Quantity, r.Addr))
	before := u.holding[hrRequest]
	copy(u.holding[r.Addr:], r.Args)
	if asks && u.holding[hrRequest] != before {
		s.ask(u, r.ClientAddr)
	}
	return r.Args, nil
}

// ask does what the holding registers of a line say. It needs the lock.
func (s *Server) ask(u *unit, peer string) {
	w := words{append([]uint16{}, u.holding...), s.low()}
	u.answer = answer{state: working, request: w.regs[hrRequest]}
	s.wg.Go(func() {
		text, err := s.do(u.id, w, peer)
		s.mu.Lock()
		defer s.mu.Unlock()
		u.answer.state, u.answer.says = done, ""
		word := "done"
		if err != nil {
			u.answer.state, u.answer.says = refused, err.Error()
			word = "refused: " + err.Error()
		}
		s.say(peer, false, fmt.Sprintf("%s: request %d: %s", u.id, w.regs[hrRequest], text))
		s.say(peer, true, fmt.Sprintf("%s: request %d %s", u.id, w.regs[hrRequest], word))
	})
}

// do carries a request out, and says what it was.
func (s *Server) do(id string, w words, peer string) (string, error) {
	switch c := w.regs[hrCommand]; c {
	case commandChange:
		r := line.Run{Product: w.readText(hrText, 16), Order: check.Order{}, By: "Modbus", Who: peer}
		if n := int(w.regs[hrProduct]); n > 0 {
			if n > len(s.cfg.Products) {
				return fmt.Sprintf("change to product %d", n), fmt.Errorf("there is no product %d; site.yaml names %d", n, len(s.cfg.Products))
			}
			r.Product = s.cfg.Products[n-1]
		}
		for name, value := range map[string]string{"lot": w.readText(hrLot, 16), "expiry": w.readText(hrExpiry, 5)} {
			if value != "" {
				r.Order[name] = value
			}
		}
		if q := w.read32(hrQuantity); q > 0 {
			r.Order["quantity"] = fmt.Sprint(q)
		}
		_, err := s.lines.Change(id, r)
		return strings.TrimSpace("change to " + r.Product), err
	case commandStart, commandStartCleared:
		return "start", s.lines.Start(id, c == commandStartCleared)
	case commandStop:
		return "stop", s.lines.Stop(id)
	case commandTrigger:
		return "trigger", s.lines.Trigger(id)
	default:
		return fmt.Sprintf("command %d", c), errors.New("there is no such command; 1 change, 2 start, 3 start cleared, 4 stop, 5 trigger")
	}
}

// holdingTags reads tags that may be written, and writes one whole.
func (s *Server) holdingTags(r *modbus.HoldingRegistersRequest) ([]uint16, error) {
	if !r.IsWrite {
		s.mu.Lock()
		s.read(r.ClientAddr, "holding registers", r.UnitId, r.Addr, r.Quantity)
		s.mu.Unlock()
		return s.tagRegisters(r.Addr, r.Quantity)
	}
	s.mu.Lock()
	s.peers[r.ClientAddr] = s.clock()
	s.mu.Unlock()
	for _, t := range s.tags.List() {
		if t.Modbus == nil || t.Modbus.At != r.Addr || r.Quantity != 2 {
			continue
		}
		v := words{r.Args, s.low()}.readTag(0, *t.Modbus)
		s.say(r.ClientAddr, false, fmt.Sprintf("%s = %g", t.Name, v))
		if err := s.tags.Write(s.ctx, t.Name, v, "Modbus "+r.ClientAddr); err != nil {
			s.say(r.ClientAddr, true, "refused: "+err.Error())
			return nil, modbus.ErrIllegalDataValue
		}
		s.say(r.ClientAddr, true, fmt.Sprintf("%s is %g now", t.Name, v))
		return r.Args, nil
	}
	return nil, modbus.ErrIllegalDataAddress
}
