package print

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ricetta/core/check"
)

func TestDaysAreThoseOfTheCalendar(t *testing.T) {
	fields, err := parseDate("yyyy-MM-dd DDD YYYY-ww-e d.M.yy MMM MMMM 'w'''")
	require.NoError(t, err)
	for n := range 9000 {
		day := time.Date(2019, 12, 20, 0, 0, 0, 0, time.UTC).AddDate(0, 0, n)
		c, err := parseCivil(day.Format(time.DateOnly))
		require.NoError(t, err)
		year, week := day.ISOWeek()
		want := day.Format("2006-01-02 002 ") + time.Date(year, 1, 1, 0, 0, 0, 0, time.UTC).Format("2006-") + two(week) + "-" + string(rune('0'+(int(day.Weekday())+6)%7+1)) + day.Format(" 2.1.06 Jan January w'")
		require.Equal(t, want, c.format(fields))
		require.Equal(t, c, civilOf(c.number()))
	}
}

func two(n int) string { return string([]byte{'0' + byte(n/10), '0' + byte(n%10)}) }

func TestExpectedDays(t *testing.T) {
	order := check.Order{"date": "2024-01-31", "expiry": "2027-02-28", "lot": "L1"}
	for expect, want := range map[string]string{
		"{date+1m:dd.MM.yyyy}":        "29.02.2024", // the last of the month
		"{date+1y+1m:dd.MM.yyyy}":     "28.02.2025",
		"{date-1d:yyMMdd}":            "240130",
		"{date+2w}":                   "2024-02-14",
		"{expiry:MM/yy} {lot}":        "02/27 L1",
		"BB {DATE:dd MMM yy}":         "BB 31 JAN 24",
		"{date:D}/{date:'W'ww} {{x}":  "31/W05 {x}",
		"{expiry}":                    "2027-02-28",
		"{date+24m-1d:d. MMMM yyyy}!": "30. January 2026!",
	} {
		s := ExpectSettings{Expect: expect}
		e, err := s.ready()
		require.NoError(t, err, expect)
		got, fixed, err := e.text(order)
		require.NoError(t, err, expect)
		assert.True(t, fixed)
		assert.Equal(t, want, got, expect)
	}
	for expect, say := range map[string]string{
		"{date:dd.mm.yyyy}": `"mm" is nothing of a date`, "{date+3x:dd}": "is no value of the order", "{date:yyy}": "write yy or yyyy",
		"{date:'x}": "is not closed", "{date+99999d}": "is no value of the order",
	} {
		s := ExpectSettings{Expect: expect}
		_, err := s.ready()
		assert.ErrorContains(t, err, say)
	}
}

func TestDaysAreReadInTheirForm(t *testing.T) {
	for in, want := range map[[2]string]string{
		{"dd.MM.yyyy", "31.12.2027"}: "2027-12-31", {"MM/yy", "02/28"}: "2028-02", {"d MMM yy", "7 mar 29"}: "2029-03-07",
		{"yyDDD", "28060"}: "2028-02-29", {"yyMMdd", "991231"}: "1999-12-31", {"'EXP' MMMM yyyy", "EXP June 2030"}: "2030-06",
		{"dd.MM.yyyy", "31.11.2027"}: "", {"dd.MM.yyyy", "31.12.27"}: "", {"MM/yy", "13/27"}: "", {"MM/yy", "12/27x"}: "", {"MM/yy", "1"}: "", {"dd.MM", "01.02"}: "",
	} {
		fields, err := parseDate(in[0])
		require.NoError(t, err)
		got, err := readDate(fields, in[1])
		assert.Equal(t, want, got, "%v", in)
		assert.Equal(t, want == "", err != nil, "%v: %v", in, err)
	}
}
