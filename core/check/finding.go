package check

import (
	"ricetta/core/raster"
)

// Outcome is what became of a check on one item.
type Outcome uint8

// The outcomes. NotJudged is the zero value: a finding nobody filled in has not
// passed.
const (
	NotJudged Outcome = iota // could not look, because what it depends on was not there
	OK                       // all limits held
	Failed                   // a limit was broken
	Fault                    // the check itself went wrong
)

var outcomeNames = [...]string{"not_judged", "ok", "failed", "fault"}

func (o Outcome) String() string { return outcomeNames[o] }

// Enum lists the words, for schemas.
func (Outcome) Enum() []any {
	out := make([]any, len(outcomeNames))
	for i, n := range outcomeNames {
		out[i] = n
	}
	return out
}

// MarshalText writes the outcome as its word.
func (o Outcome) MarshalText() ([]byte, error) { return []byte(o.String()), nil }

// UnmarshalText reads the outcome from its word; an unknown word is a fault.
func (o *Outcome) UnmarshalText(b []byte) error {
	*o = Fault
	for i, n := range outcomeNames {
		if n == string(b) {
			*o = Outcome(i)
		}
	}
	return nil
}

// Reading is a named number that a check took, with the band it must lie in.
type Reading struct {
	Name, Unit string
	Value      float64
	Limits     Band
}

// Within reports whether the reading keeps its limits.
func (r Reading) Within() bool { return r.Limits.Contains(r.Value) }

// Text is a named string that a check read.
type Text struct{ Name, Value string }

// Shape says how the points of a mark are joined.
type Shape string

// The shapes of marks.
const (
	Polygon Shape = "polygon" // closed
	Points  Shape = "points"  // each by itself
	Cross   Shape = "cross"   // one place, with Turn
	Line    Shape = "line"    // open
	Arrow   Shape = "arrow"   // from the first point to the second
)

// Role says what a mark shows.
type Role string

// The roles of marks.
const (
	RoleTaught  Role = "taught"   // what was taught, on the reference picture
	RoleFound   Role = "found"    // what was found and accepted
	RoleLeftOut Role = "left_out" // what was found and not accepted
	RoleRegion  Role = "region"   // where the check looked
)

// Mark is something to draw over the picture, in its pixels.
type Mark struct {
	Shape  Shape
	Role   Role
	Label  string
	Turn   float64 // of a Cross, degrees
	Points []raster.Point
}

// Column names one cell of every row and says whether it holds a text. Unit is "px"
// for lengths that are converted with the readings.
type Column struct {
	Name string
	Text bool
	Unit string
}

// Cell is a figure or a text of a row, as its Column says.
type Cell struct {
	Number float64
	Text   string
}

// Finding is what a check says of one item. Its memory is reused from item to item:
// whoever keeps one takes a Clone.
type Finding struct {
	Check, Kind string
	Outcome     Outcome
	Readings    []Reading
	Texts       []Text
	// Columns name the cells of every row. Rows list what was found, best or
	// largest first.
	Columns []Column
	Rows    [][]Cell
	Marks   []Mark
	// Sentence says in words why the outcome is what it is.
	Sentence []byte
	// MeasureOnly findings do not take part in the item's verdict.
	MeasureOnly bool
	// Itself is set where the check failed whatever the recipe's limits say: it found nothing, or
	// a band of its own was broken.
	Itself bool
}

// Reset empties the finding for the next item and keeps its memory.
func (f *Finding) Reset() {
	f.Outcome, f.Itself = OK, false
	f.Readings, f.Texts, f.Columns = f.Readings[:0], f.Texts[:0], nil
	f.Rows, f.Marks, f.Sentence = f.Rows[:0], f.Marks[:0], f.Sentence[:0]
}

// Read adds a reading; its limits are set by the caller of the judge.
func (f *Finding) Read(name, unit string, v float64) {
	f.Readings = append(f.Readings, Reading{name, unit, v, Open})
}

// Say adds a text.
func (f *Finding) Say(name, value string) { f.Texts = append(f.Texts, Text{name, value}) }

// TextOf returns the text of that name.
func (f *Finding) TextOf(name string) (string, bool) {
	for _, t := range f.Texts {
		if t.Name == name {
			return t.Value, true
		}
	}
	return "", false
}

// Fail marks the finding as failed for a reason that no limit expresses. The
// sentence is the explanation, as in "not found".
func (f *Finding) Fail(sentence string) {
	f.Outcome = Failed
	f.Sentence = append(f.Sentence[:0], sentence...)
}

// Fault marks the finding as a fault: the check could not do its work.
func (f *Finding) Fault(sentence string) {
	f.Outcome = Fault
	f.Sentence = append(f.Sentence[:0], sentence...)
}

// AddMark adds a mark and returns it, with no points yet; append them to its
// Points. The pointer is good until the next AddMark.
func (f *Finding) AddMark(shape Shape, role Role, label string) *Mark {
	n := len(f.Marks)
	if n < cap(f.Marks) {
		f.Marks = f.Marks[:n+1]
	} else {
		f.Marks = append(f.Marks, Mark{})
	}
	m := &f.Marks[n]
	*m = Mark{Shape: shape, Role: role, Label: label, Points: m.Points[:0]}
	return m
}

// AddRow adds a row of n cells, all zero, and returns it.
func (f *Finding) AddRow(n int) []Cell {
	k := len(f.Rows)
	if k < cap(f.Rows) {
		f.Rows = f.Rows[:k+1]
	} else {
		f.Rows = append(f.Rows, nil)
	}
	if cap(f.Rows[k]) < n {
		f.Rows[k] = make([]Cell, n)
	}
	f.Rows[k] = f.Rows[k][:n]
	clear(f.Rows[k])
	return f.Rows[k]
}

// Value returns the reading of that name.
func (f *Finding) Value(name string) (float64, bool) {
	for _, r := range f.Readings {
		if r.Name == name {
			return r.Value, true
		}
	}
	return 0, false
}

// Clone returns a copy that shares no memory with f.
func (f *Finding) Clone() Finding {
	out := *f
	out.Readings = append([]Reading(nil), f.Readings...)
	out.Texts = append([]Text(nil), f.Texts...)
	out.Sentence = append([]byte(nil), f.Sentence...)
	out.Rows = make([][]Cell, len(f.Rows))
	for i, r := range f.Rows {
		out.Rows[i] = append([]Cell(nil), r...)
	}
	out.Marks = make([]Mark, len(f.Marks))
	for i, m := range f.Marks {
		out.Marks[i] = m
		out.Marks[i].Points = append([]raster.Point(nil), m.Points...)
	}
	return out
}
