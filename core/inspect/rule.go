package inspect

import (
	"errors"

	"ricetta/core/check"
)

// RuleSettings are the settings of logic.rule.
type RuleSettings struct {
	When string `json:"when" jsonschema:"minLength=1,maxLength=1000" jsonschema_description:"The check is ok when this holds (CEL)"`
}

// Expressions tells the recipe's validation which settings are rules.
func (s *RuleSettings) Expressions() map[string]string { return map[string]string{"when": s.When} }

// Rule is the kind logic.rule: it is ok when an expression over the findings of the
// other checks holds. It is not judged where the answer depends on a check that was
// not judged, and a fault where the expression cannot be worked out.
var Rule = check.Define(check.Kind{
	Name: "logic.rule",
	Doc:  "Holds when a rule over the other checks' findings is true.",
}, func() RuleSettings { return RuleSettings{} }, teachRule)

func teachRule(t *check.Teaching, s *RuleSettings) (check.Taught, error) {
	r, err := t.Expressions.CompileBool(s.When)
	if err != nil {
		return nil, err
	}
	return &rule{rule: r, text: s.When}, nil
}

type rule struct {
	rule check.Rule
	text string
}

func (r *rule) NewJudge() check.Judge { return r } // it keeps nothing between pictures

func (r *rule) Judge(in *check.Input, out *check.Finding) {
	holds, err := r.rule.Holds(in.Findings, in.Order)
	switch {
	case errors.Is(err, check.ErrNotJudged):
		out.Outcome = check.NotJudged
		out.Sentence = append(out.Sentence, err.Error()...)
	case err != nil:
		out.Fault(err.Error())
	case holds:
		out.Sentence = append(append(out.Sentence, "holds: "...), r.text...)
	default:
		out.Outcome = check.Failed
		out.Sentence = append(append(out.Sentence, "does not hold: "...), r.text...)
	}
}
