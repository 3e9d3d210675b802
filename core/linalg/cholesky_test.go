package linalg

import (
	"context"
	"math/rand/v2"
	"runtime"
	"slices"
	"sync"
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/mat"
	"gonum.org/v1/gonum/spatial/r3"
)

// grid returns the shifted Laplacian of an n×n grid, with its places.
func grid(n int, shift float64) (*Symmetric, []r3.Vec) {
	a := &Symmetric{N: n * n, Start: []int32{0}}
	places := make([]r3.Vec, n*n)
	for y := range n {
		for x := range n {
			places[y*n+x] = r3.Vec{X: float64(x), Y: float64(y)}
			row := map[int32]float64{}
			for _, d := range [][2]int{{0, -1}, {-1, 0}, {1, 0}, {0, 1}} {
				i, j := x+d[0], y+d[1]
				if i >= 0 && i < n && j >= 0 && j < n {
					row[int32(j*n+i)] = -1
				}
			}
			row[int32(y*n+x)] = float64(len(row)) + shift
			cols := make([]int32, 0, 5)
			for c := range row {
				cols = append(cols, c)
			}
			slices.Sort(cols)
			for _, c := range cols {
				a.Col = append(a.Col, c)
				a.Val = append(a.Val, row[c])
			}
			a.Start = append(a.Start, int32(len(a.Col)))
		}
	}
	return a, places
}

// Held against gonum's dense Cholesky (gonum.org/v1/gonum/mat).
func TestSolutionEqualsDenseCholesky(t *testing.T) {
	a, places := grid(17, 0.01)
	dense := mat.NewSymDense(a.N, nil)
	for i := range a.N {
		for k := a.Start[i]; k < a.Start[i+1]; k++ {
			dense.SetSym(i, int(a.Col[k]), a.Val[k])
		}
	}
	var ref mat.Cholesky
	require.True(t, ref.Factorize(dense))
	rng := rand.New(rand.NewPCG(1, 2))
	var rhs [][]float64
	for range 11 { // one full chunk and a partial one
		b := make([]float64, a.N)
		for i := range b {
			b[i] = rng.NormFloat64()
		}
		rhs = append(rhs, b)
	}
	c, err := Factorise(context.Background(), a, places, nil)
	require.NoError(t, err)
	for s, x := range solved(c, rhs) {
		var want mat.VecDense
		require.NoError(t, ref.SolveVecTo(&want, mat.NewVecDense(a.N, rhs[s])))
		for i := range x {
			require.InDelta(t, want.AtVec(i), x[i], 1e-8)
		}
	}
}

func TestResidualOfALargeSystem(t *testing.T) {
	a, places := grid(150, 1e-4)
	b := make([]float64, a.N)
	for i := range b {
		b[i] = float64(i%7) - 3
	}
	c, err := Factorise(context.Background(), a, places, nil)
	require.NoError(t, err)
	x := solved(c, [][]float64{b})[0]
	for i, y := range a.MulVec(x) {
		require.InDelta(t, b[i], y, 1e-7)
	}
}

func TestOrderIsAPermutationWithUsefulSeparators(t *testing.T) {
	a, places := grid(64, 1)
	d := dissect(a, places)
	perm := slices.Clone(d.perm)
	slices.Sort(perm)
	for i, v := range perm {
		require.EqualValues(t, i, v)
	}
	c, err := factorise(context.Background(), a, d, nil)
	require.NoError(t, err)
	// 31/4·n·log2 n is George's bound (1973) for nested dissection of a grid.
	require.Less(t, c.Entries(), 31*a.N*12/4)
}

func TestSameBytesOnAnyCoreCount(t *testing.T) {
	a, places := grid(90, 0.1)
	b := make([]float64, a.N)
	b[17], b[4000] = 1, -2
	solve := func(cores int) []float64 {
		defer runtime.GOMAXPROCS(runtime.GOMAXPROCS(cores))
		c, err := Factorise(context.Background(), a, places, nil)
		require.NoError(t, err)
		return solved(c, [][]float64{b})[0]
	}
	require.Equal(t, solve(1), solve(4))
}

func TestIndefiniteMatrixIsRefusedWithItsPlace(t *testing.T) {
	a, places := grid(20, 0)
	for k := a.Start[33]; k < a.Start[34]; k++ {
		if a.Col[k] == 33 {
			a.Val[k] = -5
		}
	}
	_, err := Factorise(context.Background(), a, places, nil)
	var bad NotPositiveError
	require.ErrorAs(t, err, &bad)
	require.LessOrEqual(t, bad.Pivot, 0.0)
}

func TestCoincidentPlacesStillSplit(t *testing.T) {
	a, places := grid(40, 1)
	for i := range places {
		places[i] = r3.Vec{}
	}
	c, err := Factorise(context.Background(), a, places, nil)
	require.NoError(t, err)
	x := solved(c, [][]float64{slices.Repeat([]float64{1}, a.N)})[0]
	require.InDelta(t, 1, x[0], 1e-9) // rows sum to the shift
}

func BenchmarkFactorise(b *testing.B) {
	a, places := grid(420, 1e-3)
	b.ReportAllocs()
	for b.Loop() {
		c, err := Factorise(context.Background(), a, places, nil)
		if err != nil {
			b.Fatal(err)
		}
		b.ReportMetric(float64(c.Entries())/1e6, "Mentries")
	}
}

// solved is Solve without a way to cancel it.
func solved(c *Cholesky, b [][]float64) [][]float64 {
	x, err := c.Solve(context.Background(), b, nil)
	if err != nil {
		panic(err)
	}
	return x
}

// Cancelling is heard within the work, and what is done of it is told on the way.
func TestFactorisingAndSolvingCanBeCancelled(t *testing.T) {
	a, places := grid(90, 0.01)
	for _, workers := range []int{1, 4} {
		before := runtime.GOMAXPROCS(workers)
		ctx, cancel := context.WithCancel(context.Background())
		var most atomic.Int64
		_, err := Factorise(ctx, a, places, func(share float64) {
			if share > 0.3 {
				cancel()
			}
			for was := most.Load(); int64(1000*share) > was && !most.CompareAndSwap(was, int64(1000*share)); was = most.Load() {
			}
		})
		require.ErrorIs(t, err, context.Canceled)
		require.Less(t, most.Load(), int64(1000), "it did not go on to the end")

		var mu sync.Mutex
		var shares []float64
		c, err := Factorise(context.Background(), a, places, func(share float64) {
			mu.Lock()
			defer mu.Unlock()
			shares = append(shares, share)
		})
		require.NoError(t, err)
		require.InDelta(t, 1, slices.Max(shares), 1e-9)
		require.Greater(t, len(shares), 20)
		ctx, cancel = context.WithCancel(context.Background())
		var told atomic.Int64
		_, err = c.Solve(ctx, slices.Repeat([][]float64{make([]float64, a.N)}, 80), func(float64) { told.Add(1); cancel() })
		require.ErrorIs(t, err, context.Canceled)
		require.Less(t, told.Load(), int64(81))
		runtime.GOMAXPROCS(before)
	}
	// Within one large block too: nothing is told there, so the context itself counts.
	n := 400
	l := make([]float64, n*n)
	for i := range n {
		l[i*n+i] = 1
	}
	asked := 0
	eliminate(l, n, 0, func() bool { asked++; return asked > 2 })
	require.Equal(t, 3, asked)
	asked = 0
	subtractProduct(nil, make([]float64, n*n), l, n, 1, func() bool { asked++; return true })
	require.Equal(t, 1, asked)
}

// The tiles' products equal gonum's, at every width and height, with and without the
// processor's vectors, and touch nothing beside their matrix.
func TestTilesEqualDenseProducts(t *testing.T) {
	rng := rand.New(rand.NewPCG(3, 4))
	fill := func(n int) []float64 {
		out := make([]float64, n)
		for i := range out {
			out[i] = rng.NormFloat64()
		}
		return out
	}
	for _, with := range []bool{true, false} {
		if with && !vectors {
			continue
		}
		withVectors(t, with)
		for rows := 1; rows <= 13; rows++ {
			for cols := 1; cols <= 21; cols++ {
				k, ldc := 1+rng.IntN(40), cols+3
				for _, turn := range []bool{false, true} {
					a := view{fill(rows * k), k, 1}
					if turn {
						a.row, a.col = 1, rows
					}
					plain := fill(cols * k)
					b, ldb := transposed(nil, view{plain, k, 1}, cols, k)
					c := fill(rows * ldc)
					was := slices.Clone(c)
					multiplySubtract(c, ldc, a, b, ldb, rows, cols, k, false)
					for i := range rows {
						for j := range ldc {
							want := was[i*ldc+j]
							if j < cols {
								for s := range k {
									want -= a.data[i*a.row+s*a.col] * plain[j*k+s]
								}
							}
							require.InDelta(t, want, c[i*ldc+j], 1e-12, "%d×%d×%d at %d, %d", rows, cols, k, i, j)
						}
					}
				}
			}
		}
		a, places := grid(60, 1e-3)
		f, err := Factorise(context.Background(), a, places, nil)
		require.NoError(t, err)
		rhs := [][]float64{fill(a.N), fill(a.N), fill(a.N)}
		for s, x := range solved(f, rhs) {
			for i, y := range a.MulVec(x) {
				require.InDelta(t, rhs[s][i], y, 1e-9)
			}
		}
	}
}
