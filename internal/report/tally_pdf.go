package report

import (
	"fmt"
	"io"
	"math"
	"strings"

	"github.com/go-pdf/fpdf"

	"ricetta/internal/statistics"
)

// The ink of plots.
var (
	inkDark   = [3]int{30, 40, 48}
	inkReject = [3]int{178, 44, 12}
	inkFault  = [3]int{126, 60, 140}
	inkQuiet  = [3]int{120, 128, 134}
	inkWash   = [3]int{228, 232, 235}
)

// sheetOf is a PDF that is being written.
type sheetOf struct {
	*fpdf.Fpdf
	t *Tally
}

func (p *sheetOf) ink(c [3]int)  { p.SetTextColor(c[0], c[1], c[2]) }
func (p *sheetOf) line(c [3]int) { p.SetDrawColor(c[0], c[1], c[2]) }
func (p *sheetOf) fill(c [3]int) { p.SetFillColor(c[0], c[1], c[2]) }

const width = page - 2*margin

// writePDF writes a report on A4 (ISO 32000), with its plots as lines and areas.
func writePDF(w io.Writer, t *Tally) error {
	p := &sheetOf{newPDF(t.Title, t.Made.In(t.Zone)), t}
	p.AddPage()
	p.headline()
	p.heading("Reasons of what did not pass")
	p.reasons()
	p.heading(fmt.Sprintf("Share that did not pass, by %s", t.Step))
	p.trend()
	p.groups("Stations, each beside itself in the 30 days before", t.Stations, verdicts)
	p.groups("Products", t.Products, elsewhere)
	p.groups("Shifts", t.Shifts, elsewhere)
	p.runs()
	p.alarms()
	if err := p.Output(w); err != nil {
		return fmt.Errorf("the report cannot be written: %w", err)
	}
	return nil
}

func (p *sheetOf) headline() {
	t := p.t
	p.ink(inkDark)
	p.SetFont("go", "B", 18)
	p.CellFormat(width-40, 9, t.Title, "", 0, "L", false, 0, "")
	p.SetFont("go", "B", 22)
	p.CellFormat(40, 9, percent(t.Total.Yield), "", 1, "R", false, 0, "")
	p.SetFont("go", "", 9)
	p.ink(inkQuiet)
	team := ""
	if t.Team != "" {
		team = ", team " + t.Team
	}
	p.CellFormat(width-60, 5, fmt.Sprintf("%s, %s to %s%s", t.Site, t.at(t.From), t.at(t.Until), team), "", 0, "L", false, 0, "")
	p.CellFormat(60, 5, "passed; "+within(t.Total.Range)+" in 95 of 100 cases", "", 1, "R", false, 0, "")
	p.Ln(3)
	k := t.Total.Counts
	cells := [][2]string{{"inspected", fmt.Sprint(k.Inspected)}, {"passed", fmt.Sprint(k.Passed)}, {"reworked", fmt.Sprint(k.Reworked)}, {"rejected", fmt.Sprint(k.Rejected)}, {"faults among them", fmt.Sprint(k.Faults)}}
	x := p.GetX()
	for _, c := range cells {
		p.SetFont("go", "B", 14)
		p.ink(inkDark)
		p.CellFormat(width/5, 7, c[1], "", 2, "L", false, 0, "")
		p.SetFont("go", "", 8)
		p.ink(inkQuiet)
		p.CellFormat(width/5, 4, c[0], "", 0, "L", false, 0, "")
		x += width / 5
		p.SetXY(x, p.GetY()-7)
	}
	p.SetXY(margin, p.GetY()+13)
	p.SetFont("go", "", 10)
	p.ink(inkDark)
	before := "Nothing was inspected there in the 30 days before."
	if b := t.Before; b.Inspected > 0 {
		before = fmt.Sprintf("Beside the 30 days before (%s passed of %d): %s.", percent(float64(b.Passed)/float64(b.Inspected)), b.Inspected, verdicts[t.Total.Verdict])
	}
	p.MultiCell(0, 5, before, "", "L", false)
	reviewed := "Nobody has reviewed items of it."
	if t.FalseRejects.Of+t.Missed.Of > 0 {
		reviewed = fmt.Sprintf("Of the items that people reviewed: false rejects %s, missed rejects %s.", found(t.FalseRejects), found(t.Missed))
	}
	p.MultiCell(0, 5, reviewed, "", "L", false)
}

// found says how many of the reviewed items were judged wrong.
func found(f statistics.Found) string {
	if f.Of == 0 {
		return "none looked at"
	}
	return fmt.Sprintf("%d of %d (%s)", f.N, f.Of, within(f.Range))
}

// room begins a new page where so much does not fit.
func (p *sheetOf) room(mm float64) {
	_, h := p.GetPageSize()
	if p.GetY()+mm > h-20 {
		p.AddPage()
	}
}

func (p *sheetOf) heading(s string) {
	p.room(40)
	p.Ln(4)
	p.SetFont("go", "B", 12)
	p.ink(inkDark)
	p.CellFormat(0, 7, s, "", 1, "L", false, 0, "")
}

// mostBars is how many reasons are drawn.
const mostBars = 10

// reasons draws bars with their running sum as a line.
func (p *sheetOf) reasons() {
	list := p.t.Reasons
	p.SetFont("go", "", 9)
	if len(list) == 0 {
		p.CellFormat(0, 6, "Everything passed.", "", 1, "L", false, 0, "")
		return
	}
	more := max(0, len(list)-mostBars)
	list = list[:min(len(list), mostBars)]
	const label, number, row = 42.0, 34.0, 6.2
	wide := width - label - number
	x0, y0 := margin+label, p.GetY()
	for i, b := range list {
		y := y0 + float64(i)*row
		p.SetXY(margin, y)
		p.ink(inkDark)
		p.CellFormat(label, row, cut(b.Reason, 24), "", 0, "L", false, 0, "")
		color := inkReject
		if b.Fault {
			color = inkFault
		}
		p.fill(color)
		p.Rect(x0, y+1, max(wide*float64(b.Count)/float64(list[0].Count), 0.3), row-2, "F")
		p.SetXY(x0+wide, y)
		p.CellFormat(number, row, fmt.Sprintf("%d   %.0f %%", b.Count, 100*b.Sum), "", 0, "R", false, 0, "")
	}
	// The running sum, of all that did not pass.
	p.line(inkDark)
	p.SetLineWidth(0.4)
	px, py := x0, y0
	for i, b := range list {
		x, y := x0+wide*b.Sum, y0+(float64(i)+0.5)*row
		if i > 0 {
			p.Line(px, py, x, y)
		}
		p.fill(inkDark)
		p.Circle(x, y, 0.7, "F")
		px, py = x, y
	}
	p.SetXY(margin, y0+float64(len(list))*row)
	p.ink(inkQuiet)
	p.SetFont("go", "", 8)
	says := "Bars: items. Line and last column: share of all that did not pass, so far."
	if more > 0 {
		says += fmt.Sprintf(" And %d more reasons.", more)
	}
	p.CellFormat(0, 5, says, "", 1, "L", false, 0, "")
}

// trend draws the share over time with its limits.
func (p *sheetOf) trend() {
	steps := p.t.Trend
	if len(steps) == 0 {
		return
	}
	p.room(62)
	const h, left = 42.0, 12.0
	x0, y0 := margin+left, p.GetY()+2
	wide := width - left
	top := 0.001
	for _, s := range steps {
		top = max(top, s.Point.Value, min(s.Point.Most, 4*s.Point.Center))
	}
	top *= 1.08
	x := func(i int) float64 { return x0 + wide*(float64(i)+0.5)/float64(len(steps)) }
	y := func(v float64) float64 { return y0 + h*(1-min(max(v, 0), top)/top) }
	var band []fpdf.PointType
	for i, s := range steps {
		band = append(band, fpdf.PointType{X: x(i), Y: y(s.Point.Most)})
	}
	for i := len(steps) - 1; i >= 0; i-- {
		band = append(band, fpdf.PointType{X: x(i), Y: y(steps[i].Point.Least)})
	}
	p.fill(inkWash)
	if len(steps) > 1 {
		p.Polygon(band, "F")
	}
	p.line(inkQuiet)
	p.SetLineWidth(0.2)
	p.SetDashPattern([]float64{1.2, 1}, 0)
	p.Line(x0, y(steps[0].Point.Center), x0+wide, y(steps[0].Point.Center))
	p.SetDashPattern(nil, 0)
	p.line(inkDark)
	p.SetLineWidth(0.35)
	for i := 1; i < len(steps); i++ {
		p.Line(x(i-1), y(steps[i-1].Point.Value), x(i), y(steps[i].Point.Value))
	}
	for i, s := range steps {
		if len(s.Point.Rules) > 0 {
			p.fill(inkReject)
			p.Rect(x(i)-1, y(s.Point.Value)-1, 2, 2, "F")
		} else {
			p.fill(inkDark)
			p.Circle(x(i), y(s.Point.Value), 0.6, "F")
		}
	}
	p.SetFont("go", "", 7.5)
	p.ink(inkQuiet)
	for _, v := range []float64{0, top / 2, top} {
		p.SetXY(margin-2, y(v)-2)
		p.CellFormat(left, 4, fmt.Sprintf("%.1f %%", 100*v), "", 0, "R", false, 0, "")
	}
	p.SetXY(x0, y0+h+1)
	p.CellFormat(wide/2, 4, p.t.step(steps[0].Name), "", 0, "L", false, 0, "")
	p.CellFormat(wide/2, 4, p.t.step(steps[len(steps)-1].Name), "", 1, "R", false, 0, "")
	p.SetFont("go", "", 9)
	p.ink(inkDark)
	odd := p.t.standsOut()
	says := "Nothing stands out of what chance allows (band)."
	if len(odd) > 0 {
		names := make([]string, 0, 6)
		for i, s := range odd {
			if i == 5 {
				names = append(names, fmt.Sprintf("and %d more", len(odd)-5))
				break
			}
			names = append(names, fmt.Sprintf("%s (%s)", p.t.step(s.Name), percent(s.Point.Value)))
		}
		says = "Squares stand out of what chance allows (band): " + strings.Join(names, ", ") + "."
	}
	p.MultiCell(0, 5, says, "", "L", false)
}

// table writes a head and rows; the columns from number on are to the right.
func (p *sheetOf) table(head []string, widths []float64, right map[int]bool, rows [][]string) {
	top := func() {
		p.SetFont("go", "B", 8.5)
		p.ink(inkDark)
		p.fill(inkWash)
		for i, h := range head {
			p.CellFormat(widths[i], 6, h, "", 0, align(right[i]), true, 0, "")
		}
		p.Ln(-1)
		p.SetFont("go", "", 8.5)
	}
	top()
	p.line(inkWash)
	p.SetLineWidth(0.2)
	for _, r := range rows {
		before := p.PageNo()
		p.room(7)
		if p.PageNo() != before {
			top()
		}
		for i, c := range r {
			p.CellFormat(widths[i], 5.6, cut(c, int(widths[i]/1.55)), "B", 0, align(right[i]), false, 0, "")
		}
		p.Ln(-1)
	}
}

func align(right bool) string {
	if right {
		return "R"
	}
	return "L"
}

// cut shortens what is longer than so many letters.
func cut(s string, n int) string {
	if r := []rune(s); len(r) > n {
		return string(r[:n-1]) + "…"
	}
	return s
}

func (p *sheetOf) groups(title string, list []statistics.Group, words map[string]string) {
	if len(list) == 0 {
		return
	}
	p.heading(title)
	rows := make([][]string, 0, len(list))
	for _, g := range list {
		k := g.Counts
		rows = append(rows, []string{g.Name, fmt.Sprint(k.Inspected), fmt.Sprint(k.Inspected - k.Passed), percent(g.Yield), within(g.Range), words[g.Verdict], g.Top})
	}
	p.table([]string{"", "inspected", "not passed", "passed", "it lies in", "", "main reason"}, []float64{32, 17, 18, 17, 30, 40, 20}, map[int]bool{1: true, 2: true, 3: true, 4: true}, rows)
}

func (p *sheetOf) runs() {
	if len(p.t.Runs) == 0 {
		return
	}
	p.heading("Runs")
	rows := make([][]string, 0, len(p.t.Runs))
	for _, r := range p.t.Runs {
		end := "goes on"
		if r.End != nil {
			end = p.t.at(*r.End)
		}
		share := math.NaN()
		if r.Counts.Inspected > 0 {
			share = float64(r.Counts.Passed) / float64(r.Counts.Inspected)
		}
		rows = append(rows, []string{fmt.Sprint(r.ID), r.Line, r.Product, order(r.Order), p.t.at(r.Begin), end, fmt.Sprint(r.Counts.Inspected), percent(share)})
	}
	p.table([]string{"run", "line", "product", "packed", "begun", "ended", "items", "passed"}, []float64{11, 14, 34, 32, 26, 26, 15, 16}, map[int]bool{6: true, 7: true}, rows)
}

func (p *sheetOf) alarms() {
	if len(p.t.Alarms) == 0 {
		return
	}
	p.heading("Alarms")
	rows := make([][]string, 0, len(p.t.Alarms))
	for _, a := range p.t.Alarms {
		held := ""
		if a.Held {
			held = "held the line"
		}
		rows = append(rows, []string{p.t.at(a.Time), a.Line, a.Text, held, a.Who})
	}
	p.table([]string{"raised", "line", "alarm", "", "acknowledged by"}, []float64{27, 15, 84, 22, 26}, nil, rows)
}
