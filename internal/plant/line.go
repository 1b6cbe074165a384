package plant

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"sync"
	"time"

	"ricetta/core/raster"
	"ricetta/core/recipe"
	"ricetta/internal/line"
	"ricetta/internal/plant/controller"
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

// LineConfig describes a demo line.
type LineConfig struct {
	Seed  uint64  `json:"seed"`
	Speed float64 `json:"speed_mm_s"` // of the belt
	Rates Rates   `json:"rates"`
	// Product is what lies on the belt; pencil tins if it is empty.
	Product string `json:"product,omitempty"`
	// Controller lets a simulated line controller run the line; nil: people do.
	Controller *controller.Config `json:"controller,omitempty"`
}

// DemoLine is a line of the demo plant with its stations.
type DemoLine struct {
	LineConfig
	ID, Name string
	Stations []station.Config
}

// Lines are the lines of the demo plant: two for tins, of which the second packs worse,
// and one each, slower, for the other products.
func Lines() []DemoLine {
	top := func(line, name string) []station.Config {
		return []station.Config{{ID: line + "-top", Name: name, Line: line, Role: Role}}
	}
	return []DemoLine{
		{LineConfig{Seed: 1001, Speed: 300, Rates: Rates{Missing: 0.012, Swapped: 0.008, Reversed: 0.008, NoTin: 0.005, Turned: 0.008}, Product: Tins}, "line1", "Line 1", top("line1", "Tins, top view")},
		{LineConfig{Seed: 2002, Speed: 240, Rates: Rates{Missing: 0.03, Swapped: 0.016, Reversed: 0.02, NoTin: 0.006, Turned: 0.02}, Product: Tins}, "line2", "Line 2", top("line2", "Tins, top view")},
		{LineConfig{Seed: 3003, Speed: 60, Rates: Rates{PanMissing: 0.012, PansSwapped: 0.008, BrushMissing: 0.012, TrayTurned: 0.008, Nothing: 0.004}, Product: Trays}, "line3", "Line 3", top("line3", "Watercolor trays")},
		{LineConfig{Seed: 4004, Speed: 60, Rates: Rates{CapMissing: 0.01, CapRaised: 0.02, CodeScratched: 0.008, DateMissing: 0.005, DateWrong: 0.005, DateSmeared: 0.005, LotWrong: 0.005, Nothing: 0.004}, Product: Sticks}, "line4", "Line 4", top("line4", "Glue sticks")},
		{LineConfig{Seed: 5005, Speed: 60, Rates: Rates{Bump: 0.012, Notch: 0.012, Nothing: 0.004}, Product: Rolls}, "line5", "Line 5", top("line5", "Masking tape")},
		{LineConfig{Seed: 6006, Speed: 30, Rates: Rates{CodeMissing: 0.01, ArticleWrong: 0.01, CodePale: 0.01, Nothing: 0.004}, Product: Lids}, "line6", "Line 6", top("line6", "Jar lids")},
	}
}

// Controlled is a line of two stations that a line controller runs: tins and rolls by turns.
func Controlled() DemoLine {
	return DemoLine{
		LineConfig{
			Seed: 7007, Speed: 100, Rates: Rates{Missing: 0.02, Turned: 0.02, Bump: 0.03, Nothing: 0.01}, Product: Tins,
			Controller: &controller.Config{Products: []string{Tins, Rolls}, Each: 20},
		},
		"line7", "Line 7",
		[]station.Config{
			{ID: "line7-first", Name: "First camera", Line: "line7", Role: Role},
			{ID: "line7-last", Name: "Camera before the ejector", Line: "line7", Role: Role, Offset: 4200},
		},
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

// Config returns how the line is built.
func (d DemoLine) Config() line.Config {
	out := line.Config{
		ID: d.ID, Name: d.Name, Product: d.product(), Trigger: line.Trigger{By: line.Encoder, Every: Pitch},
		Ejectors: map[string]line.Ejector{
			recipe.Reject: {Offset: rejectOffset, Pulse: pulse, Confirm: confirmAfter},
			recipe.Rework: {Offset: reworkOffset, Pulse: pulse},
		},
		Stations: d.Stations,
	}
	if len(d.Stations) > 1 { // the ejectors stand behind the last camera
		out.Ejectors = map[string]line.Ejector{
			recipe.Reject: {Offset: rejectOffset + 6000, Pulse: pulse, Confirm: confirmAfter},
			recipe.Rework: {Offset: reworkOffset + 6000, Pulse: pulse},
		}
	}
	if d.ID == "line1" {
		out.Challenges = &line.Challenges{
			Pieces: []line.ChallengePiece{
				{Name: string(Missing), Route: recipe.Reject, Count: 2},
				{Name: string(Turned), Route: recipe.Rework},
				{Name: string(Good), Route: recipe.Pass},
			},
			AtChangeover: true, EveryHours: 4, GraceMinutes: 30, Act: line.Warn,
		}
	}
	return out
}

// Line is a belt with tins on it, an encoder, cameras, ejectors and a confirm sensor. It is the
// line's Driver. Tins lie at multiples of Pitch; the trigger is at 0, so tin k is there at
// count k·Pitch.
type Line struct {
	cfg LineConfig

	mu       sync.Mutex
	count    int64
	levels   map[string]bool // of the line's outputs
	low      map[string]bool // those that act when they are low
	confirms []int64         // counts at which the sensor will see a rejected tin
	blind    bool            // the confirm sensor is dead
	dead     bool            // the cameras are dead
	score    Score
	watched  int64            // first tin that a station saw, -1 before
	placed   map[int64]Defect // what somebody put on the belt
	loads    []load           // what was put on the belt, by its first piece
	cameras  []*Camera

	line     *line.Line
	ejectors []standing // as a tin passes them
}

// Camera is one over a line: a station.Source and a station.Camera.
type Camera struct {
	line   *Line
	name   string
	offset int64 // from the trigger
	view   int   // which of the line's cameras
	// What follows is under the line's lock.
	ahead    rendering
	settings station.CameraSettings

	pen chan *camera // one at a time
}

// NewLine returns a line at rest.
func NewLine(cfg LineConfig) *Line {
	theStudio() // now, and not while the first tin waits
	return &Line{cfg: cfg, levels: map[string]bool{}, low: map[string]bool{}, score: newScore(), watched: -1, placed: map[int64]Defect{}}
}

// Camera hangs another camera over the line, so far behind the trigger, and returns it. It is
// for building, before the belt moves.
func (l *Line) Camera(name string, offset int64) *Camera {
	c := &Camera{line: l, name: name, offset: offset, view: len(l.cameras), settings: delivered, pen: make(chan *camera, 1)}
	c.pen <- new(camera)
	l.cameras = append(l.cameras, c)
	return c
}

// Attach tells the belt which line to keep informed, and where its ejectors stand.
func (l *Line) Attach(to *line.Line) {
	l.line = to
	for route, e := range to.Config().Ejectors {
		l.ejectors = append(l.ejectors, standing{route, e.Offset})
	}
	for n, w := range to.Config().Signals.Outputs {
		l.low[n] = w.Active == line.Low
	}
	slices.SortFunc(l.ejectors, func(a, b standing) int { return cmp.Compare(a.offset, b.offset) })
}

// standing is an ejector at its place, so far behind the trigger.
type standing struct {
	route  string
	offset int64
}

// load is a product that lies on the belt from a piece on.
type load struct {
	from    int64
	product string
}

// Load puts another product on the belt, from the piece on that comes to the trigger next.
func (l *Line) Load(product string) {
	l.mu.Lock()
	defer l.mu.Unlock()
	k := l.count/Pitch + 1
	l.loads = append(l.loads, load{k, product})
	for _, c := range l.cameras {
		if c.ahead.index >= k {
			c.ahead = rendering{}
		}
	}
}

// product is what a piece is. It needs the lock.
func (l *Line) product(index int64) string {
	for i := len(l.loads) - 1; i >= 0; i-- {
		if l.loads[i].from <= index {
			return l.loads[i].product
		}
	}
	return l.cfg.product()
}

// Place implements line.Placer: it puts a test piece on the belt, in the place of the tin that
// comes to the trigger next. Its name is that of a defect; any other is a good piece.
func (l *Line) Place(piece string) {
	d := Good
	if slices.Contains(Defects, Defect(piece)) {
		d = Defect(piece)
	}
	l.mu.Lock()
	defer l.mu.Unlock()
	k := l.count/Pitch + 1
	l.placed[k] = d
	for _, c := range l.cameras {
		if c.ahead.index >= k {
			c.ahead = rendering{} // it was drawn before somebody changed it
		}
	}
}

// Piece returns the truth about a tin.
func (l *Line) Piece(index int64) Piece {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.piece(index)
}

// piece needs the lock.
func (l *Line) piece(index int64) Piece {
	if d, ok := l.placed[index]; ok {
		return DrawOf(l.product(index), l.cfg.Seed, index, Rates{d: 1})
	}
	return DrawOf(l.product(index), l.cfg.Seed, index, l.cfg.Rates)
}

// rendering is the picture of a tin, on its way.
type rendering struct {
	index int64
	done  <-chan raster.Picture
}

// render draws a tin in a goroutine of its own, one after the other. It needs the line's lock.
func (c *Camera) render(index int64) rendering {
	done := make(chan raster.Picture, 1)
	settings, moving := c.settings, c.line.on(line.Permit)
	piece := c.line.piece(index)
	go func() {
		pen := <-c.pen
		defer func() { c.pen <- pen }()
		done <- developed(pen.picture(piece.seenBy(c.view)), settings, c.line.cfg.Speed, moving, index)
	}()
	return rendering{index, done}
}

// Take implements station.Source. A real camera has its picture some milliseconds
// after the trigger; drawing one takes much longer, so the next tin is drawn while it
// is still on its way.
func (c *Camera) Take(ctx context.Context, count int64) (raster.Picture, error) {
	l := c.line
	k := (count - c.offset) / Pitch
	l.mu.Lock()
	if l.watched < 0 {
		l.watched = k
	}
	if l.dead {
		l.mu.Unlock()
		return raster.Picture{}, fmt.Errorf("the camera of %s does not answer", c.name)
	}
	now := c.ahead
	if now.done == nil || now.index != k {
		now = c.render(k)
	}
	c.ahead = c.render(k + 1)
	l.mu.Unlock()
	select {
	case pic := <-now.done:
		return pic, nil
	case <-ctx.Done():
		return raster.Picture{}, ctx.Err()
	}
}

// Write implements line.Driver.
func (l *Line) Write(output string, high bool) error {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.levels[output] = high
	return nil
}

// on reports whether an output acts. It needs the lock.
func (l *Line) on(output string) bool { return l.levels[output] != l.low[output] }

// Break makes the cameras or the confirm sensor fail, or mends them.
func (l *Line) Break(camera, sensor bool) {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.dead, l.blind = camera, sensor
}

// Count returns where the belt is, and how far it is to the next tin.
func (l *Line) Count() (count, next int64) {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.count, Pitch - l.count%Pitch
}

func (l *Line) at() int64 {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.count
}

// Moves reports whether the belt has its permit.
func (l *Line) Moves() bool {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.on(line.Permit)
}

// Step moves the belt on by n counts, which must be fewer than the shortest pulse.
func (l *Line) Step(n int64) {
	l.mu.Lock()
	from := l.count
	l.count += n
	to := l.count
	l.mu.Unlock()
	l.line.Advance(to) // switches the ejectors up to here

	l.mu.Lock()
	end := int64(0)
	for _, e := range l.ejectors {
		l.pass(e.route, e.offset, from, to)
		end = e.offset
	}
	l.pass("", end+Pitch, from, to)
	seen := 0
	for len(l.confirms) > 0 && l.confirms[0] <= to {
		l.confirms = l.confirms[1:]
		seen++
	}
	if l.blind {
		seen = 0
	}
	l.mu.Unlock()
	const sensor = "confirm_" + recipe.Reject
	for range seen {
		l.wire(sensor, true, to)
		l.wire(sensor, false, to)
	}
	l.eye(from, to)
}

// wire tells the line what an input means; wires that are active low are turned here.
func (l *Line) wire(input string, on bool, count int64) {
	l.line.Input(input, on != (l.line.Config().Signals.Inputs[input].Active == line.Low), count)
}

// eye tells the line's photo-eye of what goes by the trigger: a piece is as long as a third of
// the pitch, and begins at its place.
func (l *Line) eye(from, to int64) {
	t := l.line.Config().Trigger
	if t.By != line.Eye {
		return
	}
	for k := from / Pitch; k*Pitch <= to; k++ {
		if l.Piece(k).absent() {
			continue
		}
		if at := k * Pitch; at > from {
			l.wire(t.Input, true, at)
		}
		if at := k*Pitch + Pitch/3; at > from && at <= to {
			l.wire(t.Input, false, at)
		}
	}
}

// pass lets the tin that goes by an ejector be taken off by it; route "" is the end
// of the belt. It needs the lock.
func (l *Line) pass(route string, offset, from, to int64) {
	k := (to - offset) / Pitch
	if to < offset || k*Pitch+offset <= from || l.watched < 0 || k < l.watched || l.score.left(k) {
		return
	}
	if l.line.Config().Trigger.By == line.Eye && l.piece(k).absent() {
		return // nothing came, and nothing left
	}
	switch {
	case route == "":
		l.score.leave(l.piece(k), recipe.Pass)
		delete(l.placed, k)
	case l.on(route):
		l.score.leave(l.piece(k), route)
		delete(l.placed, k)
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
				l.line.Advance(l.at()) // its heart beats
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
