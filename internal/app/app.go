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

	"ricetta/core/raster"
	"ricetta/internal/api"
	"ricetta/internal/console"
	"ricetta/internal/plant"
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
	opts     Options
	site     *Site
	store    *store.Store
	hub      *api.Hub
	book     *workbench.Book
	cameras  *kept[station.CameraSettings]
	scales   *kept[raster.Calibration]
	units    []*unit
	server   *api.Server
	listener net.Listener
}

// belt is what brings a station its items and pictures and takes its outputs.
type belt interface {
	station.Source
	station.Outputs
	station.Viewer
	Attach(*station.Station)
	// Run moves it until ctx ends.
	Run(ctx context.Context)
	// Count returns where it is, and how far it is to the next item.
	Count() (count, next int64)
}

// unit is a station with its belt.
type unit struct {
	*station.Station
	belt belt
}

// Start implements api.Control.
func (u *unit) Start() error {
	count, next := u.belt.Count()
	return u.Station.Start(count, next)
}

// Source implements api.Control.
func (u *unit) Source() station.Viewer { return u.belt }

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
	a.store, err = store.Open(store.Options{
		Dir: o.DataDir, Log: o.Log,
		PictureLimit: a.site.Pictures.LimitMB << 20, PassShare: a.site.Pictures.PassShare,
	})
	if err != nil {
		return a, err
	}
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
	a.hub = api.NewHub(strconv.FormatInt(started.UnixMilli(), 36))
	for _, c := range a.site.Stations {
		if err := a.build(c); err != nil {
			return a, err
		}
	}
	pages, err := console.Handler()
	if err != nil {
		return a, err
	}
	deps := api.Deps{
		Site: a.site.Name, Version: o.Version, Started: started, Book: a.book, Records: a.store,
		KeepCamera:      func(id string, s station.CameraSettings) error { return a.cameras.keep(id, &s) },
		KeepCalibration: a.scales.keep,
		Hub:             a.hub, Console: pages, Log: o.Log,
	}
	if a.site.simulated() {
		deps.Truth = a.truth
	}
	for _, u := range a.units {
		deps.Stations = append(deps.Stations, u)
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

func (a *App) build(c StationConfig) error {
	lastSeq, err := a.store.LastSeq(c.ID)
	if err != nil {
		return err
	}
	b, err := a.beltOf(c, lastSeq)
	if err != nil {
		return fmt.Errorf("station %s: %w", c.ID, err)
	}
	if set, ok := a.cameras.by[c.ID]; ok {
		err := errors.New("its source has no settings")
		if cam, ok := b.(station.Camera); ok {
			err = cam.Set(set)
		}
		if err != nil {
			a.opts.Log.Warn("a camera keeps the settings it is delivered with", "station", c.ID, "error", err)
		}
	}
	s, err := station.New(c.Config, station.Parts{
		Source: b, Outputs: b, Recorder: a.store, Listener: a.hub, Clock: time.Now,
		PictureTimeout: time.Duration(c.Source.TimeoutMS) * time.Millisecond,
	}, lastSeq)
	if err != nil {
		return err
	}
	b.Attach(s)
	a.units = append(a.units, &unit{s, b})
	if k, ok := a.scales.by[c.ID]; ok {
		if err := s.Calibrate(&k); err != nil {
			a.opts.Log.Warn("a station goes by the scale of its configuration", "station", c.ID, "error", err)
		}
	}
	r, ok, err := a.book.Current(workbench.Key{Product: c.Product, Role: c.Role})
	if err != nil {
		return err
	}
	if !ok {
		a.opts.Log.Warn("a station has no released recipe and stays stopped", "station", c.ID, "product", c.Product, "role", c.Role)
		return nil
	}
	p, err := a.book.Plan(r.Revision)
	if err != nil {
		a.opts.Log.Error("a released recipe cannot be used, and its station stays stopped", "station", c.ID, "revision", r.Revision, "error", err)
		return nil
	}
	return s.Use(p)
}

// beltOf builds what a station is connected to.
func (a *App) beltOf(c StationConfig, lastSeq int64) (belt, error) {
	if c.Source.Plant == nil {
		p, err := source.Open(c.Source.Config, a.opts.DataDir)
		if err != nil {
			return nil, err
		}
		return source.NewBelt(p, c.Every), nil
	}
	lc := *c.Source.Plant
	lc.Station = c.ID
	lc.Seed += uint64(lastSeq) // other tins than before the restart
	return plant.NewLine(lc), nil
}

// Addr returns where the service listens.
func (a *App) Addr() string { return a.listener.Addr().String() }

// Run starts the stations and serves until ctx ends, then stops in reverse.
func (a *App) Run(ctx context.Context) error {
	defer a.Close()
	belts, stopBelts := context.WithCancel(context.Background())
	var moving sync.WaitGroup
	for _, u := range a.units {
		moving.Go(func() { u.belt.Run(belts) })
		if a.opts.Hold {
			continue
		}
		if err := u.Start(); err != nil {
			a.opts.Log.Warn("a station did not start", "station", u.Config().ID, "error", err)
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
	for _, u := range a.units {
		u.Close()
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
		if line, ok := u.belt.(*plant.Line); ok {
			sum.Add(line.Score())
		}
	}
	return sum
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
