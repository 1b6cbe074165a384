package spc

import "math"

// Capability says how a process lies between its limits (ISO 22514-2). Indices of limits that
// are not there are not a number.
type Capability struct {
	N    int     `json:"n"`
	Mean float64 `json:"mean"`
	// Within is the standard deviation from value to value, Overall that of all.
	Within  float64 `json:"within"`
	Overall float64 `json:"overall"`
	// Cp and Cpk use the one within, Pp and Ppk the one of all.
	Cp, Cpk, Pp, Ppk float64
	// Their intervals.
	CpIn, CpkIn, PpIn, PpkIn Interval
}

// Capable returns the capability of values between limits; a limit that is not there is not a
// number. within is the standard deviation of the chart. Of fewer than two values nothing is said.
func Capable(values []float64, least, most, within float64) Capability {
	c := Capability{N: len(values), Within: within}
	none := math.NaN()
	c.Cp, c.Cpk, c.Pp, c.Ppk = none, none, none, none
	if c.N < 2 {
		return c
	}
	c.Mean, c.Overall = meanAndDeviation(values)
	c.Cp, c.Cpk = indices(c.Mean, within, least, most)
	c.Pp, c.Ppk = indices(c.Mean, c.Overall, least, most)
	c.CpIn, c.PpIn = spreadInterval(c.Cp, c.N), spreadInterval(c.Pp, c.N)
	c.CpkIn, c.PpkIn = placeInterval(c.Cpk, c.N), placeInterval(c.Ppk, c.N)
	return c
}

func indices(mean, sigma, least, most float64) (p, pk float64) {
	p, pk = math.NaN(), math.NaN()
	if sigma <= 0 {
		return p, pk
	}
	if !math.IsNaN(least) && !math.IsNaN(most) {
		p = (most - least) / (6 * sigma)
	}
	if !math.IsNaN(most) {
		pk = (most - mean) / (3 * sigma)
	}
	if !math.IsNaN(least) {
		if down := (mean - least) / (3 * sigma); math.IsNaN(pk) || down < pk {
			pk = down
		}
	}
	return p, pk
}

// spreadInterval is that of Cp and Pp (ISO 22514-2, annex: by the chi-square distribution, whose
// quantile is that of E. B. Wilson and M. M. Hilferty, PNAS 17, 1931).
func spreadInterval(p float64, n int) Interval {
	k := float64(n - 1)
	chi := func(z float64) float64 {
		a := 1 - 2/(9*k) + float64(z*math.Sqrt(2/(9*k)))
		return float64(k * a * a * a)
	}
	return Interval{float64(p * math.Sqrt(max(chi(-Z), 0)/k)), float64(p * math.Sqrt(chi(Z)/k))}
}

// placeInterval is that of Cpk and Ppk (A. F. Bissell, "How reliable is your capability index?",
// Applied Statistics 39, 1990).
func placeInterval(pk float64, n int) Interval {
	half := float64(Z * math.Sqrt(1/(9*float64(n))+float64(pk*pk)/(2*float64(n-1))))
	return Interval{pk - half, pk + half}
}

// Bin is one bar of a histogram: From is in it, To is not, but for the last.
type Bin struct {
	From float64 `json:"from" required:"true"`
	To   float64 `json:"to" required:"true"`
	N    int64   `json:"n" required:"true"`
}

// Histogram counts values in so many bins of equal width from the least to the greatest. Of
// values that are all alike there is one bin.
func Histogram(values []float64, bins int) []Bin {
	if len(values) == 0 || bins < 1 {
		return nil
	}
	lo, hi := values[0], values[0]
	for _, v := range values {
		lo, hi = min(lo, v), max(hi, v)
	}
	if lo == hi {
		return []Bin{{lo, hi, int64(len(values))}}
	}
	out := make([]Bin, bins)
	w := (hi - lo) / float64(bins)
	for i := range out {
		out[i] = Bin{From: lo + float64(float64(i)*w), To: lo + float64(float64(i+1)*w)}
	}
	out[bins-1].To = hi
	for _, v := range values {
		out[min(int((v-lo)/w), bins-1)].N++
	}
	return out
}
