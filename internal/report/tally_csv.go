package report

import (
	"encoding/csv"
	"io"
	"strconv"
	"strings"

	"ricetta/internal/statistics"
)

// writeCSV writes one table (RFC 4180): a row for each part of the report, which its first column names.
func writeCSV(w io.Writer, t *Tally) error {
	c := csv.NewWriter(w)
	c.UseCRLF = true
	row := func(cells ...string) { _ = c.Write(cells) } // kept until Flush
	row("part", "name", "inspected", "passed", "reworked", "rejected", "faults", "share_passed", "least", "most", "says", "main_reason")
	n := func(v int64) string { return strconv.FormatInt(v, 10) }
	f := func(v float64) string { return strconv.FormatFloat(v, 'g', 8, 64) }
	group := func(part string, g statistics.Group) {
		k := g.Counts
		row(part, g.Name, n(k.Inspected), n(k.Passed), n(k.Reworked), n(k.Rejected), n(k.Faults), f(g.Yield), f(g.Range.Least), f(g.Range.Most), g.Verdict, g.Top)
	}
	group("total", t.Total)
	for _, x := range t.Stations {
		group("station", x)
	}
	for _, x := range t.Products {
		group("product", x)
	}
	for _, x := range t.Shifts {
		group("shift", x)
	}
	for _, b := range t.Reasons {
		says := ""
		if b.Fault {
			says = "fault"
		}
		row("reason", b.Reason, "", "", "", n(b.Count), "", "", "", "", says, "")
	}
	for _, s := range t.Trend {
		k := s.Counts
		rules := make([]string, len(s.Point.Rules))
		for i, r := range s.Point.Rules {
			rules[i] = "rule " + strconv.Itoa(r)
		}
		row(t.Step, s.Name, n(k.Inspected), n(k.Passed), n(k.Reworked), n(k.Rejected), n(k.Faults), f(1-s.Point.Value), f(1-s.Point.Most), f(1-s.Point.Least), strings.Join(rules, " "), "")
	}
	for _, r := range t.Runs {
		k := r.Counts
		row("run", n(r.ID)+" "+r.Line+" "+r.Product, n(k.Inspected), n(k.Passed), n(k.Reworked), n(k.Rejected), n(k.Faults), "", "", "", order(r.Order), "")
	}
	row("false_rejects", "", n(t.FalseRejects.Of), "", "", n(t.FalseRejects.N), "", "", f(t.FalseRejects.Range.Least), f(t.FalseRejects.Range.Most), "of reviewed items that did not pass", "")
	row("missed_rejects", "", n(t.Missed.Of), "", "", n(t.Missed.N), "", "", f(t.Missed.Range.Least), f(t.Missed.Range.Most), "of reviewed items that passed", "")
	for _, a := range t.Alarms {
		row("alarm", t.at(a.Time), "", "", "", "", "", "", "", "", a.Line+" "+a.Station+" "+a.Text, "")
	}
	c.Flush()
	return c.Error()
}
