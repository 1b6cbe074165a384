package line

import (
	"errors"
	"log/slog"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ricetta/core/raster"
	"ricetta/internal/alarm"
	"ricetta/internal/station"
)

// forgetful keeps no alarms for good.
type forgetful struct{}

func (forgetful) KeepAlarm(alarm.Alarm) error        { return nil }
func (forgetful) OpenAlarms() ([]alarm.Alarm, error) { return nil, nil }
func (forgetful) LastAlarm() (int64, error)          { return 0, nil }

// alarmed is a bench whose alarms are kept.
func alarmed(t *testing.T, a Alarms) (*bench, *alarm.Book) {
	book, err := alarm.Open(forgetful{}, time.Now, func(alarm.Alarm) {}, slog.New(slog.DiscardHandler))
	require.NoError(t, err)
	t.Cleanup(book.Close)
	c := cfg
	c.Alarms = a
	c.Ejectors = map[string]Ejector{"reject": {Offset: 450, Pulse: 60}}
	return newBenchWith(t, c, time.Second, func(p *Parts) { p.Alarms = book }), book
}

// run lets packages with these tones go by, and their verdicts come in time.
func (b *bench) run(tones ...uint8) {
	b.t.Helper()
	b.mu.Lock()
	b.take = func(_ string, count int64) (raster.Picture, error) {
		if i := int(count/100) - 1; i < len(tones) {
			if tones[i] == 0 {
				return raster.Picture{}, errors.New("cable")
			}
			return pictureOf(tones[i]), nil
		}
		return pictureOf(200), nil
	}
	b.mu.Unlock()
	for i := range tones {
		b.Advance(int64(100 * (i + 1)))
		if b.State().Status == station.Running {
			b.item(int64(i + 1))
		}
	}
}

func kinds(book *alarm.Book) (out []alarm.Kind) {
	for _, a := range book.Standing() {
		if a.Gone.IsZero() {
			out = append(out, a.Kind)
		}
	}
	return out
}

func TestRejectsInARowHoldTheLineUntilSomebodyLooks(t *testing.T) {
	b, book := alarmed(t, Alarms{RejectsInRow: &Rule{Count: 3, Act: Hold}})
	b.run(200, 20, 20, 200, 20, 20, 20, 200, 200, 200, 200)
	assert.Empty(t, book.Standing(), "two in a row, then a good one")
	b.Advance(1170)
	assert.Equal(t, station.Held, b.State().Status, "the third in a row has come to its ejector")
	require.Len(t, book.Standing(), 1)
	a := book.Standing()[0]
	assert.Equal(t, "3 packages in a row were rejected, the last one is 7; look at what they have in common", a.Text)
	assert.True(t, a.Holds)
	assert.True(t, b.level(Alarm))

	var waits *ErrNotAcknowledged
	require.ErrorAs(t, b.Start(1170, 100, true), &waits)
	assert.ErrorContains(t, waits, "alarm 1 held the line (3 packages in a row were rejected")
	_, err := book.Acknowledge(a.ID, "Ada", "the lid feeder was empty")
	require.NoError(t, err)
	require.NoError(t, b.Start(1170, 100, true))
	assert.Equal(t, station.Running, b.State().Status)
	assert.False(t, b.level(Alarm))
}

func TestARateOfRejectsWarnsAndGoesAway(t *testing.T) {
	b, book := alarmed(t, Alarms{RejectsInRow: &Rule{}, RejectRate: &Rule{Count: 2, Of: 4, Act: Warn}})
	b.run(200, 20, 200, 20, 200, 200, 200, 200)
	b.Advance(860)
	assert.Equal(t, []alarm.Kind{alarm.RejectRate}, kinds(book))
	assert.Equal(t, station.Running, b.State().Status, "it warns")
	for i := int64(9); i < 14; i++ {
		b.Advance(100 * i)
		b.item(i)
	}
	assert.Empty(t, kinds(book), "the last four were better")
	assert.Len(t, book.Standing(), 1, "it waits for somebody still")
}

func TestALostCameraIsTold(t *testing.T) {
	b, book := alarmed(t, Alarms{NoPicture: &Rule{Count: 3, Act: Hold}})
	b.run(200, 0, 0, 200, 0, 0, 0)
	require.Eventually(t, func() bool { return b.State().Status == station.Held }, time.Second, time.Millisecond, "before its packages come to the ejector")
	require.NotEmpty(t, book.Standing())
	a := book.Standing()[0]
	assert.Equal(t, alarm.NoPicture, a.Kind)
	assert.Equal(t, cfg.Stations[0].ID, a.Station)
	assert.Contains(t, a.Text, "cable; look at the camera and its cable")
}

func TestDriftingPicturesWarnOrHold(t *testing.T) {
	b, book := alarmed(t, Alarms{})
	b.Drift("s1", Warn, "the pictures of s1 drift")
	assert.Equal(t, station.Running, b.State().Status)
	assert.Equal(t, []alarm.Kind{alarm.Picture}, kinds(book))
	b.Drift("s1", Warn, "")
	assert.Empty(t, kinds(book))
	b.Drift("s1", Hold, "the pictures of s1 drift")
	assert.Equal(t, station.Held, b.State().Status)
	assert.False(t, b.level(Permit))
}

func TestWhatLeavesThoughItShouldNotIsTold(t *testing.T) {
	b, book := alarmed(t, Alarms{Unexpected: &Rule{Count: 2, Act: Hold}})
	b.Line.mu.Lock()
	b.Line.confirm("reject")
	b.Line.mu.Unlock()
	assert.Empty(t, book.Standing(), "one may be a hand in the beam")
	b.Line.mu.Lock()
	b.Line.confirm("reject")
	b.Line.mu.Unlock()
	require.Len(t, book.Standing(), 1)
	assert.Contains(t, book.Standing()[0].Text, "that should not have")
	assert.False(t, book.Standing()[0].Gone.IsZero(), "it happened, and is over")
	assert.EqualValues(t, 2, b.State().Counters.Unexpected)
}

func TestRulesThatCannotBeMeantAreRefused(t *testing.T) {
	for _, tc := range []struct {
		alarms Alarms
		say    string
	}{
		{Alarms{RejectsInRow: &Rule{Count: 3, Act: "shout"}}, `act of the alarm rejects_in_row is "shout"; give warn or hold`},
		{Alarms{RejectRate: &Rule{Count: 5, Of: 4, Act: Warn}}, "raised by 5 of 4"},
		{Alarms{Late: &Rule{Count: -1, Act: Warn}}, "raised by -1 of 0"},
		{Alarms{NotConfirmed: &Rule{Count: 1, Of: 5, Act: Warn}}, "take out of"},
	} {
		c := cfg
		c.Alarms = tc.alarms
		assert.ErrorContains(t, c.Validate(), tc.say)
	}
}
