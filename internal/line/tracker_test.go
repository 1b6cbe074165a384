package line

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"ricetta/core/recipe"
	"ricetta/internal/station"
)

var cfg = Config{
	ID: "l1", Trigger: Trigger{By: Encoder, Every: 100}, Stations: []station.Config{{ID: "s1"}},
	Ejectors: map[string]Ejector{
		recipe.Reject: {Offset: 350, Pulse: 60, Confirm: 80},
		recipe.Rework: {Offset: 550, Pulse: 60},
	},
}

func said(actions []Action) string {
	var out []string
	for _, a := range actions {
		if a.Kind == Entered || a.Kind == Settled && !a.Late {
			continue
		}
		word := [...]string{"", "picture", "on", "off", "late", "unconfirmed", "too close"}[a.Kind]
		s := fmt.Sprintf("%d:%s", a.At, word)
		if a.Kind != OutputOn && a.Kind != OutputOff {
			s += fmt.Sprintf(" %d", a.Seq)
		}
		if a.Station > 0 {
			s += fmt.Sprintf(" at %d", a.Station)
		}
		if a.Route != "" && a.Kind != Settled {
			s += " " + a.Route
		}
		out = append(out, s)
	}
	return strings.Join(out, ", ")
}

func TestTrackerEjectsWhatDidNotPass(t *testing.T) {
	tr := NewTracker(cfg, 0)
	tr.Start(0, 100, false)
	assert.Equal(t, "0:on reject", said(tr.Advance(1)), "what was not seen is rejected")
	assert.Equal(t, "100:picture 1", said(tr.Advance(100)))
	assert.Equal(t, "200:picture 2, 300:picture 3", said(tr.Advance(300)))
	tr.Decide(1, 0, recipe.Pass)
	tr.Decide(2, 0, recipe.Reject)
	tr.Decide(3, 0, recipe.Rework)
	assert.Equal(t, "400:picture 4, 400:off reject", said(tr.Advance(420)), "item 1 passes untouched")
	tr.Decide(4, 0, recipe.Pass)
	assert.Equal(t, "500:picture 5, 520:on reject", said(tr.Advance(525)))
	assert.True(t, tr.Confirm(recipe.Reject))
	assert.False(t, tr.Confirm(recipe.Reject), "one item, one confirmation")
	assert.Equal(t, "580:off reject, 600:picture 6", said(tr.Advance(610)))
	tr.Decide(5, 0, recipe.Pass)
	tr.Decide(6, 0, recipe.Pass)
	assert.Equal(t, "700:picture 7, 800:picture 8, 820:on rework, 880:off rework", said(tr.Advance(890)))
}

func TestTrackerRejectsAnItemWithoutAVerdict(t *testing.T) {
	tr := NewTracker(cfg, 10)
	tr.Start(0, 100, false)
	tr.Advance(350)
	tr.Decide(12, 0, recipe.Pass)
	tr.Decide(13, 0, recipe.Pass)
	assert.Equal(t, "400:picture 14, 400:off reject, 420:late 11, 420:on reject", said(tr.Advance(430)))
	route, late := tr.Decide(11, 0, recipe.Pass)
	assert.Equal(t, recipe.Reject, route, "a late pass does not count")
	assert.True(t, late)
	tr.Decide(14, 0, recipe.Pass)
	assert.Equal(t, "480:off reject, 500:picture 15, 530:unconfirmed 11 reject", said(tr.Advance(540)))
	route, late = tr.Decide(1, 0, recipe.Pass)
	assert.True(t, late && route == recipe.Reject, "an item that is long gone")
}

func TestTrackerNeverTakesARejectBack(t *testing.T) {
	tr := NewTracker(cfg, 0)
	tr.Start(0, 100, false)
	tr.Advance(100)
	tr.Decide(1, 0, recipe.Pass)
	route, _ := tr.Decide(1, 0, recipe.Reject) // could not be recorded, say
	assert.Equal(t, recipe.Reject, route)
	route, _ = tr.Decide(1, 0, recipe.Pass)
	assert.Equal(t, recipe.Reject, route)
}

func TestTrackerSendsARouteWithoutEjectorToReject(t *testing.T) {
	tr := NewTracker(cfg, 0)
	tr.Start(0, 100, false)
	tr.Advance(100)
	tr.Decide(1, 0, "lane-7")
	assert.Contains(t, said(tr.Advance(425)), "420:on reject")
}

func TestTrackerRejectsWhenTheOwnEjectorIsPassed(t *testing.T) {
	c := cfg
	c.Ejectors = map[string]Ejector{recipe.Reject: {Offset: 550, Pulse: 60}, recipe.Rework: {Offset: 150, Pulse: 60}}
	tr := NewTracker(c, 0)
	tr.Start(0, 100, false)
	tr.Advance(300)
	route, late := tr.Decide(1, 0, recipe.Rework)
	assert.Equal(t, recipe.Reject, route)
	assert.True(t, late)
	for _, a := range tr.Advance(400) {
		assert.NotEqual(t, recipe.Rework, a.Route, "it must not push the item behind it")
	}
}

func TestTrackerRejectsWhatPassedWhileItStood(t *testing.T) {
	tr := NewTracker(cfg, 0)
	tr.Start(0, 100, false)
	tr.Advance(310) // items 1, 2, 3 seen
	for i := range int64(3) {
		tr.Decide(i+1, 0, recipe.Pass)
	}
	tr.Stop()
	assert.Equal(t, "400:off reject", said(tr.Advance(500)), "no pictures while it stands")
	tr.Start(500, 100, false) // 400 and 500 were not seen, 600 is
	got := said(tr.Advance(899))
	assert.Contains(t, got, "700:on reject")
	assert.NotContains(t, got, "off")
	for i := range int64(3) {
		tr.Decide(i+4, 0, recipe.Pass)
	}
	assert.Contains(t, said(tr.Advance(905)), "900:off reject")
}

// A confirmation that is still open must not end the next item's pulse.
func TestTrackerEjectsNeighborsWhileAConfirmationIsOpen(t *testing.T) {
	c := cfg
	c.Ejectors = map[string]Ejector{recipe.Reject: {Offset: 350, Pulse: 60, Confirm: 250}}
	tr := NewTracker(c, 0)
	tr.Start(0, 100, false)
	var got []Action
	for count := int64(1); count <= 640; count++ {
		got = append(got, tr.Advance(count)...)
		tr.Decide(count/100, 0, recipe.Reject)
	}
	assert.Contains(t, said(got), "420:on reject, 480:off reject, 500:picture 5, 520:on reject, 580:off reject, 600:picture 6, 620:on reject")
}

func TestTrackerStandsStillWithTheBelt(t *testing.T) {
	tr := NewTracker(cfg, 0)
	tr.Start(0, 100, false)
	tr.Advance(100)
	assert.Empty(t, tr.Advance(100))
	assert.Empty(t, tr.Advance(60), "a belt that moves back")
	assert.Equal(t, "200:picture 2", said(tr.Advance(200)))
}

// On a belt of random steps, with random verdicts coming at random times, late ones
// and lost ones included: an item's stretch of belt meets an active ejector exactly
// when its route says so, whatever its neighbors do.
func TestTrackerEjectsExactlyTheRightItems(t *testing.T) {
	rapid.Check(t, func(rt *rapid.T) {
		c := Config{ID: "l", Trigger: Trigger{By: Encoder, Every: 100}, Stations: []station.Config{{ID: "s"}}, Ejectors: map[string]Ejector{
			recipe.Reject: {Offset: int64(rapid.IntRange(120, 900).Draw(rt, "reject")), Pulse: int64(rapid.IntRange(10, 98).Draw(rt, "pulse")), Confirm: int64(rapid.IntRange(0, 400).Draw(rt, "confirm"))},
			recipe.Rework: {Offset: int64(rapid.IntRange(120, 900).Draw(rt, "rework")), Pulse: int64(rapid.IntRange(10, 98).Draw(rt, "pulse2"))},
		}}
		require.NoError(rt, c.Validate())
		tr := NewTracker(c, 0)
		tr.Start(0, 100, false)
		final := map[int64]string{}
		hit := map[int64]map[string]bool{} // by item: ejectors that were on as its middle went by
		on := map[string]bool{}
		verdicts := []string{recipe.Pass, recipe.Pass, recipe.Reject, recipe.Rework, "lost"}
		open := map[int64]string{}
		for count := int64(0); count < 8000; {
			step := int64(rapid.IntRange(1, 9).Draw(rt, "step"))
			before := map[string]bool{recipe.Reject: on[recipe.Reject], recipe.Rework: on[recipe.Rework]}
			actions := tr.Advance(count + step)
			type moment struct {
				at    int64
				route string
			}
			switched := map[moment]bool{}
			for _, a := range actions {
				switch a.Kind {
				case TakePicture:
					open[a.Seq] = rapid.SampledFrom(verdicts).Draw(rt, "verdict")
				case OutputOn, OutputOff:
					on[a.Route] = a.Kind == OutputOn
					switched[moment{a.At, a.Route}] = a.Kind == OutputOn
				case Settled:
					if a.Late {
						final[a.Seq] = recipe.Reject
					}
				}
			}
			for at := count + 1; at <= count+step; at++ {
				for _, route := range []string{recipe.Reject, recipe.Rework} {
					if to, ok := switched[moment{at, route}]; ok {
						before[route] = to
					}
					if back := at - c.Ejectors[route].Offset; back > 0 && back%100 == 0 && before[route] {
						if hit[back/100] == nil {
							hit[back/100] = map[string]bool{}
						}
						hit[back/100][route] = true
					}
				}
			}
			count += step
			for seq, v := range open {
				if v != "lost" && rapid.IntRange(0, 20).Draw(rt, "soon") == 0 {
					final[seq], _ = tr.Decide(seq, 0, v)
					delete(open, seq)
				}
			}
		}
		for seq := int64(1); seq < 60; seq++ {
			want := map[string]bool{}
			if final[seq] == "" {
				rt.Fatalf("item %d has no route", seq)
			}
			if final[seq] != recipe.Pass {
				want[final[seq]] = true
			}
			if len(want) != len(hit[seq]) || final[seq] != recipe.Pass && !hit[seq][final[seq]] {
				rt.Fatalf("item %d went to %q but met %v", seq, final[seq], hit[seq])
			}
		}
	})
}

func TestConfigRefusesWhatCouldSlipThrough(t *testing.T) {
	for want, change := range map[string]func(*Config){
		"there is no ejector for reject":                         func(c *Config) { c.Ejectors = map[string]Ejector{recipe.Rework: {Offset: 300, Pulse: 50}} },
		"would throw out good items":                             func(c *Config) { c.Ejectors[recipe.Pass] = Ejector{Offset: 300, Pulse: 50} },
		"give 1 to 100 counts, or it reaches the neighbors":      func(c *Config) { c.Ejectors[recipe.Reject] = Ejector{Offset: 300, Pulse: 150} },
		"the ejector must sit behind the last camera":            func(c *Config) { c.Ejectors[recipe.Reject] = Ejector{Offset: 20, Pulse: 50} },
		"every is 0; give the distance between items in encoder": func(c *Config) { c.Trigger.Every = 0 },
		"the trigger is \"\"; give encoder":                      func(c *Config) { c.Trigger.By = "" },
		"needs its input":                                        func(c *Config) { c.Trigger = Trigger{By: Eye, Least: 100} },
		"a least distance beyond it":                             func(c *Config) { c.Trigger = Trigger{By: Eye, Input: "eye", Debounce: 5, Least: 5} },
		"it has no stations":                                     func(c *Config) { c.Stations = nil },
		"before the one named ahead of it":                       func(c *Config) { c.Stations = []station.Config{{ID: "a", Offset: 50}, {ID: "b", Offset: 40}} },
		"overlap is":                                             func(c *Config) { c.Overlap = "squeeze" },
		"after_stop is":                                          func(c *Config) { c.AfterStop = "pray" },
		"nothing is better than it":                              func(c *Config) { c.WorstFirst = []string{recipe.Pass} },
	} {
		c := Config{ID: "l1", Trigger: Trigger{By: Encoder, Every: 100}, Stations: []station.Config{{ID: "s1"}}, Ejectors: map[string]Ejector{recipe.Reject: {Offset: 300, Pulse: 50}}}
		require.NoError(t, c.Validate())
		change(&c)
		assert.ErrorContains(t, c.Validate(), want)
	}
}

func TestRulesOverTheVerdictsOfAPackage(t *testing.T) {
	c := cfg
	c.Stations = []station.Config{{ID: "top"}, {ID: "side"}}
	c.Rules = []recipe.JoinRule{
		{To: recipe.Pass, When: `route["top"] == "pass" || route["side"] == "pass"`, Note: "the code may be on either side"},
		{To: recipe.Rework, When: `route["top"] == "rework"`},
	}
	require.NoError(t, c.Validate())
	for _, tc := range []struct {
		top, side string
		broken    bool
		want      string
		rule      int
	}{
		{"pass", "pass", false, "pass", 1},
		{"pass", "reject", false, "pass", 1},
		{"rework", "reject", false, "rework", 2},
		{"reject", "reject", false, "reject", 0},
		{"pass", "reject", true, "reject", 0}, // a fault: nobody knows what is on that side
	} {
		tr := NewTracker(c, 0)
		tr.Start(0, 100, true)
		tr.Advance(100)
		if tc.broken {
			tr.Broken(1)
		}
		tr.Decide(1, 0, tc.top)
		if !tc.broken {
			for _, a := range tr.Advance(200) {
				assert.NotEqual(t, Settled, a.Kind)
			}
		}
		tr.Decide(1, 1, tc.side)
		var got Action
		for count := int64(210); count < 700; count += 10 {
			for _, a := range tr.Advance(count) {
				if a.Kind == Settled && a.Seq == 1 {
					got = a
				}
			}
		}
		assert.Equal(t, tc.want, got.Route, "%+v", tc)
		assert.Equal(t, tc.rule, got.Rule, "%+v", tc)
		assert.False(t, got.Late)
	}
	// A station that says nothing is rejected, whatever the rules would let pass.
	tr := NewTracker(c, 0)
	tr.Start(0, 100, true)
	tr.Advance(100)
	tr.Decide(1, 0, "pass")
	assert.Contains(t, said(tr.Advance(420)), "on reject")

	for say, rules := range map[string][]recipe.JoinRule{
		"the line has no ejector": {{To: "bin", When: "true"}},
		"it must say true or":     {{To: recipe.Pass, When: `route["top"]`}},
		"the stations of the":     {{To: recipe.Pass, When: `route["left"] == "pass"`}},
		"undeclared reference":    {{To: recipe.Pass, When: `reason == "x"`}},
	} {
		c.Rules = rules
		assert.ErrorContains(t, c.Validate(), say)
	}
}
