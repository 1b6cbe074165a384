package workbench

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"ricetta/core/check"
	"ricetta/core/inspect"
	"ricetta/core/recipe"
)

// LimitAt names one limit of a recipe.
type LimitAt struct{ Check, Reading, Bound string }

func (l LimitAt) String() string { return l.Check + "." + l.Reading + "." + l.Bound }

// of returns a bound of limits, nil where they have none.
func (l LimitAt) of(x check.Limits) *float64 {
	switch l.Bound {
	case "least":
		return x.Least
	case "most":
		return x.Most
	case "nominal":
		return x.Nominal
	case "tolerance":
		return x.Tolerance
	}
	return nil
}

// Limit returns a limit of a recipe.
func Limit(r *recipe.Recipe, at LimitAt) (float64, error) {
	for _, c := range r.Checks {
		if c.ID != at.Check {
			continue
		}
		if v := at.of(c.Limits[at.Reading]); v != nil {
			return *v, nil
		}
		return 0, fmt.Errorf("check %s of %s/%s has no limit %s of %s", at.Check, r.Product, r.Role, at.Bound, at.Reading)
	}
	return 0, fmt.Errorf("%s/%s has no check %s", r.Product, r.Role, at.Check)
}

// SetLimit releases a revision that differs from the released one by one limit alone, and
// returns its plan. It is refused with an ErrWrong while a sample is judged wrong by it. A draft
// that is as the released one follows; one that somebody works on stays as it is. Setting a
// limit to what it is releases nothing.
func (b *Book) SetLimit(ctx context.Context, k Key, at LimitAt, v float64, who string) (*inspect.Plan, error) {
	now, ok, err := b.Current(k)
	if err != nil {
		return nil, err
	}
	if !ok {
		return nil, fmt.Errorf("no revision of %s is released; release one first", k)
	}
	old, text, err := b.Revision(now.Revision)
	if err != nil {
		return nil, err
	}
	was, err := Limit(old, at)
	if err != nil {
		return nil, err
	}
	if was == v {
		return b.Plan(now.Revision)
	}
	tree, err := recipe.Tree(text)
	if err != nil {
		return nil, err
	}
	if err := recipe.SetLimit(tree, tree, at.Check, at.Reading, at.Bound, &v); err != nil {
		return nil, err
	}
	changed := inspect.Reader.Write(tree)
	doc, err := inspect.Reader.Parse(changed)
	if err != nil {
		return nil, err
	}
	r, err := recipe.New(doc, old.Files)
	if err != nil {
		return nil, err
	}
	plan, err := inspect.PrepareWith(b.cache, r)
	if err != nil {
		return nil, err
	}
	report, err := b.trial(ctx, k, plan, nil)
	if err != nil {
		return nil, err
	}
	if report.Wrong > 0 {
		return nil, fmt.Errorf("with %s at %g, %w", at, v, &ErrWrong{report.Wrong, report.LetThrough, len(report.Results)})
	}
	draft, derr := b.Draft(k)
	if _, err := b.freeze(r, changed); err != nil {
		return nil, err
	}
	note := fmt.Sprintf("%s from %g to %g, written from outside", at, was, v)
	if _, err := b.records.AddRelease(k, Release{Action: ActionRelease, Revision: r.Revision, Who: who, Note: note, Time: b.clock()}); err != nil {
		return nil, err
	}
	b.mu.Lock()
	b.plans[r.Revision] = plan
	b.mu.Unlock()
	if derr == nil && draft.Below == nil && draft.Revision == now.Revision {
		if _, err := b.Save(k, tree, draft.Tag, who); err != nil {
			return plan, fmt.Errorf("the limit is released, but the draft has not followed: %w", err)
		}
	}
	return plan, nil
}

// Limits returns a draft with some of its limits moved, as a tree, and made ready. A nil value takes
// a bound away.
func (b *Book) Limits(k Key, moves map[LimitAt]*float64) (tree map[string]any, tag string, plan *inspect.Plan, err error) {
	d, err := b.Draft(k)
	if err != nil {
		return nil, "", nil, err
	}
	at := make([]LimitAt, 0, len(moves))
	for x := range moves {
		at = append(at, x)
	}
	slices.SortFunc(at, func(x, y LimitAt) int { return strings.Compare(x.String(), y.String()) })
	for _, x := range at {
		whole := d.Tree
		if recipe.Base(d.Tree) != "" {
			if whole, err = recipe.Resolve(inspect.Reader.Write(d.Tree), d.Below); err != nil {
				return nil, "", nil, err
			}
		}
		if err := recipe.SetLimit(d.Tree, whole, x.Check, x.Reading, x.Bound, moves[x]); err != nil {
			return nil, "", nil, recipe.Problems{{Field: "limits", What: err.Error()}}
		}
	}
	plan, err = b.Ready(k, d.Tree)
	return d.Tree, d.Tag, plan, err
}
