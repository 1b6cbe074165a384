package e2e

import (
	"strconv"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// provenLine is a line that runs only when a challenge has passed, and warns of much.
const provenLine = `site: Cartoleria Fiordaliso
pictures: {limit_mb: 64, pass_share: 3}
disk: {free_mb: 1000000000}
lines:
  - id: line1
    name: Line 1
    product: pencil-tin-12
    trigger: {by: encoder, every: 3000}
    ejectors:
      reject: {offset: 10500, pulse: 1600, confirm: 1200}
      rework: {offset: 16500, pulse: 1600}
    alarms:
      rejects_in_row: {count: 3, act: hold}
    challenges:
      pieces:
        - {name: pencil missing, route: reject, count: 2}
        - {name: tin wrong way round, route: rework}
        - {name: good, route: pass}
      at_start: true
      at_changeover: true
      act: hold
    belt:
      plant: {seed: 40, speed_mm_s: 600}
stations:
  - {id: line1-top, name: Tins, line: line1, role: top, source: {timeout_ms: 3000}}
`

// A line that must be proven does not run before it is; the way through a challenge, on its page
// and on the front display; an alarm that holds the line is seen, by name.
func TestALineIsProvenAndItsAlarmsSeen(t *testing.T) {
	ctx := browser(t, 1280, 800)
	dir := t.TempDir()
	s := start(t, dir, provenLine)
	c := t.Context()
	_, err := s.StartLine(c, "line1", false)
	assert.ErrorContains(t, err, "a challenge is due (")
	kinds := map[string]int64{}
	eventually(t, "both are told", func() bool {
		list, err := s.StandingAlarms(c)
		for _, a := range list.Alarms {
			kinds[a.Kind] = a.ID
		}
		return err == nil && kinds["challenge"] > 0 && kinds["disk"] > 0
	})

	do(t, ctx, chromedp.Navigate(s.url+"/lines/line1"))
	shows(t, ctx, "Until it has passed, nothing else goes through.")
	setInput(t, ctx, `section[aria-label="Challenge"] input`, "Ada")
	press(t, ctx, "Begin a challenge")
	shows(t, ctx, "Start the line, then send the piece “pencil missing”, 1 of 2.")
	press(t, ctx, "Start")
	shows(t, ctx, "Send the piece “pencil missing”, 1 of 2.")
	press(t, ctx, "The next package is this piece")
	shows(t, ctx, "right: package")
	look(t, ctx, "challenge")
	accessible(t, ctx)

	do(t, ctx, chromedp.Navigate(s.url+"/lines/line1/front"))
	for _, piece := range []string{"Send the piece “pencil missing”, 2 of 2.", "Send the piece “tin wrong way round”.", "Send the piece “good”."} {
		shows(t, ctx, piece)
		if piece == "Send the piece “good”." {
			look(t, ctx, "front-challenge")
			accessible(t, ctx)
		}
		press(t, ctx, "The next package is it")
	}
	eventually(t, "the challenge passes", func() bool {
		l, err := s.Line(c, "line1")
		return err == nil && l.Challenge != nil && l.Challenge.Result == "passed" && !l.Proof.Due
	})
	l, err := s.Line(c, "line1")
	require.NoError(t, err)
	for _, send := range l.Challenge.Sends {
		assert.True(t, send.OK, "%+v", send)
		p, err := s.Package(c, "line1."+strconv.FormatInt(send.Seq, 10))
		require.NoError(t, err)
		assert.Equal(t, l.Challenge.ID, p.Challenge)
	}
	eventually(t, "production passes", func() bool {
		l, err := s.Line(c, "line1")
		return err == nil && l.Counters.Routes["pass"] > 3
	})
	l, err = s.Line(c, "line1")
	require.NoError(t, err)
	assert.Equal(t, l.Counters.Routes["reject"], l.Counters.Faults, "what was rejected came before the line was proven; test pieces do not count")

	// Nothing on the belt is what the recipe is for: rejects in a row hold the line.
	_, err = s.ChangeLine(c, "line1", "masking-tape-50", nil, "Ada", "test")
	require.NoError(t, err)
	eventually(t, "the line is held for its proof", func() bool {
		l, err := s.Line(c, "line1")
		return err == nil && l.Status == "held"
	})
	_, err = s.BeginChallenge(c, "line1", "Ada")
	require.NoError(t, err)
	_, err = s.GiveUpChallenge(c, "line1")
	require.NoError(t, err)
	_, err = s.StartLine(c, "line1", false)
	require.Error(t, err)
	_, err = s.BeginChallenge(c, "line1", "Ada")
	require.NoError(t, err)
	_, err = s.StartLine(c, "line1", false)
	require.NoError(t, err)
	for range 4 {
		eventually(t, "a piece may be sent", func() bool { _, err := s.SendPiece(c, "line1"); return err == nil })
		eventually(t, "it comes", func() bool { l, err := s.Line(c, "line1"); return err == nil && !l.Proof.Armed })
	}
	eventually(t, "the challenge fails", func() bool {
		page, err := s.Challenges(c, "line1", nil)
		return err == nil && page.Challenges[0].Result == "failed"
	})
	l, err = s.Line(c, "line1")
	require.NoError(t, err)
	assert.Equal(t, "held", l.Status)
	_, err = s.StartLine(c, "line1", false)
	assert.ErrorContains(t, err, "acknowledge it first")

	do(t, ctx, chromedp.Navigate(s.url+"/floor"))
	shows(t, ctx, "alarms wait")
	do(t, ctx, chromedp.Navigate(s.url+"/alarms"))
	shows(t, ctx, "The challenge failed")
	setInput(t, ctx, `main label input`, "Bea")
	setInput(t, ctx, `form input`, "the wrong product lay on the belt")
	look(t, ctx, "alarms")
	accessible(t, ctx)
	press(t, ctx, "I have seen it")
	shows(t, ctx, "Bea has seen it")
	_, err = s.AcknowledgeAlarm(c, kinds["disk"], "Bea", "")
	require.NoError(t, err)
	_, err = s.AcknowledgeAlarm(c, 999, "Bea", "")
	assert.Equal(t, 404, statusOf(t, err))
	s.stop()

	// What was not over is there after a restart, and so is what the last challenge said.
	s = start(t, dir, "")
	page, err := s.Alarms(c, nil)
	require.NoError(t, err)
	var seen bool
	for _, a := range page.Alarms {
		seen = seen || a.Kind == "challenge" && a.Who == "Bea" && a.Note == "the wrong product lay on the belt"
	}
	assert.True(t, seen, "%+v", page.Alarms)
	eventually(t, "it asks for another one", func() bool {
		l, err := s.Line(c, "line1")
		return err == nil && l.Status != "running" && l.Proof.Overdue && l.Proof.Why == "the last one failed"
	})
}
