package line

import (
	"slices"

	"ricetta/core/recipe"
)

// ActionKind says what the tracker asks for.
type ActionKind uint8

// What a tracker can ask for.
const (
	Entered      ActionKind = iota // package Seq has come to the trigger
	TakePicture                    // package Seq lies under the camera of Station
	OutputOn                       // of the ejector of Route
	OutputOff                      // of the ejector of Route
	Settled                        // package Seq has come to where its Route stands; Late where a verdict was missing
	NotConfirmed                   // package Seq was not seen leaving by the ejector of Route
	TooClose                       // package Seq needs the ejector of Route, which acts on the one before it still
)

// Action is something to be done now, with the encoder count it was due at.
type Action struct {
	Kind    ActionKind
	At      int64
	Seq     int64
	Route   string
	Station int // index into Config.Stations
	Late    bool
	Rule    int // of a Settled package: the rule that decided, from 1; 0 for the worst of its verdicts
}

// tracked is a package between the trigger and the ejectors.
type tracked struct {
	seq      int64
	at       int64    // count at which it came to the trigger
	pictured int      // stations that it has passed
	routes   []string // the verdicts of the stations, "" while undecided
	route    string   // of all together, "" while undecided
	settled  bool     // its ejector's time has come: the route stands
	late     bool
	broken   bool // one of its verdicts is a fault: no rule can save it
	rule     int  // that decided, from 1
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

// Tracker follows packages from the trigger to the ejectors by encoder counts. It is a state
// machine: the same calls give the same actions. It is not for concurrent use.
type Tracker struct {
	cfg     Config
	rules   *recipe.Join // nil: the worst verdict counts
	count   int64
	next    int64 // count of the next package, when running by encoder
	running bool
	seq     int64 // of the last package
	items   []tracked
	pulses  map[string][]ejecting // by ejector, in order
	on      map[string]bool
	routes  []string // of the ejectors, sorted
	reach   int64    // from the trigger to behind the last ejector

	seen    bool  // a package came
	last    int64 // where
	stopped int64 // where the belt was at the last stop
}

// NewTracker returns a tracker at rest. Packages are numbered from lastSeq+1.
func NewTracker(cfg Config, lastSeq int64) *Tracker {
	rules, _ := cfg.join() // validated
	t := &Tracker{rules: rules, cfg: cfg, seq: lastSeq, pulses: map[string][]ejecting{}, on: map[string]bool{}}
	for r, e := range cfg.Ejectors {
		t.routes = append(t.routes, r)
		t.reach = max(t.reach, e.Offset+e.Pulse)
	}
	slices.Sort(t.routes)
	return t
}

// Start begins to take packages; by encoder, the first when the belt has moved on by first
// counts. What lies between trigger and ejector and was not seen is rejected: after a first
// start the whole stretch, after a stop what passed the trigger meanwhile. Where somebody says
// that the belt is clear, nothing is.
func (t *Tracker) Start(count, first int64, clear bool) {
	t.count, t.running, t.next = count, true, count+first
	if clear {
		return
	}
	e := t.cfg.Ejectors[recipe.Reject]
	half := t.half()
	on, off := count, count+e.Offset-half
	if t.cfg.Trigger.By == Encoder {
		off = t.next + e.Offset - half
	}
	if t.seen {
		on = max(on, t.last+e.Offset+half)
	}
	if on < off {
		t.pulses[recipe.Reject] = append(t.pulses[recipe.Reject], ejecting{on: on, off: off})
	}
}

// Unseen reports whether there may be something behind the trigger, at a start at this count,
// that nobody has seen.
func (t *Tracker) Unseen(count int64) bool {
	return !t.seen || count-t.stopped > t.half()
}

// half is half of the belt that belongs to one package.
func (t *Tracker) half() int64 {
	if p := t.cfg.Trigger.Pitch(); p > 0 {
		return p / 2
	}
	return t.cfg.Ejectors[recipe.Reject].Pulse / 2
}

// Stop ends taking packages. Those under way are still followed to their ejectors, but pass no
// camera any more.
func (t *Tracker) Stop() {
	if t.running {
		t.running, t.stopped = false, t.count
	}
}

// Underway returns how many packages lie between the trigger and the last ejector.
func (t *Tracker) Underway() int { return len(t.items) }

// Pending reports whether a package is not yet where it goes, as far as ejectors and their
// sensors can tell.
func (t *Tracker) Pending(seq int64) bool {
	for _, uses := range t.pulses {
		for _, p := range uses {
			if p.seq == seq {
				return true
			}
		}
	}
	return slices.ContainsFunc(t.items, func(it tracked) bool { return it.seq == seq && !it.settled })
}

// LastSeq returns the number of the last package.
func (t *Tracker) LastSeq() int64 { return t.seq }

// Count returns where the belt is.
func (t *Tracker) Count() int64 { return t.count }

// Enter tells of a package that came to the trigger at a count, now or a little ago, and
// returns what becomes due by that. It is for triggers other than the encoder; while the
// tracker is stopped nothing comes.
func (t *Tracker) Enter(at int64) []Action {
	if !t.running {
		return nil
	}
	return t.pictures(t.enter(nil, at))
}

func (t *Tracker) enter(out []Action, at int64) []Action {
	t.seq++
	t.items = append(t.items, tracked{seq: t.seq, at: at, routes: make([]string, len(t.cfg.Stations))})
	t.seen, t.last = true, at
	return append(out, Action{Kind: Entered, At: at, Seq: t.seq})
}

// Decide sets the verdict of a station on a package. It returns the route that stands for that
// station: reject, with late set, where the package has already reached an ejector without it.
func (t *Tracker) Decide(seq int64, station int, route string) (stands string, late bool) {
	for i := range t.items {
		it := &t.items[i]
		if it.seq != seq {
			continue
		}
		had := it.routes[station]
		if it.settled {
			if had == "" {
				it.routes[station] = recipe.Reject
				return recipe.Reject, true
			}
			return had, it.late
		}
		if had != recipe.Reject { // a reject is never taken back
			it.routes[station] = route
		}
		t.join(it)
		if it.late {
			return recipe.Reject, true
		}
		return it.routes[station], false
	}
	// It left long ago, ejected for want of a verdict.
	return recipe.Reject, true
}

// Broken says that a verdict of a package is a fault. It is called before the verdict is decided.
func (t *Tracker) Broken(seq int64) {
	for i := range t.items {
		if t.items[i].seq == seq {
			t.items[i].broken = true
		}
	}
}

// join makes one route of the verdicts of a package: the worst, as soon as it is known.
func (t *Tracker) join(it *tracked) {
	worst, all := recipe.Pass, true
	for _, r := range it.routes {
		if r == "" {
			all = false
			continue
		}
		if t.cfg.rank(r) < t.cfg.rank(worst) {
			worst = r
		}
	}
	ruled := t.rules != nil && !it.broken
	if !all && (ruled || t.cfg.rank(worst) > 0) {
		return // another station may find it worse
	}
	it.route, it.rule = worst, 0
	if ruled {
		if rule, to, err := t.rules.Route(it.routes); err != nil {
			it.route, it.rule = recipe.Reject, 0
		} else if rule > 0 {
			it.route, it.rule = to, rule
		}
	}
	if r := t.cfg.ejectorFor(it.route); r != "" && r != recipe.Reject && it.at+t.cfg.Ejectors[r].start() <= t.count {
		// Its own ejector is behind it already, the one for rejects is not.
		it.route, it.late, it.rule = recipe.Reject, true, 0
	}
}

// Confirm tells that the confirm sensor of a route's ejector saw a package leave. It reports
// whether one was expected.
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

// Advance tells where the belt is now and returns what became due since the last call, in the
// order of the counts. A belt that moves back changes nothing until it has come forward again.
func (t *Tracker) Advance(count int64) []Action {
	if count <= t.count {
		return nil
	}
	from := t.count
	t.count = count
	var out []Action
	for t.running && t.cfg.Trigger.By == Encoder && t.next <= count {
		out = t.enter(out, t.next)
		t.next += t.cfg.Trigger.Every
	}
	out = t.pictures(out)
	out = t.settle(out)
	for _, r := range t.routes {
		out = t.drive(out, r, from)
	}
	// A package is forgotten when the last ejector is behind it.
	t.items = slices.DeleteFunc(t.items, func(it tracked) bool { return it.settled && it.at+t.reach < count })
	slices.SortStableFunc(out, func(a, b Action) int { return int(min(max(a.At-b.At, -1), 1)) })
	return out
}

// pictures asks for those of packages that have come under a camera. A stopped line takes none;
// what passes a camera meanwhile has no verdict there, and is rejected for it.
func (t *Tracker) pictures(out []Action) []Action {
	for i := range t.items {
		it := &t.items[i]
		for it.pictured < len(t.cfg.Stations) {
			at := it.at + t.cfg.Stations[it.pictured].Offset
			if at > t.count {
				break
			}
			if t.running {
				out = append(out, Action{Kind: TakePicture, At: at, Seq: it.seq, Station: it.pictured})
			}
			it.pictured++
		}
	}
	return out
}

// settle turns routes into uses of ejectors as packages reach the first point at which any
// ejector could act on them. An undecided one is rejected there.
func (t *Tracker) settle(out []Action) []Action {
	for i := range t.items {
		it := &t.items[i]
		if it.settled {
			continue
		}
		// Undecided and passing packages come due where the ejector for rejects starts: up to
		// there, a verdict can still send them out.
		ejector := recipe.Reject
		if it.route != "" && it.route != recipe.Pass {
			ejector = t.cfg.ejectorFor(it.route)
		}
		e := t.cfg.Ejectors[ejector]
		at := it.at + e.start()
		if at > t.count {
			continue
		}
		it.settled = true
		if it.route == "" {
			it.route, it.late = recipe.Reject, true
		}
		out = append(out, Action{Kind: Settled, At: at, Seq: it.seq, Route: it.route, Late: it.late, Rule: it.rule})
		if it.route == recipe.Pass {
			continue
		}
		p := ejecting{seq: it.seq, on: at, off: at + e.Pulse}
		if e.Confirm > 0 {
			p.confirmBy = it.at + e.Offset + e.Confirm
		}
		if uses := t.pulses[ejector]; t.cfg.Overlap == HoldLine && len(uses) > 0 && uses[len(uses)-1].seq > 0 && uses[len(uses)-1].off >= p.on {
			out = append(out, Action{Kind: TooClose, At: at, Seq: it.seq, Route: ejector})
		}
		t.pulses[ejector] = append(t.pulses[ejector], p)
	}
	return out
}

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
