package e2e

import (
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ricetta/internal/client"
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
}

// overviewOf is what is looked at of an overview.
type overviewOf struct {
	Shifts []string
	Cells  []struct{ Shift, Station string }
	Total  struct{ Inspected, Passed int64 }
}
