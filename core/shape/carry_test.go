package shape_test

import (
	"math/rand/v2"
	"slices"
	"testing"

	"wisemarrow/core/internal/solids"
	"wisemarrow/core/mesh"
	"wisemarrow/core/shape"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
)

// laid is a plate of two halves, left and right of its middle, that share one layout of texture coordinates, as many characters do.
func laid(n int) *mesh.Mesh {
	m := solids.Plate(n)
	for _, v := range m.Corner {
		p := m.Points[v]
		m.UV = append(m.UV, [2]float32{float32(min(p.X, float64(n)-p.X)), float32(p.Z)})
	}
	return m
}

// shuffled is a mesh with its vertices in another order; to tells where each went.
func shuffled(m *mesh.Mesh, rng *rand.Rand) (out *mesh.Mesh, to []int) {
	to = rng.Perm(len(m.Points))
	next := *m
	next.Points = make([]r3.Vec, len(m.Points))
	for v, p := range m.Points {
		next.Points[to[v]] = p
	}
	next.Corner = make([]int32, len(m.Corner))
	for c, v := range m.Corner {
		next.Corner[c] = int32(to[v])
	}
	return &next, to
}

// Vertices in any order find each other by texture coordinates, though the shape is another, and of two that have the same the
// nearer; so do the targets of a file.
func TestPartnersByTexture(t *testing.T) {
	rng := rand.New(rand.NewPCG(27, 9))
	m := laid(12)
	other, to := shuffled(m, rng)
	for v := range other.Points {
		other.Points[v] = r3.Add(other.Points[v], r3.Vec{X: 0.02 * rng.Float64(), Y: 0.01, Z: 0.02 * rng.Float64()})
	}
	p, err := shape.ByTexture(other, m)
	require.NoError(t, err)
	require.Empty(t, p.Lost)
	for v, at := range p.Places(other, m.World()) {
		require.Equal(t, other.Points[to[v]], at)
	}
	other.Shapes = []mesh.Shape{{Name: "lift", Vertex: []int32{int32(to[5])}, Offset: []r3.Vec{{Z: 0.3}}}}
	require.Equal(t, []mesh.Shape{{Name: "lift", Vertex: []int32{5}, Offset: []r3.Vec{{Z: 0.3}}}}, p.Targets(other, 1))

	middle := int32(slices.IndexFunc(m.Points, func(p r3.Vec) bool { return p.X == 6 })) // of which there is no other half
	require.GreaterOrEqual(t, middle, int32(0))
	gone := *other
	gone.UV = slices.Clone(other.UV)
	for c, v := range other.Corner {
		if v == int32(to[middle]) {
			gone.UV[c] = [2]float32{9, 9}
		}
	}
	p, err = shape.ByTexture(&gone, m)
	require.NoError(t, err)
	require.Equal(t, []int32{middle}, p.Lost)
	require.Equal(t, m.Points[middle], p.Places(&gone, m.World())[middle], "it stays")
	bare := *other
	bare.UV = nil
	_, err = shape.ByTexture(&bare, m)
	require.ErrorContains(t, err, "both meshes need texture coordinates")
	heap := *other
	heap.UV = make([][2]float32, len(other.UV))
	_, err = shape.ByTexture(&heap, m)
	require.ErrorContains(t, err, "do not tell them apart")
}

// A mesh whose vertices are others gives its surface: a sphere of other vertices, 5% larger, is reached everywhere.
func TestPartnersOnTheSurface(t *testing.T) {
	m, other := solids.Sphere(3), solids.Sphere(4)
	for v := range other.Points {
		other.Points[v] = r3.Scale(1.05, other.Points[v])
	}
	radius := r3.Norm(m.Points[0])
	p := shape.BySurface(other, m.World(), 0.1)
	require.Empty(t, p.Lost)
	for _, at := range p.Places(other, m.World()) {
		require.InDelta(t, 1.05*radius, r3.Norm(at), 0.02*radius)
	}
	require.Len(t, shape.BySurface(other, m.World(), 0.001).Lost, len(m.Points))
}
