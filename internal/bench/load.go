package main

import (
	"context"
	"errors"
	"fmt"
	"math"
	"os"
	"runtime"
	"slices"
	"sync"
	"time"

	"ricetta/core/inspect"
	"ricetta/core/raster"
	"ricetta/core/recipe"
	"ricetta/internal/line"
	"ricetta/internal/plant"
	"ricetta/internal/station"
	"ricetta/internal/store"
)

// loadFor is how long the load lasts.
var loadFor = 10 * time.Minute

// The load: two stations, 50 packages a second, 8 checks each, records on a disk.
const (
	loadRate   = 50  // packages a second
	loadPitch  = 100 // counts from package to package
	loadSecond = 250 // counts to the second camera
	loadReject = 1600
	loadPulse  = 50
	badEvery   = 20 // one package in so many is bad
)

// countsPer is how far the belt moves.
const countsPer = float64(loadRate*loadPitch) / float64(time.Second)

// floor is a line under load: the belt, the cameras and what listens.
type floor struct {
	*store.Store
	plan      *inspect.Plan
	good, bad raster.Picture
	begin     time.Time

	mu     sync.Mutex
	delays []time.Duration // from trigger to verdict
	outs   []time.Duration // from the place of the ejector to its output
	counts map[string]int64
	faults map[station.Fault]int64
}

// Plan implements line.Recipes.
func (f *floor) Plan(string, string) (*inspect.Plan, error) { return f.plan, nil }

// Write implements line.Driver: it takes the time at which the ejector goes on.
func (f *floor) Write(output string, high bool) error {
	if output != recipe.Reject || !high {
		return nil
	}
	passed := time.Since(f.begin)
	// The package that is at the ejector's begin now, or was just before.
	at := float64(passed) * countsPer
	first := math.Floor((at-loadReject+loadPulse/2)/loadPitch)*loadPitch + loadReject - loadPulse/2
	f.mu.Lock()
	defer f.mu.Unlock()
	f.outs = append(f.outs, passed-time.Duration(first/countsPer))
	return nil
}

// Record implements station.Recorder: it takes the time of the verdict before the disk.
func (f *floor) Record(it *station.Item, done func(error)) {
	f.mu.Lock()
	f.delays = append(f.delays, it.Delay)
	f.mu.Unlock()
	f.Store.Record(it, done)
}

// Recorded implements station.Listener.
func (f *floor) Recorded(*station.Item) {}

// Changed implements station.Listener.
func (f *floor) Changed(station.State) {}

// PackageRecorded implements line.Listener.
func (f *floor) PackageRecorded(p *line.Package) {
	f.mu.Lock()
	defer f.mu.Unlock()
	f.counts[p.Route]++
	if p.Fault != "" {
		f.faults[p.Fault]++
	}
}

// LineChanged implements line.Listener.
func (f *floor) LineChanged(line.State) {}

// lens is the camera of one station.
type lens struct {
	f      *floor
	offset int64
}

// Take implements station.Source: the picture is there at once, as from a camera that has a
// buffer.
func (c lens) Take(_ context.Context, count int64) (raster.Picture, error) {
	k := (count - c.offset) / loadPitch
	if k%badEvery == 0 {
		return c.f.bad, nil
	}
	return c.f.good, nil
}

// newFloor builds a line of two stations with records in a folder of their own; end closes and
// removes all of it.
func newFloor() (f *floor, l *line.Line, end func(), err error) {
	var ends []func()
	end = func() {
		for i := len(ends) - 1; i >= 0; i-- {
			ends[i]()
		}
	}
	defer func() {
		if err != nil {
			end()
		}
	}()
	plan, good, bad, err := eightPictures()
	if err != nil {
		return nil, nil, end, err
	}
	dir, err := os.MkdirTemp("", "load")
	if err != nil {
		return nil, nil, end, err
	}
	ends = append(ends, func() { _ = os.RemoveAll(dir) }) // what is left is in the folder for such things
	s, err := store.Open(store.Options{Dir: dir})
	if err != nil {
		return nil, nil, end, err
	}
	ends = append(ends, s.Close)
	f = &floor{Store: s, plan: plan, good: good, bad: bad, begin: time.Now(), counts: map[string]int64{}, faults: map[station.Fault]int64{}}
	c := line.Config{
		ID: "line1", Trigger: line.Trigger{By: line.Encoder, Every: loadPitch},
		Ejectors: map[string]line.Ejector{recipe.Reject: {Offset: loadReject, Pulse: loadPulse}},
		Stations: []station.Config{{ID: "first", Line: "line1", Role: plant.Role}, {ID: "last", Line: "line1", Role: plant.Role, Offset: loadSecond}},
	}
	if l, err = line.New(c, line.Parts{Driver: f, Recorder: f, Runs: f, Recipes: f, Listener: f, Clock: time.Now}, 0); err != nil {
		return nil, nil, end, err
	}
	ends = append(ends, l.Close)
	for _, sc := range c.Stations {
		st, err := station.New(sc, station.Parts{Source: lens{f, sc.Offset}, Line: l, Recorder: f, Listener: f, Clock: time.Now}, 0)
		if err != nil {
			return nil, nil, end, err
		}
		l.Add(st)
	}
	_, err = l.Change(line.Run{Product: plan.Recipe.Product})
	return f, l, end, err
}

// run moves the belt as the clock goes.
func (f *floor) run(l *line.Line, d time.Duration) error {
	f.begin = time.Now()
	if err := l.Start(0, loadPitch, true); err != nil {
		return err
	}
	t := time.NewTicker(time.Millisecond)
	defer t.Stop()
	for now := range t.C {
		passed := now.Sub(f.begin)
		l.Advance(int64(float64(passed) * countsPer))
		if passed > d {
			break
		}
	}
	return nil
}

func eightPictures() (plan *inspect.Plan, good, bad raster.Picture, err error) {
	if plan, err = eightPlan(); err != nil {
		return
	}
	tin := plant.Draw(77, 3, plant.Rates{})
	tin.At.Angle = 7
	good = tin.Picture()
	gone := plant.Draw(77, 3, plant.Rates{plant.Missing: 1})
	gone.At.Angle = 7
	bad = gone.Picture()
	return
}

// quantile needs a sorted list.
func quantile(sorted []time.Duration, q float64) time.Duration {
	if len(sorted) == 0 {
		return 0
	}
	return sorted[min(int(q*float64(len(sorted))), len(sorted)-1)]
}

func (t table) latencies(what string, list []time.Duration, target99 float64) {
	slices.Sort(list)
	in := func(q float64) float64 { return float64(quantile(list, q).Microseconds()) / 1000 }
	got := fmt.Sprintf("p50 %.1f, p99 %.1f, max %.1f ms", in(0.5), in(0.99), in(1))
	t.row(what, got, fmt.Sprintf("p99 ≤ %g ms", target99), in(0.99)/target99, in(0.99) <= target99)
}

// benchLoad lets a line of two stations work for a while: all that a package needs, but camera
// and wire.
func benchLoad(t table) error {
	f, l, end, err := newFloor()
	if err != nil {
		return err
	}
	defer end()
	defer runtime.GOMAXPROCS(runtime.GOMAXPROCS(runtime.GOMAXPROCS(0) + 4)) // as the service does
	if err := f.run(l, loadFor); err != nil {
		return err
	}
	st := l.State()
	l.Close()
	f.Store.Close()
	f.mu.Lock()
	defer f.mu.Unlock()
	total, faults := int64(0), int64(0)
	for _, n := range f.counts {
		total += n
	}
	for _, n := range f.faults {
		faults += n
	}
	if st.Status != station.Running {
		return errors.New("the line under load stands: " + st.Why)
	}
	t.row(fmt.Sprintf("2 stations × %d items/s × 8 checks for %v", loadRate, loadFor), fmt.Sprintf("%d packages, %d faults %v", total, faults, f.faults), "none", float64(faults), faults-f.faults[line.LeftOver] == 0)
	t.latencies("  from trigger to verdict, of an item", f.delays, 40)
	t.latencies("  from the ejector's place to its output", f.outs, 5)
	return nil
}

// benchChange times the changeover of a line of two stations.
func benchChange(t table) error {
	f, l, end, err := newFloor()
	if err != nil {
		return err
	}
	defer end()
	plan := f.plan
	var whole, held []time.Duration
	stop := make(chan struct{})
	var wg sync.WaitGroup
	wg.Go(func() { // the belt goes on meanwhile: how long it is held up is the switch itself
		f.begin = time.Now()
		for {
			select {
			case <-stop:
				return
			default:
			}
			at := time.Now()
			l.Advance(int64(float64(time.Since(f.begin)) * countsPer))
			held = append(held, time.Since(at))
			time.Sleep(100 * time.Microsecond)
		}
	})
	for range 50 {
		begin := time.Now()
		if _, err := l.Change(line.Run{Product: plan.Recipe.Product}); err != nil {
			return err
		}
		whole = append(whole, time.Since(begin))
	}
	close(stop)
	wg.Wait()
	slices.Sort(held)
	slices.Sort(whole)
	p := func(list []time.Duration, q float64) float64 {
		return float64(quantile(list, q).Microseconds()) / 1000
	}
	t.row("changeover of 2 stations made ready: belt held up, longest of 50", fmt.Sprintf("%.2f ms", p(held, 1)), "≤ 5 ms", p(held, 1)/5, p(held, 1) <= 5)
	fmt.Fprintf(t.w, "  the whole of it, with the record of the run on disk\tp50 %.2f, max %.2f ms\t\t\t\n", p(whole, 0.5), p(whole, 1))
	fresh := time.Now()
	if _, err := inspect.Prepare(plan.Recipe); err != nil {
		return err
	}
	fmt.Fprintf(t.w, "  making a recipe of 8 checks ready, ahead of it\t%.0f ms\t\t\t\n", time.Since(fresh).Seconds()*1000)
	return nil
}
