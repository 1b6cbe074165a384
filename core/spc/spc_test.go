package spc

import (
	"math"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// The worked examples of Newcombe, Statistics in Medicine 17, 1998, pages 857 and 873.
func TestSharesAsPublished(t *testing.T) {
	for _, tc := range []struct {
		k, n        int64
		least, most float64
	}{{81, 263, 0.2553, 0.3662}, {15, 148, 0.0624, 0.1605}, {0, 20, 0, 0.1611}, {1, 29, 0.0061, 0.1718}} {
		i := Wilson(tc.k, tc.n)
		assert.InDelta(t, tc.least, i.Least, 5e-5)
		assert.InDelta(t, tc.most, i.Most, 5e-5)
	}
	assert.Equal(t, Interval{0, 1}, Wilson(0, 0))
	for _, tc := range []struct {
		k1, n1, k2, n2 int64
		least, most    float64
	}{{56, 70, 48, 80, 0.0524, 0.3339}, {9, 10, 3, 10, 0.1705, 0.8090}, {5, 56, 0, 29, -0.0381, 0.1926}} {
		i := Difference(tc.k1, tc.n1, tc.k2, tc.n2)
		assert.InDelta(t, tc.least, i.Least, 5e-5)
		assert.InDelta(t, tc.most, i.Most, 5e-5)
	}
	assert.Equal(t, Higher, Compare(56, 70, 48, 80))
	assert.Equal(t, Lower, Compare(48, 80, 56, 70))
	assert.Equal(t, Chance, Compare(5, 100, 6, 100))
	assert.Equal(t, TooFew, Compare(9, 10, 3, 10))
}

// The flow rates of the NIST/SEMATECH e-Handbook of Statistical Methods, 6.3.2.2.
func TestIndividualsAsPublished(t *testing.T) {
	points, sigma := Individuals([]float64{49.6, 47.6, 49.9, 51.3, 47.8, 51.2, 52.6, 52.4, 53.6, 52.1})
	assert.InDelta(t, 50.81, points[0].Center, 1e-9)
	assert.InDelta(t, 1.8778/1.128, sigma, 1e-3)
	assert.InDelta(t, 55.8041, points[0].Most, 3e-3) // it rounds d2 to 1.128
	assert.InDelta(t, 45.8159, points[0].Least, 3e-3)
}

// The factors of ISO 7870-2, table 2.
func TestFactorsAsPublished(t *testing.T) {
	for n, want := range map[int]float64{2: 0.7979, 3: 0.8862, 4: 0.9213, 5: 0.9400, 10: 0.9727, 25: 0.9896} {
		assert.InDelta(t, want, C4(n), 5e-5, "%d", n)
	}
	// A3, B3 and B4 of five values: limits of groups whose mean deviation is 1.
	groups := [][]float64{}
	for range 4 {
		groups = append(groups, []float64{10 - 1.2649110640673518, 10, 10, 10, 10 + 1.2649110640673518}, []float64{10 - 1.2649110640673518, 10, 10, 10, 10 + 1.2649110640673518})
	}
	_, spreads, _ := Subgroups(groups)
	s := spreads[0].Center
	means, spreads, _ := Subgroups(groups)
	assert.InDelta(t, 1.427, (means[0].Most-10)/s, 5e-4, "A3")
	assert.InDelta(t, 2.089, spreads[0].Most/s, 5e-4, "B4")
	assert.InDelta(t, 0, spreads[0].Least, 1e-12, "B3")
}

func TestChartsOfRejects(t *testing.T) {
	p := Shares([]Count{{5, 100}, {10, 400}, {0, 0}, {40, 100}}, 0)
	center := 55.0 / 600
	assert.InDelta(t, center, p[0].Center, 1e-12)
	assert.InDelta(t, center+3*math.Sqrt(center*(1-center)/100), p[0].Most, 1e-12)
	assert.InDelta(t, center+3*math.Sqrt(center*(1-center)/400), p[1].Most, 1e-12, "the more, the nearer: a funnel")
	assert.InDelta(t, center, p[2].Value, 1e-12, "of nothing nothing is said")
	Nelson(p)
	assert.Equal(t, []int{1}, p[3].Rules)
	assert.Empty(t, p[2].Rules)
	u := Rates([]Count{{30, 20}, {50, 20}}, 0)
	assert.InDelta(t, 2+3*math.Sqrt(2.0/20), u[0].Most, 1e-12)
	assert.Nil(t, Shares(nil, 0))
}

// Of many items every share is beyond the limits of its count; from one to the next they move as
// they do.
func TestSharesOfMany(t *testing.T) {
	var counts []Count
	for i := range 30 {
		counts = append(counts, Count{30_000 + int64(i*7919%600), 1_000_000})
	}
	p := Shares(counts, 0)
	Nelson(p)
	beyond := func() (n int) {
		for _, x := range p {
			if len(x.Rules) > 0 && x.Rules[0] == 1 {
				n++
			}
		}
		return n
	}
	Laney(p, 0, 1)
	Nelson(p)
	assert.Zero(t, beyond())
	counts[20].K = 34_000
	p = Shares(counts, 0)
	Laney(p, 0, 1)
	Nelson(p)
	assert.Equal(t, 1, beyond(), "what leaps is still seen")
	few := Shares([]Count{{5, 100}, {5, 100}, {5, 100}}, 0)
	before := few[0]
	Laney(few, 0, 1)
	assert.Equal(t, before, few[0], "limits are never made closer")
}

// Each rule is completed by its own example, at the last point and not before.
func TestNelsonsRules(t *testing.T) {
	chart := func(sigmas ...float64) []Point {
		var p []Point
		for _, s := range sigmas {
			p = append(p, Point{Value: s, Center: 0, Least: -3, Most: 3})
		}
		Nelson(p)
		return p
	}
	for rule, z := range map[int][]float64{
		1: {0.5, -0.5, 3.1},
		2: {-0.5, 0.2, 0.9, 0.3, 0.4, 0.5, 0.2, 0.9, 0.1, 0.3},
		3: {0.5, -0.9, -0.5, -0.1, 0.3, 0.6, 0.9},
		4: {0.5, -0.5, 0.4, -0.4, 0.3, -0.3, 0.5, -0.5, 0.4, -0.4, 0.3, -0.3, 0.5, -0.2},
		5: {-0.5, 2.1, 0.3, 2.2},
		6: {-0.5, 1.1, 1.2, 0.2, 1.3, 1.1},
		8: {0.2, 1.1, -1.2, 1.3, 1.1, -1.1, 1.2, -1.4, -1.2},
	} {
		p := chart(z...)
		assert.Contains(t, p[len(p)-1].Rules, rule, "rule %d", rule)
		for _, before := range p[:len(p)-1] {
			assert.NotContains(t, before.Rules, rule, "rule %d", rule)
		}
	}
	close := []float64{1.5}
	for range 15 {
		close = append(close, 0.4*math.Pow(-1, float64(len(close))))
	}
	p := chart(close...)
	assert.Contains(t, p[15].Rules, 7)
	assert.NotContains(t, p[14].Rules, 7)
	require.Len(t, NelsonSays, len(nelson))
}

func TestCapability(t *testing.T) {
	values := []float64{9, 10, 11, 10, 9, 10, 11, 10}
	c := Capable(values, 7, 14, 0.9)
	assert.InDelta(t, 10, c.Mean, 1e-12)
	assert.InDelta(t, math.Sqrt(4.0/7), c.Overall, 1e-12)
	assert.InDelta(t, 7/5.4, c.Cp, 1e-12)
	assert.InDelta(t, 3/2.7, c.Cpk, 1e-12)
	assert.InDelta(t, 7/(6*c.Overall), c.Pp, 1e-12)
	assert.InDelta(t, 3/(3*c.Overall), c.Ppk, 1e-12)
	one := Capable(values, math.NaN(), 14, 0.9)
	assert.True(t, math.IsNaN(one.Cp))
	assert.InDelta(t, 4/2.7, one.Cpk, 1e-12)
	assert.True(t, math.IsNaN(Capable(values[:1], 7, 14, 0.9).Ppk))
	assert.True(t, math.IsNaN(Capable([]float64{3, 3}, 1, 5, 0).Cp), "values that are all alike")
	// For n = 20 chi-square has the quantiles 8.907 and 32.852.
	i := spreadInterval(1, 20)
	assert.InDelta(t, math.Sqrt(8.907/19), i.Least, 2e-3)
	assert.InDelta(t, math.Sqrt(32.852/19), i.Most, 2e-3)
	assert.Less(t, c.CpkIn.Least, c.Cpk)
}

func TestHistogram(t *testing.T) {
	h := Histogram([]float64{0, 1, 2, 3, 4, 4}, 4)
	assert.Equal(t, []Bin{{0, 1, 1}, {1, 2, 1}, {2, 3, 1}, {3, 4, 3}}, h)
	assert.Equal(t, []Bin{{5, 5, 2}}, Histogram([]float64{5, 5}, 9))
	assert.Nil(t, Histogram(nil, 3))
}

// A drift must not hide in limits that it has itself widened.
func TestABasePeriodIsNotMovedByWhatCameAfter(t *testing.T) {
	var counts []Count
	for i := range int64(40) {
		k := 100 + (i*37)%11 - 5
		if i >= 20 {
			k += 6 * (i - 20)
		}
		counts = append(counts, Count{k, 10_000})
	}
	marked := func(base int, rules ...int) (before, after int) {
		p := Shares(counts, base)
		Laney(p, base, 1)
		Nelson(p)
		for i, x := range p {
			if !slices.ContainsFunc(x.Rules, func(r int) bool { return slices.Contains(rules, r) }) {
				continue
			}
			if i < 20 {
				before++
			} else {
				after++
			}
		}
		return before, after
	}
	before, _ := marked(0, 1, 2, 5, 6)
	assert.Positive(t, before, "the center of all makes the good time look odd")
	before, after := marked(20, 1, 2, 5, 6)
	assert.Zero(t, before)
	assert.Greater(t, after, 12)
	assert.InDelta(t, 0.01, Shares(counts, 20)[39].Center, 2e-4)
	assert.Equal(t, Shares(counts, 0), Shares(counts, 99), "no more than there are")
	assert.InDelta(t, 3*math.Sqrt(0.01/10_000), Rates([]Count{{100, 10_000}, {300, 10_000}}, 1)[1].Most-0.01, 1e-12)
}
