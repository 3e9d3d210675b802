package bind

import (
	"errors"

	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/core/weights"
)

// CarryOver gives every vertex of a mesh the weights of the nearest place on
// another one, interpolated over the triangle there. Both are taken in world
// frame. It fails when no face of the other has weights at all its corners.
func CarryOver(from *mesh.Mesh, w *weights.Weights, to *mesh.Mesh, l weights.Limits) (*weights.Weights, error) {
	points := from.World()
	solved := weighted(from, w)
	if len(solved) == 0 {
		return nil, errors.New("no face of the earlier mesh has weights that could be carried over")
	}
	tree := geom.NewTree(points, solved)
	out := weights.New(w.Joints, len(to.Points))
	target := to.World()
	geom.Chunks(len(target), 512, func(lo, hi int) {
		for v := lo; v < hi; v++ {
			tri, q, _ := tree.Nearest(target[v])
			t := solved[tri]
			out.Of[v] = w.Blend(t[:], barycentric(q, points[t[0]], points[t[1]], points[t[2]]), l)
		}
	})
	return out, nil
}

// weighted returns the triangles whose corners all have weights.
func weighted(m *mesh.Mesh, w *weights.Weights) [][3]int32 {
	tris, _ := m.Triangles()
	var out [][3]int32
	for _, t := range tris {
		if len(w.Of[t[0]]) > 0 && len(w.Of[t[1]]) > 0 && len(w.Of[t[2]]) > 0 {
			out = append(out, t)
		}
	}
	return out
}
