package solve

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/mat"
)

// bestOf is the least value of the program by trying every way in which unknowns may be at a bound: of each the
// equations of the others are solved densely by gonum.
func bestOf(h *mat.SymDense, l, upper []float64) float64 {
	m := len(l)
	best := math.Inf(1)
	state := make([]int, m) // 0: free, 1: at 0, 2: at its upper bound
	for {
		x := make([]float64, m)
		var free []int
		left := 1.0
		for i, s := range state {
			switch s {
			case 0:
				free = append(free, i)
			case 2:
				x[i] = upper[i]
				left -= x[i]
			}
		}
		ok := len(free) > 0 || math.Abs(left) < 1e-12
		if n := len(free); n > 0 {
			a, b := mat.NewDense(n+1, n+1, nil), mat.NewVecDense(n+1, nil)
			for r, i := range free {
				b.SetVec(r, l[i])
				for k, s := range state {
					if s == 2 {
						b.SetVec(r, b.AtVec(r)-h.At(i, k)*x[k])
					}
				}
				for c, k := range free {
					a.Set(r, c, h.At(i, k))
				}
				a.Set(r, n, 1)
				a.Set(n, r, 1)
			}
			b.SetVec(n, left)
			var y mat.VecDense
			ok = y.SolveVec(a, b) == nil
			for r, i := range free {
				if ok {
					x[i] = y.AtVec(r)
				}
				ok = ok && x[i] >= -1e-9 && x[i] <= upper[i]+1e-9
			}
		}
		if ok {
			best = math.Min(best, valueOf(h, l, x))
		}
		i := 0
		for ; i < m; i++ {
			if state[i]++; state[i] < 3 {
				break
			}
			state[i] = 0
		}
		if i == m {
			return best
		}
	}
}

func valueOf(h *mat.SymDense, l, x []float64) float64 {
	v := mat.NewVecDense(len(x), x)
	return mat.Inner(v, h, v)/2 - mat.Dot(mat.NewVecDense(len(l), l), v)
}

// The small program is solved as well as by brute force over all active sets, and at its solution no two unknowns can
// gain from each other (Karush, Kuhn and Tucker).
func TestTheSmallProgramAgainstBruteForce(t *testing.T) {
	rng := rand.New(rand.NewPCG(3, 1))
	for range 300 {
		m := 2 + rng.IntN(4)
		rows := m + rng.IntN(3)
		a := mat.NewDense(rows, m, nil)
		for i := range rows {
			for k := range m {
				a.Set(i, k, rng.NormFloat64())
			}
		}
		h := mat.NewSymDense(m, nil)
		h.SymOuterK(1, a.T())
		var q small
		q.reset(m)
		x, sum := make([]float64, m), 0.0
		for i := range m {
			q.l[i], q.upper[i], q.locked[i] = 2*rng.NormFloat64(), 0.3+0.7*rng.Float64(), false
			sum += q.upper[i]
			for k := range m {
				q.h[i*m+k] = h.At(i, k)
			}
		}
		for i := range m {
			if sum < 1 {
				q.upper[i] /= sum
			}
			x[i] = q.upper[i] / math.Max(sum, 1) // within the bounds, of sum 1
		}
		for range 2000 {
			if q.solve(x) < 1e-13 {
				break
			}
		}
		require.InDelta(t, bestOf(h, q.l, q.upper), valueOf(h, q.l, x), 1e-6)
		total := 0.0
		for i, w := range x {
			total += w
			require.GreaterOrEqual(t, w, 0.0)
			require.LessOrEqual(t, w, q.upper[i]+1e-12)
			for k := range x {
				if w < q.upper[i]-1e-7 && x[k] > 1e-7 {
					require.GreaterOrEqual(t, q.g[i]-q.g[k], -1e-4, "weight from %d to %d would gain", k, i)
				}
			}
		}
		require.InDelta(t, 1, total, 1e-9)
	}
}
