package recipe

import (
	"fmt"
	"strings"
)

// Problem is one thing wrong with a recipe: where, what, and how to mend it.
type Problem struct {
	File   string `json:"file,omitempty"`
	Line   int    `json:"line,omitempty"`  // from 1; 0 where it has no line
	Field  string `json:"field,omitempty"` // as in checks/2/limits/count
	What   string `json:"what"`
	Remedy string `json:"remedy,omitempty"`
}

// String is "recipe.yaml:12: checks/2/limits: what; remedy".
func (p Problem) String() string {
	var b strings.Builder
	if p.File != "" {
		b.WriteString(p.File)
		if p.Line > 0 {
			fmt.Fprintf(&b, ":%d", p.Line)
		}
		b.WriteString(": ")
	}
	if p.Field != "" {
		b.WriteString(p.Field + ": ")
	}
	b.WriteString(p.What)
	if p.Remedy != "" {
		b.WriteString("; " + p.Remedy)
	}
	return b.String()
}

// Problems is everything that was found wrong with a recipe, in the order of its
// lines. As an error it is never empty.
type Problems []Problem

func (p Problems) Error() string {
	lines := make([]string, len(p))
	for i, x := range p {
		lines[i] = x.String()
	}
	return strings.Join(lines, "\n")
}

// nearest returns the known word closest to a mistyped one, or "" where none is
// within two edits.
func nearest(word string, known []string) string {
	best, least := "", 3
	for _, k := range known {
		if d := edits(word, k); d < least {
			best, least = k, d
		}
	}
	return best
}

// edits is the Levenshtein distance.
func edits(a, b string) int {
	row := make([]int, len(b)+1)
	for j := range row {
		row[j] = j
	}
	for i := 1; i <= len(a); i++ {
		diagonal := row[0]
		row[0] = i
		for j := 1; j <= len(b); j++ {
			cost := diagonal
			if a[i-1] != b[j-1] {
				cost++
			}
			diagonal = row[j]
			row[j] = min(cost, row[j]+1, row[j-1]+1)
		}
	}
	return row[len(b)]
}
