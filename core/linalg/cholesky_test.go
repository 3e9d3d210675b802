package linalg

import (
	"math/rand/v2"
	"runtime"
	"slices"
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
	c, err := Factorise(a, places)
	require.NoError(t, err)
	for s, x := range c.Solve(rhs) {
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
	c, err := Factorise(a, places)
	require.NoError(t, err)
	x := c.Solve([][]float64{b})[0]
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
	c, err := factorise(a, d)
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
		c, err := Factorise(a, places)
		require.NoError(t, err)
		return c.Solve([][]float64{b})[0]
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
	_, err := Factorise(a, places)
	var bad ErrNotPositive
	require.ErrorAs(t, err, &bad)
	require.LessOrEqual(t, bad.Pivot, 0.0)
}

func TestCoincidentPlacesStillSplit(t *testing.T) {
	a, places := grid(40, 1)
	for i := range places {
		places[i] = r3.Vec{}
	}
	c, err := Factorise(a, places)
	require.NoError(t, err)
	x := c.Solve([][]float64{slices.Repeat([]float64{1}, a.N)})[0]
	require.InDelta(t, 1, x[0], 1e-9) // rows sum to the shift
}

func BenchmarkFactorise(b *testing.B) {
	a, places := grid(420, 1e-3)
	b.ReportAllocs()
	for b.Loop() {
		c, err := Factorise(a, places)
		if err != nil {
			b.Fatal(err)
		}
		b.ReportMetric(float64(c.Entries())/1e6, "Mentries")
	}
}
