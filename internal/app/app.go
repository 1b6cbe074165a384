package app

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"strconv"
	"sync"
	"time"

	"ricetta/core/inspect"
	"ricetta/core/raster"
	"ricetta/internal/alarm"
	"ricetta/internal/api"
	"ricetta/internal/catalog"
	"ricetta/internal/console"
	"ricetta/internal/line"
	"ricetta/internal/links"
	"ricetta/internal/links/webhook"
	"ricetta/internal/plant"
	"ricetta/internal/plant/controller"
	"ricetta/internal/remoteio"
	"ricetta/internal/shift"
	"ricetta/internal/source"
	"ricetta/internal/station"
	"ricetta/internal/store"
	"ricetta/internal/workbench"
)

// Options say how the service runs.
type Options struct {
	DataDir string
	Listen  string // host:port; port 0 takes a free one
	Version string
	// Hold keeps the stations stopped until somebody starts them.
	Hold bool
	Log  *slog.Logger
}

// App is the service, built and not yet serving. Close it.
type App struct {
	opts    Options
	site    *Site
	store   *store.Store
	hub     *api.Hub
	tell    *tellers
	alarms  *alarm.Book
	tags    *links.Tags
	catalog *catalog.Catalog
	// calendar says which shift is when.
	calendar *shift.Plan
	webhooks []*webhook.Sender
	// background are changeovers that a station began.
	background sync.WaitGroup
	links      []links.Link
	book       *workbench.Book
	cameras    *kept[station.CameraSettings]
	scales     *kept[raster.Calibration]
	units      []*unit
	places     []*place
	server     *api.Server
	listener   net.Listener
}

// belt is what moves a line and its signals.
type belt interface {
	line.Driver
	Attach(*line.Line)
	// Run moves it until ctx ends.
	Run(ctx context.Context)
	// Count returns where it is, and how far it is to the next item.
	Count() (count, next int64)
}

// unit is a line with its belt.
type unit struct {
	*line.Line
	belt belt
	app  *App
	// controller runs it, where it is simulated; nil elsewhere.
	controller *controller.Controller
}

// Start implements api.LineControl.
func (u *unit) Start(cleared bool) error {
	count, next := u.belt.Count()
	return u.Line.Start(count, next, cleared)
}

// place is a station with its source, on its line.
type place struct {
	*station.Station
	unit   *unit
	source camera
}

// camera is what a station's pictures come from.
type camera interface {
	station.Source
	station.Viewer
}

// Source implements api.Control.
func (p *place) Source() station.Viewer { return p.source }

// New builds the service. On an error, everything begun is closed again.
func New(o Options) (a *App, err error) {
	a = &App{opts: o}
	defer func() {
		if err != nil {
			a.Close()
			a = nil
		}
	}()
	if err := refuseOutside(o.Listen); err != nil {
		return a, err
	}
	if a.site, err = LoadSite(o.DataDir); err != nil {
		return a, err
	}
	if a.calendar, err = shift.New(a.site.Shifts); err != nil {
		return a, fmt.Errorf("%s: shifts: %w", SiteFile, err)
	}
	a.store, err = store.Open(store.Options{
		Calendar: a.calendar,
		Dir:      o.DataDir, Log: o.Log,
		PictureLimit: a.site.Pictures.LimitMB << 20, PassShare: a.site.Pictures.PassShare,
	})
	if err != nil {
		return a, err
	}
	removeLeftovers(o.DataDir)
	started := time.Now()
	if a.cameras, err = loadKept[station.CameraSettings](o.DataDir, CamerasFile); err != nil {
		return a, err
	}
	if a.scales, err = loadKept[raster.Calibration](o.DataDir, CalibrationsFile); err != nil {
		return a, err
	}
	var odd []error
	if a.book, odd, err = workbench.Open(o.DataDir, a.store, time.Now); err != nil {
		return a, err
	}
	for _, e := range odd {
		o.Log.Warn("a recipe cannot be used", "error", e)
	}
	if a.catalog, err = catalog.Open(o.DataDir, a.site.Products); err != nil {
		return a, err
	}
	a.hub = api.NewHub(strconv.FormatInt(started.UnixMilli(), 36))
	a.tell = &tellers{Hub: a.hub}
	if a.alarms, err = alarm.Open(a.store, time.Now, a.tell.AlarmChanged, o.Log); err != nil {
		return a, err
	}
	for _, c := range a.site.Lines {
		if err := a.build(c); err != nil {
			return a, fmt.Errorf("line %s: %w", c.ID, err)
		}
	}
	if err := a.openLinks(); err != nil {
		return a, err
	}
	pages, err := console.Handler()
	if err != nil {
		return a, err
	}
	deps := api.Deps{
		Site: a.site.Name, Version: o.Version, Started: started, Book: a.book, Records: a.store, Alarms: a.alarms, Tags: a.tags, Outbox: a.store, Catalog: a.catalog,
		KeepCamera:      func(id string, s station.CameraSettings) error { return a.cameras.keep(id, &s) },
		KeepCalibration: a.scales.keep,
		Backup:          a.Backup,
		Zone:            a.calendar.Zone(),
		Hub:             a.hub, Console: pages, Log: o.Log,
	}
	if a.site.simulated() {
		deps.Truth = a.truth
	}
	for _, l := range a.links {
		deps.Links = append(deps.Links, l)
	}
	for _, u := range a.units {
		deps.Lines = append(deps.Lines, u)
	}
	for _, p := range a.places {
		deps.Stations = append(deps.Stations, p)
	}
	if a.server, err = api.New(deps); err != nil {
		return a, err
	}
	if a.listener, err = net.Listen("tcp", o.Listen); err != nil {
		return a, fmt.Errorf("cannot listen on %s: %w; is another Ricetta running? choose another address with --listen", o.Listen, err)
	}
	return a, nil
}

// refuseOutside refuses to listen where others can reach the service: it has no
// accounts yet.
func refuseOutside(listen string) error {
	host, _, err := net.SplitHostPort(listen)
	if err != nil {
		return fmt.Errorf("%q is not an address; write it as in 127.0.0.1:8440", listen)
	}
	if ip := net.ParseIP(host); host != "localhost" && (ip == nil || !ip.IsLoopback()) {
		return fmt.Errorf("will not listen on %q: there are no accounts yet, so the service answers on this machine only; use 127.0.0.1, and an SSH tunnel from elsewhere", host)
	}
	return nil
}

// build builds a line with its stations.
func (a *App) build(c LineConfig) error {
	lastSeq, err := a.store.LastPackage(c.ID)
	if err != nil {
		return err
	}
	for _, s := range c.Stations {
		seq, err := a.store.LastSeq(s.ID)
		if err != nil {
			return err
		}
		lastSeq = max(lastSeq, seq)
	}
	b, cameras, err := a.beltOf(c, lastSeq)
	if err != nil {
		return err
	}
	l, err := line.New(c.Config, line.Parts{
		Driver: b, Recorder: a.store, Runs: a.store, Recipes: released{a.book}, Listener: a.tell, Alarms: a.alarms, Challenges: a.store, Clock: time.Now,
	}, lastSeq)
	if err != nil {
		return err
	}
	u := &unit{Line: l, belt: b, app: a}
	b.Attach(l)
	a.units = append(a.units, u)
	for i, sc := range c.Stations {
		if err := a.hang(u, sc, cameras[i], c.sources[i], lastSeq); err != nil {
			return fmt.Errorf("station %s: %w", sc.ID, err)
		}
	}
	if err := a.sweep(c.ID); err != nil {
		return err
	}
	return a.goOn(u, c)
}

// hang gives a line its next station.
func (a *App) hang(u *unit, c station.Config, from camera, source SourceConfig, lastSeq int64) error {
	if set, ok := a.cameras.by[c.ID]; ok {
		err := errors.New("its source has no settings")
		if cam, ok := from.(station.Camera); ok {
			err = cam.Set(set)
		}
		if err != nil {
			a.opts.Log.Warn("a camera keeps the settings it is delivered with", "station", c.ID, "error", err)
		}
	}
	s, err := station.New(c, station.Parts{
		Source: from, Line: u.Line, Recorder: a.store, Listener: a.tell, Clock: time.Now,
		PictureTimeout: time.Duration(source.TimeoutMS) * time.Millisecond,
	}, lastSeq)
	if err != nil {
		return err
	}
	u.Add(s)
	a.places = append(a.places, &place{s, u, from})
	if k, ok := a.scales.by[c.ID]; ok {
		if err := s.Calibrate(&k); err != nil {
			a.opts.Log.Warn("a station goes by the scale of its configuration", "station", c.ID, "error", err)
		}
	}
	return nil
}

// sweep records what was on a line's belt when the service was killed.
func (a *App) sweep(lineID string) error {
	left, err := a.store.LeftOver(lineID)
	if err != nil {
		return err
	}
	for _, p := range left {
		told := make(chan error, 1)
		a.store.RecordPackage(line.LeftOnBelt(p), func(err error) { told <- err })
		if err := <-told; err != nil {
			return err
		}
	}
	if len(left) > 0 {
		a.opts.Log.Warn("items were between trigger and ejector when the service ended; they count as faults", "line", lineID, "items", len(left))
	}
	return nil
}

// goOn lets a line go on with the run it was in, or begin its first one.
func (a *App) goOn(u *unit, c LineConfig) error {
	run, ok, err := a.store.CurrentRun(c.ID)
	if err != nil {
		return err
	}
	if ok {
		n, err := a.store.CountRun(run.ID)
		if err != nil {
			return err
		}
		err = u.Resume(run, n)
		return a.stays(c.ID, run.Product, err)
	}
	_, err = u.Change(line.Run{Product: c.Product, Order: c.Config.Order, By: "the configuration"})
	return a.stays(c.ID, c.Product, err)
}

// stays says that a line without recipes stays stopped; other errors are errors.
func (a *App) stays(lineID, product string, err error) error {
	var refused *line.ErrRefused
	if errors.As(err, &refused) {
		a.opts.Log.Warn("a line stays stopped", "line", lineID, "product", product, "error", err)
		return nil
	}
	return err
}

// released has the recipes of the workbench that are released.
type released struct{ book *workbench.Book }

// Plan implements line.Recipes.
func (r released) Plan(product, role string) (*inspect.Plan, error) {
	k := workbench.Key{Product: product, Role: role}
	c, ok, err := r.book.Current(k)
	if err != nil {
		return nil, err
	}
	if !ok {
		return nil, fmt.Errorf("no revision of %s is released; release one first", k)
	}
	return r.book.Plan(c.Revision)
}

// beltOf builds what a line is connected to, and the cameras of its stations.
func (a *App) beltOf(c LineConfig, lastSeq int64) (belt, []camera, error) {
	var cameras []camera
	if c.Belt.Plant != nil {
		lc := *c.Belt.Plant
		lc.Seed += uint64(lastSeq) // other tins than before the restart
		l := plant.NewLine(lc)
		for _, s := range c.Stations {
			cameras = append(cameras, l.Camera(s.ID, s.Offset))
		}
		return l, cameras, nil
	}
	var from []source.Camera
	for i, s := range c.Stations {
		p, err := source.Open(c.sources[i].Config, a.opts.DataDir)
		if err != nil {
			return nil, nil, fmt.Errorf("station %s: %w", s.ID, err)
		}
		from = append(from, source.Camera{Pictures: p})
		cameras = append(cameras, from[i])
	}
	if c.Belt.Modbus != nil {
		m, err := remoteio.NewModbus(*c.Belt.Modbus)
		return m, cameras, err
	}
	return source.NewBelt(from, c.Trigger.Every), cameras, nil
}

// Addr returns where the service listens.
func (a *App) Addr() string { return a.listener.Addr().String() }

// Run starts the stations and serves until ctx ends, then stops in reverse.
func (a *App) Run(ctx context.Context) error {
	defer a.Close()
	belts, stopBelts := context.WithCancel(context.Background())
	var moving sync.WaitGroup
	moving.Go(func() { a.watchHouse(belts) })
	moving.Go(func() { a.clearOut(belts) })
	moving.Go(func() { a.reporting(belts) })
	for _, u := range a.units {
		moving.Go(func() { u.belt.Run(belts) })
		if a.opts.Hold {
			continue
		}
		if err := u.Start(false); err != nil {
			a.opts.Log.Warn("a line did not start", "line", u.Config().ID, "error", err)
		}
	}
	for i, u := range a.units {
		if c := a.controllerOf(i); c != nil {
			u.controller = c
			moving.Go(func() { c.Run(belts) })
		}
	}
	err := a.server.Serve(ctx, a.listener)
	stopBelts()
	moving.Wait()
	return err
}

// Close stops everything that New began; what was handed over is kept first. The
// score can still be asked for.
func (a *App) Close() {
	for _, l := range a.links {
		l.Close()
	}
	a.background.Wait()
	for _, u := range a.units {
		u.Close()
	}
	if a.alarms != nil {
		a.alarms.Close()
	}
	if a.hub != nil {
		a.hub.Close()
	}
	if a.store != nil {
		a.store.Close()
	}
	if a.listener != nil {
		_ = a.listener.Close() // closed already after serving
	}
}

// Score returns the truth against what happened, over all lines.
func (a *App) Score() plant.Score {
	sum := plant.NewScore()
	for _, u := range a.units {
		if l, ok := u.belt.(*plant.Line); ok {
			sum.Add(l.Score())
		}
	}
	return sum
}

// controllerOf builds the simulated controller of a line, nil where it has none.
func (a *App) controllerOf(i int) *controller.Controller {
	p := a.site.Lines[i].Belt.Plant
	if p == nil || p.Controller == nil {
		return nil
	}
	o := controller.Options{Config: *p.Controller, Line: a.site.Lines[i].ID, Unit: uint8(i + 1), Log: a.opts.Log}
	if l, ok := a.units[i].belt.(*plant.Line); ok {
		o.Load = l.Load
	}
	for _, l := range a.links {
		switch s := l.State(); s.Name {
		case "modbus":
			o.Modbus = s.Address
		case "textline":
			o.Text = s.Address
		}
	}
	return controller.New(o)
}

// Reports returns what the simulated line controllers saw, by line.
func (a *App) Reports() map[string]controller.Report {
	out := map[string]controller.Report{}
	for _, u := range a.units {
		if u.controller != nil {
			out[u.Config().ID] = u.controller.Report()
		}
	}
	return out
}

func (a *App) truth() api.Truth { return TruthOf(a.Score()) }

// TruthOf returns a score in its outside form, every defect in its order.
func TruthOf(s plant.Score) api.Truth {
	out := api.Truth{Tins: s.Tins(), LetThrough: s.LetThrough(), FalseRejects: s.FalseRejects(), Rows: []api.TruthRow{}}
	for _, d := range plant.Defects {
		routes := s.Left[d]
		if routes == nil {
			routes = map[string]int64{}
		}
		out.Rows = append(out.Rows, api.TruthRow{Defect: string(d), Routes: routes})
	}
	return out
}
