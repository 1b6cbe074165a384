package e2e

import (
	"context"
	"encoding/csv"
	"fmt"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ricetta/internal/api"
	"ricetta/internal/app"
	"ricetta/internal/client"
	"ricetta/internal/store"
	"ricetta/internal/whatif"
	"ricetta/internal/workbench"
)

// The morning's questions on what a line has just packed: the counts behind the page are the
// items, and every bar leads to them.
func TestTheStatisticsInTheConsole(t *testing.T) {
	ctx := browser(t, 1280, 800)
	dir := t.TempDir()
	s := startBare(t, dir, cards(t, dir))
	c := t.Context()
	eventually(t, "some packages", func() bool {
		l, err := s.Line(c, "line1")
		return err == nil && l.Counters.Packages > 90
	})
	_, err := s.StopLine(c, "line1")
	require.NoError(t, err)
	var o overviewOf
	eventually(t, "all is counted", func() bool {
		first, err := s.Station(c, "first")
		last, err2 := s.Station(c, "last")
		if err != nil || err2 != nil {
			return false
		}
		getJSON(t, s, "/api/v1/statistics/overview", &o)
		return len(o.Cells) > 0 && o.Total.Inspected == first.Counters.Inspected+last.Counters.Inspected
	})
	page, err := s.Items(c, client.Query("not_passed", "true", "limit", "500"))
	require.NoError(t, err)
	assert.EqualValues(t, o.Total.Inspected-o.Total.Passed, len(page.Items))
	inShift, err := s.Items(c, client.Query("shift", o.Shifts[0], "limit", "500"))
	require.NoError(t, err)
	assert.NotEmpty(t, inShift.Items)
	for _, path := range []string{"/api/v1/statistics/trend?by=moon", "/api/v1/statistics/compare?by=moon", "/api/v1/statistics/reading?name=light.share&size=99"} {
		res, _ := s.get(t, path)
		assert.Equal(t, 400, res.StatusCode, path)
	}

	do(t, ctx, chromedp.Navigate(s.url+"/statistics?days=1"))
	shows(t, ctx, "Share that did not pass, by hour")
	shows(t, ctx, "light")
	look(t, ctx, "statistics")
	accessible(t, ctx)
	eval[bool](t, ctx, `document.querySelector('section[aria-label="Reasons"] a').click(); true`)
	shows(t, ctx, "light: share 0, at least 0.5 expected")
	do(t, ctx, chromedp.Navigate(s.url+"/statistics/reading?station=first&name=light.share"))
	shows(t, ctx, "Capability")
	shows(t, ctx, "Single values")
	look(t, ctx, "reading")
	accessible(t, ctx)
	do(t, ctx, chromedp.Navigate(s.url+"/statistics/reading?station=first&name=no.such"))
	shows(t, ctx, "Nothing to draw yet")

	whatIfAndReview(t, ctx, s)
	reports(t, ctx, s, o.Shifts[0])
	boards(t, ctx, s)
	backupAndRestore(t, s)
}

// A board is begun, arranged, kept, and not overwritten by somebody else.
func boards(t *testing.T, ctx context.Context, s *service) {
	button := func(word string) {
		eval[bool](t, ctx, `[...document.querySelectorAll('button')].find((b) => b.textContent.trim() === '`+word+`' || b.ariaLabel === '`+word+`').click(); true`)
	}
	do(t, ctx, chromedp.Navigate(s.url+"/boards"))
	shows(t, ctx, "There is none yet")
	do(t, ctx, chromedp.SendKeys(`form input`, "Nora, morning"), chromedp.WaitEnabled(`form button`))
	button("Begin it")
	shows(t, ctx, "Did not pass, line1")
	button("Arrange")
	eval[bool](t, ctx, `{ const s = document.querySelector('select'); Object.getOwnPropertyDescriptor(HTMLSelectElement.prototype, 'value').set.call(s, 'reading'); s.dispatchEvent(new Event('change', {bubbles: true})); true }`)
	shows(t, ctx, "light.share")
	button("Add it")
	button("width larger")
	look(t, ctx, "board-arranged")
	accessible(t, ctx)
	button("Save the board")
	eventually(t, "the board is kept", func() bool {
		b, err := s.Board(t.Context(), "Nora, morning")
		return err == nil && len(b.Panels) == 5
	})
	b, err := s.Board(t.Context(), "Nora, morning")
	require.NoError(t, err)
	assert.Equal(t, store.Panel{Kind: "reading", Station: "first", Reading: "light.pixels", W: 6, H: 3}, b.Panels[4])
	assert.Equal(t, 7, b.Panels[0].W)

	do(t, ctx, chromedp.Navigate(s.url+"/boards/Nora,%20morning/wall"))
	shows(t, ctx, "light.pixels, line1")
	look(t, ctx, "board-wall")
	accessible(t, ctx)
	b.Who = "Ugo"
	kept, err := s.KeepBoard(t.Context(), b.Name, b.Panels[:1], "Ugo", &b.Time)
	require.NoError(t, err)
	_, err = s.KeepBoard(t.Context(), b.Name, b.Panels, "Nora", &b.Time)
	assert.ErrorContains(t, err, "somebody else has saved this board")
	_, err = s.KeepBoard(t.Context(), b.Name, []store.Panel{{Kind: "picture", Station: "nowhere", W: 1, H: 1}}, "Nora", &kept.Time)
	assert.ErrorContains(t, err, `no station "nowhere"`)
	list, err := s.Boards(t.Context())
	require.NoError(t, err)
	assert.Len(t, list.Boards, 1)
	said := call(t, binary(t), "board", "list", "--server", s.url)
	assert.Contains(t, said.out, "Nora, morning")
}

// Other limits on the same items, and what people say of them: in the terminal and the console.
func whatIfAndReview(t *testing.T, ctx context.Context, s *service) {
	c, k := t.Context(), workbench.Key{Product: "card", Role: "top"}
	never := 0.0
	dark, err := s.Items(c, client.Query("reason", "light", "limit", "500"))
	require.NoError(t, err)
	require.NotEmpty(t, dark.Items)
	_, err = s.Review(c, dark.Items[0].ID, false, "Nora", "")
	require.NoError(t, err)
	a, err := s.WhatIf(c, k, map[string]any{"limits": []api.LimitMove{{Check: "light", Reading: "share", Bound: "least", Value: &never}}})
	require.NoError(t, err)
	assert.Equal(t, []whatif.Change{{From: "reject", To: "pass", N: len(dark.Items), Bad: 1}}, a.Changes)
	assert.Equal(t, a.Items, a.After["pass"]+a.Faults)
	b, err := s.WhatIfPictures(c, k, map[string]any{"limits": []api.LimitMove{{Check: "light", Reading: "share", Bound: "least", Value: &never}}}, func(int, int) {})
	require.NoError(t, err)
	require.NotEmpty(t, b.Changes, "the kept pictures say the same")
	assert.Equal(t, "pass", b.Changes[0].To)
	assert.Positive(t, b.Changes[0].Bad)
	var o overviewOf
	getJSON(t, s, "/api/v1/statistics/overview", &o)
	b, err = s.WhatIf(c, k, map[string]any{"shift": o.Shifts[len(o.Shifts)-1], "until_shift": o.Shifts[0]})
	require.NoError(t, err)
	assert.EqualValues(t, o.Total.Inspected, b.Items)
	_, err = s.WhatIf(c, k, map[string]any{"shift": "2020-01-01/early"})
	assert.ErrorContains(t, err, "Nothing was inspected in 2020-01-01/early")
	_, err = s.WhatIf(c, k, map[string]any{"limits": []api.LimitMove{{Check: "dark", Reading: "share", Bound: "least", Value: &never}}})
	assert.ErrorContains(t, err, "no check dark")

	do(t, ctx, chromedp.Navigate(s.url+"/recipes/card/top/what-if"))
	shows(t, ctx, "would have gone elsewhere")
	eval[bool](t, ctx, `{ const i = document.querySelector('input[type=number]'); Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, 'value').set.call(i, '0'); i.dispatchEvent(new Event('input', {bubbles: true})); true }`)
	shows(t, ctx, fmt.Sprintf("%d from reject to pass (of them marked: 0 good, 1 bad)", len(dark.Items)))
	look(t, ctx, "whatif")
	accessible(t, ctx)
	eval[bool](t, ctx, `[...document.querySelectorAll('button')].find((b) => b.textContent === 'Make it the draft').click(); true`)
	shows(t, ctx, "draft differs from what is released")
	d, err := s.Draft(c, k)
	require.NoError(t, err)
	assert.Contains(t, d.Text, "share: {least: 0}")

	do(t, ctx, chromedp.Navigate(s.url+"/review"))
	shows(t, ctx, "False rejects: 0 of 1")
	eval[bool](t, ctx, `document.querySelectorAll('[role=group] button')[3].click(); true`)
	shows(t, ctx, "False rejects: 1 of 2")
	look(t, ctx, "review")
	accessible(t, ctx)
	eval[bool](t, ctx, `document.querySelectorAll('[role=group] button')[3].click(); true`)
	shows(t, ctx, "False rejects: 0 of 1")
	do(t, ctx, chromedp.Navigate(s.url+"/review?show=passed"))
	shows(t, ctx, "1 check ok")
}

// The report of the shift that goes on, as page, files, and in the terminal; and the items as a table.
func reports(t *testing.T, ctx context.Context, s *service, key string) {
	bin := binary(t)
	said := call(t, bin, "report", "shift", "--server", s.url, key)
	assert.Contains(t, said.out, "Shift "+strings.Replace(key, "/", " ", 1))
	assert.Contains(t, said.out, "light")
	dir := t.TempDir()
	for _, f := range []string{"r.pdf", "r.xlsx", "r.csv"} {
		call(t, bin, "report", "shift", "--server", s.url, "--out", filepath.Join(dir, f), key)
		assert.FileExists(t, filepath.Join(dir, f))
	}
	n, err := s.Tally(t.Context(), client.Query("by", "route", "station", "first"))
	require.NoError(t, err)
	said = call(t, bin, "items", "export", "--server", s.url, "--station", "first", filepath.Join(dir, "items.csv"))
	assert.Contains(t, said.out, fmt.Sprintf("has %d items", n.Total))
	table, err := os.Open(filepath.Join(dir, "items.csv"))
	require.NoError(t, err)
	defer table.Close()
	rows, err := csv.NewReader(table).ReadAll()
	require.NoError(t, err)
	assert.EqualValues(t, n.Total+1, len(rows))
	assert.Equal(t, "light.share", rows[0][len(rows[0])-1])

	do(t, ctx, chromedp.Navigate(s.url+"/report/shift?shift="+url.QueryEscape(key)))
	shows(t, ctx, "Share that did not pass, by hour")
	look(t, ctx, "report")
	accessible(t, ctx)
	do(t, ctx, chromedp.Navigate(s.url+"/report/run?run=999"))
	shows(t, ctx, "there is no run 999")
}

// A backup is taken while the service runs, and what is taken out of it is the same.
func backupAndRestore(t *testing.T, s *service) {
	file := filepath.Join(t.TempDir(), "monday.zip")
	f, err := os.Create(file)
	require.NoError(t, err)
	require.NoError(t, s.Backup(t.Context(), f, true))
	require.NoError(t, f.Close())
	dir := filepath.Join(t.TempDir(), "restored")
	r, err := app.Restore(file, dir, nil)
	require.NoError(t, err)
	assert.Equal(t, "ok", r.Integrity)
	assert.Empty(t, r.Differs)
	var o overviewOf
	getJSON(t, s, "/api/v1/statistics/overview", &o)
	assert.Equal(t, o.Total.Inspected, r.Items)

	page, err := s.Items(t.Context(), client.Query("not_passed", "true", "limit", "1", "pictured", "true"))
	require.NoError(t, err)
	require.NotEmpty(t, page.Items)
	again := startBare(t, dir, "")
	it, err := again.Item(t.Context(), page.Items[0].ID)
	require.NoError(t, err)
	want, err := s.Item(t.Context(), it.ID)
	require.NoError(t, err)
	assert.Equal(t, want, it)
	_, picture := again.get(t, "/api/v1/items/"+it.ID+"/picture")
	_, wanted := s.get(t, "/api/v1/items/"+it.ID+"/picture")
	assert.Equal(t, wanted, picture)
	recipes, err := again.Recipes(t.Context())
	require.NoError(t, err)
	assert.Len(t, recipes.Recipes, 1)
	assert.True(t, recipes.Recipes[0].Edited, "the draft is there as well")
}

// overviewOf is what is looked at of an overview.
type overviewOf struct {
	Shifts []string
	Cells  []struct{ Shift, Station string }
	Total  struct{ Inspected, Passed int64 }
}
