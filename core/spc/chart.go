package spc

import "math"

// Point is one of a control chart.
type Point struct {
	Value float64 `json:"value" required:"true"`
	// Center, Least and Most are where it would lie without a cause; they differ from point to
	// point where the counts do.
	Center float64 `json:"center" required:"true"`
	Least  float64 `json:"least" required:"true"`
	Most   float64 `json:"most" required:"true"`
	// N is how many it is made of.
	N int64 `json:"n" required:"true"`
	// Rules are the numbers of Nelson's rules that it completes.
	Rules []int `json:"rules" required:"true" nullable:"false"`
}

// sigma is the distance from the center in standard deviations.
func (p Point) sigma() float64 {
	half := p.Most - p.Center
	if p.Value < p.Center {
		half = max(p.Center-p.Least, half) // a limit that is cut at zero is none
	}
	if half <= 0 {
		return 0
	}
	return 3 * (p.Value - p.Center) / half
}

// Individuals is the chart of single values (ISO 7870-2, 6.3): limits from the mean moving range.
// Of fewer than two values it has no limits.
func Individuals(values []float64) (points []Point, sigma float64) {
	n := len(values)
	if n == 0 {
		return nil, 0
	}
	mean, ranges := 0.0, 0.0
	for i, v := range values {
		mean += v
		if i > 0 {
			ranges += math.Abs(v - values[i-1])
		}
	}
	mean /= float64(n)
	if n > 1 {
		sigma = ranges / float64(n-1) / d2of2
	}
	for _, v := range values {
		points = append(points, Point{Value: v, Center: mean, Least: mean - float64(3*sigma), Most: mean + float64(3*sigma), N: 1})
	}
	return points, sigma
}

// d2of2 is d2 for ranges of two values: 2/√π.
const d2of2 = 1.1283791670955126

// C4 is the mean of the standard deviation of n values from a normal distribution over its own
// (ISO 7870-2, annex B). n is at least 2.
func C4(n int) float64 {
	// The ratio Γ(n/2)/Γ((n−1)/2) by its recurrence, from 1/√π.
	r := 0.5641895835477563
	for k := 2; k < n; k++ {
		r = float64(k-1) / 2 / r
	}
	return float64(math.Sqrt(2/float64(n-1)) * r)
}

// Subgroups is the pair of charts of means and standard deviations (ISO 7870-2, 6.2). All groups
// have the same size of at least 2; those of another are left out.
func Subgroups(groups [][]float64) (means, spreads []Point, sigma float64) {
	if len(groups) == 0 {
		return nil, nil, 0
	}
	n := len(groups[0])
	if n < 2 {
		return nil, nil, 0
	}
	total, deviations := 0.0, 0.0
	for _, g := range groups {
		if len(g) != n {
			continue
		}
		m, s := meanAndDeviation(g)
		means = append(means, Point{Value: m, N: int64(n)})
		spreads = append(spreads, Point{Value: s, N: int64(n)})
		total += m
		deviations += s
	}
	k := float64(len(means))
	grand, s := total/k, deviations/k
	c4 := C4(n)
	sigma = s / c4
	half := float64(3*sigma) / math.Sqrt(float64(n))
	width := float64(3 * sigma * math.Sqrt(max(1-float64(c4*c4), 0)))
	for i := range means {
		means[i].Center, means[i].Least, means[i].Most = grand, grand-half, grand+half
		spreads[i].Center, spreads[i].Least, spreads[i].Most = s, max(s-width, 0), s+width
	}
	return means, spreads, sigma
}

func meanAndDeviation(v []float64) (mean, deviation float64) {
	for _, x := range v {
		mean += x
	}
	mean /= float64(len(v))
	sum := 0.0
	for _, x := range v {
		sum += sq(x - mean)
	}
	if len(v) > 1 {
		deviation = math.Sqrt(sum / float64(len(v)-1))
	}
	return mean, deviation
}

// Count is how many of how many.
type Count struct{ K, N int64 }

// Shares is the p chart: shares of unequal counts, each with limits of its own (ISO 7870-2, 7.2). The
// first base of them set the center; 0: all.
func Shares(counts []Count, base int) []Point {
	return attribute(counts, base, func(p, n float64) float64 { return math.Sqrt(float64(p*(1-p)) / n) }, 1)
}

// Rates is the u chart: events for each unit, of which one may have several (ISO 7870-2, 7.4).
// The first base of them set the center; 0: all.
func Rates(counts []Count, base int) []Point {
	return attribute(counts, base, func(u, n float64) float64 { return math.Sqrt(u / n) }, math.Inf(1))
}

// basis is how many of so many points set center and spread.
func basis(base, all int) int {
	if base <= 0 || base > all {
		return all
	}
	return base
}

func attribute(counts []Count, base int, deviation func(center, n float64) float64, most float64) (points []Point) {
	k, n := int64(0), int64(0)
	for _, c := range counts[:basis(base, len(counts))] {
		k += c.K
		n += c.N
	}
	if n == 0 {
		return nil
	}
	center := float64(k) / float64(n)
	for _, c := range counts {
		p := Point{Center: center, Least: 0, Most: most, N: c.N}
		if c.N > 0 {
			p.Value = float64(c.K) / float64(c.N)
			half := float64(3 * deviation(center, float64(c.N)))
			p.Least, p.Most = max(center-half, 0), min(center+half, most)
		} else {
			p.Value = center
		}
		points = append(points, p)
	}
	return points
}

// Laney widens the limits of shares or rates whose centers move more from one to the next than
// their counts explain, as of many items they do: by the moving range of the standardized values
// (D. B. Laney, "Improved control charts for attributes", Quality Engineering 14, 2002). Limits
// are never made closer. The first base of the points say how much they move; 0: all.
func Laney(points []Point, base int, most float64) {
	z := make([]float64, 0, len(points))
	for _, p := range points[:basis(base, len(points))] {
		if p.N > 0 {
			z = append(z, p.sigma())
		}
	}
	if len(z) < 8 { // of so few, one that leaps would hide itself
		return
	}
	ranges := 0.0
	for i := 1; i < len(z); i++ {
		ranges += math.Abs(z[i] - z[i-1])
	}
	wide := ranges / float64(len(z)-1) / d2of2
	if wide <= 1 {
		return
	}
	for i := range points {
		p := &points[i]
		half := max(p.Most-p.Center, p.Center-p.Least)
		p.Least = max(p.Center-float64(wide*half), 0)
		p.Most = min(p.Center+float64(wide*half), most)
	}
}

// Nelson marks the points that complete one of the eight rules (L. S. Nelson, "The Shewhart
// control chart: tests for special causes", Journal of Quality Technology 16, 1984).
func Nelson(points []Point) {
	z := make([]float64, len(points))
	for i, p := range points {
		z[i] = p.sigma()
	}
	for i := range points {
		points[i].Rules = []int{}
		for r, rule := range nelson {
			if rule(z[:i+1], points[:i+1]) {
				points[i].Rules = append(points[i].Rules, r+1)
			}
		}
	}
}

// NelsonSays says what each rule means, from the first.
var NelsonSays = []string{
	"beyond the limits",
	"nine in a row on one side of the center",
	"six in a row that rise or fall",
	"fourteen in a row that go up and down by turns",
	"two of three near a limit, on one side",
	"four of five away from the center, on one side",
	"fifteen in a row close to the center",
	"eight in a row away from the center, on both sides",
}

var nelson = []func(z []float64, p []Point) bool{
	func(z []float64, _ []Point) bool { return math.Abs(z[len(z)-1]) > 3 },
	func(z []float64, _ []Point) bool { return oneSide(z, 9, 9, 0) },
	func(_ []float64, p []Point) bool { return runs(p, 6, false) },
	func(_ []float64, p []Point) bool { return runs(p, 14, true) },
	func(z []float64, _ []Point) bool { return oneSide(z, 3, 2, 2) },
	func(z []float64, _ []Point) bool { return oneSide(z, 5, 4, 1) },
	func(z []float64, _ []Point) bool { return all(z, 15, func(v float64) bool { return math.Abs(v) < 1 }) },
	func(z []float64, _ []Point) bool {
		return all(z, 8, func(v float64) bool { return math.Abs(v) > 1 }) && !oneSide(z, 8, 8, 1)
	},
}

// oneSide reports whether the last of so many completes k beyond a distance on its own side.
func oneSide(z []float64, of, k int, beyond float64) bool {
	if len(z) < of {
		return false
	}
	last := z[len(z)-1]
	if math.Abs(last) <= beyond {
		return false
	}
	n := 0
	for _, v := range z[len(z)-of:] {
		if v*math.Copysign(1, last) > beyond {
			n++
		}
	}
	return n >= k
}

func all(z []float64, of int, holds func(float64) bool) bool {
	if len(z) < of {
		return false
	}
	for _, v := range z[len(z)-of:] {
		if !holds(v) {
			return false
		}
	}
	return true
}

// runs reports whether the last so many rise or fall steadily, or by turns.
func runs(p []Point, of int, turns bool) bool {
	if len(p) < of {
		return false
	}
	p = p[len(p)-of:]
	first := p[1].Value > p[0].Value
	for i := 1; i < of; i++ {
		d := p[i].Value - p[i-1].Value
		want := first
		if turns && i%2 == 0 {
			want = !first
		}
		if d == 0 || d > 0 != want {
			return false
		}
	}
	return true
}
