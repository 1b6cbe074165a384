package trial

import (
	"context"
	"slices"
	"sync"

	"ricetta/core/check"
	"ricetta/core/inspect"
	"ricetta/core/recipe"
)

// Envelope says how much of a disturbance the recipe holds.
type Envelope struct {
	Disturbance, Unit string
	Steps             []Step
	// Holds is the greatest amount up to which every sample is judged as without the
	// disturbance; 0 where already the least changes a verdict. All is set where none of
	// the steps does.
	Holds float64
	All   bool
	// First is the check that gives way first, and Sample the sample at which it does;
	// Sentence is what it says there.
	First, Sample, Sentence string
}

// Step is one amount of a disturbance.
type Step struct {
	Amount float64
	// Changed counts the samples that are judged otherwise than without the disturbance,
	// LetThrough those of them that pass now and should not.
	Changed, LetThrough int
}

// Stress judges samples over and over, each disturbance in its steps until all verdicts
// have changed. Samples that are judged wrong as they are, and those that cannot be read,
// are left out; used is how many are not. The error is that of ctx.
func Stress(ctx context.Context, plan *inspect.Plan, samples []Sample, o Options) (out []Envelope, used int, err error) {
	base, err := Run(ctx, plan, samples, Options{Calibration: o.Calibration, Order: o.Order, Hands: o.Hands})
	if err != nil {
		return nil, 0, err
	}
	var kept []int
	for i := range base.Results {
		if r := &base.Results[i]; r.Error == "" && r.Right() {
			kept = append(kept, i)
		}
	}
	s := &stress{base: base.Results, samples: samples, of: len(kept) * len(Disturbances), each: o.Each}
	s.changes = make([][]change, len(Disturbances))
	for k := range Disturbances {
		s.changes[k] = make([]change, len(kept))
	}
	next := 0
	var wait sync.WaitGroup
	for range o.hands(len(kept)) {
		wait.Go(func() {
			r := plan.NewRunner()
			r.Calibrate(o.Calibration)
			r.Order(o.Order)
			r.Hands(1)
			for ctx.Err() == nil {
				s.mu.Lock()
				n := next
				next++
				s.mu.Unlock()
				if n >= len(kept) {
					return
				}
				s.sample(ctx, r, n, kept[n])
			}
		})
	}
	wait.Wait()
	if err := ctx.Err(); err != nil {
		return nil, 0, err
	}
	for k, d := range Disturbances {
		out = append(out, s.envelope(d, s.changes[k], kept))
	}
	return out, len(kept), nil
}

type stress struct {
	samples []Sample
	base    []Result
	changes [][]change // by disturbance, by kept sample

	mu       sync.Mutex
	done, of int
	each     func(done, of int)
}

// change is what a disturbance does to one sample.
type change struct {
	at         int // step at which the verdict changes first; len(Steps) if it never does
	letThrough int // step at which it passes first and should not
	check      string
	sentence   string
}

func (s *stress) sample(ctx context.Context, r *inspect.Runner, n, i int) {
	pic, err := s.samples[i].Open()
	for k, d := range Disturbances {
		if ctx.Err() != nil {
			return
		}
		c := change{at: len(d.Steps), letThrough: len(d.Steps)}
		for step, amount := range d.Steps {
			if err != nil {
				break // it was read a moment ago; what is gone now changes nothing
			}
			v := r.Inspect(d.Altered(pic, amount))
			if v.Route == s.base[i].Route && v.Fault == s.base[i].Fault {
				continue
			}
			if c.at == len(d.Steps) {
				c.at, c.sentence = step, v.Sentence
				c.check = gaveWay(&s.base[i], v)
			}
			// A passing item that should pass belongs here once; one that should not, at
			// any step.
			if v.Route == recipe.Pass {
				c.letThrough = step
			}
			if s.base[i].Route == recipe.Pass || v.Route == recipe.Pass {
				break
			}
		}
		s.changes[k][n] = c
		s.mu.Lock()
		s.done++
		if s.each != nil {
			s.each(s.done, s.of)
		}
		s.mu.Unlock()
	}
}

// gaveWay returns the first check, in the order of the recipe, that says otherwise than
// before; datums come before what rides on them in what they say.
func gaveWay(base *Result, now *inspect.Result) string {
	for i, f := range now.Findings {
		if i < len(base.Findings) && base.Findings[i].Outcome != f.Outcome && f.Outcome != check.NotJudged {
			return f.Check
		}
	}
	return now.Reason
}

func (s *stress) envelope(d Disturbance, changes []change, kept []int) Envelope {
	out := Envelope{Disturbance: d.Name, Unit: d.Unit, Steps: make([]Step, len(d.Steps))}
	first := len(d.Steps)
	votes := map[string]int{}
	for _, c := range changes {
		for step := c.at; step < len(d.Steps); step++ {
			out.Steps[step].Changed++
		}
		for step := c.letThrough; step < len(d.Steps); step++ {
			out.Steps[step].LetThrough++
		}
		if c.at < first {
			first = c.at
			clear(votes)
		}
		if c.at == first && first < len(d.Steps) {
			votes[c.check]++
		}
	}
	for step, amount := range d.Steps {
		out.Steps[step].Amount = amount
		if step < first {
			out.Holds = amount
		}
	}
	out.All = first == len(d.Steps)
	var names []string
	for name := range votes {
		names = append(names, name)
	}
	slices.Sort(names)
	for _, name := range names {
		if votes[name] > votes[out.First] {
			out.First = name
		}
	}
	for n, c := range changes {
		if c.at == first && first < len(d.Steps) && c.check == out.First {
			out.Sample, out.Sentence = s.base[kept[n]].Name, c.sentence
			break
		}
	}
	return out
}
