package source

import (
	"sync"

	"ricetta/internal/line"
)

// counter is the place of a belt that is only told of.
type counter struct {
	mu     sync.Mutex
	at     int64
	permit bool
	line   *line.Line
}

// Attach tells the belt which line to keep informed.
func (c *counter) Attach(l *line.Line) { c.line = l }

// Permit implements line.Outputs.
func (c *counter) Permit(on bool) error {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.permit = on
	return nil
}

func (c *counter) moves() bool {
	c.mu.Lock()
	defer c.mu.Unlock()
	return c.permit
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
