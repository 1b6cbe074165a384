package locate

import "math"

// cholesky solves the first n of five symmetric equations, of which a holds the lower
// half. damping, relative to the diagonal, keeps at rest what the equations leave open.
func cholesky(a *[5][5]float64, b *[5]float64, n int, damping float64) (x [5]float64, ok bool) {
	var l [5][5]float64
	for i := range n {
		for j := range i + 1 {
			sum := a[i][j]
			if i == j {
				sum += float64(a[i][i]*damping) + 1e-9
			}
			for k := range j {
				sum -= float64(l[i][k] * l[j][k])
			}
			if i == j {
				if !(sum > 0) {
					return x, false
				}
				l[i][i] = math.Sqrt(sum)
			} else {
				l[i][j] = sum / l[j][j]
			}
		}
	}
	var y [5]float64
	for i := range n {
		sum := b[i]
		for k := range i {
			sum -= float64(l[i][k] * y[k])
		}
		y[i] = sum / l[i][i]
	}
	for i := n - 1; i >= 0; i-- {
		sum := y[i]
		for k := i + 1; k < n; k++ {
			sum -= float64(l[k][i] * x[k])
		}
		x[i] = sum / l[i][i]
	}
	return x, true
}
