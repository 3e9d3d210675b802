package shape

import (
	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"

	"gonum.org/v1/gonum/spatial/r3"
)

const (
	// samePlace is within what distance a vertex is the same, onSurface within what it is carried over from the surface, and
	// tiny what offset is none, of the height.
	samePlace, onSurface, tiny = 1e-4, 0.01, 1e-6
)

// CarriedOver are the targets of a mesh at other vertices, all in world frame: at those that are in the same places at rest as
// they are there, else as at the nearest place of its surface. Lost is how many vertices are near none, and stay.
func CarriedOver(m *mesh.Mesh, points []r3.Vec) (out []mesh.Shape, lost int) {
	theirs := m.World()
	height := geom.BoxOf(points).Size().Y
	tris, _ := m.Triangles()
	tree, surface := geom.NewPointTree(theirs), geom.NewTree(theirs, tris)
	type from struct {
		vertex [3]int32
		share  [3]float64
	}
	of := make([]from, len(points))
	geom.Chunks(len(points), 256, func(lo, hi int) {
		for v := lo; v < hi; v++ {
			of[v].vertex[0] = -1
			if k, _, d := tree.NearestOf(points[v], samePlace*height, nil); k >= 0 && d <= samePlace*height {
				of[v] = from{[3]int32{k, k, k}, [3]float64{1}}
				continue
			}
			if t, at, d := surface.NearestOf(points[v], onSurface*height, nil); t >= 0 && d <= onSurface*height {
				x := tris[t]
				of[v] = from{x, geom.Barycentric(at, theirs[x[0]], theirs[x[1]], theirs[x[2]])}
			}
		}
	})
	for _, f := range of {
		if f.vertex[0] < 0 {
			lost++
		}
	}
	offsets := make([]r3.Vec, len(theirs))
	for _, t := range m.WorldShapes() {
		clear(offsets)
		for k, v := range t.Vertex {
			offsets[v] = t.Offset[k]
		}
		next := mesh.Shape{Name: t.Name}
		for v, f := range of {
			if f.vertex[0] < 0 {
				continue
			}
			var d r3.Vec
			for k, u := range f.vertex {
				d = r3.Add(d, r3.Scale(f.share[k], offsets[u]))
			}
			if r3.Norm(d) > tiny*height {
				next.Vertex, next.Offset = append(next.Vertex, int32(v)), append(next.Offset, d)
			}
		}
		out = append(out, next)
	}
	return out, lost
}
