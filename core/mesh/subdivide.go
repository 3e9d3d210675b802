package mesh

import (
	"slices"

	"wisemarrow/core/geom"

	"gonum.org/v1/gonum/spatial/r3"
)

// CatmullClark returns the mesh after one step of subdivision: a vertex for
// every vertex, edge and face of the old one, in that order, and only
// quadrilaterals (Catmull & Clark 1978). Open borders, and edges with more than
// two faces, follow the cubic B-spline of the border alone. Points are taken as
// given, which are those of the mesh in world frame or posed. Attributes of
// corners are left out: it is for showing, not for binding.
func (m *Mesh) CatmullClark(points []r3.Vec) *Mesh {
	e := m.Edges()
	nv, ne, nf := len(points), len(e.Edges), m.Faces()
	out := &Mesh{Points: make([]r3.Vec, nv+ne+nf), Parts: slices.Clone(m.Parts), Start: []int32{0}}
	for i := range out.Parts {
		out.Parts[i].Frame = geom.IdentityMatrix // the points are in the world
	}
	centre := out.Points[nv+ne:]
	for f := range nf {
		c := m.Face(f)
		for _, v := range c {
			centre[f] = r3.Add(centre[f], points[v])
		}
		centre[f] = r3.Scale(1/float64(len(c)), centre[f])
	}
	edgeOf := make([]int32, len(m.Corner)) // corner → the edge that begins there
	valence, sharp := make([]int32, nv), make([]int32, nv)
	mids, rim, around, faces := make([]r3.Vec, nv), make([]r3.Vec, nv), make([]r3.Vec, nv), make([]int32, nv)
	for i, x := range e.Edges {
		uses := e.Of(x)
		mid := r3.Scale(0.5, r3.Add(points[x.A], points[x.B]))
		p := mid
		if len(uses) == 2 {
			p = r3.Scale(0.25, r3.Add(r3.Scale(2, mid), r3.Add(centre[uses[0].Face], centre[uses[1].Face])))
		}
		out.Points[nv+i] = p
		for _, u := range uses {
			edgeOf[u.Corner] = int32(nv + i)
		}
		for _, v := range [2]int32{x.A, x.B} {
			valence[v]++
			mids[v] = r3.Add(mids[v], mid)
			if len(uses) != 2 {
				sharp[v]++
				rim[v] = r3.Add(rim[v], mid)
			}
		}
	}
	for f := range nf {
		for _, v := range m.Face(f) {
			around[v] = r3.Add(around[v], centre[f])
			faces[v]++
		}
	}
	for v, p := range points {
		switch n := float64(valence[v]); {
		case valence[v] == 0 || sharp[v] != 0 && sharp[v] != 2:
			out.Points[v] = p
		case sharp[v] == 2:
			out.Points[v] = r3.Scale(0.5, r3.Add(p, r3.Scale(0.5, rim[v])))
		default:
			q := r3.Scale(1/float64(faces[v]), around[v])
			r := r3.Scale(1/n, mids[v])
			out.Points[v] = r3.Scale(1/n, r3.Add(r3.Add(q, r3.Scale(2, r)), r3.Scale(n-3, p)))
		}
	}
	for f := range nf {
		lo, hi := m.Start[f], m.Start[f+1]
		for c := lo; c < hi; c++ {
			before := hi - 1
			if c > lo {
				before = c - 1
			}
			if edgeOf[c] == 0 || edgeOf[before] == 0 {
				continue // an edge of no length
			}
			out.AddFace(m.PartOf(f), m.Corner[c], edgeOf[c], int32(nv+ne+f), edgeOf[before])
		}
	}
	return out
}
