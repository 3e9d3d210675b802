package shape_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"wisemarrow/core/internal/solids"
	"wisemarrow/core/mesh"
	"wisemarrow/core/shape"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
)

func single(rng *rand.Rand) float64 {
	return float64(float32(rng.NormFloat64() * math.Pow(10, float64(rng.IntN(5)-3))))
}

func randomTarget(rng *rand.Rand, n int) mesh.Shape {
	out := mesh.Shape{Name: "any"}
	for v := range int32(n) {
		if rng.IntN(3) > 0 {
			out.Vertex = append(out.Vertex, v)
			out.Offset = append(out.Offset, r3.Vec{X: single(rng), Y: single(rng), Z: single(rng)})
		}
	}
	return out
}

// The halves of a target sum to the whole, exactly, as they are stored: every number is one of single precision.
func TestHalvesSumExactly(t *testing.T) {
	rng := rand.New(rand.NewPCG(27, 1))
	for range 200 {
		whole := randomTarget(rng, 50)
		left := make([]float64, 50)
		for v := range left {
			left[v] = []float64{0, 1, rng.Float64(), rng.Float64()}[rng.IntN(4)]
		}
		l, r := shape.Split(whole, left)
		for _, x := range append(append([]r3.Vec{}, l.Offset...), r.Offset...) {
			for _, c := range []float64{x.X, x.Y, x.Z} {
				require.Equal(t, float64(float32(c)), c)
			}
		}
		require.Equal(t, whole, shape.Sum(l, r, 1))
		for k, v := range l.Vertex {
			require.Positive(t, left[v], "vertex %d has a left half %v", v, l.Offset[k])
		}
	}
}

func TestTargetsAddAndSubtract(t *testing.T) {
	rng := rand.New(rand.NewPCG(27, 2))
	a, b := randomTarget(rng, 30), randomTarget(rng, 30)
	back := shape.Sum(shape.Sum(a, b, 0.5), b, -0.5)
	points := make([]r3.Vec, 30)
	want, got := shape.Places(points, []mesh.Shape{a}, []float64{1}), shape.Places(points, []mesh.Shape{back}, []float64{1})
	for v := range want {
		assert.InDelta(t, 0, r3.Norm(r3.Sub(want[v], got[v])), 1e-12)
	}
	assert.Empty(t, shape.Sum(a, a, -1).Vertex)

	places := []r3.Vec{{}, {X: 1, Y: 0.2}, {X: 2, Z: 1e-5}}
	d := shape.Difference("new", []r3.Vec{{}, {X: 1}, {X: 2}}, places, 1e-4)
	assert.Equal(t, mesh.Shape{Name: "new", Vertex: []int32{1}, Offset: []r3.Vec{{Y: 0.2}}}, d)
	length, at := shape.Largest(a)
	assert.Positive(t, length)
	assert.Contains(t, a.Vertex, at)
	halved := shape.Mapped(a, func(v int32, o r3.Vec) r3.Vec {
		if v < 10 {
			return r3.Vec{}
		}
		return r3.Scale(0.5, o)
	})
	assert.GreaterOrEqual(t, halved.Vertex[0], int32(10))
	taken := map[string]bool{"a": true, "a_2": true}
	assert.Equal(t, "a_3", shape.Unique("a", func(s string) bool { return taken[s] }))
	assert.Equal(t, "b", shape.Unique("b", func(s string) bool { return taken[s] }))
}

// At vertices in the same places targets are the same, whatever their order; between them they are as on the surface; far
// from it nothing moves, and that is counted.
func TestTargetsAreCarriedOverByPlace(t *testing.T) {
	m := solids.Tube(1, 0.1, 10, 12)
	x := mesh.Shape{Name: "bulge"}
	for v, p := range m.Points {
		x.Vertex, x.Offset = append(x.Vertex, int32(v)), append(x.Offset, r3.Vec{Z: 0.1 * p.X})
	}
	m.Shapes = []mesh.Shape{x}
	n := len(m.Points)
	points := make([]r3.Vec, n)
	for v, p := range m.Points {
		points[n-1-v] = p
	}
	c := m.Face(0)
	points = append(points, r3.Scale(0.5, r3.Add(m.Points[c[0]], m.Points[c[1]])), r3.Vec{X: 5})
	out, lost := shape.CarriedOver(m, points)
	require.Len(t, out, 1)
	assert.Equal(t, 1, lost)
	got := shape.Places(points, out, []float64{1})
	for v, p := range points[:n+1] {
		assert.InDelta(t, 0.1*p.X, got[v].Z-p.Z, 1e-6, "vertex %d", v)
	}
	assert.Equal(t, points[n+1], got[n+1])
}
