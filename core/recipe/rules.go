package recipe

import (
	"errors"
	"fmt"
	"math"
	"strings"

	"cel.dev/cel-go/cel"
	celast "cel.dev/cel-go/common/ast"
	"cel.dev/cel-go/common/types"
	"cel.dev/cel-go/common/types/ref"
	"cel.dev/cel-go/interpreter"

	"ricetta/core/check"
)

// Rules compiles expressions over the findings of a recipe's checks, in the Common
// Expression Language. For a check tips there are tips.ok, tips.failed and
// tips.judged, and a name for each reading and text, as in tips.count; failed and
// ok speak of all checks of the verdict together. order has what came with the order, as in
// order.lot.
type Rules struct {
	env  *cel.Env
	vars map[string]variable
}

// variable says which part of which finding a name stands for.
type variable struct {
	check string
	part  part
	name  string // of a reading or text
}

type part uint8

const (
	partOK part = iota
	partFailed
	partJudged
	partReading
	partText
	partAnyFailed
	partAllOK
	partOrder
)

// mostCost bounds what one evaluation may do, in CEL's cost units: thousands of
// comparisons, far from a millisecond.
const mostCost = 20_000

// reserved are words that no check may be called: CEL keeps them, or rules use them.
var reserved = map[string]bool{
	"as": true, "break": true, "const": true, "continue": true, "else": true, "false": true, "for": true,
	"function": true, "if": true, "import": true, "in": true, "let": true, "loop": true, "package": true,
	"namespace": true, "null": true, "return": true, "true": true, "var": true, "void": true, "while": true,
	"failed": true, "ok": true, "abs": true,
}

// NewRules prepares the names of the document's checks.
func NewRules(d *Document, kinds Kinds) (*Rules, error) {
	r := &Rules{vars: map[string]variable{
		"failed": {part: partAnyFailed},
		"ok":     {part: partAllOK},
		"order":  {part: partOrder},
	}}
	opts := []cel.EnvOption{
		cel.CrossTypeNumericComparisons(true),
		cel.Function("abs",
			cel.Overload("abs_double", []*cel.Type{cel.DoubleType}, cel.DoubleType, cel.UnaryBinding(func(v ref.Val) ref.Val {
				return types.Double(math.Abs(float64(v.(types.Double))))
			})),
			cel.Overload("abs_int", []*cel.Type{cel.IntType}, cel.IntType, cel.UnaryBinding(func(v ref.Val) ref.Val {
				if i := v.(types.Int); i >= 0 {
					return i
				}
				return v.(types.Int).Negate()
			}))),
		cel.Variable("failed", cel.BoolType),
		cel.Variable("ok", cel.BoolType),
		cel.Variable("order", cel.MapType(cel.StringType, cel.StringType)),
	}
	add := func(name string, t *cel.Type, v variable) {
		r.vars[name] = v
		opts = append(opts, cel.Variable(name, t))
	}
	for _, c := range d.Checks {
		add(c.ID+".ok", cel.BoolType, variable{c.ID, partOK, ""})
		add(c.ID+".failed", cel.BoolType, variable{c.ID, partFailed, ""})
		add(c.ID+".judged", cel.BoolType, variable{c.ID, partJudged, ""})
		k, _ := kinds.Find(c.Kind)
		for _, m := range k.Measures {
			add(c.ID+"."+m.Name, cel.DoubleType, variable{c.ID, partReading, m.Name})
		}
		for _, t := range k.Texts {
			add(c.ID+"."+t.Name, cel.StringType, variable{c.ID, partText, t.Name})
		}
	}
	env, err := cel.NewEnv(opts...)
	if err != nil {
		return nil, fmt.Errorf("preparing the rules: %w", err)
	}
	r.env = env
	return r, nil
}

// CompileBool implements check.Expressions.
func (r *Rules) CompileBool(source string) (check.Rule, error) {
	ast, issues := r.env.Compile(source)
	if err := issues.Err(); err != nil {
		return nil, errors.New(r.explain(issues))
	}
	if ast.OutputType() != cel.BoolType {
		return nil, fmt.Errorf("the rule gives a %s; write something that is true or false, such as a comparison", ast.OutputType())
	}
	opts := []cel.ProgramOption{cel.EvalOptions(cel.OptOptimize)}
	if loops(ast) {
		// Only loops can take long; counting the cost of every step is not free.
		opts = append(opts, cel.CostLimit(mostCost))
	}
	prg, err := r.env.Program(ast, opts...)
	if err != nil {
		return nil, err
	}
	return &rule{prg: prg, vars: r.vars, words: r.asksWords(ast)}, nil
}

// loops reports whether the expression goes over a list.
func loops(a *cel.Ast) bool {
	found := false
	celast.PreOrderVisit(a.NativeRep().Expr(), celast.NewExprVisitor(func(e celast.Expr) {
		found = found || e.Kind() == celast.ComprehensionKind
	}))
	return found
}

// explain turns a compiler message into one line with what is known.
func (r *Rules) explain(issues *cel.Issues) string {
	e := issues.Errors()[0]
	what := e.Message
	if name, found := strings.CutPrefix(what, "undeclared reference to '"); found {
		name, _, _ = strings.Cut(name, "'")
		var known []string
		for v := range r.vars {
			known = append(known, v)
		}
		what = fmt.Sprintf("%s is not known", name)
		if n := nearest(name, known); n != "" {
			what += "; did you mean " + n + "?"
		} else {
			what += "; checks are asked as in id.ok or id.reading"
		}
	}
	return fmt.Sprintf("at character %d: %s", e.Location.Column()+1, what)
}

// asksWords reports whether the expression names a text or the order.
func (r *Rules) asksWords(a *cel.Ast) bool {
	found := false
	for _, ref := range a.NativeRep().ReferenceMap() {
		v, ok := r.vars[ref.Name]
		found = found || ok && (v.part == partText || v.part == partOrder)
	}
	return found
}

type rule struct {
	prg   cel.Program
	vars  map[string]variable
	words bool
}

// AsksWords implements check.Rule.
func (r *rule) AsksWords() bool { return r.words }

// Holds implements check.Rule. CEL's own logic decides what matters: in
// 'a.ok && a.angle < 90' the angle is not asked for where a was not found.
func (r *rule) Holds(findings []*check.Finding, order check.Order) (bool, error) {
	out, _, err := r.prg.Eval(activation{r.vars, findings, order})
	if err != nil {
		if _, name, found := strings.Cut(err.Error(), "no such key: "); found {
			return false, fmt.Errorf("the order says nothing of %s; give it with the order", name)
		}
		if strings.Contains(err.Error(), "no such attribute") {
			return false, check.ErrNotJudged
		}
		return false, fmt.Errorf("the rule could not be worked out: %w", err)
	}
	b, ok := out.Value().(bool)
	if !ok {
		return false, fmt.Errorf("the rule gave %v, neither true nor false", out.Value())
	}
	return b, nil
}

// activation answers CEL's questions for names straight from the findings.
type activation struct {
	vars     map[string]variable
	findings []*check.Finding
	order    check.Order
}

func (a activation) Parent() interpreter.Activation { return nil }

func (a activation) ResolveName(name string) (any, bool) {
	v, ok := a.vars[name]
	if !ok {
		return nil, false
	}
	switch v.part {
	case partOrder:
		return map[string]string(a.order), true
	case partAnyFailed, partAllOK:
		failed := false
		for _, f := range a.findings {
			failed = failed || !f.MeasureOnly && f.Outcome == check.Failed
		}
		return failed == (v.part == partAnyFailed), true
	}
	for _, f := range a.findings {
		if f.Check != v.check {
			continue
		}
		switch v.part {
		case partOK:
			return f.Outcome == check.OK, true
		case partFailed:
			return f.Outcome == check.Failed, true
		case partJudged:
			return f.Outcome == check.OK || f.Outcome == check.Failed, true
		}
		if v.part == partText {
			return f.TextOf(v.name)
		}
		return f.Value(v.name)
	}
	return nil, false
}
