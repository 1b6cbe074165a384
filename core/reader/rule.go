package reader

import (
	"fmt"
	"regexp/syntax"
	"slices"
)

// Rule is what may be printed on a line: a regular expression as an automaton, so that a text
// begun can be asked whether it may still become one that is allowed.
type Rule struct {
	prog   *syntax.Prog
	states [][]uint32 // instructions that wait for a character, for each state
	final  []bool
	known  map[string]int
	steps  map[step]int // −1 where the character may not come
}

type step struct {
	state int
	r     rune
}

// NewRule makes a rule of an RE2 expression that the whole line must match. A space may stand
// between any two characters unless spaces count.
func NewRule(expression string, spaces bool) (*Rule, error) {
	re, err := syntax.Parse(expression, syntax.Perl)
	if err != nil {
		return nil, err
	}
	prog, err := syntax.Compile(re.Simplify())
	if err != nil {
		return nil, err
	}
	if len(prog.Inst) > 4000 {
		return nil, fmt.Errorf("the expression is too long: %d steps", len(prog.Inst))
	}
	r := &Rule{prog: prog, known: map[string]int{}, steps: map[step]int{}}
	r.state(r.closure([]uint32{uint32(prog.Start)}, true))
	if !spaces {
		r.steps[step{-1, ' '}] = 1
	}
	return r, nil
}

// closure follows the instructions that take no character. Where a text begins and ends is
// known; boundaries of words are not looked at, so they never forbid anything here.
func (r *Rule) closure(from []uint32, begin bool) (waiting []uint32, final bool) {
	seen := map[uint32]bool{}
	var walk func(pc uint32)
	walk = func(pc uint32) {
		if seen[pc] {
			return
		}
		seen[pc] = true
		switch in := &r.prog.Inst[pc]; in.Op {
		case syntax.InstAlt, syntax.InstAltMatch:
			walk(in.Out)
			walk(in.Arg)
		case syntax.InstCapture, syntax.InstNop:
			walk(in.Out)
		case syntax.InstEmptyWidth:
			if e := syntax.EmptyOp(in.Arg); e&(syntax.EmptyBeginText|syntax.EmptyBeginLine) != 0 && !begin {
				return
			}
			walk(in.Out)
		case syntax.InstMatch:
			final = true
		case syntax.InstFail:
		default:
			waiting = append(waiting, pc)
		}
	}
	for _, pc := range from {
		walk(pc)
	}
	slices.Sort(waiting)
	return waiting, final
}

func (r *Rule) state(waiting []uint32, final bool) int {
	key := fmt.Sprint(waiting, final)
	if i, ok := r.known[key]; ok {
		return i
	}
	r.states, r.final = append(r.states, waiting), append(r.final, final)
	r.known[key] = len(r.states) - 1
	return len(r.states) - 1
}

// next implements allowed. States are found as they are needed, and never more than mostStates.
func (r *Rule) next(state int, c rune) (int, bool) {
	if to, ok := r.steps[step{state, c}]; ok {
		return to, to >= 0
	}
	var out []uint32
	for _, pc := range r.states[state] {
		if in := &r.prog.Inst[pc]; in.MatchRune(c) {
			out = append(out, in.Out)
		}
	}
	to := -1
	switch _, free := r.steps[step{-1, ' '}]; {
	case len(out) > 0 && len(r.states) < mostStates:
		to = r.state(r.closure(out, false))
	case c == ' ' && free:
		to = state
	}
	r.steps[step{state, c}] = to
	return to, to >= 0
}

const mostStates = 20000

// end implements allowed.
func (r *Rule) end(state int) bool { return r.final[state] }
