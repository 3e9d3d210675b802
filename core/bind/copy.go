package bind

import (
	"context"
	"fmt"
	"math"

	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/core/progress"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/weights"
	"wisemarrow/core/wording"
)

// evenCopy is how much an even spacing counts for a copy that is bound: weights change where the surface is flat, too.
const evenCopy = 0.02

// OnDecimated binds a copy of so many vertices automatically and carries the weights over to the mesh, each vertex from
// the nearest place of the copy: for meshes that are heavy, or finer in some places than weights need. The mesh is not
// changed. Where it has no more vertices it is bound itself. Of the copy comes back how far it is from the mesh.
func OnDecimated(
	ctx context.Context,
	m *mesh.Mesh,
	s *skeleton.Skeleton,
	o Options,
	vertices int,
	progress progress.Func,
) (*weights.Weights, *Report, Carried, error) {
	if len(m.Points) <= vertices {
		w, r, err := Automatic(ctx, m, s, o, progress)
		return w, r, Carried{}, err
	}
	if progress == nil {
		progress = func(string, float64) {}
	}
	progress("Decimating a copy", 0)
	copied, origin, err := m.Decimate(ctx, mesh.DecimateOptions{Vertices: vertices, Even: evenCopy})
	if err != nil {
		return nil, nil, Carried{}, err
	}
	limits := o.Limits
	o.Limits = o.uncapped() // it is cut once, at the end
	w, r, err := Automatic(ctx, copied, s, o, progress.Part(0.2, 0.8))
	if err != nil {
		return nil, nil, Carried{}, err
	}
	progress("Carrying the weights over", 0.8)
	out, carried := carriedByPiece(copied, w, m, origin, o.Limits)
	whole := out
	out = weights.Capped(m, out, limits)
	if o.Deform == nil {
		o.Deform = s.Deforming()
	}
	report := Account(m, s, out, Evidence{Method: "automatic, on a decimated copy", Deform: o.Deform})
	progress("Measuring what the cap costs", 0.95)
	report.Capped = costOf(m.World(), whole, out, s, limits.Cap)
	report.Said = fmt.Sprintf(
		"Bound on a copy of %s of its %s vertices, which is %s from the mesh at most; weights were carried over from the nearest place. On the copy: %s",
		wording.Thousands(len(copied.Points)),
		wording.Thousands(len(m.Points)),
		wording.Length(carried.Farthest),
		r.Said,
	)
	return out, report, carried, nil
}

// carriedByPiece gives every vertex the weights of the nearest place on its own piece of a copy, so that cloth gets none
// of the body that it lies on.
func carriedByPiece(copied *mesh.Mesh, w *weights.Weights, m *mesh.Mesh, origin mesh.Origin, l weights.Limits) (*weights.Weights, Carried) {
	pieces := m.Pieces()
	tris, _ := copied.Triangles()
	of := make([]int32, len(tris))
	for i, t := range tris {
		of[i] = pieces.OfVertex[origin[t[0]]]
	}
	tree := geom.NewTree(copied.Points, tris)
	out, far, points := weights.New(w.Joints, len(m.Points)), make([]float64, len(m.Points)), m.World()
	geom.Chunks(len(points), 512, func(lo, hi int) {
		for v := lo; v < hi; v++ {
			piece := pieces.OfVertex[v]
			if piece < 0 {
				continue
			}
			tri, at, d := tree.NearestOf(points[v], math.Inf(1), func(tri int32) bool { return of[tri] == piece })
			if tri < 0 {
				continue
			}
			t := tris[tri]
			share := geom.Barycentric(at, copied.Points[t[0]], copied.Points[t[1]], copied.Points[t[2]])
			out.Of[v], far[v] = w.Blend(t[:], share[:], l), d
		}
	})
	var told Carried
	for v, d := range far {
		if len(out.Of[v]) > 0 {
			told.Vertices++
			told.Mean += d
			told.Farthest = max(told.Farthest, d)
		}
	}
	told.Mean /= float64(max(1, told.Vertices))
	return out, told
}
