package geom_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"wisemarrow/core/geom"
	"wisemarrow/core/internal/solids"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
	"pgregory.net/rapid"
)

// ball returns a UV sphere of radius 1, outward.
func ball(n int) ([]r3.Vec, [][3]int32) {
	points := []r3.Vec{{Y: 1}}
	for i := 1; i < n; i++ {
		for k := range 2 * n {
			a, b := math.Pi*float64(i)/float64(n), math.Pi*float64(k)/float64(n)
			points = append(points, r3.Vec{X: math.Sin(a) * math.Cos(b), Y: math.Cos(a), Z: -math.Sin(a) * math.Sin(b)})
		}
	}
	points = append(points, r3.Vec{Y: -1})
	at := func(i, k int) int32 {
		switch i {
		case 0:
			return 0
		case n:
			return int32(len(points) - 1)
		}
		return int32(1 + (i-1)*2*n + k%(2*n))
	}
	var tris [][3]int32
	for i := range n {
		for k := range 2 * n {
			if i > 0 {
				tris = append(tris, [3]int32{at(i, k), at(i+1, k), at(i, k+1)})
			}
			if i < n-1 {
				tris = append(tris, [3]int32{at(i, k+1), at(i+1, k), at(i+1, k+1)})
			}
		}
	}
	return points, tris
}

// Jacobson et al. 2013: 1 inside, 0 outside a closed surface; half of a sphere
// seen from its middle fills half the view.
func TestWindingNumberOfASphere(t *testing.T) {
	points, tris := ball(24)
	tree := geom.NewTree(points, tris)
	rng := rand.New(rand.NewPCG(3, 4))
	for range 300 {
		p := r3.Vec{X: rng.NormFloat64(), Y: rng.NormFloat64(), Z: rng.NormFloat64()}
		r := r3.Norm(p)
		switch w := tree.Winding(p); {
		case r < 0.98:
			require.InDelta(t, 1, w, 0.03)
		case r > 1.02:
			require.InDelta(t, 0, w, 0.03)
		}
	}
	var upper [][3]int32
	for _, f := range tris {
		if points[f[0]].Y+points[f[1]].Y+points[f[2]].Y > 0 {
			upper = append(upper, f)
		}
	}
	require.InDelta(t, 0.5, geom.NewTree(points, upper).Winding(r3.Vec{}), 0.01)
}

func TestTreeAgreesWithTryingEveryTriangle(t *testing.T) {
	points, tris := ball(13)
	tree := geom.NewTree(points, tris)
	rapid.Check(t, func(t *rapid.T) {
		num := rapid.Float64Range(-2, 2)
		p := r3.Vec{X: num.Draw(t, "x"), Y: num.Draw(t, "y"), Z: num.Draw(t, "z")}
		dir := r3.Vec{X: num.Draw(t, "dx"), Y: num.Draw(t, "dy"), Z: num.Draw(t, "dz")}
		best, hits := math.Inf(1), 0
		for _, f := range tris {
			a, b, c := points[f[0]], points[f[1]], points[f[2]]
			best = math.Min(best, r3.Norm(r3.Sub(p, geom.ClosestOnTriangle(p, a, b, c))))
			if at, ok := geom.RayTriangle(p, dir, a, b, c); ok && at >= 0 && at <= 5 {
				hits++
			}
		}
		_, at, d := tree.Nearest(p)
		require.InDelta(t, best, d, 1e-12)
		require.InDelta(t, d, r3.Norm(r3.Sub(p, at)), 1e-12)
		require.Len(t, tree.Hits(p, dir, 0, 5), hits)
	})
}

func TestNearestOnTriangleIsNoFartherThanAnyOfItsPoints(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		num := rapid.Float64Range(-10, 10)
		v := func(s string) r3.Vec {
			return r3.Vec{X: num.Draw(t, s), Y: num.Draw(t, s), Z: num.Draw(t, s)}
		}
		p, a, b, c := v("p"), v("a"), v("b"), v("c")
		u, w := rapid.Float64Range(0, 1).Draw(t, "u"), rapid.Float64Range(0, 1).Draw(t, "w")
		if u+w > 1 {
			u, w = 1-u, 1-w
		}
		q := r3.Add(a, r3.Add(r3.Scale(u, r3.Sub(b, a)), r3.Scale(w, r3.Sub(c, a))))
		require.LessOrEqual(t, r3.Norm(r3.Sub(p, geom.ClosestOnTriangle(p, a, b, c))), r3.Norm(r3.Sub(p, q))+1e-9)
	})
}

// Held against gonum's num/quat rotation q·v·q⁻¹ (gonum.org/v1/gonum/num/quat).
func TestRotateEqualsTheQuaternionProduct(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		num := rapid.Float64Range(-1, 1)
		axis := r3.Vec{X: num.Draw(t, "x"), Y: num.Draw(t, "y"), Z: 1.1 + num.Draw(t, "z")}
		q := geom.AxisAngle(axis, 3*num.Draw(t, "angle"))
		v := r3.Vec{X: num.Draw(t, "vx"), Y: num.Draw(t, "vy"), Z: num.Draw(t, "vz")}
		want := quat.Mul(quat.Mul(q, quat.Number{Imag: v.X, Jmag: v.Y, Kmag: v.Z}), quat.Conj(q))
		got := geom.Rotate(q, v)
		require.InDelta(t, want.Imag, got.X, 1e-12)
		require.InDelta(t, want.Jmag, got.Y, 1e-12)
		require.InDelta(t, want.Kmag, got.Z, 1e-12)
	})
}

func TestDecomposeUndoesCompose(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		num, size := rapid.Float64Range(-3, 3), rapid.Float64Range(0.1, 4)
		at := r3.Vec{X: num.Draw(t, "x"), Y: num.Draw(t, "y"), Z: num.Draw(t, "z")}
		q := geom.AxisAngle(r3.Vec{X: num.Draw(t, "a"), Y: num.Draw(t, "b"), Z: 4}, num.Draw(t, "angle"))
		s := r3.Vec{X: size.Draw(t, "sx"), Y: size.Draw(t, "sy"), Z: size.Draw(t, "sz")}
		if rapid.Bool().Draw(t, "mirror") {
			s.X = -s.X
		}
		m := geom.Compose(at, q, s)
		at2, q2, s2 := m.Decompose()
		again := geom.Compose(at2, q2, s2)
		for i := range m {
			require.InDelta(t, m[i], again[i], 1e-9)
		}
		require.Equal(t, s.X < 0, m.Determinant() < 0)
	})
}

func TestBetweenTakesOneDirectionToTheOther(t *testing.T) {
	for _, d := range [][2]r3.Vec{{{X: 1}, {Y: 1}}, {{X: 1}, {X: -1}}, {{Y: 2}, {Y: -3}}, {{X: 1, Y: 1}, {Z: 1}}} {
		got := geom.Rotate(geom.Between(d[0], d[1]), r3.Unit(d[0]))
		require.InDelta(t, 0, r3.Norm(r3.Sub(got, r3.Unit(d[1]))), 1e-9)
	}
}

func TestVoxelsFillASphere(t *testing.T) {
	points, tris := ball(32)
	v := geom.Voxelise(geom.NewTree(points, tris), 0.05)
	n := 0
	for i, in := range v.Inside {
		if in {
			n++
			require.Less(t, r3.Norm(v.Centre(i)), 1.001)
		}
	}
	require.InEpsilon(t, 4*math.Pi/3, float64(n)*0.05*0.05*0.05, 0.02)
	from := v.At(r3.Vec{X: -0.9})
	d := v.Distances([]int{from})
	require.InDelta(t, 1.8, d[v.At(r3.Vec{X: 0.9})], 0.06)
	require.True(t, math.IsInf(d[0], 1), "the corner of the block is outside")
}

func TestChunksCoverEverythingOnce(t *testing.T) {
	seen := make([]int, 1003)
	geom.Chunks(len(seen), 10, func(lo, hi int) {
		for i := lo; i < hi; i++ {
			seen[i]++
		}
	})
	for _, n := range seen {
		require.Equal(t, 1, n)
	}
}

func ExampleTree_Nearest() {
	points := []r3.Vec{{}, {X: 1}, {Y: 1}}
	tree := geom.NewTree(points, [][3]int32{{0, 1, 2}})
	_, at, d := tree.Nearest(r3.Vec{X: 0.25, Y: 0.25, Z: 2})
	fmt.Println(at, d)
	// Output: {0.25 0.25 0} 2
}

// Asked block by block, a region tells the same cubes as asked one by one, also
// where a hole lets inside and outside run together.
func TestBlocksTellWhatEveryCubeWould(t *testing.T) {
	m := solids.Sphere(3)
	var tris [][3]int32
	for f := range m.Faces() {
		c := m.Face(f)
		if m.Points[c[0]].Y > 0.8 {
			continue // a hole at the top
		}
		tris = append(tris, [3]int32{c[0], c[1], c[2]})
	}
	tree := geom.NewTree(m.Points, tris)
	v := geom.Voxelise(tree, 0.06)
	inside := 0
	for i, in := range v.Inside {
		require.Equal(t, tree.Winding(v.Centre(i)) >= 0.5, in, "%v", v.Centre(i))
		if in {
			inside++
		}
	}
	require.InDelta(t, 4*math.Pi/3, float64(inside)*math.Pow(v.Cell, 3), 0.4)
}

// Distances in a volume are those of the shortest way, found here by trying every
// step until nothing gets shorter (Bellman 1958, Ford 1956); up to a length they are
// the same, and beyond it none.
func TestDistancesAreThoseOfTheShortestWay(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		v := &geom.Voxels{
			Cell: 0.5,
			NX:   rapid.IntRange(1, 6).Draw(t, "nx"),
			NY:   rapid.IntRange(1, 6).Draw(t, "ny"),
			NZ:   rapid.IntRange(1, 6).Draw(t, "nz"),
		}
		n := v.NX * v.NY * v.NZ
		v.Inside = rapid.SliceOfN(rapid.Bool(), n, n).Draw(t, "inside")
		sources := rapid.SliceOfN(rapid.IntRange(-1, n-1), 1, 3).Draw(t, "sources")
		want := make([]float64, n)
		for i := range want {
			want[i] = math.Inf(1)
		}
		for _, s := range sources {
			if s >= 0 && v.Inside[s] {
				want[s] = 0
			}
		}
		for shorter := true; shorter; {
			shorter = false
			for a := range n {
				for b := range n {
					ax, ay, az := v.Coords(a)
					bx, by, bz := v.Coords(b)
					steps := (ax-bx)*(ax-bx) + (ay-by)*(ay-by) + (az-bz)*(az-bz)
					apart := max(abs(ax-bx), abs(ay-by), abs(az-bz))
					if !v.Inside[a] || !v.Inside[b] || apart != 1 {
						continue
					}
					if d := want[a] + v.Cell*math.Sqrt(float64(steps)); d < want[b]-1e-12 {
						want[b], shorter = d, true
					}
				}
			}
		}
		got := v.Distances(sources)
		most := rapid.Float64Range(0, 4).Draw(t, "most")
		near := v.Within(sources, most)
		for i := range n {
			if math.IsInf(want[i], 1) {
				require.Equal(t, want[i], got[i])
				continue
			}
			require.InDelta(t, want[i], got[i], 1e-9)
			switch {
			case got[i] <= most:
				require.Equal(t, got[i], near[i])
			default:
				require.True(t, math.IsInf(near[i], 1))
			}
		}
	})
}

func abs(x int) int { return max(x, -x) }

// The inside cubes come in order of their numbers, each with its middle.
func TestFilledCubesComeInOrder(t *testing.T) {
	v := geom.Voxelise(geom.NewTree(solids.Sphere(2).Points, sphereFaces()), 0.2)
	next, seen := -1, 0
	for i, c := range v.Filled() {
		require.Greater(t, i, next)
		require.True(t, v.Inside[i])
		require.InDelta(t, 0, r3.Norm(r3.Sub(c, v.Centre(i))), 1e-12)
		next = i
		seen++
	}
	inside := 0
	for _, in := range v.Inside {
		if in {
			inside++
		}
	}
	require.Equal(t, inside, seen)
	for range v.Filled() {
		seen--
		break
	}
	require.Equal(t, inside-1, seen, "it may be left early")
}

func sphereFaces() (tris [][3]int32) {
	m := solids.Sphere(2)
	for f := range m.Faces() {
		c := m.Face(f)
		tris = append(tris, [3]int32{c[0], c[1], c[2]})
	}
	return tris
}
