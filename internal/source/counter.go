package source

import (
	"sync"

	"ricetta/internal/line"
)

// counter is the place of a belt that is only told of.
type counter struct {
	mu    sync.Mutex
	at    int64
	level bool // of the output that lets the belt move
	low   bool // it is active low
	line  *line.Line
}

// Attach tells the belt which line to keep informed.
func (c *counter) Attach(l *line.Line) {
	c.line, c.low = l, l.Config().Signals.Outputs[line.Permit].Active == line.Low
}

// Write implements line.Driver: there is nothing to switch but the belt itself.
func (c *counter) Write(output string, high bool) error {
	c.mu.Lock()
	defer c.mu.Unlock()
	if output == line.Permit {
		c.level = high
	}
	return nil
}

func (c *counter) moves() bool {
	c.mu.Lock()
	defer c.mu.Unlock()
	return c.level != c.low
}

func (c *counter) count() int64 {
	c.mu.Lock()
	defer c.mu.Unlock()
	return c.at
}

// step moves on by n counts and tells the line.
func (c *counter) step(n int64) {
	c.mu.Lock()
	c.at += n
	to := c.at
	c.mu.Unlock()
	c.line.Advance(to)
}
