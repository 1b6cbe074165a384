package e2e

import (
	"bufio"
	"net"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ricetta/internal/workbench"
)

// controlled is a line of two stations that a line controller runs, over Modbus TCP and text lines.
const controlled = `site: Cartoleria Fiordaliso
pictures: {limit_mb: 64, pass_share: 3}
products:
  - {code: pencil-tin-12, gtin: "4012345000016"}
tags:
  - {name: tips, station: line1-first, reading: tips.count}
  - {name: tips-least, station: line1-first, limit: tips.count.least, write: {least: 10, most: 12}}
  - {name: tips-most, station: line1-first, limit: tips.count.most, write: {least: 12, most: 14}}
lines:
  - id: line1
    name: Line 1
    product: pencil-tin-12
    trigger: {by: encoder, every: 3000}
    rules:
      - {to: rework, when: 'route["line1-first"] == "rework" || route["line1-last"] == "rework"'}
    ejectors:
      reject: {offset: 18000, pulse: 1600, confirm: 1200}
      rework: {offset: 24000, pulse: 1600}
    belt:
      plant:
        seed: 40
        speed_mm_s: 500
        rates: {pencil missing: 0.1, tin wrong way round: 0.1, bump in the rim: 0.2}
        controller: {products: [pencil-tin-12, masking-tape-50], each: 10}
links:
  textline: {listen: "127.0.0.1:0"}
  modbus: {listen: "127.0.0.1:0"}
stations:
  - {id: line1-first, name: First, line: line1, role: top, source: {timeout_ms: 5000}}
  - {id: line1-last, name: Last, line: line1, role: top, offset: 4200, source: {timeout_ms: 5000}}
`

// The whole loop: a controller of another maker, as far as the service knows, starts the line,
// changes products, is refused what cannot be, and reads every result once.
func TestALineControllerRunsTheLine(t *testing.T) {
	dir := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(dir, "orders.csv"), []byte("order,product,lot,quantity\n4711,4012345000016,L77,1200\n"), 0o600))
	s := start(t, dir, controlled)
	ctx := t.Context()
	eventually(t, "two changeovers", func() bool {
		page, err := s.Runs(ctx, "line1", nil)
		return err == nil && len(page.Runs) >= 3 && s.app.Reports()["line1"].Changes >= 2 // it reads the answer a little later
	})
	r := s.app.Reports()["line1"]
	assert.Empty(t, r.Odd)
	assert.Zero(t, r.Missed)
	assert.Zero(t, r.Lost)
	assert.GreaterOrEqual(t, r.Refused, int64(1))
	assert.Positive(t, r.Told)
	truth, err := s.Truth(ctx)
	require.NoError(t, err)
	assert.Zero(t, truth.LetThrough)
	assert.Zero(t, truth.FalseRejects, "what was on the belt at a changeover is judged as what it is")
	page, err := s.Runs(ctx, "line1", nil)
	require.NoError(t, err)
	assert.Equal(t, "Modbus", page.Runs[0].By)
	sum := int64(0)
	for _, run := range page.Runs {
		sum += run.Counters.Packages
	}
	eventually(t, "the controller has read all results", func() bool {
		n := int64(0)
		for _, k := range s.app.Reports()["line1"].Results {
			n += k
		}
		return n >= sum
	})

	// Another machine asks by text lines: for an order by its number, for a limit within bounds.
	list, err := s.Links(ctx)
	require.NoError(t, err)
	other, err := net.Dial("tcp", list.Links[0].Address)
	require.NoError(t, err)
	defer other.Close()
	says := bufio.NewScanner(other)
	ask := func(text string) string {
		_, err := other.Write([]byte(text + "\n"))
		require.NoError(t, err)
		require.True(t, says.Scan())
		return says.Text()
	}
	assert.Contains(t, ask("change line1 4712"), "no station line1-first cannot judge 4712")
	assert.Regexp(t, `^ok run=\d+ product=pencil-tin-12$`, ask("change line1 4711"))
	l, err := s.Line(ctx, "line1")
	require.NoError(t, err)
	assert.Equal(t, "L77", l.Run.Order["lot"])
	assert.Equal(t, "4711", l.Run.Order["order"])
	before, err := s.Recipe(ctx, "pencil-tin-12", "top")
	require.NoError(t, err)
	assert.Contains(t, ask("set tips-least 9"), "no 9 is out of bounds for tips-least; it may be 10 to 12")
	// Of 11 tips a tin without a pencil would pass: the samples say so.
	assert.Contains(t, ask("set tips-least 11"), "samples are judged wrong, 2 of them let through that should not pass")
	after, err := s.Recipe(ctx, "pencil-tin-12", "top")
	require.NoError(t, err)
	assert.Equal(t, before.Revision, after.Revision)

	assert.Equal(t, "ok tips-most=13", ask("set tips-most 13"))
	after, err = s.Recipe(ctx, "pencil-tin-12", "top")
	require.NoError(t, err)
	assert.NotEqual(t, before.Revision, after.Revision)
	assert.False(t, after.Edited, "the draft has followed")
	released, err := s.Releases(ctx, workbench.Key{Product: "pencil-tin-12", Role: "top"})
	require.NoError(t, err)
	assert.Equal(t, "tips.count.most from 12 to 13, written from outside", released.Releases[0].Note)
	assert.Contains(t, released.Releases[0].Who, "text line 127.0.0.1:")
	for _, id := range l.Stations {
		st, err := s.Station(ctx, id)
		require.NoError(t, err)
		if st.Product == "pencil-tin-12" {
			assert.Equal(t, after.Revision, st.Revision, "the stations judge by it")
		}
	}
	assert.Equal(t, "ok tips-most=13", ask("get tips-most"))
}
