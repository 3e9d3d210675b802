package solve

import "math"

// small is a convex quadratic program of a few unknowns: the least of x·H·x/2 − l·x over x of a given sum, each from
// 0 to its upper bound; locked ones stay.
type small struct {
	m      int
	h      []float64
	l      []float64
	upper  []float64
	locked []bool
	g      []float64

	may []int     // which of a unit's joints the unknowns are
	x   []float64 // their weights
}

func (q *small) reset(m int) {
	if cap(q.h) < m*m {
		q.h, q.l, q.upper, q.locked, q.g = make([]float64, m*m), make([]float64, m), make([]float64, m), make([]bool, m), make([]float64, m)
		q.x = make([]float64, m)
	}
	q.m = m
	q.h, q.l, q.upper, q.locked, q.g, q.x = q.h[:m*m], q.l[:m], q.upper[:m], q.locked[:m], q.g[:m], q.x[:m]
}

// solve improves x in place, two unknowns at a time, those that gain most, as the sum stays then (sequential minimal
// optimization, Platt 1998). It tells by how much one changed at most.
func (q *small) solve(x []float64) float64 {
	m := q.m
	for i := range m {
		g := -q.l[i]
		for k := range m {
			g += q.h[i*m+k] * x[k]
		}
		q.g[i] = g
	}
	moved := 0.0
	for range 4 * m {
		up, down := -1, -1
		for i := range m {
			if q.locked[i] {
				continue
			}
			if x[i] < q.upper[i] && (up < 0 || q.g[i] < q.g[up]) {
				up = i
			}
			if x[i] > 0 && (down < 0 || q.g[i] > q.g[down]) {
				down = i
			}
		}
		if up < 0 || down < 0 || up == down {
			break
		}
		gain := q.g[down] - q.g[up]
		curve := q.h[up*m+up] + q.h[down*m+down] - 2*q.h[up*m+down]
		if !(gain > 1e-9*(1+math.Abs(q.g[down]))) {
			break
		}
		step := math.Min(x[down], q.upper[up]-x[up])
		if curve > 0 {
			step = math.Min(step, gain/curve)
		}
		x[up] += step
		if x[down] -= step; x[down] < 1e-15 {
			x[down] = 0
		}
		for i := range m {
			q.g[i] += step * (q.h[i*m+up] - q.h[i*m+down])
		}
		moved = math.Max(moved, step)
		if step == 0 {
			break
		}
	}
	return moved
}
