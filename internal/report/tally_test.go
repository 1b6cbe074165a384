package report

import (
	"bytes"
	"encoding/csv"
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"

	"ricetta/core/spc"
	"ricetta/internal/statistics"
)

var rome = time.FixedZone("CET", 3600)

func tally() *Tally {
	begin := time.Date(2026, 11, 26, 21, 0, 0, 0, time.UTC)
	count := func(n, bad int64) statistics.Counts {
		return statistics.Counts{Inspected: n, Passed: n - bad, Rejected: bad, Faults: 1}
	}
	group := func(name string, n, bad int64, verdict string) statistics.Group {
		return statistics.Group{Name: name, Counts: count(n, bad), Yield: float64(n-bad) / float64(n), Range: spc.Wilson(n-bad, n), Verdict: verdict, Top: "tips"}
	}
	r := &statistics.Report{
		Of: statistics.OfShift, Key: "2026-11-26/night", Title: "Shift 2026-11-26 night", Team: "C", From: begin, Until: begin.Add(8 * time.Hour), Total: group("Shift", 8000, 300, "higher"), Before: count(200_000, 6000),
		Products: []statistics.Group{group("pencil-tin-12", 8000, 300, "too_few")}, Step: "hour",
		Reasons:      []statistics.Bar{{Reason: "tips", Count: 290, Share: 0.967, Sum: 0.967}, {Reason: "late", Fault: true, Count: 10, Share: 0.033, Sum: 1}},
		FalseRejects: statistics.Found{N: 1, Of: 20, Range: spc.Wilson(1, 20)},
		Alarms:       []statistics.AlarmLine{{Time: begin.Add(time.Hour), Line: "line1", Text: "five rejects in a row, é ≥ 5", Held: true, Who: "Ugo"}},
	}
	for i := range 40 { // more than one page
		r.Stations = append(r.Stations, group(fmt.Sprintf("line%d-top", i), 200, int64(i), "chance"))
	}
	counts := []spc.Count{{K: 40, N: 1000}, {K: 35, N: 1000}, {K: 90, N: 1000}}
	points := spc.Shares(counts, 0)
	spc.Nelson(points)
	for i, c := range counts {
		r.Trend = append(r.Trend, statistics.Step{Name: begin.Add(time.Duration(i) * time.Hour).Format(time.RFC3339), Counts: count(c.N, c.K), Point: points[i]})
	}
	r.Runs = []statistics.RunLine{{ID: 7, Line: "line1", Product: "pencil-tin-12", Order: map[string]string{"lot": "L1", "expiry": "2027-01-01"}, Begin: begin, Counts: count(8000, 300)}}
	return &Tally{Report: r, Site: "Cartoleria Fiordaliso", Zone: rome, Made: begin.Add(9 * time.Hour), Version: "1"}
}

func TestAReportAsTable(t *testing.T) {
	var b bytes.Buffer
	require.NoError(t, tally().Write(&b, "csv"))
	rows, err := csv.NewReader(&b).ReadAll()
	require.NoError(t, err)
	of := map[string]int{}
	for _, r := range rows[1:] {
		of[r[0]]++
	}
	assert.Equal(t, map[string]int{"total": 1, "station": 40, "product": 1, "reason": 2, "hour": 3, "run": 1, "alarm": 1, "false_rejects": 1, "missed_rejects": 1}, of)
	assert.Equal(t, []string{"total", "Shift", "8000", "7700", "0", "300", "1", "0.9625", "0.95810998", "0.96644606", "higher", "tips"}, rows[1])
}

func TestAReportAsWorkbook(t *testing.T) {
	var b bytes.Buffer
	require.NoError(t, tally().Write(&b, "xlsx"))
	f, err := excelize.OpenReader(&b)
	require.NoError(t, err)
	defer f.Close()
	assert.Equal(t, []string{"Summary", "Stations", "Products", "Reasons", "Trend", "Runs", "Alarms"}, f.GetSheetList())
	for at, want := range map[string]string{"Summary!B6": "8000", "Summary!B3": "2026-11-26 22:00", "Reasons!A3": "late", "Reasons!E3": "fault", "Trend!A4": "2026-11-27 00:00", "Trend!H4": "yes", "Runs!D2": "expiry 2027-01-01, lot L1", "Stations!A41": "line39-top", "Alarms!E2": "yes"} {
		sheet, cell, _ := strings.Cut(at, "!")
		got, err := f.GetCellValue(sheet, cell)
		require.NoError(t, err)
		assert.Equal(t, want, got, at)
	}
	n, err := f.GetCellValue("Stations", "G2", excelize.Options{RawCellValue: true})
	require.NoError(t, err)
	assert.Equal(t, "1", n, "shares are numbers, not words")
}

func TestAReportAsDocument(t *testing.T) {
	var a, b bytes.Buffer
	require.NoError(t, tally().Write(&a, "pdf"))
	require.NoError(t, tally().Write(&b, "pdf"))
	assert.Equal(t, a.Bytes(), b.Bytes(), "the same report is the same file")
	assert.True(t, bytes.HasPrefix(a.Bytes(), []byte("%PDF-")))
	assert.Equal(t, 2, bytes.Count(a.Bytes(), []byte("/Type /Page\n")))
	empty := &Tally{Report: &statistics.Report{Of: statistics.OfStation, Key: "a/b ü", Title: "Station"}, Zone: time.UTC}
	for _, f := range Formats {
		require.NoError(t, empty.Write(&b, f), "a report of little is written as well")
	}
	assert.ErrorContains(t, empty.Write(&b, "doc"), "choose from pdf, csv, xlsx")
	assert.Equal(t, "station-a-b---0001-01-01-to-0001-01-01", empty.FileName())
	assert.Equal(t, "shift-2026-11-26-night", tally().FileName())
}
