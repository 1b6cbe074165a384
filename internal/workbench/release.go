package workbench

import (
	"context"
	"fmt"
	"runtime"
	"strings"

	"ricetta/core/inspect"
	"ricetta/core/raster"
	"ricetta/core/recipe"
	"ricetta/core/trial"
	"ricetta/internal/folder"
)

// Wish is what somebody wants to release, and why.
type Wish struct {
	Tag       string // of the draft as it was looked at
	Who, Note string
	// Reason says why it is released although samples are judged wrong.
	Reason string
}

// ErrWrong says that a release was refused.
type ErrWrong struct{ Wrong, LetThrough, Samples int }

func (e *ErrWrong) Error() string {
	s := fmt.Sprintf("%d of %d samples are judged wrong", e.Wrong, e.Samples)
	if e.LetThrough > 0 {
		s += fmt.Sprintf(", %d of them let through that should not pass", e.LetThrough)
	}
	return s + "; mend the recipe or the labels, or release it with your name and a reason"
}

// Release tries the draft on its samples and makes it the released revision. It is refused
// with an ErrWrong while a sample is judged wrong, unless a reason is given; then name,
// reason and number are kept.
func (b *Book) Release(ctx context.Context, k Key, w Wish) (Release, error) {
	if strings.TrimSpace(w.Who) == "" {
		return Release{}, recipe.Problems{{Field: "who", What: "nobody has signed", Remedy: "give your name"}}
	}
	d, err := b.Draft(k)
	if err != nil {
		return Release{}, err
	}
	if w.Tag != "" && w.Tag != d.Tag {
		return Release{}, &ErrConflict{Now: d}
	}
	if len(d.Problems) > 0 {
		return Release{}, d.Problems
	}
	r, _, err := b.read(k, []byte(d.Text))
	if err != nil {
		return Release{}, err
	}
	plan, err := inspect.PrepareWith(b.cache, r)
	if err != nil {
		return Release{}, recipe.Problems{{What: err.Error()}}
	}
	report, err := b.trial(ctx, k, plan, nil)
	if err != nil {
		return Release{}, err
	}
	if report.Wrong > 0 && strings.TrimSpace(w.Reason) == "" {
		return Release{}, &ErrWrong{report.Wrong, report.LetThrough, len(report.Results)}
	}
	if _, err := b.freeze(r, inspect.Reader.Write(d.Whole)); err != nil {
		return Release{}, err
	}
	out := Release{Action: ActionRelease, Revision: r.Revision, Who: w.Who, Note: w.Note, Time: b.clock(), Wrong: report.Wrong}
	if report.Wrong > 0 {
		out.Reason = w.Reason
	}
	out, err = b.records.AddRelease(k, out)
	if err == nil {
		b.mu.Lock()
		b.plans[r.Revision] = plan
		b.mu.Unlock()
	}
	return out, err
}

// Restore makes an earlier revision the released one again. It was released once, so its
// samples are not asked.
func (b *Book) Restore(k Key, revision, who, note string) (Release, error) {
	list, err := b.Releases(k)
	if err != nil {
		return Release{}, err
	}
	if strings.TrimSpace(who) == "" {
		return Release{}, recipe.Problems{{Field: "who", What: "nobody has signed", Remedy: "give your name"}}
	}
	for _, r := range list {
		if r.Revision != revision || r.Action != ActionRelease {
			continue
		}
		if list[0].Action == ActionRelease && list[0].Revision == revision {
			return list[0], nil // it is the one
		}
		if _, err := b.Plan(revision); err != nil {
			return Release{}, err
		}
		return b.records.AddRelease(k, Release{Action: ActionRelease, Revision: revision, Who: who, Note: note, Time: b.clock(), Wrong: r.Wrong, Reason: r.Reason})
	}
	return Release{}, fmt.Errorf("revision %s of %s was never released", revision, k)
}

// Retire takes the released revision out of use. Stations that run it go on until
// somebody stops them.
func (b *Book) Retire(k Key, who, note string) (Release, error) {
	if strings.TrimSpace(who) == "" {
		return Release{}, recipe.Problems{{Field: "who", What: "nobody has signed", Remedy: "give your name"}}
	}
	now, ok, err := b.Current(k)
	if err != nil {
		return Release{}, err
	}
	if !ok {
		return Release{}, recipe.Problems{{What: "no revision of " + k.String() + " is released", Remedy: "there is nothing to retire"}}
	}
	return b.records.AddRelease(k, Release{Action: ActionRetire, Revision: now.Revision, Who: who, Note: note, Time: b.clock()})
}

// Diff says in words what leads from one state of a recipe to another: a revision, or the
// draft where it is "".
func (b *Book) Diff(k Key, from, to string) ([]recipe.Change, error) {
	var trees [2]map[string]any
	var files [2]map[string][]byte
	for i, revision := range [2]string{from, to} {
		if revision == "" {
			d, err := b.Draft(k)
			if err != nil {
				return nil, err
			}
			trees[i] = d.Whole
			if r, _, err := b.read(k, []byte(d.Text)); err == nil {
				files[i] = r.Files
			}
			continue
		}
		r, text, err := b.Revision(revision)
		if err != nil {
			return nil, err
		}
		if trees[i], err = recipe.Tree(text); err != nil {
			return nil, err
		}
		files[i] = r.Files
	}
	return recipe.Diff(trees[0], trees[1], files[0], files[1]), nil
}

// trial runs a plan over the samples of a recipe.
func (b *Book) trial(ctx context.Context, k Key, plan *inspect.Plan, each func(done, of int)) (report *trial.Report, err error) {
	err = b.inTurn(ctx, k, each, func(samples []trial.Sample, o trial.Options) error {
		report, err = trial.Run(ctx, plan, samples, o)
		return err
	})
	return report, err
}

// inTurn runs a trial when no other one is under way, and leaves a core to the lines: what
// people try out at the workbench must not make verdicts late.
func (b *Book) inTurn(ctx context.Context, k Key, each func(done, of int), run func(samples []trial.Sample, o trial.Options) error) error {
	s, err := b.Samples(k)
	if err != nil {
		return err
	}
	select {
	case b.turn <- struct{}{}:
		defer func() { <-b.turn }()
	case <-ctx.Done():
		return ctx.Err()
	}
	return run(s.TrialSamples(raster.DefaultDecodeLimits), trial.Options{Order: s.Order, Hands: max(runtime.NumCPU()-1, 1), Each: each})
}

// Samples reads the samples of a recipe.
func (b *Book) Samples(k Key) (*folder.Samples, error) {
	dir, err := b.folder(k)
	if err != nil {
		return nil, err
	}
	return folder.ReadSamples(dir)
}
