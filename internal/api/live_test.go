package api

import (
	"errors"
	"sync"
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ricetta/core/raster"
	"ricetta/internal/station"
)

func came(seq int64) *station.Item {
	return &station.Item{Station: "a", Seq: seq, Route: "pass", Picture: raster.Picture{Gray: raster.NewGray(2, 2)}}
}

func TestTheHubTellsWhatWasMissed(t *testing.T) {
	h := NewHub("b")
	for seq := range int64(5) {
		h.Recorded(came(seq + 1))
	}
	missed, more, gap := h.listen(3)
	assert.False(t, gap)
	require.Len(t, missed, 2)
	assert.EqualValues(t, 4, missed[0].n)
	h.Recorded(came(6))
	assert.EqualValues(t, 6, (<-more).n)
	for seq := range int64(3 * keptEvents) {
		h.Recorded(came(seq + 7))
	}
	_, _, gap = h.listen(6)
	assert.True(t, gap, "what is no longer kept is a gap, and said")
	_, _, gap = h.listen(1 << 40)
	assert.True(t, gap, "a number that was never given")
	assert.Len(t, h.recent["a"], keptPictures)
	assert.Nil(t, h.find("a", 1), "old pictures are let go")
	assert.NotNil(t, h.find("a", h.latest("a").Seq))
}

// A listener that does not keep up must not hold up the line.
func TestASlowListenerIsCutOff(t *testing.T) {
	h := NewHub("b")
	_, slow, _ := h.listen(0)
	for seq := range int64(behind + 5) {
		h.Recorded(came(seq + 1))
	}
	n := 0
	for range slow {
		n++
	}
	assert.Equal(t, behind, n)
	h.leave(slow) // a second time is harmless
	h.Close()
	_, ended, _ := h.listen(0)
	_, open := <-ended
	assert.False(t, open, "after the end nobody is kept waiting")
}

func TestAPreviewIsMadeOnce(t *testing.T) {
	var c previewCache
	var made atomic.Int32
	var wg sync.WaitGroup
	for range 20 {
		wg.Go(func() {
			data, err := c.get("x", func() ([]byte, error) { made.Add(1); return []byte("jpeg"), nil })
			assert.NoError(t, err)
			assert.Equal(t, "jpeg", string(data))
		})
	}
	wg.Wait()
	assert.EqualValues(t, 1, made.Load())
	_, err := c.get("y", func() ([]byte, error) { return nil, errors.New("gone") })
	assert.Error(t, err)
	_, err = c.get("y", func() ([]byte, error) { return nil, nil })
	assert.NoError(t, err, "a failure is not kept")
	for i := range 3 * keptPreviews {
		_, _ = c.get(string(rune(1000+i)), func() ([]byte, error) { return nil, nil })
	}
	assert.LessOrEqual(t, len(c.items), keptPreviews)
}
