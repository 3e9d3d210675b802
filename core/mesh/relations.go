package mesh

import (
	"cmp"
	"math"
	"slices"

	"wisemarrow/core/geom"

	"gonum.org/v1/gonum/spatial/r3"
)

// Relation is how a piece lies to the others.
type Relation struct {
	Piece    int32
	Faces    int
	Vertices int
	Part     int32 // of its first face
	Box      geom.Box
	Nearest  int32   // the piece nearest to it
	Distance float64 // to that, metres, between its vertices and the other's surface; 0 when they cross
	Crosses  []int32 // pieces that it passes through, ascending
	Enclosed bool    // it lies inside the others
	Layered  bool    // it lies closely over another, as cloth does
	Gap      float64 // mean distance of a layered piece
}

const (
	relationSamples = 48
	layerShare      = 0.03 // of the body's diagonal: how far cloth may stand off
	layerSize       = 0.12 // of the body's diagonal: smaller pieces are no cloth
	layerCover      = 0.6  // of the samples that must lie over the other piece
)

// MaxRelated is how many pieces are measured against the others: the largest, and as
// many as a geom.Effort allows. A scan that was never welded has as many pieces as
// faces, and nobody reads their relations.
const MaxRelated = 2000

// Relations measures the pieces but the largest, at most MaxRelated of them, ascending.
// between are the pairs of faces of Crossings.
func (s *Surface) Relations(between [][2]int32) []Relation {
	n := s.Pieces.Count()
	main := s.Pieces.Largest()
	if n < 2 {
		return nil
	}
	crosses := make([]map[int32]bool, n)
	note := func(a, b int32) {
		if crosses[a] == nil {
			crosses[a] = map[int32]bool{}
		}
		crosses[a][b] = true
	}
	for _, k := range between {
		a, b := s.PieceOf(k[0]), s.PieceOf(k[1])
		note(a, b)
		note(b, a)
	}
	vertices := make([][]int32, n)
	for v, p := range s.Pieces.OfVertex {
		if p >= 0 {
			vertices[p] = append(vertices[p], int32(v))
		}
	}
	triangles := make([][][3]int32, n)
	triPiece := make([]int32, len(s.Tris))
	part := make([]int32, n)
	for i := range part {
		part[i] = -1
	}
	for i, t := range s.Tris {
		p := s.Pieces.OfVertex[t[0]]
		triPiece[i] = p
		if int(p) != main {
			triangles[p] = append(triangles[p], t)
		}
		if part[p] < 0 {
			part[p] = s.PartOf(int(s.TriFace[i]))
		}
	}
	normals := s.VertexNormals(s.At)
	which := make([]int, 0, n-1)
	for i := range n {
		if i != main {
			which = append(which, i)
		}
	}
	slices.SortStableFunc(which, func(a, b int) int { return cmp.Compare(s.Pieces.Vertices[b], s.Pieces.Vertices[a]) })
	which = which[:min(len(which), MaxRelated)]
	out := make([]Relation, len(which))
	done := geom.Bounded(len(which), 1, geom.Effort(len(s.Tris)), func(k, _ int) int {
		i := which[k]
		r := Relation{
			Piece:    int32(i),
			Faces:    s.Pieces.Faces[i],
			Vertices: s.Pieces.Vertices[i],
			Part:     part[i],
			Box:      geom.EmptyBox(),
			Nearest:  -1,
			Distance: math.Inf(1),
		}
		for _, v := range vertices[i] {
			r.Box = r.Box.Add(s.At[v])
		}
		for c := range crosses[i] {
			r.Crosses = append(r.Crosses, c)
		}
		slices.Sort(r.Crosses)
		steps := s.relate(&r, vertices[i], triangles[i], triPiece, normals)
		out[k] = r
		return steps
	})
	out = out[:done]
	slices.SortFunc(out, func(a, b Relation) int { return cmp.Compare(a.Piece, b.Piece) })
	return out
}

// relate measures a piece and returns how many steps that took.
func (s *Surface) relate(r *Relation, vertices []int32, own [][3]int32, triPiece []int32, normals []r3.Vec) int {
	other := func(tri int32) bool { return triPiece[tri] != r.Piece }
	tree, mine := geom.Query{Tree: s.Tree}, geom.Query{Tree: geom.NewTree(s.At, own)}
	inside, over, asked := 0, 0, 0
	gap := 0.0
	step := max(1, len(vertices)/relationSamples)
	for i := 0; i < len(vertices); i += step {
		v := vertices[i]
		p := s.At[v]
		asked++
		tri, q, d := tree.NearestOf(p, math.Inf(1), other)
		if tri < 0 {
			continue
		}
		if d < r.Distance {
			r.Distance, r.Nearest = d, triPiece[tri]
		}
		if tree.Winding(p)-mine.Winding(p) > 0.5 {
			inside++
		}
		t := s.Tris[tri]
		n := geom.TriangleNormal(s.At[t[0]], s.At[t[1]], s.At[t[2]])
		l := r3.Norm(n)
		// Over the surface: on its outer side or nearly, and facing along it.
		if d < layerShare*s.Diagonal && l > 0 && math.Abs(r3.Dot(n, normals[v])) > 0.6*l && r3.Dot(r3.Sub(p, q), n) > -0.2*d*l {
			over++
			gap += d
		}
	}
	if len(r.Crosses) > 0 {
		r.Distance, r.Nearest = 0, r.Crosses[0]
	}
	r.Enclosed = asked > 0 && inside == asked
	if !r.Enclosed && asked > 0 && float64(over) >= layerCover*float64(asked) && r.Box.Diagonal() > layerSize*s.Diagonal {
		r.Layered, r.Gap = true, gap/float64(over)
	}
	return tree.Steps + mine.Steps
}
