package shift

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func plan(t *testing.T, c Config) *Plan {
	c.Zone = "Europe/Rome"
	p, err := New(c)
	require.NoError(t, err)
	return p
}

func TestAMomentBelongsToItsShift(t *testing.T) {
	p := plan(t, Config{
		Calendars: []Calendar{
			{From: "2026-01-01", Pattern: Three, Week: []string{"mon", "tue", "wed", "thu", "fri"}},
			{From: "2026-07-01", Pattern: Two},
			{From: "2026-09-01", Shifts: []Slot{{"day", "07:30", "16:00"}}},
		},
		Holidays:   []string{"2026-05-01"},
		Exceptions: []Exception{{"2026-12-24", []Slot{{"short", "06:00", "12:00"}}}},
	})
	at := func(s string) time.Time {
		out, err := time.ParseInLocation("2006-01-02 15:04:05", s, p.Zone())
		require.NoError(t, err)
		return out
	}
	for moment, want := range map[string]string{
		"2026-03-11 05:59:59": "2026-03-10/night", // over midnight it is still the night of the day before
		"2026-03-11 06:00:00": "2026-03-11/early",
		"2026-03-11 22:00:00": "2026-03-11/night",
		"2026-03-14 05:00:00": "2026-03-13/night", // Saturday morning: Friday's night
		"2026-03-14 06:00:00": "2026-03-14/none",
		"2026-03-16 05:00:00": "2026-03-16/none", // Monday before the first one
		"2026-05-01 10:00:00": "2026-05-01/none",
		"2026-05-01 03:00:00": "2026-04-30/night",
		"2026-06-30 23:00:00": "2026-06-30/night", // the last one of a calendar goes on into the next
		"2026-07-01 03:00:00": "2026-06-30/night",
		"2026-07-04 23:00:00": "2026-07-04/none",
		"2026-09-02 07:29:00": "2026-09-02/none",
		"2026-09-02 15:59:00": "2026-09-02/day",
		"2026-12-24 11:00:00": "2026-12-24/short",
		"2026-12-24 13:00:00": "2026-12-24/none",
		"2025-12-31 10:00:00": "2025-12-31/none", // before all calendars
	} {
		s := p.At(at(moment))
		assert.Equal(t, want, s.Key, moment)
		assert.False(t, at(moment).Before(s.Begin), moment)
		assert.True(t, at(moment).Before(s.End), moment)
	}
}

// The clocks change: a day has 23 or 25 hours, its night 7 or 9, and nothing is lost or double.
func TestNightsOverAChangeOfTheClocks(t *testing.T) {
	p := plan(t, Config{Calendars: []Calendar{{From: "2026-01-01", Pattern: Three}}})
	for night, hours := range map[string]float64{"2026-03-28": 7, "2026-10-24": 9, "2026-06-10": 8} {
		d, err := time.ParseInLocation("2006-01-02 15:04", night+" 23:00", p.Zone())
		require.NoError(t, err)
		s := p.At(d)
		assert.Equal(t, night+"/night", s.Key)
		assert.InDelta(t, hours, s.End.Sub(s.Begin).Hours(), 1e-9, night)
		// Every minute of the night belongs to it, the hour that comes twice both times.
		for m := s.Begin; m.Before(s.End); m = m.Add(time.Minute) {
			require.Equal(t, s.Key, p.At(m).Key, m)
		}
		assert.NotEqual(t, s.Key, p.At(s.End).Key)
		midnight := time.Date(d.Year(), d.Month(), d.Day()+1, 0, 0, 0, 0, p.Zone())
		length := 0.0
		for _, x := range p.Between(midnight, midnight.AddDate(0, 0, 1)) {
			from, to := x.Begin, x.End
			if from.Before(midnight) {
				from = midnight
			}
			if end := midnight.AddDate(0, 0, 1); to.After(end) {
				to = end
			}
			length += to.Sub(from).Hours()
		}
		assert.InDelta(t, 16+hours, length, 1e-9, "the whole day is covered once")
	}
}

func TestTheContinentalPattern(t *testing.T) {
	p := plan(t, Config{Calendars: []Calendar{{From: "2026-01-05", Pattern: Continental}}})
	begin := time.Date(2026, 1, 5, 0, 0, 0, 0, p.Zone())
	worked := map[string]int{}
	for _, s := range p.Between(begin.Add(6*time.Hour), begin.AddDate(0, 0, 28).Add(6*time.Hour)) {
		require.NotEmpty(t, s.Team, s.Key)
		worked[s.Team]++
	}
	assert.Equal(t, map[string]int{"A": 21, "B": 21, "C": 21, "D": 21}, worked, "84 shifts in four weeks, the same for all")
	for d := range 28 {
		seen := map[string]bool{}
		for _, s := range p.of(2026, 1, 5+d) {
			assert.False(t, seen[s.Team], "nobody works twice on a day")
			seen[s.Team] = true
		}
	}
}

func TestTheLastShifts(t *testing.T) {
	p := plan(t, Config{Calendars: []Calendar{{From: "2026-01-01", Pattern: Three, Week: []string{"mon", "tue", "wed", "thu", "fri"}}}})
	monday := time.Date(2026, 3, 16, 7, 0, 0, 0, p.Zone())
	var keys []string
	for _, s := range p.Last(monday, 5) {
		keys = append(keys, s.Key)
	}
	assert.Equal(t, []string{"2026-03-16/early", "2026-03-13/night", "2026-03-13/late", "2026-03-13/early", "2026-03-12/night"}, keys)
}

func TestCalendarsThatCannotBeMeantAreRefused(t *testing.T) {
	for say, c := range map[string]Config{
		"give a name as in Europe/Rome": {Zone: "Rome"},
		`pattern is "four"`:             {Calendars: []Calendar{{From: "2026-01-01", Pattern: "four"}}},
		"is no day; write":              {Calendars: []Calendar{{From: "1.1.2026", Pattern: Two}}},
		"it has no shifts":              {Calendars: []Calendar{{From: "2026-01-01"}}},
		"keep one":                      {Calendars: []Calendar{{From: "2026-01-01", Pattern: Two, Shifts: []Slot{{"a", "06:00", ""}}}}},
		"order them by their days":      {Calendars: []Calendar{{From: "2026-02-01", Pattern: Two}, {From: "2026-01-01", Pattern: Two}}},
		"goes into the one that":        {Calendars: []Calendar{{From: "2026-01-01", Shifts: []Slot{{"a", "06:00", "15:00"}, {"b", "14:00", ""}}}}},
		"two shifts of a day":           {Calendars: []Calendar{{From: "2026-01-01", Shifts: []Slot{{"a", "06:00", "07:00"}, {"a", "14:00", "15:00"}}}}},
		"no day of the week":            {Calendars: []Calendar{{From: "2026-01-01", Pattern: Two, Week: []string{"funday"}}}},
		"no time of the day":            {Calendars: []Calendar{{From: "2026-01-01", Shifts: []Slot{{"a", "6", ""}}}}},
		"holidays":                      {Holidays: []string{"christmas"}},
		`a shift is called "none"`:      {Exceptions: []Exception{{"2026-01-01", []Slot{{"none", "06:00", ""}}}}},
	} {
		_, err := New(c)
		assert.ErrorContains(t, err, say)
	}
}
