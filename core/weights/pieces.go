package weights

import (
	"slices"

	"wisemarrow/core/mesh"
)

// RigidPieces numbers, by vertex, the pieces of a mesh all of whose vertices have the same weights, as a button has;
// -1 elsewhere, and for the largest piece.
func RigidPieces(m *mesh.Mesh, w *Weights) []int32 {
	pieces := m.Pieces()
	out := make([]int32, len(m.Points))
	first := make([]int32, pieces.Count())
	differs := make([]bool, pieces.Count())
	for i := range first {
		first[i] = -1
	}
	for v, k := range pieces.OfVertex {
		switch {
		case k < 0:
		case first[k] < 0:
			first[k] = int32(v)
		case !slices.Equal(w.Of[v], w.Of[first[k]]):
			differs[k] = true
		}
	}
	largest := pieces.Largest()
	for v, k := range pieces.OfVertex {
		out[v] = -1
		if k >= 0 && !differs[k] && int(k) != largest {
			out[v] = k
		}
	}
	return out
}
