package plant

import (
	"context"
	"fmt"
	"sync"
	"time"

	"ricetta/core/raster"
	"ricetta/core/recipe"
	"ricetta/internal/station"
)

// Geometry of a demo line, in encoder counts of 0.1 mm.
const (
	Pitch        = 3000 // from tin to tin
	rejectOffset = 10_500
	reworkOffset = 16_500
	pulse        = 1600
	confirmAfter = 1200
	sensorAfter  = 500 // from the ejector's middle to its confirm sensor
)

// LineConfig describes a demo line with one station over its belt.
type LineConfig struct {
	Station  string  `json:"station"`
	Name     string  `json:"name"`
	Line     string  `json:"line"`
	LineName string  `json:"line_name"`
	Seed     uint64  `json:"seed"`
	Speed    float64 `json:"speed_mm_s"` // of the belt
	Rates    Rates   `json:"rates"`
	// Product is what lies on the belt; pencil tins if it is empty.
	Product string `json:"product,omitempty"`
}

// Lines are the lines of the demo plant: two for tins, of which the second packs worse,
// and one each, slower, for the other products.
func Lines() []LineConfig {
	return []LineConfig{
		{"line1-top", "Tins, top view", "line1", "Line 1", 1001, 300, Rates{Missing: 0.012, Swapped: 0.008, Reversed: 0.008, NoTin: 0.005, Turned: 0.008}, Tins},
		{"line2-top", "Tins, top view", "line2", "Line 2", 2002, 240, Rates{Missing: 0.03, Swapped: 0.016, Reversed: 0.02, NoTin: 0.006, Turned: 0.02}, Tins},
		{"line3-top", "Watercolor trays", "line3", "Line 3", 3003, 60, Rates{PanMissing: 0.012, PansSwapped: 0.008, BrushMissing: 0.012, TrayTurned: 0.008, Nothing: 0.004}, Trays},
		{"line4-top", "Glue sticks", "line4", "Line 4", 4004, 60, Rates{CapMissing: 0.01, CapRaised: 0.02, CodeScratched: 0.008, DateMissing: 0.005, DateWrong: 0.005, DateSmeared: 0.005, LotWrong: 0.005, Nothing: 0.004}, Sticks},
		{"line5-top", "Masking tape", "line5", "Line 5", 5005, 60, Rates{Bump: 0.012, Notch: 0.012, Nothing: 0.004}, Rolls},
		{"line6-top", "Jar lids", "line6", "Line 6", 6006, 30, Rates{CodeMissing: 0.01, ArticleWrong: 0.01, CodePale: 0.01, Nothing: 0.004}, Lids},
	}
}

// The products of the demo plant, and the role of its stations.
const (
	Tins   = "pencil-tin-12"
	Trays  = "watercolor-tray-12"
	Sticks = "glue-stick-20"
	Rolls  = "masking-tape-50"
	Lids   = "jar-lid-80"

	Role = "top"
)

func (c LineConfig) product() string {
	if c.Product == "" {
		return Tins
	}
	return c.Product
}

// StationConfig returns how the line's station is built in.
func (c LineConfig) StationConfig() station.Config {
	return station.Config{
		ID: c.Station, Name: c.Name, Line: c.Line, Role: Role, Product: c.product(), Every: Pitch,
		Ejectors: map[string]station.Ejector{
			recipe.Reject: {Offset: rejectOffset, Pulse: pulse, Confirm: confirmAfter},
			recipe.Rework: {Offset: reworkOffset, Pulse: pulse},
		},
	}
}

// Line is a belt with tins on it, an encoder, a camera, ejectors and a confirm
// sensor. It is the station's Source and its Outputs. Tins lie at multiples of
// Pitch; the camera is at 0, so tin k is under it at count k·Pitch.
type Line struct {
	cfg LineConfig

	mu       sync.Mutex
	count    int64
	permit   bool
	on       map[string]bool
	confirms []int64 // counts at which the sensor will see a rejected tin
	blind    bool    // the confirm sensor is dead
	dark     bool    // the camera is dead
	score    Score
	watched  int64 // first tin that the station saw, -1 before
	ahead    rendering
	settings station.CameraSettings

	camera  chan *camera // one at a time
	station *station.Station
}

// NewLine returns a line at rest.
func NewLine(cfg LineConfig) *Line {
	theStudio() // now, and not while the first tin waits
	l := &Line{cfg: cfg, on: map[string]bool{}, score: newScore(), watched: -1, settings: delivered, camera: make(chan *camera, 1)}
	l.camera <- new(camera)
	return l
}

// Attach tells the line which station to keep informed.
func (l *Line) Attach(s *station.Station) { l.station = s }

// Config returns how the line is set up.
func (l *Line) Config() LineConfig { return l.cfg }

// Piece returns the truth about a tin.
func (l *Line) Piece(index int64) Piece {
	return DrawOf(l.cfg.product(), l.cfg.Seed, index, l.cfg.Rates)
}

// rendering is the picture of a tin, on its way.
type rendering struct {
	index int64
	done  <-chan raster.Picture
}

// render draws a tin in a goroutine of its own, one after the other. It needs the lock.
func (l *Line) render(index int64) rendering {
	done := make(chan raster.Picture, 1)
	settings, moving := l.settings, l.permit
	go func() {
		c := <-l.camera
		defer func() { l.camera <- c }()
		done <- developed(c.picture(l.Piece(index)), settings, l.cfg.Speed, moving, index)
	}()
	return rendering{index, done}
}

// Take implements station.Source. A real camera has its picture some milliseconds
// after the trigger; drawing one takes much longer, so the next tin is drawn while it
// is still on its way.
func (l *Line) Take(ctx context.Context, count int64) (raster.Picture, error) {
	k := count / Pitch
	l.mu.Lock()
	if l.watched < 0 {
		l.watched = k
	}
	if l.dark {
		l.mu.Unlock()
		return raster.Picture{}, fmt.Errorf("the camera of %s does not answer", l.cfg.Station)
	}
	now := l.ahead
	if now.done == nil || now.index != k {
		now = l.render(k)
	}
	l.ahead = l.render(k + 1)
	l.mu.Unlock()
	select {
	case pic := <-now.done:
		return pic, nil
	case <-ctx.Done():
		return raster.Picture{}, ctx.Err()
	}
}

// Eject implements station.Outputs.
func (l *Line) Eject(route string, on bool) error {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.on[route] = on
	return nil
}

// Permit implements station.Outputs: the belt moves only with the permit.
func (l *Line) Permit(on bool) error {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.permit = on
	return nil
}

// Break makes the camera or the confirm sensor fail, or mends them.
func (l *Line) Break(camera, sensor bool) {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.dark, l.blind = camera, sensor
}

// Count returns where the belt is, and how far it is to the next tin.
func (l *Line) Count() (count, next int64) {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.count, Pitch - l.count%Pitch
}

// Moves reports whether the belt has its permit.
func (l *Line) Moves() bool {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.permit
}

// Step moves the belt on by n counts, which must be fewer than the shortest pulse.
func (l *Line) Step(n int64) {
	l.mu.Lock()
	from := l.count
	l.count += n
	to := l.count
	l.mu.Unlock()
	l.station.Advance(to) // switches the ejectors up to here

	l.mu.Lock()
	l.pass(recipe.Reject, rejectOffset, from, to)
	l.pass(recipe.Rework, reworkOffset, from, to)
	l.pass("", reworkOffset+Pitch, from, to)
	seen := 0
	for len(l.confirms) > 0 && l.confirms[0] <= to {
		l.confirms = l.confirms[1:]
		seen++
	}
	if l.blind {
		seen = 0
	}
	l.mu.Unlock()
	for range seen {
		l.station.Confirm(recipe.Reject)
	}
}

// pass lets the tin that goes by an ejector be taken off by it; route "" is the end
// of the belt. It needs the lock.
func (l *Line) pass(route string, offset, from, to int64) {
	k := (to - offset) / Pitch
	if to < offset || k*Pitch+offset <= from || l.watched < 0 || k < l.watched || l.score.left(k) {
		return
	}
	switch {
	case route == "":
		l.score.leave(l.Piece(k), recipe.Pass)
	case l.on[route]:
		l.score.leave(l.Piece(k), route)
		if route == recipe.Reject {
			l.confirms = append(l.confirms, to+sensorAfter)
		}
	}
}

// Run moves the belt in real time until ctx ends.
func (l *Line) Run(ctx context.Context) {
	const tick = 5 * time.Millisecond
	t := time.NewTicker(tick)
	defer t.Stop()
	last, rest := time.Now(), 0.0
	for {
		select {
		case <-ctx.Done():
			return
		case now := <-t.C:
			rest += now.Sub(last).Seconds() * l.cfg.Speed * 10
			last = now
			if !l.Moves() {
				rest = 0
				continue
			}
			// A machine that was busy must not make the belt jump over a pulse.
			n := min(int64(rest), pulse/4)
			rest -= float64(n)
			if n > 0 {
				l.Step(n)
			}
		}
	}
}

// Score returns what became of the tins so far.
func (l *Line) Score() Score {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.score.clone()
}
