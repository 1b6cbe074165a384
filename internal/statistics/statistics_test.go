package statistics

import (
	"fmt"
	"math"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ricetta/internal/store"
)

// made are tallies by shift, station, route, reason and count; other fields are empty.
type made [][5]any

func (m made) Grouped(f store.Filter, by []string) (out []store.Sum, err error) {
	for _, r := range m {
		if f.NotPassed && r[2] == "pass" {
			continue
		}
		all := map[string]string{"shift": r[0].(string), "day": r[0].(string)[:10], "station": r[1].(string), "route": r[2].(string), "reason": r[3].(string), "fault": "false"}
		if r[3] == "late" {
			all["fault"] = "true"
		}
		var key []string
		for _, b := range by {
			key = append(key, all[b])
		}
		merged := false
		for i := range out {
			if slices.Equal(out[i].Values, key) {
				out[i].N += int64(r[4].(int))
				merged = true
			}
		}
		if !merged {
			out = append(out, store.Sum{Values: key, N: int64(r[4].(int))})
		}
	}
	return out, nil
}

var lastNight = made{
	{"2026-03-10/early", "top", "pass", "", 950},
	{"2026-03-10/early", "top", "reject", "tips", 40},
	{"2026-03-10/early", "top", "rework", "turn", 10},
	{"2026-03-10/late", "top", "pass", "", 955},
	{"2026-03-10/late", "top", "reject", "tips", 45},
	{"2026-03-10/night", "top", "pass", "", 850},
	{"2026-03-10/night", "top", "reject", "lid", 130},
	{"2026-03-10/night", "top", "reject", "late", 20},
	{"2026-03-10/night", "side", "pass", "", 12},
	{"2026-03-10/night", "side", "reject", "code", 1},
}

func TestTheMorningsQuestions(t *testing.T) {
	o, err := Look(lastNight, store.Filter{})
	require.NoError(t, err)
	assert.Equal(t, []string{"2026-03-10/night", "2026-03-10/late", "2026-03-10/early"}, o.Shifts)
	assert.Equal(t, []string{"side", "top"}, o.Stations)
	assert.EqualValues(t, 3013, o.Total.Inspected)
	verdicts := map[string]string{}
	for _, c := range o.Cells {
		verdicts[c.Shift+" "+c.Station] = c.Verdict + " " + c.Top
	}
	assert.Equal(t, map[string]string{
		"2026-03-10/early top": "lower tips", "2026-03-10/late top": "lower tips", "2026-03-10/night top": "higher lid", "2026-03-10/night side": "too_few code",
	}, verdicts)

	bars, err := Pareto(lastNight, store.Filter{})
	require.NoError(t, err)
	assert.InDelta(t, 1, bars[len(bars)-1].Sum, 1e-12)
	faults := 0
	for _, b := range bars {
		if b.Fault {
			faults++
			assert.Equal(t, "late", b.Reason)
		}
	}
	assert.Equal(t, 1, faults)

	steps, err := Trend(lastNight, store.Filter{}, "shift", How{})
	require.NoError(t, err)
	require.Len(t, steps, 3)
	assert.Equal(t, "2026-03-10/early", steps[0].Name)
	assert.InDelta(t, 0.05, steps[0].Point.Value, 1e-12)
	assert.Equal(t, []int{1}, steps[2].Point.Rules, "the night is beyond the limits")

	groups, err := Compare(lastNight, store.Filter{}, "station")
	require.NoError(t, err)
	assert.Equal(t, "side", groups[0].Name)
	assert.Equal(t, "too_few", groups[0].Verdict)
	assert.InDelta(t, 2755.0/3000, groups[1].Yield, 1e-12)
	_, err = Compare(lastNight, store.Filter{}, "moon")
	assert.ErrorContains(t, err, "choose from line, station")
	_, err = Trend(lastNight, store.Filter{}, "moon", How{})
	assert.ErrorContains(t, err, "choose from hour")
	none, err := Trend(made{}, store.Filter{}, "day", How{})
	require.NoError(t, err)
	assert.Empty(t, none)
}

func TestTrendHasABaseAndARate(t *testing.T) {
	var m made
	for d := range 20 {
		day := fmt.Sprintf("2026-03-%02d/early", d+1)
		bad := 10
		if d >= 10 {
			bad = 60
		}
		m = append(m, [5]any{day, "a", "pass", "", 1000 - bad}, [5]any{day, "a", "reject", "tips", bad})
	}
	steps, err := Trend(m, store.Filter{}, "day", How{Base: 10})
	require.NoError(t, err)
	assert.InDelta(t, 0.01, steps[0].Point.Center, 1e-12)
	assert.Empty(t, steps[5].Point.Rules)
	assert.Contains(t, steps[10].Point.Rules, 1)
	steps, err = Trend(m, store.Filter{}, "day", How{})
	require.NoError(t, err)
	assert.InDelta(t, 0.035, steps[0].Point.Center, 1e-12)
	rates, err := Trend(m, store.Filter{}, "day", How{Rate: true})
	require.NoError(t, err)
	assert.InDelta(t, 0.035+3*math.Sqrt(0.035/1000), rates[3].Point.Most, 1e-9)
	assert.Greater(t, rates[3].Point.Most, steps[3].Point.Most, "a u chart allows more than a p chart")
}
