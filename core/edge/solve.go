package edge

import "math"

// Solve solves n ≤ 5 linear equations by elimination with pivoting; column n of m is the
// right side. ok is false where they do not determine the unknowns.
func Solve(m *[5][6]float64, n int) (x [5]float64, ok bool) {
	for i := range n {
		pivot := i
		for k := i + 1; k < n; k++ {
			if math.Abs(m[k][i]) > math.Abs(m[pivot][i]) {
				pivot = k
			}
		}
		if math.Abs(m[pivot][i]) < 1e-9 {
			return x, false
		}
		m[i], m[pivot] = m[pivot], m[i]
		for k := i + 1; k < n; k++ {
			f := m[k][i] / m[i][i]
			for j := i; j <= n; j++ {
				m[k][j] -= float64(f * m[i][j])
			}
		}
	}
	for i := n - 1; i >= 0; i-- {
		sum := m[i][n]
		for j := i + 1; j < n; j++ {
			sum -= float64(m[i][j] * x[j])
		}
		x[i] = sum / m[i][i]
	}
	return x, true
}
