// Package spc is statistical process control: shares with their uncertainty, control charts with
// their rules, capability. Formulas are those of ISO 7870 and ISO 22514 where no other source is
// named.
package spc

import "math"

// Z is the quantile of the normal distribution for intervals that hold the truth in 95 of 100
// cases.
const Z = 1.959963984540054

// Interval is a range that holds the truth in 95 of 100 cases.
type Interval struct {
	Least float64 `json:"least" required:"true"`
	Most  float64 `json:"most" required:"true"`
}

// Wilson returns the interval of a share of which k of n were counted (E. B. Wilson, "Probable
// inference, the law of succession, and statistical inference", JASA 22, 1927). Of nothing it is
// 0 to 1.
func Wilson(k, n int64) Interval {
	if n <= 0 {
		return Interval{0, 1}
	}
	nf, p := float64(n), float64(k)/float64(n)
	z2 := float64(Z * Z)
	mid := p + z2/(2*nf)
	half := float64(Z * math.Sqrt(float64(p*(1-p))/nf+z2/(4*nf*nf)))
	d := 1 + z2/nf
	return Interval{max((mid-half)/d, 0), min((mid+half)/d, 1)}
}

// Difference returns the interval of the difference of two shares, k1 of n1 less k2 of n2, by the
// score intervals of both (R. G. Newcombe, "Interval estimation for the difference between
// independent proportions", Statistics in Medicine 17, 1998, method 10).
func Difference(k1, n1, k2, n2 int64) Interval {
	if n1 <= 0 || n2 <= 0 {
		return Interval{-1, 1}
	}
	p1, p2 := float64(k1)/float64(n1), float64(k2)/float64(n2)
	a, b := Wilson(k1, n1), Wilson(k2, n2)
	d := p1 - p2
	down := math.Sqrt(sq(p1-a.Least) + sq(b.Most-p2))
	up := math.Sqrt(sq(a.Most-p1) + sq(p2-b.Least))
	return Interval{d - down, d + up}
}

func sq(v float64) float64 { return float64(v * v) }

// Verdict says in a word whether two shares differ by more than chance.
type Verdict string

// The verdicts.
const (
	Higher  Verdict = "higher"  // the first is, by more than chance
	Lower   Verdict = "lower"   // the first is, by more than chance
	Chance  Verdict = "chance"  // what differs may be chance
	TooFew  Verdict = "too_few" // nothing can be said yet
	leastOf         = 20        // of each, to say anything
)

// Compare compares k1 of n1 with k2 of n2.
func Compare(k1, n1, k2, n2 int64) Verdict {
	if n1 < leastOf || n2 < leastOf {
		return TooFew
	}
	switch i := Difference(k1, n1, k2, n2); {
	case i.Least > 0:
		return Higher
	case i.Most < 0:
		return Lower
	}
	return Chance
}
