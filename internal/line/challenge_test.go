package line

import (
	"log/slog"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ricetta/core/raster"
	"ricetta/core/recipe"
	"ricetta/internal/alarm"
	"ricetta/internal/station"
)

func TestWhenAChallengeIsDue(t *testing.T) {
	rome, err := time.LoadLocation("Europe/Rome")
	require.NoError(t, err)
	at := func(s string) time.Time {
		out, err := time.ParseInLocation("2006-01-02 15:04", s, rome)
		require.NoError(t, err)
		return out
	}
	born := at("2026-03-27 05:00")
	run := Run{ID: 7, Product: "card", Begin: at("2026-03-27 09:00")}
	passed := func(when string, run int64) *proving {
		return &proving{passed: Challenge{ID: 1, Run: run, End: at(when)}}
	}
	shifts := &Challenges{At: []string{"06:00", "14:00", "22:00"}, GraceMinutes: 15}
	for name, tc := range map[string]struct {
		plan     *Challenges
		p        *proving
		at, over string
		why      string
	}{
		"never proven":               {shifts, &proving{}, "2026-03-27 05:00", "2026-03-27 05:15", "the line was never proven"},
		"after the morning's":        {shifts, passed("2026-03-27 06:03", 7), "2026-03-27 14:00", "2026-03-27 14:15", "at 14:00"},
		"after the night's":          {shifts, passed("2026-03-27 22:04", 7), "2026-03-28 06:00", "2026-03-28 06:15", "at 06:00"},
		"over the hour that is lost": {shifts, passed("2026-03-28 22:04", 7), "2026-03-29 06:00", "2026-03-29 06:15", "at 06:00"},
		"every four hours":           {&Challenges{EveryHours: 4}, passed("2026-03-27 10:00", 7), "2026-03-27 14:00", "2026-03-27 14:00", "every 4 hours"},
		"what comes first counts":    {&Challenges{EveryHours: 4, At: []string{"12:00"}, GraceMinutes: 5}, passed("2026-03-27 10:00", 7), "2026-03-27 12:00", "2026-03-27 12:05", "at 12:00"},
		"after a changeover":         {&Challenges{EveryHours: 4, AtChangeover: true, GraceMinutes: 30, Act: Hold}, passed("2026-03-27 08:00", 6), "2026-03-27 09:00", "2026-03-27 09:00", "the line was changed over to card"},
		"where it only warns":        {&Challenges{AtChangeover: true, GraceMinutes: 30, Act: Warn}, passed("2026-03-27 08:00", 6), "2026-03-27 09:00", "2026-03-27 09:30", "the line was changed over to card"},
		"proven since":               {&Challenges{AtChangeover: true}, passed("2026-03-27 09:10", 7), "", "", ""},
		"at the start":               {&Challenges{AtStart: true, EveryHours: 4}, &proving{passed: Challenge{ID: 1, End: at("2026-03-27 08:00")}, started: at("2026-03-27 08:30")}, "2026-03-27 08:30", "2026-03-27 08:30", "the line starts"},
		"after one that failed":      {&Challenges{EveryHours: 4, GraceMinutes: 30}, &proving{passed: Challenge{ID: 1, End: at("2026-03-27 08:00")}, failed: true}, "2026-03-27 08:00", "2026-03-27 08:00", "the last one failed"},
	} {
		due, over, why := tc.plan.due(tc.p, run, born, born)
		assert.Equal(t, tc.why, why, name)
		if tc.why != "" {
			assert.Equal(t, tc.at, due.Format("2006-01-02 15:04"), name)
			assert.Equal(t, tc.over, over.Format("2006-01-02 15:04"), name)
		}
	}
}

// album keeps challenges in memory.
type album struct {
	mu   sync.Mutex
	kept []Challenge
}

func (a *album) KeepChallenge(c Challenge) (int64, error) {
	a.mu.Lock()
	defer a.mu.Unlock()
	if c.ID == 0 {
		c.ID = int64(len(a.kept) + 1)
		a.kept = append(a.kept, c)
	}
	a.kept[c.ID-1] = c
	return c.ID, nil
}

func (a *album) LastPassed(string) (c Challenge, failed bool, err error) { return c, false, nil }

// challenged is a bench that holds until it is proven; its packages are bad where dark says so.
func challenged(t *testing.T, act string, dark func(count int64) bool) (*bench, *alarm.Book, *album) {
	book, err := alarm.Open(forgetful{}, time.Now, func(alarm.Alarm) {}, slog.New(slog.DiscardHandler))
	require.NoError(t, err)
	t.Cleanup(book.Close)
	kept := &album{}
	c := cfg
	c.Ejectors = map[string]Ejector{"reject": {Offset: 350, Pulse: 60}}
	c.Challenges = &Challenges{
		Pieces:  []ChallengePiece{{Name: "black card", Route: recipe.Reject, Reason: "light", Count: 2}, {Name: "white card", Route: recipe.Pass}},
		AtStart: true, AtChangeover: true, Act: act,
	}
	b := newBenchWith(t, c, time.Second, func(p *Parts) { p.Alarms, p.Challenges = book, kept })
	b.mu.Lock()
	b.take = func(_ string, count int64) (raster.Picture, error) {
		if dark(count) {
			return pictureOf(20), nil
		}
		return pictureOf(200), nil
	}
	b.mu.Unlock()
	return b, book, kept
}

func (b *bench) comes(seq int64) {
	b.t.Helper()
	b.Advance(100 * seq)
	b.item(seq)
}

func TestALineIsProvenBeforeAnythingPasses(t *testing.T) {
	b, book, kept := challenged(t, Hold, func(count int64) bool { return count == 200 || count == 300 })
	var due *ErrChallengeDue
	require.ErrorAs(t, b.Start(0, 100, true), &due)
	b.Advance(1)
	assert.Equal(t, []alarm.Kind{alarm.Challenge}, kinds(book), "it is told")
	assert.True(t, b.State().Proof.Overdue)
	assert.ErrorContains(t, b.SendPiece(), "no challenge goes on")
	assert.ErrorContains(t, b.BeginChallenge(" "), "give a name")
	require.NoError(t, b.BeginChallenge("Ada"))
	assert.ErrorContains(t, b.BeginChallenge("Bea"), "Ada has begun a challenge already")
	assert.ErrorContains(t, b.SendPiece(), "the line does not run")
	require.NoError(t, b.Start(1, 99, true), "for the challenge it runs")

	b.comes(1)
	require.NoError(t, b.SendPiece())
	assert.True(t, b.State().Proof.Armed)
	b.comes(2)
	assert.False(t, b.State().Proof.Armed)
	require.NoError(t, b.SendPiece())
	b.comes(3)
	require.NoError(t, b.SendPiece())
	b.comes(4)
	assert.ErrorContains(t, b.SendPiece(), "all pieces are sent")
	assert.Equal(t, GoesOn, b.State().Challenge.Result, "the last one is on its way")
	b.comes(5)
	b.Advance(730)
	assert.Equal(t, Passed, b.State().Challenge.Result)
	assert.False(t, b.State().Proof.Due)
	assert.Empty(t, kinds(book))

	b.item(6)
	b.item(7)
	b.Advance(1000)
	b.Advance(1100)
	for seq, want := range map[int64]station.Fault{1: Unproven, 2: "", 3: "", 4: "", 5: Unproven, 6: Unproven, 7: Unproven} {
		p := b.parcel(seq)
		assert.Equal(t, want, p.Fault, seq)
		if want == Unproven {
			assert.Equal(t, recipe.Reject, p.Route, "it came before the line was proven")
		}
	}
	assert.EqualValues(t, 1, b.parcel(2).Challenge)
	assert.Zero(t, b.parcel(1).Challenge)
	require.Eventually(t, func() bool { return b.State().Counters.Packages >= 4 }, 5*time.Second, time.Millisecond)
	assert.EqualValues(t, b.State().Counters.Packages, b.State().Counters.Routes[recipe.Reject], "test pieces are no production")
	b.item(8)
	b.Advance(1200)
	b.parcel(8)
	assert.Equal(t, recipe.Pass, b.parcel(8).Route, "now it is")

	require.Eventually(t, func() bool {
		kept.mu.Lock()
		defer kept.mu.Unlock()
		return kept.kept[0].Result == Passed
	}, time.Second, time.Millisecond)
	assert.Equal(t, Send{Piece: "black card", N: 2, Of: 2, Want: "reject", Check: "light", Seq: 3, Got: "reject", OK: true, Says: "light: share 0, at least 0.5 expected"}, kept.kept[0].Sends[1])

	_, err := b.Change(Run{Product: "card"})
	require.NoError(t, err)
	b.Advance(1201)
	assert.Equal(t, station.Held, b.State().Status, "what it packs now is not proven")
	assert.Contains(t, b.State().Why, "the line was changed over to card")
}

func TestAChallengeThatFailsHoldsTheLine(t *testing.T) {
	b, book, _ := challenged(t, Hold, func(count int64) bool { return count >= 200 })
	require.Error(t, b.Start(0, 100, true))
	require.NoError(t, b.BeginChallenge("Ada"))
	require.NoError(t, b.Start(0, 100, true))
	for seq := int64(1); seq <= 3; seq++ {
		require.NoError(t, b.SendPiece())
		b.comes(seq)
	}
	b.Advance(700)
	assert.Equal(t, station.Held, b.State().Status)
	require.Len(t, book.Standing(), 1)
	a := book.Standing()[0]
	assert.True(t, a.Holds)
	assert.Equal(t, "the challenge failed: black card (1 of 2): it went to pass and should have gone to reject; white card (1 of 1): it went to reject and should have gone to pass: light: share 0, at least 0.5 expected; find out why, and make another one", a.Text)
	_, err := book.Acknowledge(a.ID, "Bea", "")
	require.NoError(t, err)
	var due *ErrChallengeDue
	require.ErrorAs(t, b.Start(700, 100, true), &due)
	assert.Equal(t, "the last one failed", due.Why)

	require.NoError(t, b.BeginChallenge("Bea"))
	require.NoError(t, b.GiveUpChallenge())
	assert.ErrorContains(t, b.GiveUpChallenge(), "no challenge goes on")
	assert.Error(t, b.Start(700, 100, true), "given up is not passed")
}

func TestAChallengeThatOnlyWarns(t *testing.T) {
	b, book, _ := challenged(t, Warn, func(int64) bool { return false })
	require.NoError(t, b.Start(0, 100, true))
	b.comes(1)
	b.Advance(420)
	assert.Equal(t, recipe.Pass, b.parcel(1).Route)
	assert.Equal(t, []alarm.Kind{alarm.Challenge}, kinds(book))
}

func TestPlansThatProveNothingAreRefused(t *testing.T) {
	good, bad := ChallengePiece{Name: "good", Route: recipe.Pass}, ChallengePiece{Name: "bad", Route: recipe.Reject}
	for _, tc := range []struct {
		plan Challenges
		say  string
	}{
		{Challenges{Act: Hold}, "challenges need pieces"},
		{Challenges{Act: Hold, Pieces: []ChallengePiece{bad, bad}}, "all go one way"},
		{Challenges{Act: Hold, Pieces: []ChallengePiece{good, {Name: "odd", Route: "bin"}}}, "no ejector for that"},
		{Challenges{Act: "shout", Pieces: []ChallengePiece{good, bad}}, `act of the challenges is "shout"`},
		{Challenges{Act: Warn, Pieces: []ChallengePiece{good, bad}, At: []string{"6 o'clock"}}, "as in 06:00"},
		{Challenges{Act: Warn, Pieces: []ChallengePiece{good, bad}, EveryHours: -1}, "out of range"},
	} {
		c := cfg
		c.Challenges = &tc.plan
		assert.ErrorContains(t, c.Validate(), tc.say)
	}
}
