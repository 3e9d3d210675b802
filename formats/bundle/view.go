package bundle

import (
	"wisemarrow/core/mesh"
)

// MeshView returns the bundle that the browser draws a mesh from: "position",
// "normal" (world), "colour" and "base" for each drawn vertex, "index" and
// "face" for each triangle, "part" for each face, "piece" for each drawn vertex,
// and "edge" pairs of drawn vertices for the
// polygons' edges. A vertex between differently coloured parts is drawn once
// for each; base is its number in the mesh.
func MeshView(m *mesh.Mesh) ([]byte, error) {
	points := m.World()
	normals := m.VertexNormals(points)
	type drawn struct{ vertex, part int32 }
	number := make(map[drawn]uint32, len(points))
	of := make([]int32, len(m.Points)) // vertex → its first drawn one, -1
	for i := range of {
		of[i] = -1
	}
	var base []int32
	var colour []float32
	corner := make([]uint32, len(m.Corner))
	for f := range m.Faces() {
		p := m.PartOf(f)
		for c := m.Start[f]; c < m.Start[f+1]; c++ {
			d := drawn{m.Corner[c], p}
			k, ok := number[d]
			if !ok {
				k = uint32(len(base))
				number[d] = k
				base = append(base, d.vertex)
				rgb := m.Parts[p].Colour
				colour = append(colour, rgb[0], rgb[1], rgb[2])
				if of[d.vertex] < 0 {
					of[d.vertex] = int32(k)
				}
			}
			corner[c] = k
		}
	}
	// Loose vertices are drawn as points when they are found.
	for v := range of {
		if of[v] < 0 {
			of[v] = int32(len(base))
			base = append(base, int32(v))
			colour = append(colour, 0, 0, 0)
		}
	}
	position, normal := make([]float32, 0, 3*len(base)), make([]float32, 0, 3*len(base))
	for _, v := range base {
		p, n := points[v], normals[v]
		position = append(position, float32(p.X), float32(p.Y), float32(p.Z))
		normal = append(normal, float32(n.X), float32(n.Y), float32(n.Z))
	}
	tris, face := m.Triangles()
	at := make([]int32, len(m.Points)) // vertex → its corner in the face at hand
	index := make([]uint32, 0, 3*len(tris))
	last := int32(-1)
	for i, t := range tris {
		if face[i] != last {
			last = face[i]
			for c := m.Start[last]; c < m.Start[last+1]; c++ {
				at[m.Corner[c]] = c
			}
		}
		for _, v := range t {
			index = append(index, corner[at[v]])
		}
	}
	edges := m.Edges()
	pairs := make([]int32, 0, 2*len(edges.Edges))
	for _, e := range edges.Edges {
		pairs = append(pairs, of[e.A], of[e.B])
	}
	b := Bundle{Meta: map[string]any{"vertices": len(m.Points), "faces": m.Faces(), "parts": m.Parts}}
	b.Floats("position", 3, position)
	b.Floats("normal", 3, normal)
	b.Floats("colour", 3, colour)
	Ints(&b, "base", 1, base)
	Ints(&b, "index", 3, index)
	Ints(&b, "face", 1, face)
	Ints(&b, "edge", 2, pairs)
	part := make([]int32, m.Faces())
	for f := range part {
		part[f] = m.PartOf(f)
	}
	Ints(&b, "part", 1, part)
	pieces := m.Pieces()
	piece := make([]int32, len(base))
	for i, v := range base {
		piece[i] = max(0, pieces.OfVertex[v])
	}
	Ints(&b, "piece", 1, piece)
	return b.Bytes()
}

// MaxSmooth is how many faces a subdivided preview may have.
const MaxSmooth = 500_000

// Smoothest returns how many steps of subdivision, two at most, stay within MaxSmooth
// faces: the first makes one of each corner, each further one four of each.
func Smoothest(m *mesh.Mesh) int {
	levels := 0
	for faces := len(m.Corner); levels < 2 && faces <= MaxSmooth; faces *= 4 {
		levels++
	}
	return levels
}

// SmoothView returns the bundle of the surface after one or two steps of
// Catmull-Clark subdivision, with the arrays of MeshView. It is for showing only; weights belong to the base mesh.
func SmoothView(m *mesh.Mesh, levels int) ([]byte, error) {
	fine := m.CatmullClark(m.World())
	for range levels - 1 {
		fine = fine.CatmullClark(fine.Points)
	}
	return MeshView(fine)
}

// SubdivisionView returns the bundle of a surface after one step of subdivision, to be posed with the
// base mesh: "start", "vertex" and "share" say what each of its points is the mean of, as
// mesh.Subdivision has it; "corner_start" and "corner" are the base's faces, whose centres count from
// the number of its vertices on; "edge" are its edges; "index" and "face" are the triangles of the surface and the
// base's face of each.
func SubdivisionView(m *mesh.Mesh) ([]byte, error) {
	s := m.Subdivide()
	share := make([]float32, len(s.Share))
	for i, v := range s.Share {
		share[i] = float32(v)
	}
	index, face := make([]int32, 0, 6*s.Mesh.Faces()), make([]int32, 0, 2*s.Mesh.Faces())
	for f := range s.Mesh.Faces() {
		q := s.Mesh.Face(f) // of four
		index = append(index, q[0], q[1], q[2], q[0], q[2], q[3])
		face = append(face, s.Face[f], s.Face[f])
	}
	edge := make([]int32, 0, 2*len(s.Edge))
	for _, x := range s.Edge {
		edge = append(edge, x[0], x[1])
	}
	b := Bundle{Meta: map[string]any{"vertices": len(m.Points)}}
	Ints(&b, "start", 1, s.Start)
	Ints(&b, "vertex", 1, s.Vertex)
	b.Floats("share", 1, share)
	Ints(&b, "corner_start", 1, m.Start)
	Ints(&b, "corner", 1, m.Corner)
	Ints(&b, "edge", 2, edge)
	Ints(&b, "index", 3, index)
	Ints(&b, "face", 1, face)
	return b.Bytes()
}
