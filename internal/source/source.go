// Package source has where a station's pictures come from, besides the simulated plant: a
// file for each, and the belt of stations whose items no encoder tells. A new source
// implements Pictures and gets a field in Config.
package source

import (
	"context"
	"errors"
	"slices"
	"time"

	"ricetta/core/raster"
	"ricetta/core/recipe"
	"ricetta/internal/line"
)

// Config says where pictures come from and how often; one of Folder and HTTP is given.
type Config struct {
	Folder *FolderConfig `yaml:"folder,omitempty"`
	HTTP   *HTTPConfig   `yaml:"http,omitempty"`
}

// Given reports whether a source is named.
func (c Config) Given() bool { return c.Folder != nil || c.HTTP != nil }

// Pictures is where a station's pictures come from.
type Pictures interface {
	// Waiting reports whether a picture can be had now.
	Waiting() bool
	// Next returns the next picture, in time before ctx ends.
	Next(ctx context.Context) (raster.Picture, error)
	// Snap returns a picture to look at: what Next would return, without going on to it.
	Snap(ctx context.Context) (raster.Picture, error)
}

// Complete fills in what a line without a belt need not say: a picture each second, and an
// ejector for rejects that nothing is connected to, so far away that a verdict is not late for
// it within five seconds. Distances are milliseconds.
func Complete(c *line.Config) {
	if c.Trigger.By == "" {
		c.Trigger.By = line.Encoder
	}
	if c.Trigger.Every == 0 {
		c.Trigger.Every = 1000
	}
	if c.Ejectors == nil {
		every := c.Trigger.Every
		last := c.Stations[len(c.Stations)-1].Offset
		c.Ejectors = map[string]line.Ejector{recipe.Reject: {Offset: last + max(5*every, 5000), Pulse: max(every/2, 1)}}
	}
}

// Open returns the pictures that c describes. Names of folders are taken from the data
// folder dir where they are relative, as in ../inbox; they must not lie in it.
func Open(c Config, dir string) (Pictures, error) {
	switch {
	case c.Folder != nil && c.HTTP != nil:
		return nil, errors.New("two sources are given; keep either folder or http")
	case c.Folder != nil:
		return openFolder(*c.Folder, dir)
	case c.HTTP != nil:
		return openHTTP(*c.HTTP)
	}
	return nil, errors.New("no source is given")
}

// Camera makes a station's source of pictures.
type Camera struct{ Pictures }

// Take implements station.Source.
func (c Camera) Take(ctx context.Context, _ int64) (raster.Picture, error) { return c.Next(ctx) }

// Belt triggers a line by the clock: one count is one millisecond. It stands still while one of
// its stations can have no picture, and its outputs are connected to nothing.
type Belt struct {
	cameras []Camera
	every   int64

	counter
}

// NewBelt returns a belt at rest that brings a package every so many milliseconds.
func NewBelt(cameras []Camera, every int64) *Belt { return &Belt{cameras: cameras, every: every} }

// waiting reports whether all stations can have their pictures.
func (b *Belt) waiting() bool {
	return !slices.ContainsFunc(b.cameras, func(c Camera) bool { return !c.Waiting() })
}

// Run moves the belt until ctx ends.
func (b *Belt) Run(ctx context.Context) {
	const tick = 5 * time.Millisecond
	t := time.NewTicker(tick)
	defer t.Stop()
	last := time.Now()
	for {
		select {
		case <-ctx.Done():
			return
		case now := <-t.C:
			n := now.Sub(last).Milliseconds()
			if n == 0 {
				continue
			}
			last = now
			if !b.moves() || !b.waiting() {
				b.step(0) // its heart beats
				continue
			}
			// A machine that was busy must not make it jump over a trigger.
			b.step(min(n, max(b.every/4, 1)))
		}
	}
}

// Count returns where the belt is, and how far it is to the next picture.
func (b *Belt) Count() (count, next int64) {
	count = b.count()
	return count, b.every - count%b.every
}
