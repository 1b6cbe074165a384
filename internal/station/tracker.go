package station

import (
	"slices"

	"ricetta/core/recipe"
)

// ActionKind says what the tracker asks for.
type ActionKind uint8

// What a tracker can ask for.
const (
	TakePicture  ActionKind = iota // of item Seq
	OutputOn                       // of the ejector of Route
	OutputOff                      // of the ejector of Route
	WasLate                        // item Seq reached its ejector without a verdict and was ejected
	NotConfirmed                   // item Seq was not seen leaving by the ejector of Route
)

// Action is something to be done now, with the encoder count it was due at.
type Action struct {
	Kind  ActionKind
	At    int64
	Seq   int64
	Route string
}

// tracked is an item between the camera and the ejectors.
type tracked struct {
	seq     int64
	camera  int64  // count at which it was under the camera
	route   string // "" while undecided
	settled bool   // its ejector's time has come: the route stands
	late    bool
}

// ejecting is one use of an ejector.
type ejecting struct {
	seq       int64
	on, off   int64
	confirmBy int64 // 0: nothing to confirm
	started   bool
	over      bool // the output has no more need of it; a confirmation may be open
	confirmed bool
}

// Tracker follows items from the camera to the ejectors by encoder counts. It is a
// state machine: the same calls give the same actions. It is not for concurrent use.
type Tracker struct {
	cfg     Config
	count   int64
	next    int64 // count of the next trigger, when running
	running bool
	seq     int64 // of the last item
	items   []tracked
	pulses  map[string][]ejecting // by ejector, in order
	on      map[string]bool
	routes  []string // of the ejectors, sorted

	seen       bool  // a picture was taken
	lastCamera int64 // where
}

// NewTracker returns a tracker at rest. Items are numbered from lastSeq+1.
func NewTracker(cfg Config, lastSeq int64) *Tracker {
	t := &Tracker{cfg: cfg, seq: lastSeq, pulses: map[string][]ejecting{}, on: map[string]bool{}}
	for r := range cfg.Ejectors {
		t.routes = append(t.routes, r)
	}
	slices.Sort(t.routes)
	return t
}

// Start begins taking pictures, the first when the belt has moved on by first
// counts. What lies between camera and ejector and was not seen is rejected: after
// a first start the whole stretch, after a stop what passed the camera meanwhile.
func (t *Tracker) Start(count, first int64) {
	t.count, t.running, t.next = count, true, count+first
	e := t.cfg.Ejectors[recipe.Reject]
	on, off := count, t.next+e.Offset-t.cfg.Every/2
	if t.seen {
		on = max(on, t.lastCamera+e.Offset+t.cfg.Every/2)
	}
	if on < off {
		t.pulses[recipe.Reject] = append(t.pulses[recipe.Reject], ejecting{on: on, off: off})
	}
}

// Stop ends taking pictures. Items under way are still followed to their ejectors.
func (t *Tracker) Stop() { t.running = false }

// Underway returns how many items lie between the camera and the last ejector.
func (t *Tracker) Underway() int { return len(t.items) }

// LastSeq returns the number of the last item.
func (t *Tracker) LastSeq() int64 { return t.seq }

// Decide sets the route of an item. It returns the route that stands: reject, with
// late set, where the item has already reached an ejector without a verdict.
func (t *Tracker) Decide(seq int64, route string) (stands string, late bool) {
	for i := range t.items {
		it := &t.items[i]
		if it.seq != seq {
			continue
		}
		if it.settled {
			return it.route, it.late
		}
		if it.route != recipe.Reject { // a reject is never taken back
			it.route = route
		}
		if r := t.cfg.ejectorFor(it.route); r != "" && r != recipe.Reject && it.camera+t.cfg.Ejectors[r].start() <= t.count {
			// Its own ejector is behind it already, the one for rejects is not.
			it.route, it.late = recipe.Reject, true
		}
		return it.route, it.late
	}
	// It left long ago, ejected for want of a verdict.
	return recipe.Reject, true
}

// Confirm tells that the confirm sensor of a route's ejector saw an item leave. It
// reports whether one was expected.
func (t *Tracker) Confirm(route string) bool {
	for i := range t.pulses[route] {
		p := &t.pulses[route][i]
		if p.started && !p.confirmed && p.confirmBy > 0 {
			p.confirmed = true
			return true
		}
	}
	return false
}

// Advance tells where the belt is now and returns what became due since the last
// call, in the order of the counts. A belt that moves back changes nothing until
// it has come forward again.
func (t *Tracker) Advance(count int64) []Action {
	if count <= t.count {
		return nil
	}
	from := t.count
	t.count = count
	var out []Action
	for t.running && t.next <= count {
		t.seq++
		t.items = append(t.items, tracked{seq: t.seq, camera: t.next})
		t.seen, t.lastCamera = true, t.next
		out = append(out, Action{Kind: TakePicture, At: t.next, Seq: t.seq})
		t.next += t.cfg.Every
	}
	out = t.settle(out)
	for _, r := range t.routes {
		out = t.drive(out, r, from)
	}
	// An item is forgotten when the last ejector is behind it.
	reach := int64(0)
	for _, e := range t.cfg.Ejectors {
		reach = max(reach, e.Offset+e.Pulse)
	}
	t.items = slices.DeleteFunc(t.items, func(it tracked) bool { return it.settled && it.camera+reach < count })
	slices.SortStableFunc(out, func(a, b Action) int { return int(min(max(a.At-b.At, -1), 1)) })
	return out
}

// settle turns routes into uses of ejectors as items reach the first point at which
// any ejector could act on them. An undecided item is rejected there.
func (t *Tracker) settle(out []Action) []Action {
	for i := range t.items {
		it := &t.items[i]
		if it.settled {
			continue
		}
		// Undecided and passing items come due where the ejector for rejects starts:
		// up to there, a verdict can still send them out.
		ejector := recipe.Reject
		if it.route != "" && it.route != recipe.Pass {
			ejector = t.cfg.ejectorFor(it.route)
		}
		e := t.cfg.Ejectors[ejector]
		at := it.camera + e.start()
		if at > t.count {
			continue
		}
		it.settled = true
		if it.route == "" {
			it.route, it.late = recipe.Reject, true
			out = append(out, Action{Kind: WasLate, At: at, Seq: it.seq})
		}
		if it.route == recipe.Pass {
			continue
		}
		p := ejecting{seq: it.seq, on: at, off: at + e.Pulse}
		if e.Confirm > 0 {
			p.confirmBy = it.camera + e.Offset + e.Confirm
		}
		t.pulses[ejector] = append(t.pulses[ejector], p)
	}
	return out
}

// start is the distance from the camera at which the ejector begins to act.
func (e Ejector) start() int64 { return e.Offset - e.Pulse/2 }

// drive switches one output and watches its confirmations. Overlapping uses merge.
func (t *Tracker) drive(out []Action, route string, from int64) []Action {
	uses := t.pulses[route]
	for i := range uses {
		p := &uses[i]
		if !p.started && p.on <= t.count {
			p.started = true
			if !t.on[route] {
				t.on[route] = true
				out = append(out, Action{Kind: OutputOn, At: max(p.on, from), Seq: p.seq, Route: route})
			}
		}
		if p.started && !p.over && p.off <= t.count {
			p.over = true
			if !t.wanted(route, p.off) {
				t.on[route] = false
				out = append(out, Action{Kind: OutputOff, At: p.off, Seq: p.seq, Route: route})
			}
		}
		if p.confirmBy > 0 && !p.confirmed && p.confirmBy <= t.count {
			p.confirmed = true // told once
			out = append(out, Action{Kind: NotConfirmed, At: p.confirmBy, Seq: p.seq, Route: route})
		}
	}
	t.pulses[route] = slices.DeleteFunc(uses, func(p ejecting) bool {
		return p.over && (p.confirmed || p.confirmBy == 0)
	})
	return out
}

// wanted reports whether another use keeps the output on at the given count.
func (t *Tracker) wanted(route string, at int64) bool {
	for _, p := range t.pulses[route] {
		if p.on <= at && p.off > at {
			return true
		}
	}
	return false
}
