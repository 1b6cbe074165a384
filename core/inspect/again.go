package inspect

import (
	"encoding/json"

	"ricetta/core/check"
	"ricetta/core/recipe"
)

// Again judges anew what was found before, by the limits, rules and routes of a plan: from
// readings alone, without the picture. It serves one goroutine.
type Again struct {
	r     *Runner
	rules []check.Judge // by step; nil for those that look at the picture
}

// Again returns a judge of findings that were made by a recipe which looks at pictures as the
// plan's does (see SameLook).
func (p *Plan) Again() *Again {
	n := len(p.steps)
	a := &Again{r: &Runner{plan: p}, rules: make([]check.Judge, n)}
	a.r.result.Product, a.r.result.Role, a.r.result.Revision = p.Recipe.Product, p.Recipe.Role, p.Recipe.Revision
	for i, s := range p.steps {
		if recipe.IsLogic(s.doc.Kind) {
			a.rules[i] = s.taught.NewJudge()
		}
	}
	return a
}

// Judge judges findings, which are in the order of the plan's checks, and changes their outcomes.
// What failed by itself, was not judged or went wrong stays so. The result is good until the next
// call.
func (a *Again) Judge(findings []*check.Finding, order check.Order) *Result {
	a.r.result.Findings, a.r.input.Findings, a.r.input.Order = findings, findings, order
	for i := range a.r.plan.steps {
		s := &a.r.plan.steps[i]
		f := findings[s.index]
		f.MeasureOnly = s.doc.MeasureOnly
		switch {
		case a.rules[i] != nil:
			f.Reset()
			a.rules[i].Judge(&a.r.input, f)
		case f.Outcome != check.OK && f.Outcome != check.Failed:
			continue
		case f.Itself:
			f.Outcome = check.Failed
		default:
			f.Outcome, f.Sentence = check.OK, f.Sentence[:0]
			for k := range f.Readings {
				f.Readings[k].Limits = check.Open
			}
		}
		applyLimits(s, f)
	}
	return a.r.decide()
}

// AsksWords reports whether a rule of the plan asks for texts that were read, or for the order: then
// readings alone do not decide.
func (p *Plan) AsksWords() bool {
	for _, s := range p.steps {
		if r, ok := s.taught.(*rule); ok && r.rule.AsksWords() {
			return true
		}
	}
	for _, r := range p.routes {
		if r.rule.AsksWords() {
			return true
		}
	}
	return false
}

// Limits returns the limits of a check by reading.
func (p *Plan) Limits(id string) map[string]check.Band {
	for _, s := range p.steps {
		if s.doc.ID == id {
			return s.limits
		}
	}
	return nil
}

// SameLook reports whether two recipes read the same from any picture: they differ in limits,
// rules, routes and words alone.
func (p *Plan) SameLook(o *Plan) bool {
	return p.Recipe.Revision == o.Recipe.Revision || p.look() == o.look()
}

// SameRules reports whether two recipes that have the same look decide the same from the outcomes
// of their checks.
func (p *Plan) SameRules(o *Plan) bool {
	return p.Recipe.Revision == o.Recipe.Revision || rulesOf(p.Recipe) == rulesOf(o.Recipe)
}

// lookOf is what readings depend on; files is what Cache.files says.
func lookOf(r *recipe.Recipe, files string) string {
	d := struct {
		Picture recipe.Picture
		Files   []byte
		Checks  []recipe.Check
	}{Picture: r.Picture, Files: []byte(files)}
	for _, c := range r.Checks {
		c.Limits, c.MeasureOnly = nil, false
		if recipe.IsLogic(c.Kind) {
			c.Settings = nil
		}
		d.Checks = append(d.Checks, c)
	}
	return asText(d, r)
}

func rulesOf(r *recipe.Recipe) string {
	d := []any{r.Routes}
	for _, c := range r.Checks {
		d = append(d, c.MeasureOnly)
		if recipe.IsLogic(c.Kind) {
			d = append(d, c.Settings)
		}
	}
	return asText(d, r)
}

// asText writes something down to compare it; what cannot be written is as no other recipe's.
func asText(v any, r *recipe.Recipe) string {
	out, err := json.Marshal(v)
	if err != nil {
		return r.Revision
	}
	return string(out)
}
