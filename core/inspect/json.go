package inspect

import "ricetta/core/check"

// ResultJSON is a verdict in its outside form.
type ResultJSON struct {
	Revision string              `json:"revision"`
	Product  string              `json:"product"`
	Route    string              `json:"route"`
	Fault    bool                `json:"fault"`
	Reason   string              `json:"reason"`
	Sentence string              `json:"sentence"`
	Findings []check.FindingJSON `json:"findings"`
}

// JSON returns the verdict in its outside form, sharing no memory with r.
func (r *Result) JSON() ResultJSON {
	out := ResultJSON{
		Revision: r.Revision, Product: r.Product, Route: r.Route, Fault: r.Fault,
		Reason: r.Reason, Sentence: r.Sentence,
		Findings: make([]check.FindingJSON, 0, len(r.Findings)),
	}
	for _, f := range r.Findings {
		out.Findings = append(out.Findings, f.JSON())
	}
	return out
}
