package trial

import (
	"context"
	"runtime"
	"slices"
	"sync"

	"ricetta/core/check"
	"ricetta/core/inspect"
	"ricetta/core/raster"
	"ricetta/core/recipe"
)

// Sample is a picture with its label. Open returns the picture; it is called once a run,
// by any goroutine.
type Sample struct {
	Name  string
	Label Label
	Open  func() (raster.Picture, error)
}

// Result is what became of a sample.
type Result struct {
	Name  string
	Label Label
	// Error says why the picture could not be read; it was not judged then.
	Error string
	Route string
	// Fault is set where something went wrong, so that the item would be rejected
	// unjudged.
	Fault            bool
	Reason, Sentence string
	// Findings have no marks and no rows: judge the picture again to see them.
	Findings []check.Finding
}

// Right reports whether the sample went where its label says. A fault is never right,
// and a sample without a label never wrong.
func (r *Result) Right() bool {
	return r.Label.Route == "" || r.Error == "" && !r.Fault && r.Route == r.Label.Route
}

// LetThrough reports a sample that should not pass and does: the worst that can be.
func (r *Result) LetThrough() bool {
	return r.Error == "" && r.Label.Route != "" && r.Label.Route != recipe.Pass && r.Route == recipe.Pass
}

// OtherReason reports a sample that went the right way for another reason than its label
// gives.
func (r *Result) OtherReason() bool {
	if r.Label.Reason == "" || !r.Right() {
		return false
	}
	return !slices.ContainsFunc(r.Findings, func(f check.Finding) bool {
		return f.Check == r.Label.Reason && f.Outcome == check.Failed
	})
}

// Report is what a trial says.
type Report struct {
	// Results are in the order of the samples.
	Results []Result
	// Wrong, LetThrough, Unlabeled and Broken count samples judged wrong, those of them
	// that pass and should not, those without a label, and pictures that could not be read.
	Wrong, LetThrough, Unlabeled, Broken int
	Confusion                            []Confusion
	// Limits are those of all readings, the one with the thinnest margin first.
	Limits []Limit
}

// Confusion counts the samples of one label by where they went.
type Confusion struct {
	Label  string // good, bad, or a route
	Routes map[string]int
}

// Fault is the column of a confusion table for samples that were not judged.
const Fault = "fault"

// Options say how a trial is run. The zero value is good.
type Options struct {
	Calibration raster.Calibration
	// Order is what the samples were packed for.
	Order check.Order
	// Hands is how many samples are judged at the same time; 0 is all cores. What is said
	// does not depend on it.
	Hands int
	// Each, if it is not nil, is told how many pictures of how many are done, from one
	// goroutine at a time.
	Each func(done, of int)
}

func (o Options) hands(most int) int {
	n := o.Hands
	if n <= 0 {
		n = runtime.GOMAXPROCS(0)
	}
	return min(n, most)
}

// Run judges all samples, each with one goroutine. A picture that cannot be read is told
// in its result, and the others go on. The error is that of ctx.
func Run(ctx context.Context, plan *inspect.Plan, samples []Sample, o Options) (*Report, error) {
	out := &Report{Results: make([]Result, len(samples))}
	var mu sync.Mutex
	var wait sync.WaitGroup
	next, done := 0, 0
	for range o.hands(len(samples)) {
		wait.Go(func() {
			r := plan.NewRunner()
			r.Calibrate(o.Calibration)
			r.Order(o.Order)
			r.Hands(1)
			for ctx.Err() == nil {
				mu.Lock()
				i := next
				next++
				mu.Unlock()
				if i >= len(samples) {
					return
				}
				out.Results[i] = judge(r, &samples[i])
				mu.Lock()
				done++
				if o.Each != nil {
					o.Each(done, len(samples))
				}
				mu.Unlock()
			}
		})
	}
	wait.Wait()
	if err := ctx.Err(); err != nil {
		return nil, err
	}
	out.count()
	out.Limits = limitsOf(plan, out.Results)
	return out, nil
}

func judge(r *inspect.Runner, s *Sample) Result {
	out := Result{Name: s.Name, Label: s.Label, Route: recipe.Reject, Reason: "picture"}
	pic, err := s.Open()
	if err != nil {
		out.Error, out.Sentence, out.Fault = err.Error(), "picture: "+err.Error(), true
		return out
	}
	out.take(r.Inspect(pic))
	return out
}

// take keeps of a verdict what the report needs.
func (r *Result) take(v *inspect.Result) {
	r.Route, r.Fault, r.Reason, r.Sentence = v.Route, v.Fault, v.Reason, v.Sentence
	r.Findings = make([]check.Finding, len(v.Findings))
	for i, f := range v.Findings {
		bare := *f
		bare.Marks, bare.Rows = nil, nil
		r.Findings[i] = bare.Clone()
	}
}

func (r *Report) count() {
	by := map[string]*Confusion{}
	var order []string
	for i := range r.Results {
		s := &r.Results[i]
		word := s.Label.Word()
		if by[word] == nil {
			by[word] = &Confusion{word, map[string]int{}}
			order = append(order, word)
		}
		to := s.Route
		if s.Fault {
			to = Fault
		}
		by[word].Routes[to]++
		if s.Error != "" {
			r.Broken++
		}
		if s.Label.Route == "" {
			r.Unlabeled++
		}
		if !s.Right() {
			r.Wrong++
		}
		if s.LetThrough() {
			r.LetThrough++
		}
	}
	rank := map[string]int{Good: -3, recipe.Rework: -2, Bad: -1, Unlabeled: 1}
	slices.SortStableFunc(order, func(a, b string) int { return rank[a] - rank[b] })
	for _, w := range order {
		r.Confusion = append(r.Confusion, *by[w])
	}
}
