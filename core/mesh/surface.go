package mesh

import (
	"wisemarrow/core/geom"

	"gonum.org/v1/gonum/spatial/r3"
)

// Surface is a mesh with what most measures of it need, worked out once: where
// its vertices are in the world, its edges and pieces, its triangles and a
// search tree over them.
type Surface struct {
	*Mesh
	At       []r3.Vec // vertices in world frame, metres
	Edges    Edges
	Single   Edges // without faces that lie on an earlier one
	Pieces   Pieces
	Tris     [][3]int32
	TriFace  []int32
	Tree     *geom.Tree
	Diagonal float64 // of the bounding box
	Twice    []int32 // faces that lie on an earlier one (Doubled)
}

// Surface prepares a mesh for measuring.
func (m *Mesh) Surface() *Surface {
	s := &Surface{Mesh: m, At: m.World()}
	geom.Both(func() {
		s.Edges = m.Edges()
		s.Single = s.Edges
		if s.Twice = m.Doubled(); s.Twice != nil {
			s.Single = s.Edges.without(s.Twice)
		}
		s.Pieces = m.Pieces()
	}, func() {
		s.Tris, s.TriFace = m.Triangles()
		s.Tree = geom.NewTree(s.At, s.Tris)
		s.Tree.PrepareWinding()
		s.Diagonal = geom.BoxOf(s.At).Diagonal()
	})
	return s
}

// Crossings returns the pairs of faces that pass through each other, each pair
// ascending and once, with its pieces told apart: within one piece, and between
// two. all is false where there are more than geom.MaxCrossings, or too many faces
// that might.
func (s *Surface) Crossings() (within, between [][2]int32, all bool) {
	seen := map[[2]int32]bool{}
	pairs, all := s.Tree.Crossings(geom.CrossShare * s.Diagonal)
	for _, p := range pairs {
		a, b := s.TriFace[p[0]], s.TriFace[p[1]]
		k := [2]int32{min(a, b), max(a, b)}
		if a == b || seen[k] {
			continue
		}
		seen[k] = true
		if s.PieceOf(a) == s.PieceOf(b) {
			within = append(within, k)
		} else {
			between = append(between, k)
		}
	}
	return within, between, all
}

// PieceOf returns the piece of a face.
func (s *Surface) PieceOf(f int32) int32 { return s.Pieces.OfVertex[s.Face(int(f))[0]] }

// Size returns about how many bytes the surface takes besides its mesh.
func (s *Surface) Size() int {
	return 24*len(s.At) + 60*len(s.Edges.Edges) + 60*len(s.Single.Edges) + 8*len(s.Pieces.OfVertex) + 220*len(s.Tris)
}
