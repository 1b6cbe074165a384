package report_test

import (
	"bytes"
	"errors"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ricetta/core/raster"
	"ricetta/core/symbol"
	"ricetta/internal/report"
)

func graded(t *testing.T, name string) report.GradedCode {
	data, err := os.ReadFile(filepath.Join("..", "..", "demo", "pictures", "codes", name))
	require.NoError(t, err)
	pic, err := raster.Decode(data, ".png", raster.DefaultDecodeLimits)
	require.NoError(t, err)
	luma := pic.Luma(new(raster.Gray))
	var r symbol.Reader
	found := r.Read(luma, symbol.Options{})
	require.Len(t, found, 1)
	g, err := r.Grade(luma, &found[0], symbol.Reflectance{White: 240})
	require.NoError(t, err)
	return report.GradedCode{File: name, Picture: pic, Symbol: found[0], Grade: g}
}

type full struct{}

func (full) Write([]byte) (int, error) { return 0, errors.New("no space left on device") }

// The demo's codes as a report: a page each, the same bytes from the same codes.
func TestReportOfTheDemoCodes(t *testing.T) {
	var codes []report.GradedCode
	for name, letter := range map[string]string{"lid-good.png": "A", "label-good.png": "A", "lid-worn-nozzle.png": "C", "label-scratched.png": "B"} {
		g := graded(t, name)
		assert.Equal(t, letter, g.Grade.Letter(), "%s: %+v", name, g.Grade.Parameters)
		if letter != "A" {
			marks := g.Marks()
			assert.Greater(t, len(marks), 1, "what cost the grade is shown")
			codes = append(codes, g)
		}
	}
	codes[0].Symbol.Text = "LOT 4711 € \x1d 10"
	c := report.Conditions{Reflectance: symbol.Reflectance{White: 240}, Time: time.Date(2026, 3, 1, 8, 0, 0, 0, time.UTC), Note: "after the ribbon was changed"}
	var first, second bytes.Buffer
	require.NoError(t, report.Grades(&first, codes, c))
	require.NoError(t, report.Grades(&second, codes, c))
	assert.Equal(t, first.Bytes(), second.Bytes())
	assert.True(t, bytes.HasPrefix(first.Bytes(), []byte("%PDF-")))
	assert.Equal(t, 2, bytes.Count(first.Bytes(), []byte("/Type /Page\n")))
	assert.ErrorContains(t, report.Grades(full{}, codes, c), "no space left")
	assert.Equal(t, "passes", report.Value(symbol.Parameter{Name: "decode", Value: 1}))
	assert.Equal(t, "58.63 %", report.Value(symbol.Parameter{Name: "symbol contrast", Value: 58.63, Unit: "%"}))
}
