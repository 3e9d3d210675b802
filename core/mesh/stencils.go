package mesh

import (
	"gonum.org/v1/gonum/spatial/r3"
)

// Subdivision says how a subdivided surface follows its base mesh, wherever that is posed. The
// terms are as many as the mesh has corners, times a constant, however many corners a face has.
type Subdivision struct {
	// Mesh is the surface, its vertices at no place yet: those of the base's vertices, of its edges, and
	// of its faces, in that order.
	Mesh *Mesh
	// Vertex i is the mean of what Vertex[Start[i]:Start[i+1]] names, by Share, which sum to 1: vertices
	// of the base, and from their number on the centres of its faces.
	Start, Vertex []int32
	Share         []float64
	Face          []int32    // of the base, of each face of the surface
	Edge          [][2]int32 // of the base

	base *Mesh
}

// Places returns where the vertices of the surface are when those of the base are at points.
func (s *Subdivision) Places(points []r3.Vec) []r3.Vec {
	centre := make([]r3.Vec, s.base.Faces())
	for f := range centre {
		c := s.base.Face(f)
		for _, v := range c {
			centre[f] = r3.Add(centre[f], points[v])
		}
		centre[f] = r3.Scale(1/float64(len(c)), centre[f])
	}
	out := make([]r3.Vec, len(s.Start)-1)
	for i := range out {
		for k := s.Start[i]; k < s.Start[i+1]; k++ {
			p := s.Vertex[k]
			at := centre[max(0, int(p)-len(points))]
			if int(p) < len(points) {
				at = points[p]
			}
			out[i] = r3.Add(out[i], r3.Scale(s.Share[k], at))
		}
	}
	return out
}

// term adds a term to the row at hand; row ends it.
func (s *Subdivision) term(vertex int32, share float64) {
	s.Vertex, s.Share = append(s.Vertex, vertex), append(s.Share, share)
}

func (s *Subdivision) row() { s.Start = append(s.Start, int32(len(s.Vertex))) }
