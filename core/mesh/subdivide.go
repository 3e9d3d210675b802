package mesh

import (
	"slices"

	"wisemarrow/core/geom"

	"gonum.org/v1/gonum/spatial/r3"
)

// CatmullClark returns the mesh after one step of subdivision, with its vertices where those of the
// base at points bring them.
func (m *Mesh) CatmullClark(points []r3.Vec) *Mesh {
	s := m.Subdivide()
	s.Mesh.Points = s.Places(points)
	return s.Mesh
}

// Subdivide returns one step of subdivision: a vertex for
// every vertex, edge and face of the old one, in that order, and only
// quadrilaterals (Catmull & Clark 1978). Open borders, and edges with more than
// two faces, follow the cubic B-spline of the border alone. Attributes of
// corners are left out: it is for showing, not for binding.
func (m *Mesh) Subdivide() *Subdivision {
	e := m.Edges()
	nv, ne, nf := len(m.Points), len(e.Edges), m.Faces()
	fine := &Mesh{Points: make([]r3.Vec, nv+ne+nf), Parts: slices.Clone(m.Parts), Start: []int32{0}}
	for i := range fine.Parts {
		fine.Parts[i].Frame = geom.IdentityMatrix // the points are in the world
	}
	out := &Subdivision{Mesh: fine, Start: []int32{0}, Edge: make([][2]int32, ne), base: m}
	edgeOf := make([]int32, len(m.Corner)) // corner → the edge that begins there
	sharp := make([]int32, nv)
	edges, faces := make([][]int32, nv), make([][]int32, nv) // at a vertex
	for i, x := range e.Edges {
		uses := e.Of(x)
		for _, u := range uses {
			edgeOf[u.Corner] = int32(nv + i)
		}
		out.Edge[i] = [2]int32{x.A, x.B}
		for _, v := range out.Edge[i] {
			edges[v] = append(edges[v], int32(i))
			if len(uses) != 2 {
				sharp[v]++
			}
		}
	}
	for f := range nf {
		for _, v := range m.Face(f) {
			faces[v] = append(faces[v], int32(f))
		}
	}
	for v := range int32(nv) {
		switch n := float64(len(edges[v])); {
		case n == 0 || sharp[v] != 0 && sharp[v] != 2:
			out.term(v, 1)
		case sharp[v] == 2: // (p + the mean of the middles of its border edges) / 2
			out.term(v, 0.75)
			for _, i := range edges[v] {
				if len(e.Of(e.Edges[i])) != 2 {
					out.term(out.other(i, v), 0.125)
				}
			}
		default: // (q + 2r + (n − 3)p) / n, q the mean of the centres, r of the edges' middles
			out.term(v, (n-2)/n)
			for _, f := range faces[v] {
				out.term(int32(nv)+f, 1/n/float64(len(faces[v])))
			}
			for _, i := range edges[v] {
				out.term(out.other(i, v), 1/n/n)
			}
		}
		out.row()
	}
	for _, x := range e.Edges {
		if uses := e.Of(x); len(uses) == 2 {
			out.term(x.A, 0.25)
			out.term(x.B, 0.25)
			out.term(int32(nv)+uses[0].Face, 0.25)
			out.term(int32(nv)+uses[1].Face, 0.25)
		} else {
			out.term(x.A, 0.5)
			out.term(x.B, 0.5)
		}
		out.row()
	}
	for f := range int32(nf) {
		out.term(int32(nv)+f, 1)
		out.row()
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
			fine.AddFace(m.PartOf(f), m.Corner[c], edgeOf[c], int32(nv+ne+f), edgeOf[before])
			out.Face = append(out.Face, int32(f))
		}
	}
	return out
}

// other is the end of an edge that a vertex is not.
func (s *Subdivision) other(edge, v int32) int32 {
	x := s.Edge[edge]
	if x[0] == v {
		return x[1]
	}
	return x[0]
}
