package report

import (
	"fmt"
	"io"
	"slices"
	"strings"
	"time"

	"ricetta/core/spc"
	"ricetta/internal/statistics"
)

// Tally is a report of a shift, a run or a station, with what is written round it.
type Tally struct {
	*statistics.Report
	Site    string
	Zone    *time.Location
	Made    time.Time
	Version string
}

// format is one way to write a report.
type format struct {
	media string
	write func(w io.Writer, t *Tally) error
}

var formats = map[string]format{
	"pdf":  {"application/pdf", writePDF},
	"csv":  {"text/csv; charset=utf-8", writeCSV},
	"xlsx": {"application/vnd.openxmlformats-officedocument.spreadsheetml.sheet", writeXLSX},
}

// Formats are the ways to write a report.
var Formats = []string{"pdf", "csv", "xlsx"}

// MediaType is that of a format, "" where there is none of the name.
func MediaType(name string) string { return formats[name].media }

// Write writes a report in a format.
func (t *Tally) Write(w io.Writer, name string) error {
	f, ok := formats[name]
	if !ok {
		return fmt.Errorf("a report is not written as %q; choose from %s", name, strings.Join(Formats, ", "))
	}
	return f.write(w, t)
}

// FileName is what a report is called in a folder, without its ending.
func (t *Tally) FileName() string {
	name := t.Of + "-" + t.Key
	if t.Of == statistics.OfRun && len(t.Runs) == 1 {
		name += "-" + t.Runs[0].Line + "-" + t.Runs[0].Product
	}
	if t.Of == statistics.OfStation {
		name += "-" + t.From.In(t.Zone).Format("2006-01-02") + "-to-" + t.Until.In(t.Zone).Format("2006-01-02")
	}
	return strings.Map(func(r rune) rune {
		switch {
		case r == '-' || r == '_' || r == '.' || r >= '0' && r <= '9' || r >= 'a' && r <= 'z' || r >= 'A' && r <= 'Z':
			return r
		}
		return '-'
	}, name)
}

// at writes a time as on the clock of the hall.
func (t *Tally) at(x time.Time) string { return x.In(t.Zone).Format("2006-01-02 15:04") }

// step writes the name of a step of the trend.
func (t *Tally) step(name string) string {
	if x, err := time.Parse(time.RFC3339, name); err == nil {
		return t.at(x)
	}
	return name
}

// percent writes a share.
func percent(v float64) string { return fmt.Sprintf("%.2f %%", 100*v) }

func within(i spc.Interval) string {
	return fmt.Sprintf("%.2f to %.2f %%", 100*i.Least, 100*i.Most)
}

// verdicts say a comparison in words.
var verdicts = map[string]string{"higher": "more rejects than before", "lower": "fewer rejects than before", "chance": "may be chance", "too_few": "too few to say"}

// elsewhere says a comparison with all others in words.
var elsewhere = map[string]string{"higher": "more rejects than the others", "lower": "fewer rejects than the others", "chance": "may be chance", "too_few": "too few to say"}

// standsOut lists the steps of the trend that stand out.
func (t *Tally) standsOut() (out []statistics.Step) {
	for _, s := range t.Trend {
		if len(s.Point.Rules) > 0 {
			out = append(out, s)
		}
	}
	return out
}

// order writes what was packed.
func order(o map[string]string) string {
	names := make([]string, 0, len(o))
	for n := range o {
		names = append(names, n)
	}
	slices.Sort(names)
	for i, n := range names {
		names[i] = n + " " + o[n]
	}
	return strings.Join(names, ", ")
}
