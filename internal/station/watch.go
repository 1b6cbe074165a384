package station

import (
	"fmt"
	"math"
	"strings"
	"sync"
	"time"

	"ricetta/core/inspect"
	"ricetta/core/raster"
)

// Watch says how far the pictures of a station may drift from the reference picture, in percent
// of it, before somebody has to look: long before checks reject for it. 0 is the usual, a
// negative number switches one off.
type Watch struct {
	Brightness float64 `json:"brightness,omitempty" yaml:"brightness,omitempty"`
	Contrast   float64 `json:"contrast,omitempty" yaml:"contrast,omitempty"`
	Sharpness  float64 `json:"sharpness,omitempty" yaml:"sharpness,omitempty"`
	Evenness   float64 `json:"evenness,omitempty" yaml:"evenness,omitempty"`
	// Act is warn, the usual, or hold.
	Act string `json:"act,omitempty" yaml:"act,omitempty"`
}

func (w Watch) validate() error {
	if w.Act != "" && w.Act != "warn" && w.Act != "hold" {
		return fmt.Errorf("act of watch is %q; give warn or hold", w.Act)
	}
	for _, v := range []float64{w.Brightness, w.Contrast, w.Sharpness, w.Evenness} {
		if v > 1000 || math.IsNaN(v) {
			return fmt.Errorf("watch allows %g percent; give at most 1000, a negative number for never", v)
		}
	}
	return nil
}

func (w Watch) act() string {
	if w.Act == "" {
		return "warn"
	}
	return w.Act
}

// Watched is one quality of the last pictures, beside the reference.
type Watched struct {
	Name      string  `json:"name" required:"true" enum:"brightness,contrast,sharpness,evenness"`
	Now       float64 `json:"now" required:"true" description:"Mean of the last pictures"`
	Reference float64 `json:"reference" required:"true"`
	Percent   float64 `json:"percent" required:"true" description:"How far now lies from the reference"`
	Allowed   float64 `json:"allowed" required:"true" description:"Percent; negative: not watched"`
	Off       bool    `json:"off" required:"true" description:"It has drifted further than allowed"`
}

// watchedOver is how many pictures are looked at together: one picture without an item, or with
// an odd one, is no drift.
const watchedOver = 20

// watchedEvery is how often a picture is looked at.
const watchedEvery = time.Second

// traits are the qualities that are watched, with what is usual and what tells of them.
var traits = []struct {
	name    string
	of      func(raster.Quality) float64
	allowed func(Watch) float64
	usual   float64
	remedy  string
}{
	{"brightness", func(q raster.Quality) float64 { return q.Mean }, func(w Watch) float64 { return w.Brightness }, 20, "look at the lamp, its dust, and the exposure"},
	{"contrast", func(q raster.Quality) float64 { return q.Contrast }, func(w Watch) float64 { return w.Contrast }, 35, "look for dust on the lens, and for other light"},
	{"sharpness", func(q raster.Quality) float64 { return q.Sharpness }, func(w Watch) float64 { return w.Sharpness }, 50, "look at the focus, the mount, and for dust on the lens"},
	{"evenness", func(q raster.Quality) float64 { return q.Evenness }, func(w Watch) float64 { return w.Evenness }, 30, "look whether the lamp was moved or a part of it fails"},
}

// watching looks at pictures beside the work: where it is not done with one, the next is left
// out. It is not waited for.
type watching struct {
	cfg   Config
	drift func(station, act, text string)
	in    chan seen
	next  time.Time // before which no other one is looked at

	plan      *inspect.Plan // whose reference it is
	reference []float64
	last      [][]float64 // of the last pictures, by trait
	off       bool

	mu      sync.Mutex
	watched []Watched
}

type seen struct {
	plan *inspect.Plan
	pic  raster.Picture
}

func newWatching(c Config, drift func(station, act, text string)) *watching {
	return &watching{cfg: c, drift: drift, in: make(chan seen, 1)}
}

// see hands over a judged picture, one a second at most: drift is slow, and looking takes as long
// as judging does.
func (w *watching) see(r *inspect.Runner, pic raster.Picture, now time.Time) {
	if r == nil || pic.Kind() == "" || now.Before(w.next) {
		return
	}
	select {
	case w.in <- seen{r.Plan(), pic}:
		w.next = now.Add(watchedEvery)
	default:
	}
}

func (w *watching) state() []Watched {
	w.mu.Lock()
	defer w.mu.Unlock()
	return append([]Watched{}, w.watched...)
}

func (w *watching) run() {
	for s := range w.in {
		w.look(s)
	}
}

func traitsOf(p raster.Picture) []float64 {
	q := raster.QualityOf(p)
	out := make([]float64, len(traits))
	for i, t := range traits {
		out[i] = t.of(q)
	}
	return out
}

func (w *watching) look(s seen) {
	if s.plan != w.plan {
		w.plan, w.reference, w.last = s.plan, nil, nil
		if ref := s.plan.Reference(); ref.Gray != nil || ref.RGB != nil {
			w.reference = traitsOf(ref)
		}
		w.say(nil)
	}
	if w.reference == nil {
		return
	}
	w.last = append(w.last, traitsOf(s.pic))
	if len(w.last) < watchedOver {
		return
	}
	w.last = w.last[len(w.last)-watchedOver:]
	out := make([]Watched, len(traits))
	for i, t := range traits {
		sum := 0.0
		for _, p := range w.last {
			sum += p[i]
		}
		x := Watched{Name: t.name, Now: sum / watchedOver, Reference: w.reference[i], Allowed: t.allowed(w.cfg.Watch)}
		if x.Allowed == 0 {
			x.Allowed = t.usual
		}
		if x.Reference > 0 {
			x.Percent = 100 * (x.Now - x.Reference) / x.Reference
		}
		bound := x.Allowed
		if i < len(w.watched) && w.watched[i].Off { // what lies at the bound does not come and go
			bound *= 0.8
		}
		x.Off = x.Allowed > 0 && math.Abs(x.Percent) > bound
		out[i] = x
	}
	w.say(out)
}

// say keeps what was found, and tells the line when it begins or ends to be too much.
func (w *watching) say(found []Watched) {
	w.mu.Lock()
	w.watched = found
	w.mu.Unlock()
	var texts []string
	for i, x := range found {
		if x.Off {
			texts = append(texts, fmt.Sprintf("%s is %+.1f %% from the reference (allowed are %g %%); %s", x.Name, x.Percent, x.Allowed, traits[i].remedy))
		}
	}
	if off := len(texts) > 0; off != w.off {
		w.off = off
		text := ""
		if off {
			text = "the pictures of " + w.cfg.ID + " drift: " + strings.Join(texts, "; ")
		}
		w.drift(w.cfg.ID, w.cfg.Watch.act(), text)
	}
}
