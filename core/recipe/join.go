package recipe

import (
	"fmt"

	"cel.dev/cel-go/cel"
	"cel.dev/cel-go/common/types"
)

// JoinRule sends a package somewhere by what the stations of its line say together.
type JoinRule struct {
	To   string `json:"to" yaml:"to"`
	When string `json:"when" yaml:"when"`
	// Note says why, for people.
	Note string `json:"note,omitempty" yaml:"note,omitempty"`
}

// Join decides the route of a package by rules in the Common Expression Language over route, a
// map from the ids of stations to the routes that they say. The first rule that holds counts.
type Join struct {
	stations []string
	programs []cel.Program
	rules    []JoinRule
}

// NewJoin compiles rules for a line with these stations.
func NewJoin(stations []string, rules []JoinRule) (*Join, error) {
	j := &Join{stations: stations, rules: rules}
	env, err := cel.NewEnv(cel.Variable("route", cel.MapType(cel.StringType, cel.StringType)))
	if err != nil {
		return nil, err
	}
	sample := map[string]string{}
	for _, s := range stations {
		sample[s] = Pass
	}
	for i, r := range rules {
		ast, issues := env.Compile(r.When)
		if err := issues.Err(); err != nil {
			return nil, fmt.Errorf("rule %d: %w", i+1, err)
		}
		if ast.OutputType() != cel.BoolType {
			return nil, fmt.Errorf("rule %d gives a %s; it must say true or false", i+1, ast.OutputType())
		}
		p, err := env.Program(ast, cel.CostLimit(mostCost))
		if err != nil {
			return nil, fmt.Errorf("rule %d: %w", i+1, err)
		}
		if _, _, err := p.Eval(map[string]any{"route": sample}); err != nil {
			return nil, fmt.Errorf("rule %d asks for what is not there (%w); the stations of the line are %q", i+1, err, stations)
		}
		j.programs = append(j.programs, p)
	}
	return j, nil
}

// Route returns the number of the rule that holds, from 1, and its route; 0 where none does. A
// rule that cannot be judged holds nothing and is told: the caller rejects.
func (j *Join) Route(routes []string) (rule int, to string, err error) {
	m := make(map[string]string, len(routes))
	for i, r := range routes {
		m[j.stations[i]] = r
	}
	for i, p := range j.programs {
		out, _, err := p.Eval(map[string]any{"route": m})
		if err != nil {
			return i + 1, Reject, fmt.Errorf("rule %d: %w", i+1, err)
		}
		if out == types.True {
			return i + 1, j.rules[i].To, nil
		}
	}
	return 0, "", nil
}

// Says is what a rule is for, in words.
func (j *Join) Says(rule int) string {
	r := j.rules[rule-1]
	if r.Note != "" {
		return r.Note
	}
	return fmt.Sprintf("rule %d of the line: to %s when %s", rule, r.To, r.When)
}
