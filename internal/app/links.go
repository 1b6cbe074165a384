package app

import (
	"fmt"
	"sync/atomic"
	"time"

	"ricetta/internal/api"
	"ricetta/internal/line"
	"ricetta/internal/links"
	"ricetta/internal/links/textline"
	"ricetta/internal/station"
)

// link is one at work.
type link interface {
	State() links.State
	// Recorded is told of every item that is on disk; it does not wait.
	Recorded(*station.Item)
	Close()
}

// tellers tells the hub, and the links once they are open.
type tellers struct {
	*api.Hub
	links atomic.Pointer[[]link]
}

// Recorded implements station.Listener.
func (t *tellers) Recorded(it *station.Item) {
	t.Hub.Recorded(it)
	if all := t.links.Load(); all != nil {
		for _, l := range *all {
			l.Recorded(it)
		}
	}
}

// openLinks opens what the site names.
func (a *App) openLinks() error {
	if c := a.site.Links.TextLine; c != nil {
		if err := refuseOutside(c.Listen); err != nil {
			return fmt.Errorf("links: textline: %w", err)
		}
		s, err := textline.Open(*c, hall{a}, time.Now)
		if err != nil {
			return fmt.Errorf("links: textline: %w", err)
		}
		a.links = append(a.links, s)
	}
	a.tell.links.Store(&a.links)
	return nil
}

// hall is what links can do with the lines.
type hall struct{ a *App }

func (h hall) States() []line.State {
	out := make([]line.State, len(h.a.units))
	for i, u := range h.a.units {
		out[i] = u.State()
	}
	return out
}

// of does something with a line.
func (h hall) of(id string, f func(*unit) error) error {
	for _, u := range h.a.units {
		if u.Config().ID == id {
			return f(u)
		}
	}
	return fmt.Errorf("there is no line %s", id)
}

func (h hall) Change(id string, r line.Run) (out line.Run, err error) {
	err = h.of(id, func(u *unit) error {
		out, err = u.Change(r)
		return err
	})
	if err == nil {
		h.a.opts.Log.Info("changeover", "line", id, "product", r.Product, "run", out.ID, "by", r.By)
	}
	return out, err
}

func (h hall) Start(id string, cleared bool) error {
	return h.of(id, func(u *unit) error { return u.Start(cleared) })
}

func (h hall) Stop(id string) error {
	return h.of(id, func(u *unit) error { u.Stop(); return nil })
}

func (h hall) Trigger(id string) error { return h.of(id, (*unit).Trigger) }
