package alarm

import (
	"errors"
	"log/slog"
	"sync"
	"testing"
	"testing/synctest"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// shelf keeps alarms in memory.
type shelf struct {
	mu   sync.Mutex
	kept map[int64]Alarm
	err  error
}

func (s *shelf) KeepAlarm(a Alarm) error {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.err == nil {
		s.kept[a.ID] = a
	}
	return s.err
}

func (s *shelf) OpenAlarms() (out []Alarm, err error) {
	for _, a := range s.kept {
		if !a.Over() {
			out = append(out, a)
		}
	}
	return out, nil
}

func (s *shelf) LastAlarm() (last int64, err error) {
	for id := range s.kept {
		last = max(last, id)
	}
	return last, nil
}

func open(t *testing.T, s *shelf) (*Book, *[]Alarm) {
	told := &[]Alarm{}
	b, err := Open(s, time.Now, func(a Alarm) { *told = append(*told, a) }, slog.New(slog.DiscardHandler))
	require.NoError(t, err)
	t.Cleanup(b.Close)
	return b, told
}

func TestAnAlarmIsOverWhenItIsGoneAndAcknowledged(t *testing.T) {
	s := &shelf{kept: map[int64]Alarm{}}
	b, told := open(t, s)
	full := Alarm{Line: "line1", Kind: Records, Text: "the disk is full"}
	b.Raise(full)
	b.Raise(full)
	require.Len(t, b.Standing(), 1, "what stands is not raised again")
	a := b.Standing()[0]
	assert.EqualValues(t, 1, a.ID)

	_, err := b.Acknowledge(a.ID, "  ", "")
	assert.ErrorContains(t, err, "give a name")
	_, err = b.Acknowledge(7, "Ada", "")
	assert.ErrorIs(t, err, ErrNone)
	_, err = b.Acknowledge(a.ID, "Ada", "made room")
	require.NoError(t, err)
	_, err = b.Acknowledge(a.ID, "Bea", "")
	assert.ErrorContains(t, err, "Ada has acknowledged alarm 1 already")
	assert.Len(t, b.Standing(), 1, "its cause still stands")
	b.Clear("line2", "", Records)
	assert.Len(t, b.Standing(), 1, "another line's")
	b.Clear("line1", "", Records)
	assert.Empty(t, b.Standing())

	b.Raise(full)
	b.Clear("line1", "", Records)
	b.Raise(full)
	require.Len(t, b.Standing(), 1)
	assert.EqualValues(t, 2, b.Standing()[0].ID, "the first one is history")
	assert.EqualValues(t, 2, b.Standing()[0].Times, "it came back before anybody looked")
	b.Close()
	assert.Equal(t, "made room", s.kept[1].Note)
	assert.True(t, s.kept[1].Over())
	assert.Len(t, *told, 6)
}

func TestWhatHoldsALineWaitsForAName(t *testing.T) {
	b, _ := open(t, &shelf{kept: map[int64]Alarm{}})
	b.Raise(Alarm{Line: "line1", Kind: RejectRate, Text: "many"})
	n, holds := b.Waiting("line1")
	assert.Equal(t, 1, n)
	assert.Nil(t, holds, "it warns")
	b.Raise(Alarm{Line: "line1", Kind: NotConfirmed, Holds: true, Text: "not seen leaving"})
	b.Clear("line1", "", NotConfirmed)
	b.Raise(Alarm{Kind: Disk, Text: "the disk is nearly full"})
	n, holds = b.Waiting("line1")
	assert.Equal(t, 3, n)
	require.NotNil(t, holds, "gone or not, nobody has looked")
	assert.Equal(t, NotConfirmed, holds.Kind)
	n, holds = b.Waiting("line2")
	assert.Equal(t, 1, n, "the disk is everybody's")
	assert.Nil(t, holds)
	_, err := b.Acknowledge(2, "Ada", "")
	require.NoError(t, err)
	_, holds = b.Waiting("line1")
	assert.Nil(t, holds)
}

func TestAlarmsOutliveTheServiceAndAFullDisk(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		s := &shelf{kept: map[int64]Alarm{}, err: errors.New("no space left on device")}
		b, _ := open(t, s)
		b.Raise(Alarm{Line: "line1", Kind: NoPicture, Holds: true, Text: "no picture"})
		time.Sleep(5 * time.Second)
		assert.Len(t, b.Standing(), 1, "it stands, recorded or not")
		s.mu.Lock()
		assert.Empty(t, s.kept)
		s.err = nil
		s.mu.Unlock()
		time.Sleep(2 * again)
		synctest.Wait()
		s.mu.Lock()
		assert.Len(t, s.kept, 1, "it is tried again")
		s.mu.Unlock()
		b.Close()

		b, _ = open(t, s)
		require.Len(t, b.Standing(), 1)
		left := b.Standing()[0]
		assert.False(t, left.Gone.IsZero(), "whether its cause stands, nobody knows")
		_, holds := b.Waiting("line1")
		assert.NotNil(t, holds)
		_, err := b.Acknowledge(left.ID, "Ada", "")
		require.NoError(t, err)
		b.Raise(Alarm{Line: "line1", Kind: NoPicture})
		assert.EqualValues(t, 2, b.Standing()[0].ID, "numbers go on")
		b.Close()
	})
}
