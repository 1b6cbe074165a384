package cli

import (
	"encoding/json"
	"fmt"
	"io"
	"os"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/jedib0t/go-pretty/v6/text"

	"ricetta/core/check"
)

func printJSON(w io.Writer, v any) error {
	e := json.NewEncoder(w)
	e.SetEscapeHTML(false)
	e.SetIndent("", "  ")
	return e.Encode(v)
}

// newTable returns a table in the house's look: no box, one line under the head.
func newTable(w io.Writer, head ...any) table.Writer {
	t := table.NewWriter()
	t.SetOutputMirror(w)
	style := table.StyleLight
	style.Options.DrawBorder = false
	style.Options.SeparateColumns = false
	style.Format.Header = text.FormatDefault
	style.Box.PaddingLeft, style.Box.PaddingRight = "", "  "
	t.SetStyle(style)
	if len(head) > 0 {
		t.AppendHeader(table.Row(head))
	}
	return t
}

// right aligns columns (from 1) to the right.
func right(t table.Writer, columns ...int) {
	var c []table.ColumnConfig
	for _, n := range columns {
		c = append(c, table.ColumnConfig{Number: n, Align: text.AlignRight, AlignHeader: text.AlignRight})
	}
	t.SetColumnConfigs(c)
}

// isTerminal reports whether w is a terminal that takes colors.
func isTerminal(w io.Writer) bool {
	f, ok := w.(*os.File)
	if !ok {
		return false
	}
	info, err := f.Stat()
	return err == nil && info.Mode()&os.ModeCharDevice != 0 && os.Getenv("NO_COLOR") == "" && os.Getenv("TERM") != "dumb"
}

// routeMark is a route with a mark of its own shape, so that it can be told without
// color as well.
func routeMark(w io.Writer, route string, fault bool) string {
	mark, color := "•", text.FgCyan
	switch {
	case fault:
		mark, color, route = "⊘", text.FgMagenta, "fault"
	case route == "pass":
		mark, color = "✔", text.FgCyan
	case route == "rework":
		mark, color = "↻", text.FgBlue
	case route == "reject":
		mark, color = "✘", text.FgRed
	}
	s := mark + " " + route
	if isTerminal(w) {
		return color.Sprint(s)
	}
	return s
}

func number(v float64) string { return string(check.AppendNumber(nil, v)) }

// many counts things: "1 route", "9 checks".
func many(n int, what string) string {
	if n != 1 {
		what += "s"
	}
	return strconv.Itoa(n) + " " + what
}

func clock(t time.Time) string { return t.Local().Format("2006-01-02 15:04:05") }

// short cuts a revision to what tells it from others.
func short(revision string) string {
	hash, ok := strings.CutPrefix(revision, "sha256:")
	if !ok || len(hash) < 12 {
		return revision
	}
	return hash[:12]
}

func share(part, whole int64) string {
	if whole == 0 {
		return "–"
	}
	return strconv.FormatFloat(100*float64(part)/float64(whole), 'f', 1, 64) + " %"
}

// printFindings prints the findings of an item as a table.
func printFindings(w io.Writer, findings []check.FindingJSON) {
	t := newTable(w, "check", "kind", "outcome", "readings", "says")
	for _, f := range findings {
		var readings []string
		names := make([]string, 0, len(f.Readings))
		for n := range f.Readings {
			names = append(names, n)
		}
		slices.Sort(names)
		for _, n := range names {
			r := f.Readings[n]
			s := n + " " + number(r.Value)
			if r.Unit != "" {
				s += " " + r.Unit
			}
			readings = append(readings, s)
		}
		outcome := strings.ReplaceAll(f.Outcome.String(), "_", " ")
		if f.MeasureOnly {
			outcome += " (measured only)"
		}
		t.AppendRow(table.Row{f.Check, f.Kind, outcome, strings.Join(readings, ", "), f.Sentence})
	}
	t.Render()
}

func line(w io.Writer, format string, args ...any) { fmt.Fprintf(w, format+"\n", args...) }
