package mesh_test

import (
	"math"
	"testing"

	"wisemarrow/core/internal/solids"
	"wisemarrow/core/mesh"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/mat"
	"gonum.org/v1/gonum/spatial/r3"
)

// Rows sum to 0, and a linear function on a flat patch is reproduced inside it
// (Meyer et al. 2003).
func TestCotangentLaplacian(t *testing.T) {
	var points []r3.Vec
	var tris [][3]int32
	const n = 9
	for y := range n {
		for x := range n {
			points = append(points, r3.Vec{X: float64(x) + 0.3*math.Sin(float64(7*x+3*y)), Z: float64(y) + 0.3*math.Cos(float64(5*x+y))})
		}
	}
	for y := range n - 1 {
		for x := range n - 1 {
			a := int32(y*n + x)
			tris = append(tris, [3]int32{a, a + n, a + 1}, [3]int32{a + 1, a + n, a + n + 1})
		}
	}
	stiff, mass, _ := mesh.Laplacian(points, tris)
	linear := make([]float64, len(points))
	area := 0.0
	for i, p := range points {
		linear[i] = 2*p.X - 3*p.Z + 1
		area += mass[i]
	}
	ones := make([]float64, len(points))
	for i := range ones {
		ones[i] = 1
	}
	rowSums, l := stiff.MulVec(ones), stiff.MulVec(linear)
	for y := range n {
		for x := range n {
			require.InDelta(t, 0, rowSums[y*n+x], 1e-12)
			if x > 0 && y > 0 && x < n-1 && y < n-1 {
				require.InDelta(t, 0, l[y*n+x], 1e-12)
			}
		}
	}
	total := 0.0
	for _, f := range tris {
		total += r3.Norm(r3.Cross(r3.Sub(points[f[1]], points[f[0]]), r3.Sub(points[f[2]], points[f[0]]))) / 2
	}
	require.InDelta(t, total, area, 1e-9)
}

// The eigenvalues of the unit sphere are l(l+1), each 2l+1 times: 0, 2, 2, 2,
// 6 … (spherical harmonics); solved densely with gonum.
func TestEigenvaluesOfTheUnitSphere(t *testing.T) {
	m := solids.Sphere(3)
	tris, _ := m.Triangles()
	stiff, mass, negative := mesh.Laplacian(m.Points, tris)
	require.Zero(t, negative)
	dense := mat.NewSymDense(stiff.N, nil)
	for i := range stiff.N {
		for k := stiff.Start[i]; k < stiff.Start[i+1]; k++ {
			j := int(stiff.Col[k])
			dense.SetSym(i, j, stiff.Val[k]/math.Sqrt(mass[i]*mass[j]))
		}
	}
	var e mat.EigenSym
	require.True(t, e.Factorize(dense, false))
	for i, want := range []float64{0, 2, 2, 2, 6, 6, 6, 6, 6, 12} {
		require.InDelta(t, want, e.Values(nil)[i], 0.02*math.Max(1, want))
	}
}
