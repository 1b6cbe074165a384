package statistics

import (
	"cmp"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"ricetta/core/check"
	"ricetta/core/spc"
	"ricetta/internal/alarm"
	"ricetta/internal/line"
	"ricetta/internal/shift"
	"ricetta/internal/store"
)

// Records are what a report is made of.
type Records interface {
	Tallies
	Reviewed(f store.Filter) (store.Reviewed, error)
	Shifts(from, until time.Time) []shift.Shift
	ShiftOf(key string) (shift.Shift, bool)
	RunsByID(ids []int64) ([]line.Run, error)
	AlarmsBetween(from, until time.Time, limit int) ([]alarm.Alarm, error)
}

// What a report can be of.
const (
	OfShift   = "shift"
	OfRun     = "run"
	OfStation = "station"
)

// Ask says what a report is to be of: a shift by its key, a run by its number, or a station in a span.
type Ask struct {
	Of      string
	Shift   string
	Run     int64
	Station string
	From    time.Time
	Until   time.Time
	// Now is until when a run is told that still goes on.
	Now time.Time
}

// ErrNoReport says that there is nothing to report of.
var ErrNoReport = errors.New("there is nothing to report of")

// RunLine is a run in a report, with the items of it that the report is of.
type RunLine struct {
	ID      int64       `json:"id" required:"true"`
	Line    string      `json:"line" required:"true"`
	Product string      `json:"product" required:"true"`
	Order   check.Order `json:"order" required:"true" nullable:"false"`
	Who     string      `json:"who" required:"true"`
	Begin   time.Time   `json:"begin" required:"true"`
	End     *time.Time  `json:"end,omitempty" description:"Absent while it goes on"`
	Counts  Counts      `json:"counts" required:"true"`
}

// AlarmLine is an alarm in a report.
type AlarmLine struct {
	Time    time.Time `json:"time" required:"true"`
	Line    string    `json:"line" required:"true"`
	Station string    `json:"station" required:"true"`
	Text    string    `json:"text" required:"true"`
	Held    bool      `json:"held" required:"true" description:"It held the line"`
	Who     string    `json:"who" required:"true" description:"Who acknowledged it"`
}

// Report is what there is to say of a shift, a run, or a station in a span.
type Report struct {
	Of    string    `json:"of" required:"true" enum:"shift,run,station"`
	Key   string    `json:"key" required:"true" description:"The shift, the number of the run, or the station"`
	Title string    `json:"title" required:"true"`
	Team  string    `json:"team" required:"true"`
	From  time.Time `json:"from" required:"true"`
	Until time.Time `json:"until" required:"true"`

	Total Group `json:"total" required:"true" description:"Beside the same stations in the 30 days before"`
	// Before has the counts of those days.
	Before   Counts      `json:"before" required:"true" description:"Of the same stations in the 30 days before"`
	Stations []Group     `json:"stations" required:"true" nullable:"false" description:"Each beside itself in the 30 days before"`
	Products []Group     `json:"products" required:"true" nullable:"false"`
	Shifts   []Group     `json:"shifts" required:"true" nullable:"false" description:"Of a run or a station: each beside the others"`
	Reasons  []Bar       `json:"reasons" required:"true" nullable:"false"`
	Trend    []Step      `json:"trend" required:"true" nullable:"false"`
	Step     string      `json:"step" required:"true" enum:"hour,shift,day,week"`
	Runs     []RunLine   `json:"runs" required:"true" nullable:"false"`
	Alarms   []AlarmLine `json:"alarms" required:"true" nullable:"false"`
	// FalseRejects and Missed are what people found.
	FalseRejects Found `json:"false_rejects" required:"true"`
	Missed       Found `json:"missed" required:"true"`
}

// Found is how many of the reviewed items were judged wrong.
type Found struct {
	N     int64        `json:"n" required:"true"`
	Of    int64        `json:"of" required:"true"`
	Range spc.Interval `json:"range" required:"true"`
}

// daysBefore is what a report is compared with.
const daysBefore = 30

// mostAlarms is how many alarms a report tells.
const mostAlarms = 40

// Make makes a report. It returns ErrNoReport where nothing was inspected.
func Make(r Records, a Ask) (*Report, error) {
	out := &Report{Of: a.Of}
	f, err := out.span(r, a)
	if err != nil {
		return nil, err
	}
	// What was, before: the same stations, or products on the line of the run.
	stations, err := gather(r, f, "station")
	if err != nil {
		return nil, err
	}
	if stations.total.Inspected == 0 {
		return nil, ErrNoReport
	}
	past, err := gather(r, store.Filter{From: out.From.AddDate(0, 0, -daysBefore), Until: out.From}, "station")
	if err != nil {
		return nil, err
	}
	out.Stations, out.Products, out.Shifts = []Group{}, []Group{}, []Group{}
	for _, n := range stations.names {
		before := past.counts[n]
		out.Before = out.Before.plus(before)
		g := group(n, stations.counts[n], before)
		g.Top = top(stations.reasons[n])
		out.Stations = append(out.Stations, g)
	}
	out.Total = group(out.Title, stations.total, out.Before)
	if out.Products, err = Compare(r, f, "product"); err != nil {
		return nil, err
	}
	if a.Of != OfShift {
		if out.Shifts, err = Compare(r, f, "shift"); err != nil {
			return nil, err
		}
		slices.SortFunc(out.Shifts, func(x, y Group) int { return laterFirst(y.Name, x.Name) })
	}
	if out.Reasons, err = Pareto(r, f); err != nil {
		return nil, err
	}
	out.Total.Top = ""
	if len(out.Reasons) > 0 {
		out.Total.Top = out.Reasons[0].Reason
	}
	out.Step = stepFor(out.Until.Sub(out.From))
	if out.Trend, err = Trend(r, f, out.Step, How{}); err != nil {
		return nil, err
	}
	said, err := r.Reviewed(f)
	if err != nil {
		return nil, err
	}
	out.FalseRejects = found(said.RejectedGood, said.RejectedGood+said.RejectedBad)
	out.Missed = found(said.PassedBad, said.PassedGood+said.PassedBad)
	if err := out.runs(r, f); err != nil {
		return nil, err
	}
	return out, out.alarms(r, a, stations.names)
}

func found(n, of int64) Found { return Found{n, of, spc.Wilson(n, of)} }

// stepFor is how finely a span is told.
func stepFor(d time.Duration) string {
	switch {
	case d <= 36*time.Hour:
		return "hour"
	case d <= 10*24*time.Hour:
		return "shift"
	case d <= 100*24*time.Hour:
		return "day"
	}
	return "week"
}

// span finds out what the report is of, and when.
func (r *Report) span(records Records, a Ask) (f store.Filter, err error) {
	switch a.Of {
	case OfShift:
		s, ok := records.ShiftOf(a.Shift)
		if !ok {
			return f, fmt.Errorf("%w: nothing was inspected in a shift %q; write it as in 2026-11-27/night", ErrNoReport, a.Shift)
		}
		r.Key, r.Team, r.From, r.Until = s.Key, s.Team, s.Begin, s.End
		r.Title = "Shift " + strings.Replace(s.Key, "/", " ", 1)
		return store.Filter{Shift: s.Key}, nil
	case OfRun:
		runs, err := records.RunsByID([]int64{a.Run})
		if err != nil {
			return f, err
		}
		if len(runs) == 0 {
			return f, fmt.Errorf("%w: there is no run %d", ErrNoReport, a.Run)
		}
		run := runs[0]
		r.Key, r.From, r.Until = strconv.FormatInt(run.ID, 10), run.Begin, run.End
		if run.End.IsZero() {
			r.Until = a.Now.UTC()
		}
		r.Title = fmt.Sprintf("Run %d of %s, %s", run.ID, run.Line, run.Product)
		return store.Filter{Run: run.ID}, nil
	case OfStation:
		if a.Station == "" || a.From.IsZero() || !a.Until.After(a.From) {
			return f, errors.New("a report of a station needs the station, and from when until when")
		}
		r.Key, r.From, r.Until = a.Station, a.From.UTC(), a.Until.UTC()
		r.Title = "Station " + a.Station
		return store.Filter{Station: a.Station, From: a.From, Until: a.Until}, nil
	}
	return f, fmt.Errorf("there are no reports of a %q; choose from %s, %s, %s", a.Of, OfShift, OfRun, OfStation)
}

// runs tells the runs that the items are of.
func (r *Report) runs(records Records, f store.Filter) error {
	g, err := gather(records, f, "run")
	if err != nil {
		return err
	}
	ids := make([]int64, 0, len(g.names))
	for _, n := range g.names {
		if id, err := strconv.ParseInt(n, 10, 64); err == nil && id != 0 {
			ids = append(ids, id)
		}
	}
	list, err := records.RunsByID(ids)
	r.Runs = []RunLine{}
	for _, run := range list {
		x := RunLine{ID: run.ID, Line: run.Line, Product: run.Product, Order: run.Order, Who: run.Who, Begin: run.Begin, Counts: g.counts[strconv.FormatInt(run.ID, 10)]}
		if x.Order == nil {
			x.Order = check.Order{}
		}
		if !run.End.IsZero() {
			x.End = &run.End
		}
		r.Runs = append(r.Runs, x)
	}
	slices.SortFunc(r.Runs, func(a, b RunLine) int { return cmp.Or(a.Begin.Compare(b.Begin), cmp.Compare(a.ID, b.ID)) })
	return err
}

// alarms tells the alarms of the span that have to do with what the report is of.
func (r *Report) alarms(records Records, a Ask, stations []string) error {
	list, err := records.AlarmsBetween(r.From, r.Until, 1000)
	r.Alarms = []AlarmLine{}
	lines := map[string]bool{}
	for _, run := range r.Runs {
		lines[run.Line] = true
	}
	for _, x := range list {
		concerns := a.Of == OfShift || lines[x.Line] && x.Station == "" || slices.Contains(stations, x.Station)
		if concerns && len(r.Alarms) < mostAlarms {
			r.Alarms = append(r.Alarms, AlarmLine{x.Raised, x.Line, x.Station, x.Text, x.Holds, x.Who})
		}
	}
	return err
}
