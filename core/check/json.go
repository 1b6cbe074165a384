package check

import (
	"encoding/json"
	"math"

	"ricetta/core/raster"
)

// The JSON form of a finding, as `ricetta inspect --json` and the API give it.

// ReadingJSON is one reading with its unit and, where it is bounded, its limits.
type ReadingJSON struct {
	Value float64  `json:"value" required:"true"`
	Unit  string   `json:"unit" required:"true"`
	Least *float64 `json:"least,omitempty" nullable:"false"`
	Most  *float64 `json:"most,omitempty" nullable:"false"`
}

// MarkJSON is one mark; points are x, y in pixels of the picture.
type MarkJSON struct {
	Shape  Shape        `json:"shape" required:"true" enum:"polygon,points,cross,line,arrow"`
	Role   Role         `json:"role" required:"true" enum:"taught,found,left_out,region"`
	Label  string       `json:"label,omitempty"`
	Turn   float64      `json:"turn,omitempty"`
	Points [][2]float64 `json:"points" required:"true" nullable:"false"`
}

// FindingJSON is a finding.
type FindingJSON struct {
	Check       string                 `required:"true" json:"check"`
	Kind        string                 `json:"kind" required:"true"`
	Outcome     Outcome                `json:"outcome" required:"true"`
	Sentence    string                 `json:"sentence" required:"true"`
	MeasureOnly bool                   `json:"measure_only,omitempty"`
	Itself      bool                   `json:"itself,omitempty" description:"It failed whatever the recipe's limits say"`
	Readings    map[string]ReadingJSON `json:"readings" required:"true" nullable:"false"`
	Texts       map[string]string      `json:"texts" required:"true" nullable:"false"`
	Rows        []map[string]any       `json:"rows,omitempty"`
	Marks       []MarkJSON             `json:"marks" required:"true" nullable:"false"`
}

// JSON returns the finding in its outside form, sharing no memory with f.
// Coordinates of marks are rounded to a hundredth of a pixel; readings are not
// rounded. A reading that is not a number is left out, for JSON has no word for it.
func (f *Finding) JSON() FindingJSON {
	out := FindingJSON{
		Check: f.Check, Kind: f.Kind, Outcome: f.Outcome, Sentence: string(f.Sentence),
		MeasureOnly: f.MeasureOnly, Itself: f.Itself,
		Readings: make(map[string]ReadingJSON, len(f.Readings)),
		Texts:    make(map[string]string, len(f.Texts)),
		Marks:    make([]MarkJSON, 0, len(f.Marks)),
	}
	for _, r := range f.Readings {
		if math.IsNaN(r.Value) || math.IsInf(r.Value, 0) {
			continue
		}
		j := ReadingJSON{Value: r.Value, Unit: r.Unit}
		if !math.IsInf(r.Limits.Least, -1) {
			j.Least = &r.Limits.Least
		}
		if !math.IsInf(r.Limits.Most, 1) {
			j.Most = &r.Limits.Most
		}
		out.Readings[r.Name] = j
	}
	for _, t := range f.Texts {
		out.Texts[t.Name] = t.Value
	}
	for _, row := range f.Rows {
		m := make(map[string]any, len(row))
		for i, c := range row {
			if f.Columns[i].Text {
				m[f.Columns[i].Name] = c.Text
			} else {
				m[f.Columns[i].Name] = Rounded(c.Number, 1e4)
			}
		}
		out.Rows = append(out.Rows, m)
	}
	for _, m := range f.Marks {
		j := MarkJSON{Shape: m.Shape, Role: m.Role, Label: m.Label, Turn: Rounded(m.Turn, 100), Points: make([][2]float64, 0, len(m.Points))}
		for _, p := range m.Points {
			j.Points = append(j.Points, [2]float64{Rounded(p.X, 100), Rounded(p.Y, 100)})
		}
		out.Marks = append(out.Marks, j)
	}
	return out
}

// Rounded returns v to the nearest multiple of 1/parts.
func Rounded(v, parts float64) float64 { return math.Round(float64(v*parts)) / parts }

// MarshalJSON writes the outside form.
func (f *Finding) MarshalJSON() ([]byte, error) { return json.Marshal(f.JSON()) }

// MarkOutline adds the outline of a region and of its holes, moved by t, as marks.
func (f *Finding) MarkOutline(r raster.Region, t raster.Transform, role Role) {
	m := f.AddMark(Polygon, role, "")
	m.Points = r.Outline(t, m.Points)
	if r.Ring != nil {
		inner := raster.Shape{Circle: r.Ring[:3]}
		m = f.AddMark(Polygon, role, "")
		m.Points = inner.Outline(t, m.Points)
	}
	for _, hole := range r.Without {
		m = f.AddMark(Polygon, role, "")
		m.Points = hole.Outline(t, m.Points)
	}
}
