package weights_test

import (
	"math"
	"testing"

	"wisemarrow/core/internal/solids"
	"wisemarrow/core/mesh"
	"wisemarrow/core/weights"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
)

// net prepares a mesh for a brush.
func net(t testing.TB, m *mesh.Mesh) *weights.Net {
	t.Helper()
	tris, _ := m.Triangles()
	var edges [][2]int32
	for _, e := range m.Edges().Edges {
		edges = append(edges, [2]int32{e.A, e.B})
	}
	n, err := weights.NewNet(m.World(), tris, edges)
	require.NoError(t, err)
	return n
}

// reach compares the reach of a brush with true distances; it returns the largest share that a
// length is off and how many vertices of the disc were missed or taken too many.
func reach(t *testing.T, n *weights.Net, tri int32, radius float64, truth func(from, to r3.Vec) float64) (off float64, wrong int) {
	t.Helper()
	at := n.In(tri, 1.0/3, 1.0/3)
	got := map[int32]float64{}
	vertices, distances := n.Along(tri, at, radius)
	for i, v := range vertices {
		got[v] = distances[i]
		if i > 0 {
			require.GreaterOrEqual(t, distances[i], distances[i-1]-1e-12, "nearest first")
		}
	}
	for v, p := range n.At {
		want := truth(at, p)
		d, in := got[int32(v)]
		if in {
			off = math.Max(off, math.Abs(d-want)/radius)
		}
		if in && want > 1.03*radius || !in && want < 0.97*radius {
			wrong++
		}
	}
	require.Greater(t, len(got), 20)
	return off, wrong
}

// Held against exact lengths on surfaces of which they are known.
func TestTheBrushReachesAlongTheSurface(t *testing.T) {
	plane := net(t, solids.Plate(40))
	box := 0.0
	for _, p := range plane.At {
		box = math.Max(box, math.Abs(p.X))
	}
	for _, tri := range []int32{0, int32(len(plane.Tris) / 2), int32(len(plane.Tris) - 1)} {
		off, wrong := reach(t, plane, tri, 0.4*box, func(a, b r3.Vec) float64 { return r3.Norm(r3.Sub(a, b)) })
		require.Less(t, off, 0.01, "a plane")
		require.Zero(t, wrong)
	}
	sphere := net(t, solids.Sphere(4))
	r := r3.Norm(sphere.At[0])
	off, wrong := reach(t, sphere, int32(len(sphere.Tris)/2), 0.8*r, func(a, b r3.Vec) float64 {
		return r * math.Acos(math.Max(-1, math.Min(1, r3.Dot(r3.Unit(a), r3.Unit(b)))))
	})
	require.Less(t, off, 0.02, "a sphere")
	require.Zero(t, wrong)
	tube := net(t, solids.Tube(2, 0.2, 80, 64))
	var middle int32
	for i, tri := range tube.Tris {
		p := tube.At[tri[0]]
		if math.Abs(p.X-1) < 0.05 && math.Hypot(p.Y, p.Z) > 0.19 {
			middle = int32(i)
		}
	}
	off, wrong = reach(t, tube, middle, 0.4, func(a, b r3.Vec) float64 {
		turn := math.Abs(math.Atan2(a.Z, a.Y) - math.Atan2(b.Z, b.Y))
		turn = math.Min(turn, 2*math.Pi-turn)
		if math.Hypot(b.Y, b.Z) < 0.19 {
			return math.Inf(1) // the caps are farther
		}
		return math.Hypot(a.X-b.X, 0.2*turn)
	})
	require.Less(t, off, 0.02, "a cylinder")
	require.Zero(t, wrong)
}

// Two sheets a hair apart: along the surface a brush stays on its own, through the air it does not.
func TestTheBrushDoesNotJumpToTheOtherLeg(t *testing.T) {
	a := solids.Plate(10)
	b := solids.Plate(10)
	for i := range b.Points {
		b.Points[i].Z += 0.01
		b.Points[i].Y += 0.01
	}
	n := net(t, mesh.Join(a, b))
	first := int32(len(a.Points))
	vertices, _ := n.Along(5, n.In(5, 0.3, 0.3), 2)
	require.NotEmpty(t, vertices)
	for _, v := range vertices {
		require.Less(t, v, first)
	}
	both, _ := n.Within(n.In(5, 0.3, 0.3), 2)
	require.Greater(t, both[len(both)-1], first)
}

func TestASurfaceThatMakesNoSenseIsRefused(t *testing.T) {
	_, err := weights.NewNet([]r3.Vec{{}}, [][3]int32{{0, 0, 1}}, nil)
	require.Error(t, err)
	_, err = weights.NewNet([]r3.Vec{{}}, nil, [][2]int32{{0, 9}})
	require.Error(t, err)
	_, err = weights.NewNet([]r3.Vec{{X: math.NaN()}}, nil, nil)
	require.Error(t, err)
}
