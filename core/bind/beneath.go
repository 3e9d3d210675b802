package bind

import (
	"fmt"
	"math"

	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/core/weights"

	"gonum.org/v1/gonum/spatial/r3"
)

// Modes of FollowBeneath.
const (
	// Rigid gives all vertices of a piece the weights of the one place where it
	// comes nearest to the weighted surface, so that it keeps its shape.
	Rigid = "rigid"
	// Follow gives each vertex the weights of the surface nearest to it.
	Follow = "follow"
	// Auto follows where the middle of the piece is inside the rest of the mesh,
	// as a belt's or boot's is, and is rigid elsewhere, as for a button.
	Auto = "auto"
)

// FollowBeneath gives every piece that has vertices without weights the weights
// of the weighted surface nearest to it, interpolated over the triangle there.
// It returns the new weights and how many vertices got some.
func FollowBeneath(m *mesh.Mesh, w *weights.Weights, mode string, l weights.Limits) (*weights.Weights, int, error) {
	if mode != Rigid && mode != Follow && mode != Auto {
		return nil, 0, fmt.Errorf("a piece is \"rigid\", \"follow\" or \"auto\", not %q", mode)
	}
	points, pieces := m.World(), m.Pieces()
	solved := weighted(m, w)
	if len(solved) == 0 {
		return nil, 0, fmt.Errorf("no face of the mesh has weights that a piece could follow: bind first")
	}
	tree := geom.NewTree(points, solved)
	out := &weights.Weights{Joints: w.Joints, Of: append([][]weights.Influence(nil), w.Of...)}
	at := func(p r3.Vec) ([]weights.Influence, float64) {
		tri, q, d := tree.Nearest(p)
		t := solved[tri]
		return w.Blend(t[:], barycentric(q, points[t[0]], points[t[1]], points[t[2]]), l), d
	}
	stray := make([][]int32, pieces.Count())
	given := 0
	for v, i := range pieces.OfVertex {
		if len(w.Of[v]) > 0 {
			continue
		}
		given++
		if i >= 0 {
			stray[i] = append(stray[i], int32(v))
		} else {
			out.Of[v], _ = at(points[v])
		}
	}
	for i, list := range stray {
		if len(list) == 0 {
			continue
		}
		box := geom.EmptyBox()
		for _, v := range list {
			box = box.Add(points[v])
		}
		// A piece of which only some vertices lack weights is one surface with
		// its neighbours and cannot be rigid.
		follow := mode == Follow || len(list) < pieces.Vertices[i] ||
			mode == Auto && math.Abs(tree.Winding(box.Centre())) > 0.5
		if follow {
			for _, v := range list {
				out.Of[v], _ = at(points[v])
			}
			continue
		}
		var one []weights.Influence
		best := math.Inf(1)
		for _, v := range list {
			if x, d := at(points[v]); d < best {
				one, best = x, d
			}
		}
		for _, v := range list {
			out.Of[v] = one
		}
	}
	return out, given, nil
}

// barycentric returns the shares of a, b and c in a point of their triangle.
func barycentric(p, a, b, c r3.Vec) []float64 {
	n := geom.TriangleNormal(a, b, c)
	l2 := r3.Norm2(n)
	if l2 == 0 {
		return []float64{1, 0, 0}
	}
	u := math.Max(0, r3.Dot(geom.TriangleNormal(p, b, c), n)/l2)
	v := math.Max(0, r3.Dot(geom.TriangleNormal(a, p, c), n)/l2)
	return []float64{u, v, math.Max(0, 1-u-v)}
}
