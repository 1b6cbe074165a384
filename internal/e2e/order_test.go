package e2e

import (
	"fmt"
	"net/http"
	"os"
	"path/filepath"
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ricetta/core/raster"
	"ricetta/internal/drawn"
)

// sheet is a picture of an order sheet with its number as a QR code.
func sheet(t *testing.T, number string) []byte {
	g := raster.NewGray(400, 300)
	for i := range g.Pix {
		g.Pix[i] = 210
	}
	if number != "" {
		code, err := drawn.QR(number, 1)
		require.NoError(t, err)
		drawn.PutCode(g, code, raster.Point{X: 200, Y: 150}, drawn.Print{Module: 6, Quiet: 4, Dark: 30, Light: 210})
	}
	file, err := raster.EncodePNG(raster.Picture{Gray: g})
	require.NoError(t, err)
	return file
}

// A station reads the sheet of an order, and its line packs that.
func TestAStationReadsTheOrderSheet(t *testing.T) {
	var shown atomic.Value
	shown.Store(sheet(t, ""))
	desk := newCamera(t, func(w http.ResponseWriter, _ *http.Request) { _, _ = w.Write(shown.Load().([]byte)) })
	dir := t.TempDir()
	site := cards(t, dir) + fmt.Sprintf("  - {id: desk, name: Desk, line: desk, role: desk, product: order-sheet, every: 200, source: {http: {address: %q}, timeout_ms: 2000}}\n", desk)
	site = replaced(t, site, "    product: card\n", "    product: card\n    change_by: {station: desk, text: sheet.text}\n")
	reader := filepath.Join(dir, "recipes", "sheet")
	require.NoError(t, os.MkdirAll(reader, 0o750))
	require.NoError(t, os.WriteFile(filepath.Join(reader, "recipe.yaml"), []byte("ricetta: 1\nproduct: order-sheet\nrole: desk\npicture: {kind: gray}\nchecks:\n  - {id: sheet, kind: print.code, region: {rect: [0, 0, 400, 300]}, symbologies: [qr]}\n"), 0o600))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "orders.csv"), []byte("order,product,lot,quantity\n4711,card,L1,1200\n4712,crayon-box-6,L2,\n"), 0o600))
	s := startBare(t, dir, site)
	c := t.Context()
	eventually(t, "the line packs cards", func() bool { l, err := s.Line(c, "line1"); return err == nil && l.Counters.Packages > 3 })

	shown.Store(sheet(t, "4711"))
	eventually(t, "the order of the sheet", func() bool {
		l, err := s.Line(c, "line1")
		return err == nil && l.Run.Order["order"] == "4711" && l.Run.Order["lot"] == "L1" && l.Run.By == "station desk"
	})
	l, err := s.Line(c, "line1")
	require.NoError(t, err)
	run := l.Run.ID

	shown.Store(sheet(t, "4712"))
	eventually(t, "an order that cannot be packed is told", func() bool {
		list, err := s.StandingAlarms(c)
		for _, a := range list.Alarms {
			if err == nil && a.Kind == "changeover" {
				assert.Contains(t, a.Text, `station desk read "4712", and the line goes on with what it packs`)
				assert.Contains(t, a.Text, "no revision of crayon-box-6/top is released")
				return true
			}
		}
		return false
	})
	l, err = s.Line(c, "line1")
	require.NoError(t, err)
	assert.Equal(t, run, l.Run.ID, "and the line goes on")

	shown.Store(sheet(t, "4711"))
	eventually(t, "what is packed already clears it", func() bool {
		list, err := s.StandingAlarms(c)
		for _, a := range list.Alarms {
			if a.Kind == "changeover" && a.Gone == nil {
				return false
			}
		}
		return err == nil
	})
	l, err = s.Line(c, "line1")
	require.NoError(t, err)
	assert.Equal(t, run, l.Run.ID)
	_, err = s.ChangeLine(c, "line1", "4712", nil, "Ada", "test")
	assert.ErrorContains(t, err, "crayon-box-6")
	found, err := s.Find(c, "line1", "4711")
	require.NoError(t, err)
	assert.Equal(t, "order 4711", found.What)
	_, err = s.Find(c, "line1", "4713")
	assert.ErrorContains(t, err, "is no order of orders.csv")
}
