// Package report writes reports that can be kept, as PDF.
package report

import (
	"bytes"
	"fmt"
	"image/png"
	"io"
	"math"
	"strings"
	"time"

	"github.com/go-pdf/fpdf"
	"golang.org/x/image/font/gofont/gobold"
	"golang.org/x/image/font/gofont/goregular"

	"ricetta/core/check"
	"ricetta/core/print"
	"ricetta/core/raster"
	"ricetta/core/symbol"
	"ricetta/internal/figures"
)

// GradedCode is a code with its grade and the picture it is in.
type GradedCode struct {
	File    string
	Picture raster.Picture
	Symbol  symbol.Symbol
	Grade   symbol.Grade
}

// Marks draws the code and what cost its grade.
func (c *GradedCode) Marks() []check.Mark {
	out := []check.Mark{{Shape: check.Polygon, Role: check.RoleRegion, Points: c.Symbol.Corners[:]}}
	for _, f := range c.Grade.Flaws {
		out = append(out, print.FlawMark(f))
	}
	return out
}

// Figure shows the code with its light margins and what cost its grade, in w×h pixels.
func (c *GradedCode) Figure(w, h int) *figures.Canvas {
	x0, y0, x1, y1 := math.Inf(1), math.Inf(1), math.Inf(-1), math.Inf(-1)
	room := 6 * c.Grade.Module
	for _, m := range c.Marks() {
		for _, p := range m.Points {
			x0, y0, x1, y1 = min(x0, p.X-room), min(y0, p.Y-room), max(x1, p.X+room), max(y1, p.Y+room)
		}
	}
	f := figures.New(c.Picture, x0, y0, x1, y1, w, h)
	f.Marks(c.Marks())
	return f
}

// Conditions are what a grade depends on.
type Conditions struct {
	Reflectance symbol.Reflectance
	Time        time.Time
	Note        string
}

const (
	page   = 210.0 // A4, mm
	margin = 18.0
)

// Grades writes one page for each code.
func Grades(w io.Writer, codes []GradedCode, c Conditions) error {
	pdf := newPDF("Print quality of codes", c.Time)
	for i := range codes {
		if err := gradePage(pdf, &codes[i], c, i); err != nil {
			return err
		}
	}
	if err := pdf.Output(w); err != nil {
		return fmt.Errorf("the report cannot be written: %w", err)
	}
	return nil
}

// newPDF begins a document of A4 pages that are numbered.
func newPDF(title string, at time.Time) *fpdf.Fpdf {
	pdf := fpdf.New("P", "mm", "A4", "")
	pdf.SetCatalogSort(true)
	pdf.SetCreationDate(at)
	pdf.SetModificationDate(at)
	pdf.SetTitle(title, true)
	pdf.SetCreator("Ricetta", true)
	pdf.AddUTF8FontFromBytes("go", "", goregular.TTF)
	pdf.AddUTF8FontFromBytes("go", "B", gobold.TTF)
	pdf.SetMargins(margin, margin, margin)
	pdf.SetFooterFunc(func() {
		pdf.SetY(-14)
		pdf.SetFont("go", "", 8)
		pdf.SetTextColor(110, 110, 110)
		pdf.CellFormat(0, 5, fmt.Sprintf("%s · page %d of {nb}", at.Format("2006-01-02 15:04"), pdf.PageNo()), "", 0, "L", false, 0, "")
	})
	pdf.AliasNbPages("{nb}")
	return pdf
}

// Value is the value of a parameter in words.
func Value(p symbol.Parameter) string {
	switch p.Name {
	case "decode", "edge determination":
		return map[bool]string{true: "passes", false: "fails"}[p.Value == 1]
	case "fixed pattern damage":
		return fmt.Sprintf("%.0f modules", p.Value)
	}
	return strings.TrimSpace(fmt.Sprintf("%.2f %s", p.Value, p.Unit))
}

func gradePage(pdf *fpdf.Fpdf, g *GradedCode, c Conditions, n int) error {
	pdf.AddPage()
	pdf.SetTextColor(20, 20, 20)
	pdf.SetFont("go", "B", 17)
	pdf.CellFormat(page-2*margin-34, 10, "Print quality of a code", "", 0, "L", false, 0, "")
	pdf.SetFont("go", "B", 24)
	pdf.CellFormat(34, 10, fmt.Sprintf("%.1f  %s", g.Grade.Overall, g.Grade.Letter()), "", 1, "R", false, 0, "")
	pdf.Ln(3)
	standard := "ISO/IEC 15416, ten scan lines"
	if g.Symbol.Columns > 0 {
		standard = fmt.Sprintf("ISO/IEC 15415, %d × %d modules", g.Symbol.Columns, g.Symbol.Rows)
	}
	decides := g.Grade.Decides
	if decides == "" {
		decides = "nothing: every parameter has the best grade"
	}
	lines := [][2]string{
		{"Says", strings.ReplaceAll(g.Symbol.Text, "\x1d", "␝")},
		{"Symbology", string(g.Symbol.Symbology)},
		{"Graded after", standard},
		{"Decided by", decides},
		{"Picture", g.File},
		{"Module", fmt.Sprintf("%.1f px", g.Grade.Module)},
		{"Reflectance", fmt.Sprintf("0 %% is gray value %.0f, 100 %% is %.0f", c.Reflectance.Black, c.Reflectance.White)},
	}
	if c.Note != "" {
		lines = append(lines, [2]string{"Note", c.Note})
	}
	for _, l := range lines {
		pdf.SetFont("go", "B", 10)
		pdf.CellFormat(34, 6, l[0], "", 0, "L", false, 0, "")
		pdf.SetFont("go", "", 10)
		pdf.MultiCell(0, 6, l[1], "", "L", false)
	}
	pdf.Ln(4)
	widths := []float64{78, 36, 30, 30}
	pdf.SetFillColor(232, 236, 240)
	pdf.SetFont("go", "B", 10)
	for i, h := range []string{"Parameter", "Worst value", "Grade", ""} {
		pdf.CellFormat(widths[i], 7, h, "", 0, "L", true, 0, "")
	}
	pdf.Ln(-1)
	pdf.SetFont("go", "", 10)
	for _, p := range g.Grade.Parameters {
		pdf.CellFormat(widths[0], 6.4, p.Name, "B", 0, "L", false, 0, "")
		pdf.CellFormat(widths[1], 6.4, Value(p), "B", 0, "L", false, 0, "")
		pdf.CellFormat(widths[2], 6.4, fmt.Sprintf("%.1f", p.Grade), "B", 0, "L", false, 0, "")
		x, y := pdf.GetX(), pdf.GetY()
		pdf.SetFillColor(200, 206, 212)
		pdf.Rect(x, y+2, 26, 2.6, "F")
		pdf.SetFillColor(30, 96, 120)
		pdf.Rect(x, y+2, 26*p.Grade/4, 2.6, "F")
		pdf.CellFormat(widths[3], 6.4, "", "B", 1, "L", false, 0, "")
	}
	pdf.Ln(5)
	var buf bytes.Buffer
	// The library orders pictures by their widths alone, and those of one width by chance.
	w, h := 1044+n, 600
	if err := png.Encode(&buf, g.Figure(w, h).Image); err != nil {
		return fmt.Errorf("the figure cannot be drawn: %w", err)
	}
	name := fmt.Sprintf("code%d", n)
	pdf.RegisterImageOptionsReader(name, fpdf.ImageOptions{ImageType: "PNG"}, &buf)
	pdf.ImageOptions(name, margin, pdf.GetY(), page-2*margin, 0, true, fpdf.ImageOptions{ImageType: "PNG"}, 0, "")
	pdf.Ln(2)
	pdf.SetFont("go", "", 9)
	pdf.SetTextColor(90, 90, 90)
	what := "Scan lines: green with grade 3.5 and more, red below."
	if g.Symbol.Columns > 0 {
		what = "Red: modules on the wrong side of the threshold, or so near it that they cost modulation."
	}
	pdf.MultiCell(0, 5, what+" Grades of a camera on a line follow those of a verifier; they are no certificate.", "", "L", false)
	return nil
}
