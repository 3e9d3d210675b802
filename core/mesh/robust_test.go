package mesh_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"wisemarrow/core/internal/solids"
	"wisemarrow/core/linalg"
	"wisemarrow/core/mesh"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
)

func entries(a *linalg.Symmetric) map[[2]int]float64 {
	out := map[[2]int]float64{}
	for i := range a.N {
		for k := a.Start[i]; k < a.Start[i+1]; k++ {
			if math.Abs(a.Val[k]) > 1e-12 {
				out[[2]int{i, int(a.Col[k])}] = a.Val[k]
			}
		}
	}
	return out
}

// Sharp & Crane 2020: on a manifold mesh that is Delaunay the robust Laplacian is the plain
// one, whichever way its faces look.
func TestRobustLaplacianEqualsThePlainOneWhereItMust(t *testing.T) {
	m := solids.Sphere(3)
	tris, _ := m.Triangles()
	plain, mass, negative := mesh.Laplacian(m.Points, tris)
	require.Zero(t, negative)
	for _, flip := range []int{0, 3} {
		turned := append([][3]int32(nil), tris...)
		for f := range turned {
			if flip > 0 && f%flip == 0 {
				turned[f][1], turned[f][2] = turned[f][2], turned[f][1]
			}
		}
		robust, own, err := mesh.RobustLaplacian(m.Points, turned)
		require.NoError(t, err)
		require.InDeltaMapValues(t, entries(plain), entries(robust), 1e-9)
		require.InDeltaSlice(t, mass, own, 1e-12)
	}
}

// A flat sheet of slanted triangles: flipped to Delaunay, a linear function is still
// harmonic inside, and no weight is negative.
func TestRobustLaplacianOfASlantedSheet(t *testing.T) {
	const n = 9
	var points []r3.Vec
	var tris [][3]int32
	for y := range n {
		for x := range n {
			points = append(points, r3.Vec{X: float64(x) + 2.2*float64(y), Z: 0.5 * float64(y)})
		}
	}
	for y := range n - 1 {
		for x := range n - 1 {
			a := int32(y*n + x)
			tris = append(tris, [3]int32{a, a + n, a + 1}, [3]int32{a + 1, a + n, a + n + 1})
		}
	}
	_, _, negative := mesh.Laplacian(points, tris)
	require.Positive(t, negative)
	robust, _, err := mesh.RobustLaplacian(points, tris)
	require.NoError(t, err)
	wellFormed(t, robust)
	linear := make([]float64, len(points))
	for i, p := range points {
		linear[i] = 2*p.X - 3*p.Z + 1
	}
	l := robust.MulVec(linear)
	for y := 3; y < n-3; y++ { // a Delaunay edge may go round the border of so slanted a sheet
		for x := 3; x < n-3; x++ {
			require.InDelta(t, 0, l[y*n+x], 1e-6, "%d %d", x, y)
		}
	}
}

// wellFormed holds: symmetric, rows sum to 0, no weight of the wrong sign.
func wellFormed(t *testing.T, a *linalg.Symmetric) {
	t.Helper()
	e := entries(a)
	for k, x := range e {
		if k[0] != k[1] {
			require.Less(t, x, 1e-7, "%v", k)
			require.InDelta(t, x, e[[2]int{k[1], k[0]}], 1e-9)
		}
	}
	ones := make([]float64, a.N)
	for i := range ones {
		ones[i] = 1
	}
	for i, x := range a.MulVec(ones) {
		require.InDelta(t, 0, x, 1e-7*math.Max(1, a.Val[a.Start[i]]))
	}
}

// Three sheets at one edge: what flows in by two flows out by the third, so a function whose
// slopes away from the edge add up to nothing is harmonic there.
func TestRobustLaplacianWhereThreeSheetsMeet(t *testing.T) {
	const n, long = 5, 7
	var points []r3.Vec
	var tris [][3]int32
	var f []float64
	id := map[[3]int]int32{}
	slopes := [3]float64{2, -3, 1}
	at := func(sheet, x, y int) int32 {
		if x == 0 {
			sheet = 0
		}
		k := [3]int{sheet, x, y}
		if v, ok := id[k]; ok {
			return v
		}
		sin, cos := math.Sincos(2 * math.Pi * float64(sheet) / 3)
		id[k] = int32(len(points))
		points = append(points, r3.Vec{X: float64(x) * cos, Y: float64(x) * sin, Z: float64(y)})
		f = append(f, slopes[sheet]*float64(x))
		return id[k]
	}
	for sheet := range 3 {
		for y := range long {
			for x := range n {
				a, b, c, d := at(sheet, x, y), at(sheet, x+1, y), at(sheet, x+1, y+1), at(sheet, x, y+1)
				tris = append(tris, [3]int32{a, b, c}, [3]int32{a, c, d})
			}
		}
	}
	robust, mass, err := mesh.RobustLaplacian(points, tris)
	require.NoError(t, err)
	wellFormed(t, robust)
	area := 0.0
	for _, x := range mass {
		area += x
	}
	require.InDelta(t, 3*n*long, area, 1e-9)
	l := robust.MulVec(f)
	for y := 1; y < long; y++ {
		require.InDelta(t, 0, l[at(0, 0, y)], 1e-9)
	}
}

// Whatever triangles: doubled, crossing, without area, a hundred at one edge.
func TestRobustLaplacianOfAnySoup(t *testing.T) {
	for seed := range uint64(12) {
		rng := rand.New(rand.NewPCG(seed, 3))
		n := 20 + rng.IntN(60)
		points := make([]r3.Vec, n)
		for i := range points {
			points[i] = r3.Vec{X: rng.Float64(), Y: rng.Float64(), Z: rng.Float64()}
			if seed%3 == 0 {
				points[i].Y = 0
			}
			if seed%4 == 1 && i%5 == 0 && i > 0 {
				points[i] = points[i-1]
			}
		}
		var tris [][3]int32
		for range 3 * n {
			x := [3]int32{int32(rng.IntN(n)), int32(rng.IntN(n)), int32(rng.IntN(n))}
			if seed%2 == 0 && rng.IntN(2) == 0 {
				x[0], x[1] = 0, 1
			}
			tris = append(tris, x)
			if rng.IntN(4) == 0 {
				tris = append(tris, x)
			}
		}
		robust, mass, err := mesh.RobustLaplacian(points, tris)
		require.NoError(t, err, "seed %d", seed)
		wellFormed(t, robust)
		for _, x := range mass {
			require.GreaterOrEqual(t, x, 0.0)
			require.False(t, math.IsNaN(x))
		}
	}
}
