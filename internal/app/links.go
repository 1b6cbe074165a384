package app

import (
	"context"
	"fmt"
	"path/filepath"
	"sync/atomic"
	"time"

	"ricetta/internal/alarm"
	"ricetta/internal/api"
	"ricetta/internal/line"
	"ricetta/internal/links"
	"ricetta/internal/links/modbus"
	"ricetta/internal/links/mqtt"
	"ricetta/internal/links/textline"
	"ricetta/internal/links/webhook"
	"ricetta/internal/station"
	"ricetta/internal/workbench"
)

// tellers tells the hub, and the links once they are open.
type tellers struct {
	*api.Hub
	links atomic.Pointer[[]links.Listener]
}

func (t *tellers) each(f func(links.Listener)) {
	if all := t.links.Load(); all != nil {
		for _, l := range *all {
			f(l)
		}
	}
}

// Recorded implements station.Listener.
func (t *tellers) Recorded(it *station.Item) {
	t.Hub.Recorded(it)
	t.each(func(l links.Listener) { l.Item(it) })
}

// PackageRecorded implements line.Listener.
func (t *tellers) PackageRecorded(p *line.Package) {
	t.Hub.PackageRecorded(p)
	t.each(func(l links.Listener) { l.Package(p) })
}

// LineChanged implements line.Listener.
func (t *tellers) LineChanged(s line.State) {
	t.Hub.LineChanged(s)
	t.each(func(l links.Listener) { l.Line(s) })
}

// AlarmChanged tells of an alarm.
func (t *tellers) AlarmChanged(a alarm.Alarm) {
	t.Hub.AlarmChanged(a)
	t.each(func(l links.Listener) { l.Alarm(a) })
}

// opener opens the links of one kind that the site names.
type opener struct {
	name string
	open func(c LinksConfig, h hall, tags *links.Tags) ([]links.Link, error)
}

// openers are the kinds of links. A new one is a folder in internal/links, a field in
// LinksConfig, and a line here.
var openers = []opener{
	{"textline", func(c LinksConfig, h hall, tags *links.Tags) ([]links.Link, error) {
		if c.TextLine == nil {
			return nil, nil
		}
		if err := refuseOutside(c.TextLine.Listen); err != nil {
			return nil, err
		}
		return one(textline.Open(*c.TextLine, h, tags, time.Now))
	}},
	{"modbus", func(c LinksConfig, h hall, tags *links.Tags) ([]links.Link, error) {
		if c.Modbus == nil {
			return nil, nil
		}
		if err := refuseOutside(c.Modbus.Listen); err != nil {
			return nil, err
		}
		return one(modbus.Open(*c.Modbus, h, tags, time.Now))
	}},
	{"mqtt", func(c LinksConfig, h hall, tags *links.Tags) ([]links.Link, error) {
		if c.MQTT == nil {
			return nil, nil
		}
		conf := *c.MQTT
		for _, f := range []*string{&conf.PasswordFile, &conf.CA, &conf.Cert, &conf.Key} {
			h.a.inData(f)
		}
		return one(mqtt.Open(conf, h, tags, time.Now))
	}},
	{"webhooks", func(c LinksConfig, h hall, _ *links.Tags) (out []links.Link, err error) {
		seen := map[string]bool{}
		for _, conf := range c.Webhooks {
			if seen[conf.Name] {
				return out, fmt.Errorf("two webhooks are called %s; give each its own name", conf.Name)
			}
			seen[conf.Name] = true
			h.a.inData(&conf.SecretFile)
			s, err := webhook.Open(conf, h.a.site.Name, h.States(), h.a.store, time.Now)
			if err != nil {
				return out, err
			}
			h.a.webhooks = append(h.a.webhooks, s)
			out = append(out, s)
		}
		return out, nil
	}},
}

func one[L links.Link](l L, err error) ([]links.Link, error) {
	if err != nil {
		return nil, err
	}
	return []links.Link{l}, nil
}

// inData lets a path that is not absolute begin in the data folder.
func (a *App) inData(path *string) {
	if *path != "" && !filepath.IsAbs(*path) {
		*path = filepath.Join(a.opts.DataDir, *path)
	}
}

// openLinks opens what the site names.
func (a *App) openLinks() error {
	h := hall{a}
	var err error
	if a.tags, err = links.NewTags(a.site.Tags, h.configs(), h); err != nil {
		return err
	}
	listeners := []links.Listener{a.tags}
	for _, o := range openers {
		opened, err := o.open(a.site.Links, h, a.tags)
		for _, l := range opened {
			a.links = append(a.links, l)
			listeners = append(listeners, l)
		}
		if err != nil {
			return fmt.Errorf("links: %s: %w", o.name, err)
		}
	}
	for i, u := range a.units {
		if by := a.site.Lines[i].ChangeBy; by != nil {
			listeners = append(listeners, &reader{unit: u, by: *by})
		}
	}
	a.tell.links.Store(&listeners)
	for _, u := range a.units { // what happened before they were there
		s := u.State()
		for _, l := range listeners {
			l.Line(s)
		}
	}
	return nil
}

// hall is what links can do with the lines.
type hall struct{ a *App }

func (h hall) configs() (out []line.Config) {
	for _, u := range h.a.units {
		out = append(out, u.Config())
	}
	return out
}

// States implements links.Lines.
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

// Change implements links.Lines.
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

// Start implements links.Lines.
func (h hall) Start(id string, cleared bool) error {
	return h.of(id, func(u *unit) error { return u.Start(cleared) })
}

// Stop implements links.Lines.
func (h hall) Stop(id string) error {
	return h.of(id, func(u *unit) error { u.Stop(); return nil })
}

// Trigger implements links.Lines.
func (h hall) Trigger(id string) error { return h.of(id, (*unit).Trigger) }

// Acknowledge implements links.Lines.
func (h hall) Acknowledge(id int64, who, note string) error {
	_, err := h.a.alarms.Acknowledge(id, who, note)
	return err
}

func (h hall) place(stationID string) (*place, error) {
	for _, p := range h.a.places {
		if p.Config().ID == stationID {
			return p, nil
		}
	}
	return nil, fmt.Errorf("there is no station %s", stationID)
}

// Limit implements links.Limits.
func (h hall) Limit(stationID, checkID, reading, bound string) (float64, error) {
	p, err := h.place(stationID)
	if err != nil {
		return 0, err
	}
	plan := p.Plan()
	if plan == nil {
		return 0, station.ErrNoRecipe
	}
	return workbench.Limit(plan.Recipe, workbench.LimitAt{Check: checkID, Reading: reading, Bound: bound})
}

// SetLimit implements links.Limits.
func (h hall) SetLimit(ctx context.Context, stationID, checkID, reading, bound string, v float64, who string) error {
	p, err := h.place(stationID)
	if err != nil {
		return err
	}
	now := p.Plan()
	if now == nil {
		return station.ErrNoRecipe
	}
	k := workbench.Key{Product: now.Recipe.Product, Role: now.Recipe.Role}
	at := workbench.LimitAt{Check: checkID, Reading: reading, Bound: bound}
	plan, err := h.a.book.SetLimit(ctx, k, at, v, who)
	if err != nil {
		return err
	}
	// All stations that run the recipe go on with the one revision that is released.
	for _, p := range h.a.places {
		runs := p.Plan()
		if runs == nil || runs.Recipe.Product != k.Product || runs.Recipe.Role != k.Role || runs.Recipe.Revision == plan.Recipe.Revision {
			continue
		}
		if err := p.Use(plan); err != nil {
			return fmt.Errorf("station %s: %w", p.Config().ID, err)
		}
	}
	h.a.opts.Log.Info("a limit was written from outside", "recipe", k, "limit", at, "value", v, "who", who)
	return nil
}
