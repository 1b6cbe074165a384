package line

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/require"

	"ricetta/core/recipe"
	"ricetta/internal/station"
)

// hall is a belt as it is: packages at their own places, ejectors that push what lies before
// them while they are on, an eye, two cameras whose verdicts come when they come.
type hall struct {
	t    testing.TB
	rng  *rand.Rand
	cfg  Config
	line *Tracker
	eye  eye

	count, most int64
	ahead       []int64 // where packages lie that have not come to the eye
	lit         []int64 // where the eye turns light again
	next        int64
	on          map[string]bool
	under       []*parcel
	coming      []coming // verdicts, unordered
	bySeq       map[int64]*parcel
	left        map[string]int
	late, lost  int
}

type parcel struct {
	at    int64
	seq   int64
	route string // that stands, from Settled
	gone  string // the ejector that took it
}

type coming struct {
	at      int64
	seq     int64
	station int
	route   string
}

func (h *hall) step(n int64) {
	from := h.count
	h.count += n
	// What the outputs were set to by the last call acts on what goes by now.
	for _, p := range h.under {
		for _, r := range []string{recipe.Reject, recipe.Rework} {
			if mid := p.at + h.cfg.Ejectors[r].Offset; mid > from && mid <= h.count && h.on[r] {
				if p.gone != "" {
					h.t.Fatalf("package %d, gone by %s, meets %s", p.seq, p.gone, r)
				}
				p.gone = r
			}
		}
	}
	if h.count > h.most { // the eye's input latches the count of its edges
		h.most = h.count
		for h.next <= h.count {
			h.see(true, h.next)
			h.lit = append(h.lit, h.next+30)
			h.ahead = append(h.ahead, h.next)
			h.next += 60 + h.rng.Int64N(140)
		}
		for len(h.lit) > 0 && h.lit[0] <= h.count {
			h.see(false, h.lit[0])
			h.lit = h.lit[1:]
		}
		if !h.eye.dark && h.next > h.count+20 && h.rng.IntN(50) == 0 { // dust
			h.see(true, h.count)
			h.see(false, h.count+1)
		}
	}
	if at, ok := h.eye.due(h.count); ok {
		h.enter(at)
	}
	h.act(h.line.Advance(h.count))
	kept := h.coming[:0]
	for _, c := range h.coming {
		if c.at > h.count {
			kept = append(kept, c)
			continue
		}
		h.line.Decide(c.seq, c.station, c.route)
	}
	h.coming = kept
	// Behind the last ejector a package has left one way or the other.
	for len(h.under) > 0 && h.under[0].at+h.cfg.Ejectors[recipe.Rework].Offset+60 < h.count {
		p := h.under[0]
		h.under = h.under[1:]
		delete(h.bySeq, p.seq)
		want := h.cfg.ejectorFor(p.route)
		if p.route == "" || p.gone != want {
			h.t.Fatalf("package %d at %d has the route %q, and left by %q", p.seq, p.at, p.route, p.gone)
		}
		h.left[p.route]++
	}
}

func (h *hall) see(dark bool, count int64) {
	if at, ok := h.eye.input(dark, count); ok {
		h.enter(at)
	}
}

func (h *hall) enter(at int64) {
	require.NotEmpty(h.t, h.ahead, "nothing lies there")
	require.Equal(h.t, h.ahead[0], at, "it lies where the eye went dark")
	h.ahead = h.ahead[1:]
	h.under = append(h.under, &parcel{at: at})
	h.act(h.line.Enter(at))
}

func (h *hall) act(actions []Action) {
	for _, a := range actions {
		switch a.Kind {
		case Entered:
			p := h.under[len(h.under)-1]
			p.seq = a.Seq
			h.bySeq[a.Seq] = p
		case TakePicture:
			after := h.rng.Int64N(250)
			switch h.rng.IntN(50) {
			case 0:
				after += 400 // too late
			case 1:
				h.lost++
				continue
			}
			routes := [...]string{recipe.Pass, recipe.Pass, recipe.Pass, recipe.Pass, recipe.Reject, recipe.Rework, "lane"}
			h.coming = append(h.coming, coming{h.count + after, a.Seq, a.Station, routes[h.rng.IntN(len(routes))]})
		case OutputOn, OutputOff:
			h.on[a.Route] = a.Kind == OutputOn
		case Settled:
			p := h.bySeq[a.Seq]
			if p.route != "" {
				h.t.Fatalf("package %d is settled twice", a.Seq)
			}
			p.route = a.Route
			if a.Late {
				h.late++
				if a.Route != recipe.Reject {
					h.t.Fatalf("package %d is late and goes to %s", a.Seq, a.Route)
				}
			}
		}
	}
}

// Every package leaves at its own place, exactly once, by its own route, whatever the belt
// does: it runs fast and slow, stands, and creeps back; verdicts come late or never.
func TestAMillionPackagesLeaveAtTheirOwnPlace(t *testing.T) {
	packages := 1_000_000
	if testing.Short() {
		packages = 50_000
	}
	cfg := Config{
		ID: "l1", Trigger: Trigger{By: Eye, Input: "eye", Debounce: 4, Least: 55},
		Stations: []station.Config{{ID: "top", Offset: 10}, {ID: "side", Offset: 80}},
		Ejectors: map[string]Ejector{
			recipe.Reject: {Offset: 400, Pulse: 40}, recipe.Rework: {Offset: 560, Pulse: 40},
		},
	}
	require.NoError(t, cfg.Validate())
	h := &hall{
		t: t, rng: rand.New(rand.NewPCG(4, 7)), cfg: cfg, line: NewTracker(cfg, 0), eye: eye{debounce: 4, least: 55},
		next: 700, on: map[string]bool{}, bySeq: map[int64]*parcel{}, left: map[string]int{},
	}
	h.line.Start(0, 0, false)
	total := func() (n int) {
		for _, k := range h.left {
			n += k
		}
		return n
	}
	for speed, done := int64(6), 0; done < packages; done = total() {
		switch h.rng.IntN(40) {
		case 0:
			speed = 1 + h.rng.Int64N(15)
		case 1: // it stands
			for range h.rng.IntN(30) {
				h.act(h.line.Advance(h.count))
			}
		case 2: // it creeps back, and comes forward again
			back := h.rng.Int64N(4)
			h.count -= back
			h.act(h.line.Advance(h.count))
			h.count += back
		}
		h.step(1 + h.rng.Int64N(speed))
	}
	t.Logf("%v, %d too late or lost", h.left, h.late)
	require.Positive(t, h.late)
	require.Positive(t, h.left["lane"])
	require.Positive(t, h.left[recipe.Rework])
	require.Positive(t, h.eye.flickers)
	require.Less(t, h.late, packages/10)
}
