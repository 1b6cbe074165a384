package cli

import (
	"context"
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"time"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/urfave/cli/v3"

	"ricetta/core/raster"
	"ricetta/core/symbol"
	"ricetta/internal/folder"
	"ricetta/internal/report"
)

func gradeCommand() *cli.Command {
	return &cli.Command{
		Name:      "grade",
		Usage:     "grade how well the codes in picture files are printed, without a service",
		UsageText: "grade [--white 250] [--pdf FILE] PICTURE…",
		Description: "Linear codes after ISO/IEC 15416, matrix codes after ISO/IEC 15415. --white is the gray value of a white\n" +
			"reference under the same light; without it contrast is compared with the camera's own white.",
		Flags: []cli.Flag{
			&cli.FloatFlag{Name: "white", Value: 255, Usage: "gray value of full reflectance"},
			&cli.FloatFlag{Name: "black", Usage: "gray value of no reflectance"},
			&cli.StringFlag{Name: "pdf", Usage: "write a report with a page for each code to this `FILE`"},
			&cli.StringFlag{Name: "note", Usage: "a line for the report: the press, the batch, who looked"},
			jsonFlag(),
		},
		Action: gradeFiles,
	}
}

// gradedJSON is one line of grade --json.
type gradedJSON struct {
	Picture    string           `json:"picture"`
	Symbology  symbol.Symbology `json:"symbology"`
	Text       string           `json:"text"`
	Grade      float64          `json:"grade"`
	Letter     string           `json:"letter"`
	Decides    string           `json:"decides"`
	ModulePx   float64          `json:"module_px"`
	Parameters []parameterJSON  `json:"parameters"`
}

type parameterJSON struct {
	Name  string  `json:"name"`
	Value float64 `json:"value"`
	Unit  string  `json:"unit"`
	Grade float64 `json:"grade"`
}

func gradeFiles(_ context.Context, c *cli.Command) error {
	files := folder.Pictures(c.Args().Slice())
	if len(files) == 0 {
		return usagef("no picture is named; as in: ricetta %s", c.UsageText)
	}
	ref := symbol.Reflectance{Black: c.Float("black"), White: c.Float("white")}
	var codes []report.GradedCode
	bad := false
	var reader symbol.Reader
	for _, f := range files {
		pic, err := folder.Picture(f, raster.DefaultDecodeLimits)
		if err != nil {
			return usageError{fmt.Errorf("%s: %w", f, err)}
		}
		luma := pic.Luma(new(raster.Gray))
		found := append([]symbol.Symbol(nil), reader.Read(luma, symbol.Options{})...)
		if len(found) == 0 {
			bad = true
			line(c.Root().Writer, "%s: no code is read: grade 0, F", f)
		}
		for i := range found {
			g, err := reader.Grade(luma, &found[i], ref)
			if err != nil {
				return usageError{fmt.Errorf("%s: %w", f, err)}
			}
			codes = append(codes, report.GradedCode{File: filepath.Base(f), Picture: pic, Symbol: found[i], Grade: g})
		}
	}
	for i := range codes {
		g := &codes[i]
		if c.Bool("json") {
			out := gradedJSON{g.File, g.Symbol.Symbology, g.Symbol.Text, g.Grade.Overall, g.Grade.Letter(), g.Grade.Decides, g.Grade.Module, nil}
			for _, p := range g.Grade.Parameters {
				out.Parameters = append(out.Parameters, parameterJSON(p))
			}
			if err := json.NewEncoder(c.Root().Writer).Encode(out); err != nil {
				return fmt.Errorf("the grade cannot be printed: %w", err)
			}
			continue
		}
		line(c.Root().Writer, "%s  %s %s\ngrade %.1f, %s; a module has %.1f px", g.File, g.Symbol.Symbology, g.Symbol.Text, g.Grade.Overall, g.Grade.Letter(), g.Grade.Module)
		t := newTable(c.Root().Writer, "parameter", "worst value", "grade")
		for _, p := range g.Grade.Parameters {
			mark := ""
			if p.Name == g.Grade.Decides {
				mark = "  ← decides"
			}
			t.AppendRow(table.Row{p.Name, report.Value(p), fmt.Sprintf("%.1f%s", p.Grade, mark)})
		}
		t.Render()
		line(c.Root().Writer, "")
	}
	if name := c.String("pdf"); name != "" && len(codes) > 0 {
		if err := writeGrades(name, codes, report.Conditions{Reflectance: ref, Time: time.Now(), Note: c.String("note")}); err != nil {
			return err
		}
		line(c.Root().ErrWriter, "%d codes in %s", len(codes), name)
	}
	if bad {
		return errSome
	}
	return nil
}

func writeGrades(name string, codes []report.GradedCode, cond report.Conditions) (err error) {
	f, err := os.Create(name) //nolint:gosec // the user names the file
	if err != nil {
		return usageError{err}
	}
	defer func() {
		if e := f.Close(); err == nil {
			err = e
		}
	}()
	return report.Grades(f, codes, cond)
}
