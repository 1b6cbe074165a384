package trial

import (
	"math"

	"ricetta/core/check"
)

// The JSON form of reports, as the terminal and the interface give it.

// ReportJSON is a report.
type ReportJSON struct {
	Samples    int             `json:"samples" required:"true"`
	Wrong      int             `json:"wrong" required:"true" description:"Samples that did not go where their label says, faults included"`
	LetThrough int             `json:"let_through" required:"true" description:"Those of them that pass and should not"`
	Unlabeled  int             `json:"unlabeled" required:"true"`
	Broken     int             `json:"broken" required:"true" description:"Pictures that could not be read"`
	Results    []ResultJSON    `json:"results" required:"true" nullable:"false"`
	Confusion  []ConfusionJSON `json:"confusion" required:"true" nullable:"false"`
	Limits     []LimitJSON     `json:"limits" required:"true" nullable:"false" description:"Thinnest margin first"`
}

// ResultJSON is what became of one sample.
type ResultJSON struct {
	Sample      string                                  `json:"sample" required:"true"`
	Label       string                                  `json:"label" required:"true"`
	Right       bool                                    `json:"right" required:"true"`
	OtherReason bool                                    `json:"other_reason,omitempty" description:"It failed, but not the check that its label names"`
	Error       string                                  `json:"error,omitempty"`
	Route       string                                  `json:"route" required:"true"`
	Fault       bool                                    `json:"fault" required:"true"`
	Reason      string                                  `json:"reason" required:"true"`
	Sentence    string                                  `json:"sentence" required:"true"`
	Readings    map[string]map[string]check.ReadingJSON `json:"readings" required:"true" nullable:"false" description:"By check and name"`
}

// ConfusionJSON is a row of the confusion table.
type ConfusionJSON struct {
	Label  string         `json:"label" required:"true"`
	Routes map[string]int `json:"routes" required:"true" nullable:"false" description:"Samples by where they went; fault for those not judged"`
}

// LimitJSON is one reading with limits over all samples.
type LimitJSON struct {
	Check   string `required:"true" json:"check"`
	Reading string `json:"reading" required:"true"`
	Unit    string `json:"unit" required:"true"`
	Setting string `json:"setting" required:"true" description:"Where the limits are written in the check; empty where the kind sets them itself"`
	Whole   bool   `json:"whole" required:"true" description:"It counts, and has no values between"`
	// Margin is absent where no sample tells it.
	Margin *float64    `json:"margin,omitempty" nullable:"false" description:"Smaller room as a share of the distance between usual good and bad readings; below 0 a sample is judged wrong"`
	Least  *EndJSON    `json:"least,omitempty"`
	Most   *EndJSON    `json:"most,omitempty"`
	Points []PointJSON `json:"points" required:"true" nullable:"false"`
}

// PointJSON is the reading of one sample.
type PointJSON struct {
	Sample string  `json:"sample" required:"true"`
	Value  float64 `json:"value" required:"true"`
	Group  Group   `json:"group" required:"true" enum:"good,bad,other"`
}

// EndJSON is one end of limits.
type EndJSON struct {
	At       float64    `json:"at" required:"true"`
	Good     *PointJSON `json:"good,omitempty" description:"Good sample nearest to the end, or beyond it"`
	Bad      *PointJSON `json:"bad,omitempty" description:"Bad sample nearest to the end"`
	GoodRoom *float64   `json:"good_room,omitempty" nullable:"false"`
	BadRoom  *float64   `json:"bad_room,omitempty" nullable:"false"`
	Margin   *float64   `json:"margin,omitempty" nullable:"false"`
	Proposed *float64   `json:"proposed,omitempty" nullable:"false"`
	Why      string     `json:"why" required:"true"`
}

// JSON returns the report in its outside form.
func (r *Report) JSON() ReportJSON {
	out := ReportJSON{
		Samples: len(r.Results), Wrong: r.Wrong, LetThrough: r.LetThrough, Unlabeled: r.Unlabeled, Broken: r.Broken,
		Results: []ResultJSON{}, Confusion: []ConfusionJSON{}, Limits: []LimitJSON{},
	}
	for i := range r.Results {
		s := &r.Results[i]
		j := ResultJSON{
			Sample: s.Name, Label: s.Label.String(), Right: s.Right(), OtherReason: s.OtherReason(), Error: s.Error,
			Route: s.Route, Fault: s.Fault, Reason: s.Reason, Sentence: s.Sentence,
			Readings: map[string]map[string]check.ReadingJSON{},
		}
		for k := range s.Findings {
			if f := s.Findings[k].JSON(); len(f.Readings) > 0 {
				j.Readings[f.Check] = f.Readings
			}
		}
		out.Results = append(out.Results, j)
	}
	for _, c := range r.Confusion {
		out.Confusion = append(out.Confusion, ConfusionJSON(c))
	}
	for i := range r.Limits {
		out.Limits = append(out.Limits, r.limit(&r.Limits[i]))
	}
	return out
}

func (r *Report) limit(l *Limit) LimitJSON {
	out := LimitJSON{Check: l.Check, Reading: l.Reading, Unit: l.Unit, Setting: l.Setting, Whole: l.Whole, Points: []PointJSON{}}
	if m, ok := l.Margin(); ok {
		out.Margin = &m
	}
	for i := range l.Points {
		out.Points = append(out.Points, *r.point(&l.Points[i]))
	}
	out.Least, out.Most = r.end(l.Least), r.end(l.Most)
	return out
}

func (r *Report) point(p *Point) *PointJSON {
	if p == nil {
		return nil
	}
	return &PointJSON{r.Results[p.Sample].Name, p.Value, p.Group}
}

func (r *Report) end(e *End) *EndJSON {
	if e == nil {
		return nil
	}
	number := func(v float64) *float64 {
		if math.IsNaN(v) || math.IsInf(v, 0) {
			return nil
		}
		return &v
	}
	return &EndJSON{
		At: e.At, Good: r.point(e.Good), Bad: r.point(e.Bad), GoodRoom: number(e.GoodRoom), BadRoom: number(e.BadRoom),
		Margin: number(e.Margin), Proposed: number(e.Proposed), Why: e.Why,
	}
}

// EnvelopeJSON is how much of a disturbance the recipe holds.
type EnvelopeJSON struct {
	Disturbance string     `json:"disturbance" required:"true"`
	Unit        string     `json:"unit" required:"true"`
	Holds       float64    `json:"holds" required:"true" description:"Greatest amount up to which no verdict changes"`
	All         bool       `json:"all" required:"true" description:"No amount that was tried changes a verdict"`
	First       string     `json:"first" required:"true" description:"The check that gives way first"`
	Sample      string     `json:"sample" required:"true"`
	Sentence    string     `json:"sentence" required:"true"`
	Steps       []StepJSON `json:"steps" required:"true" nullable:"false"`
}

// StepJSON is one amount of a disturbance.
type StepJSON struct {
	Amount     float64 `json:"amount" required:"true"`
	Changed    int     `json:"changed" required:"true"`
	LetThrough int     `json:"let_through" required:"true"`
}

// JSON returns the envelope in its outside form.
func (e *Envelope) JSON() EnvelopeJSON {
	out := EnvelopeJSON{
		Disturbance: e.Disturbance, Unit: e.Unit, Holds: e.Holds, All: e.All, First: e.First, Sample: e.Sample, Sentence: e.Sentence,
		Steps: []StepJSON{},
	}
	for _, s := range e.Steps {
		out.Steps = append(out.Steps, StepJSON(s))
	}
	return out
}
