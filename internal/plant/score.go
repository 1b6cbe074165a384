package plant

import (
	"maps"

	"ricetta/core/recipe"
)

// Score holds the truth against what happened to the tins that left the belt.
type Score struct {
	// Left counts tins by defect and by the route on which they left.
	Left map[Defect]map[string]int64
	gone map[int64]bool // tins that left by an ejector
	last int64          // tins up to here have left
}

func newScore() Score {
	return Score{Left: map[Defect]map[string]int64{}, gone: map[int64]bool{}, last: -1}
}

func (s *Score) left(k int64) bool { return k <= s.last || s.gone[k] }

func (s *Score) leave(t Piece, route string) {
	if s.Left[t.Defect] == nil {
		s.Left[t.Defect] = map[string]int64{}
	}
	s.Left[t.Defect][route]++
	if route == recipe.Pass {
		s.last = t.Index
		maps.DeleteFunc(s.gone, func(k int64, _ bool) bool { return k <= s.last })
		return
	}
	s.gone[t.Index] = true
}

func (s *Score) clone() Score {
	out := newScore()
	for d, routes := range s.Left {
		out.Left[d] = maps.Clone(routes)
	}
	return out
}

// Add adds another score.
func (s *Score) Add(o Score) {
	for d, routes := range o.Left {
		if s.Left[d] == nil {
			s.Left[d] = map[string]int64{}
		}
		for r, n := range routes {
			s.Left[d][r] += n
		}
	}
}

// NewScore returns an empty score to add to.
func NewScore() Score { return newScore() }

// Tins returns how many tins left the belt.
func (s Score) Tins() (n int64) {
	for _, routes := range s.Left {
		for _, k := range routes {
			n += k
		}
	}
	return n
}

// LetThrough returns how many bad tins left on the way of the good ones.
func (s Score) LetThrough() (n int64) {
	for d, routes := range s.Left {
		if d != Good {
			n += routes[recipe.Pass]
		}
	}
	return n
}

// FalseRejects returns how many good tins did not pass.
func (s Score) FalseRejects() (n int64) {
	for r, k := range s.Left[Good] {
		if r != recipe.Pass {
			n += k
		}
	}
	return n
}
