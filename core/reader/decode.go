package reader

import (
	"slices"

	"ricetta/core/raster"
)

// chances are the logarithms of how probable each class is at each step; class 0 says that
// nothing new is there. The classes at which to look at a step are sorted by their chance.
type chances struct {
	steps, classes int
	log            []float64
	order          []int16 // few of each step, best first
}

const (
	fewClasses = 8     // looked at by the search at each step
	leastLog   = -13.8 // one in a million: no class is less probable than that
	beamWidth  = 12
)

// of makes chances of scores: their softmax.
func (c *chances) of(scores []float32, steps, classes int) {
	c.steps, c.classes = steps, classes
	c.log = slices.Grow(c.log[:0], steps*classes)[:steps*classes]
	c.order = slices.Grow(c.order[:0], steps*fewClasses)[:steps*fewClasses]
	for t := range steps {
		row, to := scores[t*classes:(t+1)*classes], c.log[t*classes:(t+1)*classes]
		top := row[0]
		for _, v := range row {
			top = max(top, v)
		}
		sum := 0.0
		for _, v := range row {
			if d := float64(v - top); d > -negligible {
				sum += raster.Exp(d)
			}
		}
		all := raster.Log(sum)
		for i, v := range row {
			to[i] = max(float64(v-top)-all, leastLog)
		}
		few := c.order[t*fewClasses : (t+1)*fewClasses]
		n := 0
		for i := range to {
			j := n
			for j > 0 && to[few[j-1]] < to[i] {
				j--
			}
			if j >= fewClasses {
				continue
			}
			if n < fewClasses {
				n++
			}
			copy(few[j+1:n], few[j:n-1])
			few[j] = int16(i)
		}
	}
}

func (c *chances) at(step, class int) float64 { return c.log[step*c.classes+class] }

// allowed says what may come next; nil allows everything. States are its own affair; 0 is
// where it begins.
type allowed interface {
	// next is the state after a character, false where that may not come.
	next(state int, r rune) (int, bool)
	// end reports whether the text may end here.
	end(state int) bool
}

// prefix is a text begun, with the logarithms of how probable it is so far, ending in its last
// character or in nothing.
type prefix struct {
	class int16
	state int
	node  int
	last  float64
	blank float64
	all   float64 // last and blank together, once a step is over
}

type node struct {
	parent int
	class  int16
}

// search is a search of the most probable texts through all ways to read them (prefix beam
// search after Graves and Jaitly, Towards End-to-End Speech Recognition with Recurrent Neural
// Networks, 2014). Room is kept from search to search.
type search struct {
	nodes     []node
	beam, new []prefix
}

// best is the text that is allowed and most probable together with how usual it is, and the
// logarithm of both as the beam knows it; false where none is.
func (s *search) best(c *chances, may allowed, usual bool) ([]int16, float64, bool) {
	s.nodes = append(s.nodes[:0], node{parent: -1})
	s.beam = append(s.beam[:0], prefix{node: 0, last: none, blank: 0})
	for t := range c.steps {
		s.new = s.new[:0]
		quiet := c.at(t, 0)
		few := c.order[t*fewClasses : (t+1)*fewClasses]
		for i := range s.beam {
			p := &s.beam[i]
			all := p.all
			// Nothing new, or the same character going on.
			same := none
			if p.node != 0 {
				same = p.last + c.at(t, int(p.class))
			}
			s.add(p.node, p.class, p.state, same, all+quiet)
			for _, k := range few {
				if k == 0 || c.at(t, int(k)) <= leastLog {
					continue
				}
				state := 0
				if may != nil {
					var ok bool
					if state, ok = may.next(p.state, characters[k-1]); !ok {
						continue
					}
				}
				from := all
				if k == p.class && p.node != 0 {
					from = p.blank
				}
				if from <= none {
					continue
				}
				if usual {
					before := int16(0)
					if n := s.nodes[p.node].parent; p.node != 0 {
						before = s.nodes[n].class
					}
					from += unusual(before, p.class, k)
				}
				s.add(s.child(p.node, k), k, state, from+c.at(t, int(k)), none)
			}
		}
		for i := range s.new {
			s.new[i].all = plus(s.new[i].last, s.new[i].blank)
		}
		slices.SortFunc(s.new, func(a, b prefix) int { // nodes differ
			switch {
			case a.all > b.all:
				return -1
			case a.all < b.all:
				return 1
			}
			return a.node - b.node
		})
		s.beam, s.new = s.new[:min(len(s.new), beamWidth)], s.beam
	}
	for i := range s.beam {
		p := &s.beam[i]
		if may != nil && !may.end(p.state) {
			continue
		}
		var text []int16
		for n := p.node; n != 0; n = s.nodes[n].parent {
			text = append(text, s.nodes[n].class)
		}
		slices.Reverse(text)
		return text, p.all, true
	}
	return nil, none, false
}

// child is the node of a prefix with one more character.
func (s *search) child(parent int, class int16) int {
	// The nodes made last are those of this step and the one before, among which it would be.
	for i := len(s.nodes) - 1; i > 0 && i > len(s.nodes)-400; i-- {
		if s.nodes[i] == (node{parent, class}) {
			return i
		}
	}
	s.nodes = append(s.nodes, node{parent, class})
	return len(s.nodes) - 1
}

func (s *search) add(at int, class int16, state int, last, blank float64) {
	for i := range s.new {
		if p := &s.new[i]; p.node == at {
			p.last, p.blank = plus(p.last, last), plus(p.blank, blank)
			return
		}
	}
	s.new = append(s.new, prefix{node: at, class: class, state: state, last: last, blank: blank})
}

// probable is the logarithm of how probable a text is over all ways to read it (the forward
// variables of Graves et al., Connectionist Temporal Classification, 2006, section 4.1).
func (c *chances) probable(text []int16) float64 {
	n := 2*len(text) + 1
	if c.steps == 0 {
		if len(text) == 0 {
			return 0
		}
		return none
	}
	row, was := make([]float64, n), make([]float64, n)
	label := func(i int) int16 {
		if i%2 == 0 {
			return 0
		}
		return text[i/2]
	}
	for i := range was {
		was[i] = none
	}
	was[0] = c.at(0, 0)
	if n > 1 {
		was[1] = c.at(0, int(text[0]))
	}
	for t := 1; t < c.steps; t++ {
		for i := range row {
			v := was[i]
			if i > 0 {
				v = plus(v, was[i-1])
			}
			if i > 1 && label(i) != 0 && label(i) != label(i-2) {
				v = plus(v, was[i-2])
			}
			if v > none {
				v += c.at(t, int(label(i)))
			}
			row[i] = v
		}
		row, was = was, row
	}
	v := was[n-1]
	if n > 1 {
		v = plus(v, was[n-2])
	}
	return v
}

// span is where a character lies: steps from and to, and how probable it is at its best step.
type span struct {
	from, to int
	sure     float64
}

// spans lays a text along the steps in the most probable way (Viterbi).
func (c *chances) spans(text []int16) []span {
	n := 2*len(text) + 1
	out := make([]span, len(text))
	if c.steps == 0 || len(text) == 0 {
		return out
	}
	label := func(i int) int {
		if i%2 == 0 {
			return 0
		}
		return int(text[i/2])
	}
	from := make([]int8, c.steps*n)
	was, row := make([]float64, n), make([]float64, n)
	for i := range was {
		was[i] = none
	}
	was[0], was[1] = c.at(0, 0), c.at(0, int(text[0]))
	for t := 1; t < c.steps; t++ {
		for i := range n {
			best, step := was[i], int8(0)
			if i > 0 && was[i-1] > best {
				best, step = was[i-1], 1
			}
			if i > 1 && label(i) != 0 && label(i) != label(i-2) && was[i-2] > best {
				best, step = was[i-2], 2
			}
			if best > none {
				best += c.at(t, label(i))
			}
			row[i], from[t*n+i] = best, step
		}
		was, row = row, was
	}
	at := n - 1
	if was[n-2] > was[n-1] {
		at = n - 2
	}
	for i := range out {
		out[i] = span{from: -1, sure: none}
	}
	for t := c.steps - 1; t >= 0; t-- {
		if at%2 == 1 {
			s := &out[at/2]
			if s.from < 0 {
				s.to = t + 1
			}
			s.from = t
			s.sure = max(s.sure, c.at(t, label(at)))
		}
		at -= int(from[t*n+at])
	}
	return out
}

// greedy is the text of the most probable class at each step: quick, and mostly the same.
func (c *chances) greedy() []int16 {
	var text []int16
	last := int16(0)
	for t := range c.steps {
		k := c.order[t*fewClasses]
		if k != last && k != 0 {
			text = append(text, k)
		}
		last = k
	}
	return text
}
