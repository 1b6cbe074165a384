package report

import (
	"errors"
	"io"

	"github.com/xuri/excelize/v2"

	"ricetta/internal/statistics"
)

// book is a workbook of which the first error counts.
type book struct {
	f             *excelize.File
	head, percent int
	err           error
}

// sheet writes a table: the first row is its head; shares says which columns (from 0) are shares.
func (b *book) sheet(name string, widths []float64, shares []int, rows [][]any) {
	_, err := b.f.NewSheet(name)
	b.err = errors.Join(b.err, err)
	for i, r := range rows {
		cell, err := excelize.CoordinatesToCellName(1, i+1)
		b.err = errors.Join(b.err, err, b.f.SetSheetRow(name, cell, &r))
	}
	for i, w := range widths {
		col, err := excelize.ColumnNumberToName(i + 1)
		b.err = errors.Join(b.err, err, b.f.SetColWidth(name, col, col, w))
	}
	for _, i := range shares {
		col, err := excelize.ColumnNumberToName(i + 1)
		b.err = errors.Join(b.err, err, b.f.SetColStyle(name, col, b.percent))
	}
	last, err := excelize.CoordinatesToCellName(max(len(rows[0]), 1), 1)
	b.err = errors.Join(b.err, err, b.f.SetCellStyle(name, "A1", last, b.head),
		b.f.SetPanes(name, &excelize.Panes{Freeze: true, YSplit: 1, TopLeftCell: "A2", ActivePane: "bottomLeft"}))
}

// writeXLSX writes a workbook (ECMA-376) with a sheet for each part of the report.
func writeXLSX(w io.Writer, t *Tally) error {
	f := excelize.NewFile()
	defer f.Close() //nolint:errcheck // nothing of it is on a disk
	b := &book{f: f}
	var err error
	if b.head, err = f.NewStyle(&excelize.Style{Font: &excelize.Font{Bold: true}, Fill: excelize.Fill{Type: "pattern", Pattern: 1, Color: []string{"E8ECF0"}}}); err != nil {
		return err
	}
	if b.percent, err = f.NewStyle(&excelize.Style{NumFmt: 10}); err != nil {
		return err
	}
	k := t.Total.Counts
	b.sheet("Summary", []float64{28, 44}, nil, [][]any{
		{t.Title, ""},
		{"Site", t.Site},
		{"From", t.at(t.From)},
		{"Until", t.at(t.Until)},
		{"Team", t.Team},
		{"Inspected", k.Inspected},
		{"Passed", k.Passed},
		{"Reworked", k.Reworked},
		{"Rejected", k.Rejected},
		{"Faults among them", k.Faults},
		{"Share passed", percent(t.Total.Yield)},
		{"It lies in (95 of 100 cases)", within(t.Total.Range)},
		{"Beside the 30 days before", verdicts[t.Total.Verdict]},
		{"Main reason", t.Total.Top},
		{"False rejects of those reviewed", found(t.FalseRejects)},
		{"Missed rejects of those reviewed", found(t.Missed)},
		{"Written", t.at(t.Made) + " by Ricetta " + t.Version},
	})
	groups := func(name, what string, list []statistics.Group, words map[string]string) {
		rows := [][]any{{what, "Inspected", "Passed", "Reworked", "Rejected", "Faults", "Share passed", "At least", "At most", "Says", "Main reason"}}
		for _, g := range list {
			k := g.Counts
			rows = append(rows, []any{g.Name, k.Inspected, k.Passed, k.Reworked, k.Rejected, k.Faults, g.Yield, g.Range.Least, g.Range.Most, words[g.Verdict], g.Top})
		}
		b.sheet(name, []float64{26, 11, 11, 11, 11, 11, 13, 11, 11, 28, 18}, []int{6, 7, 8}, rows)
	}
	groups("Stations", "Station", t.Stations, verdicts)
	groups("Products", "Product", t.Products, elsewhere)
	if len(t.Shifts) > 0 {
		groups("Shifts", "Shift", t.Shifts, elsewhere)
	}
	reasons := [][]any{{"Reason", "Items", "Share", "So far", "Fault"}}
	for _, x := range t.Reasons {
		fault := ""
		if x.Fault {
			fault = "fault"
		}
		reasons = append(reasons, []any{x.Reason, x.Count, x.Share, x.Sum, fault})
	}
	b.sheet("Reasons", []float64{24, 11, 11, 11, 9}, []int{2, 3}, reasons)
	trend := [][]any{{"From", "Inspected", "Did not pass", "Share", "Center", "Lower limit", "Upper limit", "Stands out"}}
	for _, s := range t.Trend {
		odd := ""
		if len(s.Point.Rules) > 0 {
			odd = "yes"
		}
		trend = append(trend, []any{t.step(s.Name), s.Counts.Inspected, s.Counts.Inspected - s.Counts.Passed, s.Point.Value, s.Point.Center, s.Point.Least, s.Point.Most, odd})
	}
	b.sheet("Trend", []float64{20, 11, 13, 11, 11, 12, 12, 11}, []int{3, 4, 5, 6}, trend)
	runs := [][]any{{"Run", "Line", "Product", "Packed", "Who", "Begun", "Ended", "Inspected", "Passed", "Rejected", "Faults"}}
	for _, r := range t.Runs {
		end := "goes on"
		if r.End != nil {
			end = t.at(*r.End)
		}
		runs = append(runs, []any{r.ID, r.Line, r.Product, order(r.Order), r.Who, t.at(r.Begin), end, r.Counts.Inspected, r.Counts.Passed, r.Counts.Rejected, r.Counts.Faults})
	}
	b.sheet("Runs", []float64{9, 12, 22, 26, 14, 18, 18, 11, 11, 11, 9}, nil, runs)
	alarms := [][]any{{"Time", "Line", "Station", "Alarm", "Held the line", "Acknowledged by"}}
	for _, a := range t.Alarms {
		held := ""
		if a.Held {
			held = "yes"
		}
		alarms = append(alarms, []any{t.at(a.Time), a.Line, a.Station, a.Text, held, a.Who})
	}
	b.sheet("Alarms", []float64{18, 12, 16, 70, 14, 18}, nil, alarms)
	b.charts(len(t.Reasons), len(t.Trend))
	b.err = errors.Join(b.err, f.DeleteSheet("Sheet1"))
	if i, err := f.GetSheetIndex("Summary"); err == nil {
		f.SetActiveSheet(i)
	}
	if b.err != nil {
		return b.err
	}
	return f.Write(w)
}

// charts draws reasons and trend beside their tables.
func (b *book) charts(reasons, steps int) {
	at := func(sheet, col string, n int) string {
		last, err := excelize.JoinCellName(col, n+1)
		b.err = errors.Join(b.err, err)
		return sheet + "!$" + col + "$2:$" + col + "$" + last[len(col):]
	}
	size := excelize.ChartDimension{Width: 640, Height: 320}
	if reasons > 0 {
		b.err = errors.Join(b.err, b.f.AddChart("Reasons", "G2", &excelize.Chart{
			Type: excelize.Col, Dimension: size, Legend: excelize.ChartLegend{Position: "none"}, Title: excelize.ChartTitle{Paragraph: []excelize.RichTextRun{{Text: "Items by reason"}}},
			Series: []excelize.ChartSeries{{Name: "Reasons!$B$1", Categories: at("Reasons", "A", reasons), Values: at("Reasons", "B", reasons)}},
		}))
	}
	if steps > 1 {
		var series []excelize.ChartSeries
		for _, col := range []string{"D", "E", "F", "G"} {
			series = append(series, excelize.ChartSeries{Name: "Trend!$" + col + "$1", Categories: at("Trend", "A", steps), Values: at("Trend", col, steps)})
		}
		b.err = errors.Join(b.err, b.f.AddChart("Trend", "J2", &excelize.Chart{
			Type: excelize.Line, Dimension: size, Legend: excelize.ChartLegend{Position: "bottom"}, Title: excelize.ChartTitle{Paragraph: []excelize.RichTextRun{{Text: "Share that did not pass"}}}, Series: series,
		}))
	}
}
