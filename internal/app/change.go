package app

import (
	"fmt"
	"maps"
	"sync"

	"ricetta/core/check"
	"ricetta/core/inspect"
	"ricetta/internal/alarm"
	"ricetta/internal/catalog"
	"ricetta/internal/line"
	"ricetta/internal/links"
	"ricetta/internal/station"
	"ricetta/internal/workbench"
)

// find tells what is to be packed on the line by what somebody typed, scanned or sent.
func (u *unit) find(text string) (catalog.Found, error) {
	f, err := u.app.catalog.Find(text, func(product string) bool {
		for _, s := range u.Stations() {
			if _, ok, err := u.app.book.Current(workbench.Key{Product: product, Role: s.Config().Role}); err == nil && ok {
				return true
			}
		}
		return false
	})
	if err != nil {
		return f, &line.ErrRefused{Why: err.Error()}
	}
	return f, nil
}

// Find implements api.LineControl.
func (u *unit) Find(text string) (catalog.Found, error) { return u.find(text) }

// Prepare implements api.LineControl: the product may be the number of an order, or a code.
func (u *unit) Prepare(product string) ([]*inspect.Plan, error) {
	if product != "" {
		if f, err := u.find(product); err == nil {
			product = f.Product
		}
	}
	return u.Line.Prepare(product)
}

// Change implements api.LineControl: the product may be the number of an order, or a code. What
// is said besides goes before what was found.
func (u *unit) Change(r line.Run) (line.Run, error) {
	if r.Product != "" {
		// What is not found may be a product without a recipe: the line says so best.
		if f, err := u.find(r.Product); err == nil {
			order := f.Order
			maps.Copy(order, r.Order)
			r.Product, r.Order = f.Product, order
		}
	}
	return u.Line.Change(r)
}

// ChangeBy lets a station change its line over by what it reads: an order sheet that is held
// under its camera, or the code of the first package.
type ChangeBy struct {
	Station string `yaml:"station"`
	Text    string `yaml:"text"` // CHECK.NAME
}

// reader changes a line over by what a station reads.
type reader struct {
	links.Deaf
	unit *unit
	by   ChangeBy

	mu   sync.Mutex
	last string // was acted upon
	busy bool
}

// Item implements links.Listener. The same text again changes nothing, nor does one that says
// what is packed already.
func (r *reader) Item(it *station.Item) {
	if it.Station != r.by.Station {
		return
	}
	text, ok := links.TextOf(it, r.by.Text)
	r.mu.Lock()
	defer r.mu.Unlock()
	if !ok || text == "" || text == r.last || r.busy {
		return
	}
	r.last, r.busy = text, true
	r.unit.app.background.Go(func() {
		defer func() {
			r.mu.Lock()
			defer r.mu.Unlock()
			r.busy = false
		}()
		r.act(text)
	})
}

func (r *reader) act(text string) {
	id := r.unit.Config().ID
	f, err := r.unit.find(text)
	if err == nil {
		now := r.unit.State().Run
		if now.Product == f.Product && says(now.Order, f.Order) {
			r.unit.app.alarms.Clear(id, r.by.Station, alarm.Changeover)
			return
		}
		_, err = r.unit.Change(line.Run{Product: text, By: "station " + r.by.Station})
	}
	if err != nil {
		r.unit.app.alarms.Raise(alarm.Alarm{Line: id, Station: r.by.Station, Kind: alarm.Changeover, Text: fmt.Sprintf("station %s read %q, and the line goes on with what it packs: %v", r.by.Station, text, err)})
		return
	}
	r.unit.app.alarms.Clear(id, r.by.Station, alarm.Changeover)
}

// says reports whether an order has all that another one says.
func says(now, want check.Order) bool {
	for n, v := range want {
		if now[n] != v {
			return false
		}
	}
	return true
}
