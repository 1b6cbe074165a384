package outbox

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
)

func TestADeliveryIsTriedForADayAndThenGivenUp(t *testing.T) {
	now := time.Date(2026, 3, 1, 0, 0, 0, 0, time.UTC)
	d := Delivery{Made: now}
	tries := 0
	for ; !d.Dead; tries++ {
		before := now
		d.Failed(now, "connection refused", false)
		if !d.Dead {
			assert.Greater(t, d.Next, before)
			now = d.Next
		}
	}
	assert.Equal(t, MostTries, tries)
	assert.InDelta(t, 22.4, now.Sub(d.Made).Hours(), 0.1)
	d.Again(now)
	assert.False(t, d.Dead)
	d.Failed(now, "410 Gone", true)
	assert.True(t, d.Dead, "it will never be taken")
	assert.Equal(t, "410 Gone", d.Error)
}
