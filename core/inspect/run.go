package inspect

import (
	"errors"
	"fmt"
	"runtime"
	"strconv"
	"sync"

	"ricetta/core/check"
	"ricetta/core/raster"
	"ricetta/core/recipe"
)

// Result is the verdict on one picture. Its memory belongs to the runner and is
// good until the next picture; whoever keeps it takes a Clone.
type Result struct {
	Product, Role, Revision string
	Route                   string
	// Fault is set when the item goes to reject because something went wrong and
	// not because of what it looks like.
	Fault bool
	// Reason is the id of the main check that did not pass; "" for an item that passed.
	Reason   string
	Sentence string
	// Findings are in the order of the recipe's checks.
	Findings []*check.Finding
}

// Clone returns a copy that shares no memory with r.
func (r *Result) Clone() *Result {
	out := *r
	out.Findings = make([]*check.Finding, len(r.Findings))
	for i, f := range r.Findings {
		c := f.Clone()
		out.Findings[i] = &c
	}
	return &out
}

// Runner judges pictures with one plan, one after the other, on one goroutine.
type Runner struct {
	plan   *Plan
	judges []check.Judge // by step
	input  check.Input
	// mmPerPx is the scale of lengths; 0 where it is not known.
	mmPerPx float64
	inputs  []check.Input // by step
	result  Result
	store   []check.Finding
	found   []bool             // by step: the datum's place is known
	places  []raster.Transform // by step

	// The wave under way. What a step says depends on nothing of the others in its
	// wave, so that the order in which they are taken does not show.
	hands   int // goroutines at work on one picture
	work    func()
	mu      sync.Mutex
	pending []int
	done    sync.WaitGroup
}

// NewRunner returns a runner with memory of its own.
func (p *Plan) NewRunner() *Runner {
	n := len(p.steps)
	r := &Runner{
		plan: p, judges: make([]check.Judge, n), store: make([]check.Finding, n),
		found: make([]bool, n), places: make([]raster.Transform, n), inputs: make([]check.Input, n),
		hands: runtime.GOMAXPROCS(0),
	}
	r.Calibrate(raster.Calibration{})
	r.work = func() { r.take(); r.done.Done() }
	r.result.Product, r.result.Role, r.result.Revision = p.Recipe.Product, p.Recipe.Role, p.Recipe.Revision
	r.result.Findings = make([]*check.Finding, n)
	r.input.Findings = r.result.Findings
	for i, s := range p.steps {
		r.judges[i] = s.taught.NewJudge()
		r.store[i].Check, r.store[i].Kind, r.store[i].MeasureOnly = s.doc.ID, s.doc.Kind, s.doc.MeasureOnly
		r.result.Findings[s.index] = &r.store[i]
	}
	return r
}

// Calibrate tells how the pixels of the pictures lie in the world. Without a scale of
// its own a station goes by that of the recipe's reference picture.
func (r *Runner) Calibrate(c raster.Calibration) {
	r.input.Lens, r.mmPerPx = c.Lens, c.MMPerPx
	if r.mmPerPx == 0 {
		r.mmPerPx = r.plan.Recipe.Picture.MMPerPx
	}
}

// Order tells what is being packed, for the pictures from now on.
func (r *Runner) Order(o check.Order) { r.input.Order = o }

// Hands sets how many goroutines work on one picture: all cores if it is not called.
func (r *Runner) Hands(n int) { r.hands = max(n, 1) }

// Plan returns what the runner was made from.
func (r *Runner) Plan() *Plan { return r.plan }

// Inspect judges a picture. It never fails: whatever goes wrong is a fault in the
// result, and a fault's route is reject.
func (r *Runner) Inspect(pic raster.Picture) *Result {
	for i := range r.store {
		r.store[i].Reset()
		r.found[i] = false
	}
	if err := fits(r.plan.Recipe, pic); err != nil {
		for i := range r.store {
			r.store[i].Fault(err.Error())
		}
		return r.decide()
	}
	r.input.Reset(pic)
	for _, w := range r.plan.waves {
		r.wave(w)
	}
	return r.decide()
}

// Selected returns the pixels that count for a check in the picture inspected last, as 255
// among zeros; nil for checks that do not go by single pixels, or were not judged.
func (r *Runner) Selected(id string) *raster.Gray {
	for i, s := range r.plan.steps {
		j, ok := r.judges[i].(check.Selector)
		if s.doc.ID != id || !ok || r.store[i].Outcome == check.NotJudged || r.store[i].Outcome == check.Fault {
			continue
		}
		dst := raster.NewGray(r.input.Gray.W, r.input.Gray.H)
		j.Selected(&r.inputs[i], dst)
		return dst
	}
	return nil
}

// Learned returns the settings that would say what a check was taught by example; nil where
// there is nothing of the kind.
func (p *Plan) Learned(id string) map[string]any {
	for _, s := range p.steps {
		if l, ok := s.taught.(check.Learner); ok && s.doc.ID == id {
			return l.Learned()
		}
	}
	return nil
}

// wave runs the steps of one wave on all cores.
func (r *Runner) wave(steps []int) {
	r.pending = steps
	for range min(r.hands, len(steps)) - 1 {
		r.done.Add(1)
		go r.work()
	}
	r.take()
	r.done.Wait()
}

// take runs pending steps until there are none.
func (r *Runner) take() {
	for {
		r.mu.Lock()
		if len(r.pending) == 0 {
			r.mu.Unlock()
			return
		}
		i := r.pending[0]
		r.pending = r.pending[1:]
		r.mu.Unlock()
		r.step(i)
	}
}

func (r *Runner) step(i int) {
	s, f := &r.plan.steps[i], &r.store[i]
	on := raster.Identity()
	if s.on >= 0 {
		if !r.found[s.on] {
			f.Outcome = check.NotJudged
			f.Sentence = append(append(f.Sentence, "not judged, because there is no place to ride on: see "...), s.doc.On...)
			return
		}
		on = r.places[s.on]
	}
	r.inputs[i] = r.input.For(on, s.doc.Outside)
	if s.doc.Unit == recipe.MM {
		r.inputs[i].MMPerPx = r.mmPerPx
	}
	r.judge(i)
	if f.Outcome == check.OK {
		if l, ok := r.judges[i].(check.Locator); ok {
			r.found[i], r.places[i] = true, l.Place()
		}
	}
	if s.doc.Unit == recipe.MM {
		r.toMM(f)
	}
	applyLimits(s, f)
}

// toMM turns lengths from pixels to millimeters.
func (r *Runner) toMM(f *check.Finding) {
	if r.mmPerPx == 0 {
		if f.Outcome == check.OK {
			f.Fault("it measures in mm, but nobody has said how large a pixel is; calibrate the station, or give picture.mm_per_px")
		}
		return
	}
	for i := range f.Readings {
		if rd := &f.Readings[i]; rd.Unit == "px" {
			rd.Value, rd.Unit = float64(rd.Value*r.mmPerPx), recipe.MM
		}
	}
	for k, c := range f.Columns {
		if c.Unit != "px" {
			continue
		}
		for _, row := range f.Rows {
			row[k].Number = float64(row[k].Number * r.mmPerPx)
		}
	}
}

// judge keeps a panic inside the check that had it.
func (r *Runner) judge(i int) {
	defer func() {
		if p := recover(); p != nil {
			f := &r.store[i]
			f.Reset()
			f.Fault(fmt.Sprintf("the check broke down (%v)", p))
			// What is left of the judge's memory is not to be trusted.
			r.judges[i] = r.plan.steps[i].taught.NewJudge()
		}
	}()
	r.judges[i].Judge(&r.inputs[i], &r.store[i])
}

// applyLimits sets the limits of the readings, decides between ok and failed, and
// completes the sentence.
func applyLimits(s *step, f *check.Finding) {
	if f.Outcome != check.OK && f.Outcome != check.Failed {
		return
	}
	taken := 0
	broken := -1
	for i := range f.Readings {
		rd := &f.Readings[i]
		if b, ok := s.limits[rd.Name]; ok {
			rd.Limits = b
			taken++
		} else if !rd.Within() {
			f.Itself = true
		}
		if broken < 0 && !rd.Within() {
			broken = i
		}
	}
	if f.Outcome == check.Failed {
		f.Itself = true
		return // it said why
	}
	if taken < len(s.limits) {
		f.Fault("a reading that has limits was not taken")
		return
	}
	if broken >= 0 {
		f.Outcome = check.Failed
	}
	f.Sentence = appendStatement(f.Sentence, s.kind, f.Readings, broken)
}

// appendStatement completes what the check said of its main reading ("11 spots")
// with what was expected, or states the reading that broke its limits.
func appendStatement(b []byte, k check.Kind, readings []check.Reading, broken int) []byte {
	if len(readings) == 0 {
		return b
	}
	show := max(broken, 0)
	rd := readings[show]
	main := len(k.Measures) > 0 && rd.Name == k.Measures[0].Name
	if broken >= 0 && !main {
		b = b[:0]
	}
	if len(b) == 0 {
		b = append(append(b, rd.Name...), ' ')
		b = check.AppendNumber(b, rd.Value)
		if rd.Unit != "" {
			b = append(append(b, ' '), rd.Unit...)
		}
	}
	if broken >= 0 {
		b = append(rd.Limits.Append(append(b, ", "...)), " expected"...)
	}
	return b
}

// decide derives route, reason and sentence from the findings.
func (r *Runner) decide() *Result {
	out := &r.result
	out.Route, out.Fault, out.Reason, out.Sentence = recipe.Reject, false, "", ""
	var fault, notJudged, failed *check.Finding
	judged := 0
	for _, f := range out.Findings {
		if f.MeasureOnly && f.Outcome != check.Fault {
			continue
		}
		judged++
		switch f.Outcome {
		case check.Fault:
			fault = first(fault, f)
		case check.NotJudged:
			notJudged = first(notJudged, f)
		case check.Failed:
			failed = first(failed, f)
		}
	}
	switch {
	case fault != nil:
		out.Fault = true
		r.because(fault)
	case notJudged != nil && failed != nil:
		// What was not judged hangs on what failed: a datum that was not found.
		r.because(failed)
	case notJudged != nil:
		out.Fault = true
		r.because(notJudged)
	default:
		r.decideRoute(failed, judged)
	}
	return out
}

func (r *Runner) decideRoute(failed *check.Finding, judged int) {
	out := &r.result
	for i := range r.plan.routes {
		t := &r.plan.routes[i]
		holds, err := t.rule.Holds(out.Findings, r.input.Order)
		if err != nil && !errors.Is(err, check.ErrNotJudged) || err != nil && failed == nil {
			out.Fault, out.Reason = true, "routes"
			out.Sentence = "the rule for " + t.to + " cannot be worked out: " + err.Error()
			return
		}
		if err != nil || !holds {
			continue
		}
		out.Route = t.to
		if failed != nil {
			r.because(failed)
		} else {
			out.Reason, out.Sentence = "routes", "sent to "+t.to+" because "+t.when
		}
		return
	}
	if failed != nil {
		r.because(failed)
		return
	}
	if judged == 0 {
		out.Fault, out.Reason, out.Sentence = true, "recipe", "no check takes part in the verdict"
		return
	}
	out.Route = recipe.Pass
	out.Sentence = passSentence(judged)
}

var passSentences = func() (s [201]string) {
	for i := range s {
		s[i] = strconv.Itoa(i) + " checks ok"
	}
	s[1] = "1 check ok"
	return s
}()

func passSentence(n int) string { return passSentences[min(n, len(passSentences)-1)] }

func first(a, b *check.Finding) *check.Finding {
	if a != nil {
		return a
	}
	return b
}

func (r *Runner) because(f *check.Finding) {
	r.result.Reason = f.Check
	r.result.Sentence = f.Check + ": " + string(f.Sentence)
}
