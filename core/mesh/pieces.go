package mesh

import (
	"wisemarrow/core/geom"

	"gonum.org/v1/gonum/spatial/r3"
)

// Pieces are the connected parts of a mesh: faces that share vertices.
type Pieces struct {
	OfVertex []int32 // -1 for a vertex that no face uses
	Faces    []int   // face count per piece
	Vertices []int   // vertex count per piece
}

// Pieces finds the connected pieces, numbered by their lowest vertex.
func (m *Mesh) Pieces() Pieces {
	u := newUnion(len(m.Points))
	used := make([]bool, len(m.Points))
	for f := range m.Faces() {
		c := m.Face(f)
		for _, v := range c {
			used[v] = true
			u.join(c[0], v)
		}
	}
	p := Pieces{OfVertex: make([]int32, len(m.Points))}
	number := make(map[int32]int32)
	for v := range m.Points {
		p.OfVertex[v] = -1
		if !used[v] {
			continue
		}
		r := u.find(int32(v))
		n, ok := number[r]
		if !ok {
			n = int32(len(p.Vertices))
			number[r] = n
			p.Vertices = append(p.Vertices, 0)
			p.Faces = append(p.Faces, 0)
		}
		p.OfVertex[v] = n
		p.Vertices[n]++
	}
	for f := range m.Faces() {
		p.Faces[p.OfVertex[m.Face(f)[0]]]++
	}
	return p
}

// Count returns the number of pieces.
func (p Pieces) Count() int { return len(p.Vertices) }

// Largest returns the piece with the most vertices, -1 if there is none.
func (p Pieces) Largest() int {
	best := -1
	for i, n := range p.Vertices {
		if best < 0 || n > p.Vertices[best] {
			best = i
		}
	}
	return best
}

// Boxes returns the box of each piece, of vertices that stand at points.
func (p Pieces) Boxes(points []r3.Vec) []geom.Box {
	boxes := make([]geom.Box, p.Count())
	for i := range boxes {
		boxes[i] = geom.EmptyBox()
	}
	for v, k := range p.OfVertex {
		if k >= 0 {
			boxes[k] = boxes[k].Add(points[v])
		}
	}
	return boxes
}

// Crumbs returns the faces of the pieces whose box in world frame has a diagonal below size
// (metres), and how many pieces they are. The largest piece is none.
func (m *Mesh) Crumbs(size float64) (faces []int32, pieces int) {
	p := m.Pieces()
	boxes := p.Boxes(m.World())
	largest := p.Largest()
	small := func(k int32) bool { return int(k) != largest && boxes[k].Diagonal() < size }
	for k := range boxes {
		if small(int32(k)) {
			pieces++
		}
	}
	if pieces == 0 {
		return nil, 0
	}
	for f := range m.Faces() {
		if small(p.OfVertex[m.Face(f)[0]]) {
			faces = append(faces, int32(f))
		}
	}
	return faces, pieces
}

// union is a disjoint-set forest whose roots are the lowest members.
type union []int32

func newUnion(n int) union {
	u := make(union, n)
	for i := range u {
		u[i] = int32(i)
	}
	return u
}

func (u union) find(a int32) int32 {
	for u[a] != a {
		u[a] = u[u[a]]
		a = u[a]
	}
	return a
}

func (u union) join(a, b int32) {
	a, b = u.find(a), u.find(b)
	if a < b {
		u[b] = a
	} else {
		u[a] = b
	}
}
