// Package shift is the calendar of a plant: which shift a moment belongs to. Times of the day are
// those of the plant's zone, so that a night over a change of the clocks has seven or nine hours.
package shift

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"
)

// Config describes the calendar.
type Config struct {
	// Zone is a name of the IANA time zone database, as in Europe/Rome; that of the machine if
	// it is empty.
	Zone string `yaml:"zone,omitempty"`
	// Calendars by the day from which each is valid. A change is a new entry: what is on record
	// stays in the shift that it was inspected in.
	Calendars []Calendar `yaml:"calendars"`
	// Holidays have no shifts, Exceptions other ones.
	Holidays   []string    `yaml:"holidays,omitempty"`
	Exceptions []Exception `yaml:"exceptions,omitempty"`
}

// Calendar is what holds from a day on.
type Calendar struct {
	From string `yaml:"from"` // as in 2026-01-01
	// Pattern is two, three or continental; Shifts are for other ones.
	Pattern string `yaml:"pattern,omitempty"`
	Shifts  []Slot `yaml:"shifts,omitempty"`
	// Week are the days on which shifts begin: mon, tue, …; all if it is empty.
	Week []string `yaml:"week,omitempty"`
}

// Exception is a day with other shifts.
type Exception struct {
	Day    string `yaml:"day"`
	Shifts []Slot `yaml:"shifts"`
}

// Slot is one shift of a day.
type Slot struct {
	Name string `yaml:"name"`
	At   string `yaml:"at"` // as in 06:00
	// To is when it ends: when the next one begins if it is empty.
	To string `yaml:"to,omitempty"`
}

// The named patterns.
const (
	Two         = "two"         // early and late
	Three       = "three"       // early, late and night
	Continental = "continental" // the same, every day, by four teams in a cycle of four weeks
)

var patterns = map[string][]Slot{
	Two:         {{"early", "06:00", "14:00"}, {"late", "14:00", "22:00"}},
	Three:       {{"early", "06:00", ""}, {"late", "14:00", ""}, {"night", "22:00", ""}},
	Continental: {{"early", "06:00", ""}, {"late", "14:00", ""}, {"night", "22:00", ""}},
}

// The four weeks of a team in the continental pattern: early, late, night, off. The next team is
// a week behind.
const (
	rotation = "EELLNNN" + "--EELLL" + "NN--EEE" + "LLNN---"
	teams    = "ABCD"
)

// Shift is one shift of one day.
type Shift struct {
	// Key is the day on which it begins and its name, as in 2026-11-27/night; the name is none
	// outside all shifts.
	Key   string
	Day   string
	Name  string
	Team  string // of the continental pattern
	Begin time.Time
	End   time.Time
}

// None is the name of the time outside all shifts.
const None = "none"

// Plan is a calendar ready to be asked. It may be used concurrently.
type Plan struct {
	zone       *time.Location
	calendars  []calendar
	holidays   map[string]bool
	exceptions map[string][]slot
}

type calendar struct {
	from        string
	slots       []slot
	week        [7]bool // from Sunday
	continental bool
}

// slot has minutes of the day; to may be beyond midnight.
type slot struct {
	name   string
	at, to int
}

const day = 24 * 60

// New checks a calendar and makes it ready. Without calendars there are three shifts every day.
func New(c Config) (*Plan, error) {
	p := &Plan{zone: time.Local, holidays: map[string]bool{}, exceptions: map[string][]slot{}}
	if c.Zone != "" {
		var err error
		if p.zone, err = time.LoadLocation(c.Zone); err != nil {
			return nil, fmt.Errorf("zone is %q; give a name as in Europe/Rome: %w", c.Zone, err)
		}
	}
	if len(c.Calendars) == 0 {
		c.Calendars = []Calendar{{From: "2000-01-01", Pattern: Three}}
	}
	last := ""
	for _, x := range c.Calendars {
		k, err := ready(x)
		if err != nil {
			return nil, fmt.Errorf("the calendar from %s: %w", x.From, err)
		}
		if k.from <= last {
			return nil, fmt.Errorf("the calendar from %s stands behind the one from %s; order them by their days", k.from, last)
		}
		last = k.from
		p.calendars = append(p.calendars, k)
	}
	for _, h := range c.Holidays {
		if err := isDay(h); err != nil {
			return nil, fmt.Errorf("holidays: %w", err)
		}
		p.holidays[h] = true
	}
	for _, e := range c.Exceptions {
		if err := isDay(e.Day); err != nil {
			return nil, fmt.Errorf("exceptions: %w", err)
		}
		s, err := slots(e.Shifts)
		if err != nil {
			return nil, fmt.Errorf("the exception of %s: %w", e.Day, err)
		}
		p.exceptions[e.Day] = s
	}
	return p, nil
}

func isDay(s string) error {
	if _, err := time.Parse(time.DateOnly, s); err != nil {
		return fmt.Errorf("%q is no day; write it as in 2026-12-25", s)
	}
	return nil
}

var weekdays = []string{"sun", "mon", "tue", "wed", "thu", "fri", "sat"}

func ready(x Calendar) (k calendar, err error) {
	if err := isDay(x.From); err != nil {
		return k, err
	}
	k.from = x.From
	own := x.Shifts
	switch {
	case x.Pattern != "" && len(own) > 0:
		return k, errors.New("it has a pattern and shifts of its own; keep one")
	case x.Pattern != "":
		own = patterns[x.Pattern]
		if own == nil {
			return k, fmt.Errorf("pattern is %q; give %s, %s or %s", x.Pattern, Two, Three, Continental)
		}
	case len(own) == 0:
		return k, errors.New("it has no shifts; give a pattern, or shifts")
	}
	k.continental = x.Pattern == Continental
	if k.slots, err = slots(own); err != nil {
		return k, err
	}
	for _, w := range x.Week {
		i := slices.Index(weekdays, w)
		if i < 0 {
			return k, fmt.Errorf("%q is no day of the week; give %s", w, strings.Join(weekdays, ", "))
		}
		k.week[i] = true
	}
	if len(x.Week) == 0 {
		k.week = [7]bool{true, true, true, true, true, true, true}
	}
	return k, nil
}

func minutes(s string) (int, error) {
	t, err := time.Parse("15:04", s)
	if err != nil {
		return 0, fmt.Errorf("%q is no time of the day; write it as in 06:00", s)
	}
	return t.Hour()*60 + t.Minute(), nil
}

// slots orders the shifts of a day and finds where each ends. They may not overlap.
func slots(in []Slot) (out []slot, err error) {
	for _, s := range in {
		x := slot{name: s.Name, to: -1}
		if s.Name == "" || s.Name == None || strings.ContainsAny(s.Name, "/,") {
			return nil, fmt.Errorf("a shift is called %q; give it a name of its own without / and commas", s.Name)
		}
		if x.at, err = minutes(s.At); err != nil {
			return nil, err
		}
		if s.To != "" {
			if x.to, err = minutes(s.To); err != nil {
				return nil, err
			}
			if x.to <= x.at {
				x.to += day
			}
		}
		out = append(out, x)
	}
	slices.SortFunc(out, func(a, b slot) int { return a.at - b.at })
	names := map[string]bool{}
	for i := range out {
		next := out[0].at + day
		if i+1 < len(out) {
			next = out[i+1].at
		}
		if out[i].to < 0 {
			out[i].to = next
		}
		if out[i].to > next {
			return nil, fmt.Errorf("the shift %s goes into the one that follows", out[i].name)
		}
		if names[out[i].name] {
			return nil, fmt.Errorf("two shifts of a day are called %s", out[i].name)
		}
		names[out[i].name] = true
	}
	return out, nil
}

// Zone returns the zone of the plant.
func (p *Plan) Zone() *time.Location { return p.zone }

// of returns the shifts that begin on a day.
func (p *Plan) of(y int, m time.Month, d int) []Shift {
	noon := time.Date(y, m, d, 12, 0, 0, 0, p.zone)
	name := noon.Format(time.DateOnly)
	var k *calendar
	for i := range p.calendars {
		if p.calendars[i].from <= name {
			k = &p.calendars[i]
		}
	}
	list, special := p.exceptions[name]
	if !special {
		if k == nil || p.holidays[name] || !k.week[noon.Weekday()] {
			return nil
		}
		list = k.slots
	}
	out := make([]Shift, len(list))
	at := func(minute int) time.Time { return time.Date(y, m, d+minute/day, 0, minute%day, 0, 0, p.zone) }
	for i, s := range list {
		out[i] = Shift{Key: name + "/" + s.name, Day: name, Name: s.name, Begin: at(s.at), End: at(s.to)}
		if k != nil && k.continental && !special {
			out[i].Team = team(k.from, noon, i)
		}
	}
	return out
}

// team says who works a slot of the continental pattern, that began on a day.
func team(from string, noon time.Time, slot int) string {
	begin, _ := time.Parse(time.DateOnly, from) // checked
	y, m, d := noon.Date()
	n := int(time.Date(y, m, d, 0, 0, 0, 0, time.UTC).Sub(begin).Hours() / 24)
	for k := range teams {
		if rotation[(n+7*k)%len(rotation)] == "ELN"[slot] {
			return teams[k : k+1]
		}
	}
	return ""
}

// At returns the shift that a moment belongs to. Outside all shifts it is one called none, from
// the end of the shift before to the begin of the next, within the day.
func (p *Plan) At(t time.Time) Shift {
	local := t.In(p.zone)
	y, m, d := local.Date()
	begin := time.Date(y, m, d, 0, 0, 0, 0, p.zone)
	end := time.Date(y, m, d+1, 0, 0, 0, 0, p.zone)
	name := local.Format(time.DateOnly)
	for off := -1; off <= 0; off++ {
		for _, s := range p.of(y, m, d+off) {
			switch {
			case !t.Before(s.Begin) && t.Before(s.End):
				return s
			case !t.Before(s.End) && s.End.After(begin):
				begin = s.End
			case t.Before(s.Begin) && s.Begin.Before(end):
				end = s.Begin
			}
		}
	}
	return Shift{Key: name + "/" + None, Day: name, Name: None, Begin: begin, End: end}
}

// Between lists the shifts that overlap a span, in order, without the time outside them.
func (p *Plan) Between(from, until time.Time) []Shift {
	var out []Shift
	y, m, d := from.In(p.zone).Date()
	for off := -1; ; off++ {
		if time.Date(y, m, d+off, 0, 0, 0, 0, p.zone).After(until) {
			return out
		}
		for _, s := range p.of(y, m, d+off) {
			if s.End.After(from) && s.Begin.Before(until) {
				out = append(out, s)
			}
		}
	}
}

// Last lists the last n shifts up to a moment, the newest first, with the one that goes on.
func (p *Plan) Last(t time.Time, n int) []Shift {
	var out []Shift
	for back := 0; len(out) < n && back < 40*366; back += 7 {
		week := p.Between(t.AddDate(0, 0, -back-7), t.AddDate(0, 0, -back))
		for i := len(week) - 1; i >= 0 && len(out) < n; i-- {
			if s := week[i]; s.Begin.After(t) || len(out) > 0 && !s.Begin.Before(out[len(out)-1].Begin) {
				continue
			}
			out = append(out, week[i])
		}
	}
	return out
}
