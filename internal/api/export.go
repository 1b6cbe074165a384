package api

import (
	"bufio"
	"encoding/csv"
	"encoding/json"
	"net/http"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"ricetta/internal/store"
)

type exportRequest struct {
	ItemFilter
	Format string `query:"format" enum:"csv,jsonl" default:"csv" description:"csv: a row for each item with a column for each reading; jsonl: a JSON object a line, as in ItemDetail"`
}

// CountHeader says how many items an export is about to have.
const CountHeader = "Ricetta-Items"

func (s *Server) exportItems(c *echo.Context, in *exportRequest) error {
	f, err := in.filter()
	if err != nil {
		return err
	}
	if in.Format == "" {
		in.Format = "csv"
	}
	if in.Format != "csv" && in.Format != "jsonl" {
		return problem(http.StatusBadRequest, "No such format", "Items are written as csv or jsonl.")
	}
	n, err := s.deps.Records.CountItems(f)
	if err != nil {
		return err
	}
	var columns []string
	if in.Format == "csv" {
		if columns, err = s.deps.Records.Columns(f); err != nil {
			return err
		}
	}
	w := c.Response()
	w.Header().Set(CountHeader, strconv.FormatInt(n, 10))
	w.Header().Set("Content-Disposition", `attachment; filename="items.`+in.Format+`"`)
	out := bufio.NewWriterSize(w, 1<<16)
	if in.Format == "csv" {
		w.Header().Set("Content-Type", "text/csv; charset=utf-8")
		err = s.exportCSV(c, f, columns, out)
	} else {
		w.Header().Set("Content-Type", "application/x-ndjson")
		e := json.NewEncoder(out)
		err = s.deps.Records.EachItem(c.Request().Context(), f, func(k *store.Kept) error { return e.Encode(ItemDetail{keptItem(*k), k.Findings}) })
	}
	if err == nil {
		err = out.Flush()
	}
	if err != nil && c.Request().Context().Err() == nil {
		// The part that was sent looks like a whole; cutting it off tells that it is not.
		s.log.Warn("an export was cut off", "error", err)
		panic(http.ErrAbortHandler)
	}
	return nil
}

var itemColumns = []string{"item", "time", "station", "line", "role", "product", "revision", "route", "fault", "reason", "sentence", "took_ms", "delay_ms"}

// exportCSV writes one table (RFC 4180).
func (s *Server) exportCSV(c *echo.Context, f store.Filter, columns []string, out *bufio.Writer) error {
	at := map[string]int{}
	for i, name := range columns {
		at[name] = len(itemColumns) + i
	}
	t := csv.NewWriter(out)
	t.UseCRLF = true
	if err := t.Write(append(append([]string{}, itemColumns...), columns...)); err != nil {
		return err
	}
	row := make([]string, len(itemColumns)+len(columns))
	err := s.deps.Records.EachItem(c.Request().Context(), f, func(k *store.Kept) error {
		i := keptItem(*k)
		clear(row)
		copy(row, []string{
			i.ID, i.Time.Format("2006-01-02T15:04:05.000Z07:00"), i.Station, i.Line, i.Role, i.Product, i.Revision, i.Route, i.Fault, i.Reason, plainText(i.Sentence),
			strconv.FormatFloat(i.TookMS, 'f', 3, 64), strconv.FormatFloat(i.DelayMS, 'f', 3, 64),
		})
		for _, x := range k.Findings {
			for name, v := range x.Readings {
				if col, ok := at[x.Check+"."+name]; ok {
					row[col] = strconv.FormatFloat(v.Value, 'g', -1, 64)
				}
			}
		}
		return t.Write(row)
	})
	t.Flush()
	if err == nil {
		err = t.Error()
	}
	return err
}

// plainText keeps a spreadsheet from taking a text that came from a picture for a formula.
func plainText(s string) string {
	if s != "" && strings.ContainsRune("=+-@\t\r", rune(s[0])) {
		return "'" + s
	}
	return s
}
