package textline

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"net"
	"strings"
	"sync"
	"time"

	"ricetta/core/recipe"
	"ricetta/internal/links"
	"ricetta/internal/station"
)

// Config says where the link listens and what it says of items.
type Config struct {
	// Listen is host:port, on this machine.
	Listen string `yaml:"listen"`
	// Message is an expression that composes the line about an item, in CEL; without it
	// item STATION SEQ ROUTE REASON SENTENCE.
	Message string `yaml:"message,omitempty"`
}

// Server is the link at work. Close it.
type Server struct {
	links.Deaf
	lines   links.Lines
	tags    *links.Tags
	message *recipe.Message // nil: the usual one
	clock   func() time.Time
	listen  net.Listener
	log     links.Log

	mu      sync.Mutex
	conns   map[*conn]struct{}
	trouble string
	closed  bool
	wg      sync.WaitGroup
}

// Bounds of a connection.
const (
	mostConns = 16
	behind    = 1000             // lines about items that a connection may lag; then it is cut off
	writeTime = 5 * time.Second  // that the other side may take to accept a line
	idleTime  = 30 * time.Minute // without a command, on a connection that watches nothing
)

// Open begins to listen.
func Open(c Config, l links.Lines, tags *links.Tags, clock func() time.Time) (*Server, error) {
	s := &Server{lines: l, tags: tags, clock: clock, conns: map[*conn]struct{}{}}
	var err error
	if c.Message != "" {
		if s.message, err = recipe.NewMessage(c.Message); err != nil {
			return nil, err
		}
	}
	if s.listen, err = net.Listen("tcp", c.Listen); err != nil {
		return nil, fmt.Errorf("cannot listen on %s for text lines: %w; choose another address under links", c.Listen, err)
	}
	s.wg.Go(s.accept)
	return s, nil
}

// Addr returns where the link listens.
func (s *Server) Addr() string { return s.listen.Addr().String() }

// Close ends all connections and waits until they are over.
func (s *Server) Close() {
	s.mu.Lock()
	s.closed = true
	_ = s.listen.Close()
	for c := range s.conns {
		c.cut()
	}
	s.mu.Unlock()
	s.wg.Wait()
}

// State says how the link stands.
func (s *Server) State() links.State {
	s.mu.Lock()
	defer s.mu.Unlock()
	out := links.State{Name: "textline", Address: s.Addr(), Peers: len(s.conns), Trouble: s.trouble}
	out.Messages, out.Count = s.log.Last()
	return out
}

func (s *Server) accept() {
	for {
		nc, err := s.listen.Accept()
		if err != nil {
			if errors.Is(err, net.ErrClosed) {
				return
			}
			time.Sleep(100 * time.Millisecond) // out of files, say: the line goes on
			continue
		}
		c := &conn{server: s, net: nc, peer: nc.RemoteAddr().String(), items: make(chan string, behind)}
		s.mu.Lock()
		full := len(s.conns) >= mostConns
		if !full && !s.closed {
			s.conns[c] = struct{}{}
			s.wg.Go(c.serve)
		}
		s.mu.Unlock()
		if full {
			_ = nc.SetWriteDeadline(s.clock().Add(time.Second))
			fmt.Fprintf(nc, "no %d connections are open already; close one\r\n", mostConns)
			_ = nc.Close()
		}
	}
}

// Item tells an item to those who watch; it does not wait. A message that cannot be composed
// is told as what is wrong with it.
func (s *Server) Item(it *station.Item) {
	s.mu.Lock()
	defer s.mu.Unlock()
	var text string
	for c := range s.conns {
		if !c.watches(it.Station) {
			continue
		}
		if text == "" {
			text = s.about(it)
		}
		select {
		case c.items <- text:
		default:
			c.cut() // it reads nothing, so it cannot be told why
		}
	}
}

// about is the line about an item. It needs the lock.
func (s *Server) about(it *station.Item) string {
	if s.message == nil {
		return fmt.Sprintf("item %s %d %s %s %s", it.Station, it.Seq, it.Route, quoted(it.Reason), quoted(it.Sentence))
	}
	v := recipe.MessageVars{
		Station: it.Station, Line: it.Line, Product: it.Product, Route: it.Route, Reason: it.Reason, Sentence: it.Sentence, Seq: it.Seq,
		Order: it.Order,
	}
	v.Readings, v.Texts = links.ByName(it)
	text, err := s.message.Line(v)
	if err != nil {
		s.trouble = err.Error()
		return fmt.Sprintf("item %s %d %s %s", it.Station, it.Seq, it.Route, quoted("the message could not be composed: "+err.Error()))
	}
	s.trouble = ""
	return strings.Map(func(r rune) rune {
		if r == '\r' || r == '\n' {
			return ' '
		}
		return r
	}, text)
}

// conn is one connection: one goroutine reads commands, one writes answers and items.
type conn struct {
	server *Server
	net    net.Conn
	peer   string
	items  chan string // lines about items
	once   sync.Once

	write sync.Mutex

	watching sync.Mutex
	on       bool
	station  string // "" for all
}

func (c *conn) watches(stationID string) bool {
	c.watching.Lock()
	defer c.watching.Unlock()
	return c.on && (c.station == "" || c.station == stationID)
}

// cut ends the connection.
func (c *conn) cut() { c.once.Do(func() { _ = c.net.Close() }) }

// say writes a line.
func (c *conn) say(text string) {
	c.write.Lock()
	defer c.write.Unlock()
	_ = c.net.SetWriteDeadline(time.Now().Add(writeTime))
	if _, err := c.net.Write([]byte(text + "\r\n")); err != nil {
		c.cut()
		return
	}
	c.server.log.Add(links.Message{Time: c.server.clock().UTC(), Out: true, Peer: c.peer, Text: text})
}

func (c *conn) serve() {
	ctx, cancel := context.WithCancel(context.Background())
	var wg sync.WaitGroup
	wg.Go(func() {
		for {
			select {
			case text := <-c.items:
				c.say(text)
			case <-ctx.Done():
				return
			}
		}
	})
	c.read()
	c.cut()
	cancel()
	wg.Wait()
	c.server.mu.Lock()
	delete(c.server.conns, c)
	c.server.mu.Unlock()
}

func (c *conn) read() {
	r := bufio.NewReaderSize(c.net, mostLine+2)
	for {
		deadline := time.Time{}
		c.watching.Lock()
		if !c.on {
			deadline = time.Now().Add(idleTime)
		}
		c.watching.Unlock()
		_ = c.net.SetReadDeadline(deadline)
		data, err := r.ReadSlice('\n')
		if errors.Is(err, bufio.ErrBufferFull) {
			c.say(fmt.Sprintf("no that line is longer than %d bytes", mostLine))
			return // where the next one begins nobody knows
		}
		if err != nil {
			return
		}
		text := strings.TrimRight(string(data), "\r\n")
		if strings.TrimSpace(text) == "" {
			continue
		}
		c.server.log.Add(links.Message{Time: c.server.clock().UTC(), Peer: c.peer, Text: strings.ToValidUTF8(text, "?")})
		if !c.answer(text) {
			return
		}
	}
}

// answer does what a line asks for; false ends the connection.
func (c *conn) answer(text string) bool {
	a, err := fields(text)
	if err != nil || len(a) == 0 {
		c.say(fmt.Sprintf("no %v", err))
		return true
	}
	switch name := strings.ToLower(a[0]); name {
	case "bye":
		c.say("ok")
		return false
	case "help":
		c.say("ok " + usages())
	case "watch", "quiet":
		c.watching.Lock()
		c.on, c.station = name == "watch", ""
		if len(a) > 1 {
			c.station = a[1]
		}
		c.watching.Unlock()
		c.say("ok")
	default:
		cmd, ok := commands[name]
		switch {
		case !ok:
			c.say("no there is no command " + quoted(a[0]) + "; there are " + usages())
		case len(a)-1 < cmd.least:
			c.say("no write " + cmd.usage)
		default:
			out, err := cmd.do(asked{c.server.lines, c.server.tags, c.peer}, a[1:])
			if err != nil {
				c.say("no " + strings.ReplaceAll(err.Error(), "\n", "; "))
				break
			}
			c.say(strings.TrimSpace("ok " + out))
		}
	}
	return true
}
