// Package controller is the simulated line controller of the demo plant: a machine of another
// maker as far as Ricetta is concerned. It speaks Modbus TCP and text lines as a client, by what
// docs/links.md says and nothing else: starts and stops the line, changes products, reads the
// results, and reports what it saw.
package controller

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"io"
	"log"
	"log/slog"
	"maps"
	"net"
	"strconv"
	"strings"
	"sync"
	"time"

	"github.com/simonvetter/modbus"
)

// Config says what the controller does.
type Config struct {
	// Products are packed one after the other, each for Each packages.
	Products []string `json:"products" yaml:"products"`
	Each     int64    `json:"each" yaml:"each"`
}

// Options say where Ricetta is.
type Options struct {
	Config
	Line   string
	Unit   uint8  // of the line
	Modbus string // host:port
	Text   string
	// Load puts another product on the belt, as the machines before the line would.
	Load func(product string)
	Log  *slog.Logger
}

// Report is what the controller saw.
type Report struct {
	Results map[string]int64 // packages by route, by the strobe
	Missed  int64            // results that were overwritten before they were read
	Told    int64            // lines about items
	Changes int64            // done
	Refused int64            // and said why
	Starts  int64
	Lost    int64 // connections
	Odd     []string
}

func (r Report) String() string {
	n := int64(0)
	for _, k := range r.Results {
		n += k
	}
	return fmt.Sprintf("%d results read by Modbus (%d pass, %d rework, %d reject), %d missed, %d lines about items heard, %d changeovers, %d refused as they should be, %d starts, %d connections lost",
		n, r.Results["pass"], r.Results["rework"], r.Results["reject"], r.Missed, r.Told, r.Changes, r.Refused, r.Starts, r.Lost)
}

// Controller is one at work.
type Controller struct {
	o  Options
	mu sync.Mutex
	r  Report
}

// New returns a controller at rest.
func New(o Options) *Controller {
	if o.Each == 0 {
		o.Each = 50
	}
	return &Controller{o: o, r: Report{Results: map[string]int64{}}}
}

// Report returns what it saw so far.
func (c *Controller) Report() Report {
	c.mu.Lock()
	defer c.mu.Unlock()
	out := c.r
	out.Results = maps.Clone(c.r.Results)
	out.Odd = append([]string{}, c.r.Odd...)
	return out
}

func (c *Controller) count(f func(*Report)) {
	c.mu.Lock()
	defer c.mu.Unlock()
	f(&c.r)
}

// Places of docs/links.md.
const (
	inputsTo    = 104
	status      = 1
	run         = 4
	packages    = 6
	result      = 20
	seq         = 21
	route       = 23
	product     = 30
	answer      = 70
	answerTo    = 71
	command     = 0
	holdProduct = 2
	holdText    = 10
	holdLot     = 30
)

var routes = map[uint16]string{1: "pass", 2: "rework", 3: "reject", 4: "other"}

// Run works until ctx ends. A connection that is lost is made anew.
func (c *Controller) Run(ctx context.Context) {
	var wg sync.WaitGroup
	wg.Go(func() { c.again(ctx, c.listen) })
	wg.Go(func() { c.again(ctx, c.control) })
	wg.Wait()
}

func (c *Controller) again(ctx context.Context, f func(context.Context) error) {
	for ctx.Err() == nil {
		err := f(ctx)
		if err == nil || ctx.Err() != nil {
			return
		}
		c.count(func(r *Report) { r.Lost++ })
		c.o.Log.Warn("the line controller has lost a connection, and tries again", "error", err)
		select {
		case <-ctx.Done():
		case <-time.After(time.Second):
		}
	}
}

// listen hears of items by text lines.
func (c *Controller) listen(ctx context.Context) error {
	conn, err := net.DialTimeout("tcp", c.o.Text, 5*time.Second)
	if err != nil {
		return err
	}
	defer conn.Close()
	stop := context.AfterFunc(ctx, func() { _ = conn.Close() })
	defer stop()
	if _, err := io.WriteString(conn, "watch\n"); err != nil {
		return err
	}
	lines := bufio.NewScanner(conn)
	for first := true; lines.Scan(); first = false {
		text := lines.Text()
		switch {
		case first && text != "ok":
			return fmt.Errorf("watch is answered by %q", text)
		case !first && strings.HasPrefix(text, "no "):
			c.count(func(r *Report) { r.Odd = append(r.Odd, text) })
		case !first:
			c.count(func(r *Report) { r.Told++ })
		}
	}
	return errors.Join(lines.Err(), io.ErrUnexpectedEOF)
}

// plc is the state of the control program.
type plc struct {
	*modbus.ModbusClient
	c        *Controller
	request  uint16
	strobe   uint16
	known    bool
	last     uint32 // number of the last result
	run      uint32
	refusals bool // a wrong product was tried in this run
}

// control runs the control program: it keeps the line running, counts results, and changes over.
func (c *Controller) control(ctx context.Context) error {
	client, err := modbus.NewClient(&modbus.ClientConfiguration{URL: "tcp://" + c.o.Modbus, Timeout: 2 * time.Second, Logger: log.New(io.Discard, "", 0)})
	if err != nil {
		return err
	}
	if err := errors.Join(client.SetUnitId(c.o.Unit), client.Open()); err != nil {
		return err
	}
	defer client.Close()
	p := &plc{ModbusClient: client, c: c, request: uint16(time.Now().UnixMilli())}
	t := time.NewTicker(20 * time.Millisecond)
	defer t.Stop()
	for {
		select {
		case <-ctx.Done():
			return nil
		case <-t.C:
		}
		regs, err := p.ReadRegisters(0, inputsTo, modbus.INPUT_REGISTER)
		if err != nil {
			return err
		}
		p.results(regs)
		if err := p.act(ctx, regs); err != nil {
			return err
		}
	}
}

func u32(regs []uint16, at int) uint32 { return uint32(regs[at])<<16 | uint32(regs[at+1]) }

func text(regs []uint16, at, n int) string {
	var b strings.Builder
	for _, v := range regs[at : at+n] {
		for _, x := range []byte{byte(v >> 8), byte(v)} {
			if x != 0 {
				b.WriteByte(x)
			}
		}
	}
	return b.String()
}

// results takes the last result if it is new.
func (p *plc) results(regs []uint16) {
	strobe := regs[result]
	if !p.known || strobe == p.strobe {
		p.known, p.strobe, p.last = true, strobe, u32(regs, seq)
		return
	}
	missed := int64(strobe-p.strobe) - 1
	p.strobe = strobe
	now := u32(regs, seq)
	p.c.count(func(r *Report) {
		r.Missed += missed
		r.Results[routes[regs[route]]]++
		if now == p.last {
			r.Odd = append(r.Odd, fmt.Sprintf("package %d was told twice", now))
		}
	})
	p.last = now
}

// act does what the control program wants next.
func (p *plc) act(ctx context.Context, regs []uint16) error {
	if u32(regs, run) != p.run {
		p.run, p.refusals = u32(regs, run), false
	}
	switch regs[status] {
	case 2:
		return nil // somebody must look: that is not for a machine
	case 0:
		if ok, _, err := p.ask(ctx, 2, ""); err != nil || !ok {
			return errors.Join(err, wait(ctx, time.Second))
		}
		p.c.count(func(r *Report) { r.Starts++ })
		return nil
	}
	n := int64(u32(regs, packages))
	if !p.refusals && n >= p.c.o.Each/2 {
		// A product that nobody has heard of must be refused, and the line must go on.
		p.refusals = true
		ok, says, err := p.ask(ctx, 1, "crayon-box-6")
		if err != nil {
			return err
		}
		p.c.count(func(r *Report) {
			if ok || says == "" {
				r.Odd = append(r.Odd, "a product that is not there was not refused")
				return
			}
			r.Refused++
		})
	}
	if n < p.c.o.Each || len(p.c.o.Products) < 2 {
		return nil
	}
	return p.change(ctx, text(regs, product, 16))
}

// change stops the line, changes it over to the next product, lets that onto the belt, and starts.
func (p *plc) change(ctx context.Context, now string) error {
	next := p.c.o.Products[0]
	for i, name := range p.c.o.Products {
		if name == now {
			next = p.c.o.Products[(i+1)%len(p.c.o.Products)]
		}
	}
	if _, _, err := p.ask(ctx, 4, ""); err != nil {
		return err
	}
	ok, says, err := p.ask(ctx, 1, next)
	if err != nil {
		return err
	}
	if !ok {
		p.c.count(func(r *Report) { r.Odd = append(r.Odd, "a changeover was refused: "+says) })
		return wait(ctx, 5*time.Second)
	}
	p.c.count(func(r *Report) { r.Changes++ })
	p.c.o.Load(next)
	p.c.o.Log.Info("the line controller has changed over", "line", p.c.o.Line, "product", next)
	return nil // the next turn starts it
}

// ask makes a request by the handshake and waits for its answer.
func (p *plc) ask(ctx context.Context, what uint16, name string) (ok bool, says string, err error) {
	if name != "" {
		b := append([]byte(name), make([]byte, 32-len(name))...)
		lot := append([]byte("L"+strconv.Itoa(int(p.request)%10000)), make([]byte, 32)...)[:32]
		if err := errors.Join(p.WriteRegister(holdProduct, 0), p.WriteRawBytes(holdText, b), p.WriteRawBytes(holdLot, lot)); err != nil {
			return false, "", err
		}
	}
	p.request++
	if err := p.WriteRegisters(command, []uint16{what, p.request}); err != nil {
		return false, "", err
	}
	for range 500 {
		regs, err := p.ReadRegisters(0, inputsTo, modbus.INPUT_REGISTER)
		if err != nil {
			return false, "", err
		}
		p.results(regs)
		if regs[answerTo] == p.request && regs[answer] > 1 {
			return regs[answer] == 2, text(regs, answer+2, 32), nil
		}
		if err := wait(ctx, 10*time.Millisecond); err != nil {
			return false, "", err
		}
	}
	return false, "", errors.New("a request was not answered within five seconds")
}

func wait(ctx context.Context, d time.Duration) error {
	select {
	case <-ctx.Done():
		return ctx.Err()
	case <-time.After(d):
		return nil
	}
}
