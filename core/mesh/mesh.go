// Package mesh holds the indexed polygon mesh of a character, what can be
// measured on it, and the repairs that make it fit to be bound.
package mesh

import (
	"fmt"
	"slices"

	"wisemarrow/core/geom"

	"gonum.org/v1/gonum/spatial/r3"
)

// Mesh is an indexed polygon mesh. Face f has the vertices
// Corner[Start[f]:Start[f+1]], counter-clockwise seen from outside. A Mesh that
// is shared is never written to: repairs return a new one.
type Mesh struct {
	// Points are vertex positions in the frame of the part that uses them,
	// metres unless the file says otherwise.
	Points []r3.Vec
	Start  []int32 // len = faces+1
	Corner []int32
	// Part is the part of each face; nil means that all belong to Parts[0].
	Part  []int32
	Parts []Part
	// UV and Normal are kept per corner as the file gave them, or nil; Extra
	// likewise.
	UV     [][2]float32
	Normal [][3]float32
	Extra  []Attribute
	// Lines are edges of the file that belong to no face.
	Lines  [][2]int32
	Shapes []Shape
}

// Part is a named group of faces that arrived together.
type Part struct {
	Name string `json:"name"`
	// Object is what its file called the mesh that the part came in; parts of one object are written as one mesh.
	Object string      `json:"object,omitempty"`
	Colour [3]float32  `json:"colour"` // linear RGB 0..1
	Frame  geom.Matrix `json:"frame"`  // part's points → world
	// Material is the number + 1 of the material among those of the file; 0 for
	// none.
	Material int `json:"material,omitempty"`
	// Hidden parts are not shown, Out parts take no part in the bind. Both stay
	// in the character.
	Hidden bool `json:"hidden,omitempty"`
	Out    bool `json:"out,omitempty"`
	// Follows is what a person has said that its vertices go with, one of Follow…; "" is as they
	// lie. Leader is the joint of FollowJoint.
	Follows string `json:"follows,omitempty"`
	Leader  string `json:"leader,omitempty"`
}

// What the vertices of a part go with at a bind.
const (
	FollowBones   = "bind"   // the bones, as the body does
	FollowSurface = "follow" // each the surface under it
	FollowWhole   = "rigid"  // whole pieces the place nearest to them
	FollowJoint   = "joint"  // one joint
)

// NewPart returns a part with an identity frame and the colour of bare plaster.
func NewPart(name string) Part {
	return Part{Name: name, Colour: [3]float32{0.8, 0.78, 0.72}, Frame: geom.IdentityMatrix}
}

// Faces returns the number of faces.
func (m *Mesh) Faces() int { return max(0, len(m.Start)-1) }

// Face returns the vertices of face f; the slice is the mesh's own.
func (m *Mesh) Face(f int) []int32 { return m.Corner[m.Start[f]:m.Start[f+1]] }

// PartOf returns the part of face f.
func (m *Mesh) PartOf(f int) int32 {
	if m.Part == nil {
		return 0
	}
	return m.Part[f]
}

// AddFace appends a face to a mesh that is being built.
func (m *Mesh) AddFace(part int32, corners ...int32) {
	if len(m.Start) == 0 {
		m.Start = append(m.Start, 0)
	}
	m.Corner = append(m.Corner, corners...)
	m.Start = append(m.Start, int32(len(m.Corner)))
	m.Part = append(m.Part, part)
}

// Join returns one mesh of several, with their parts one after the other.
// Texture coordinates and normals are left out.
func Join(list ...*Mesh) *Mesh {
	out := &Mesh{}
	for _, m := range list {
		v, p := int32(len(out.Points)), int32(len(out.Parts))
		out.Points = append(out.Points, m.Points...)
		out.Parts = append(out.Parts, m.Parts...)
		for f := range m.Faces() {
			c := append([]int32(nil), m.Face(f)...)
			for i := range c {
				c[i] += v
			}
			out.AddFace(p+m.PartOf(f), c...)
		}
	}
	return out
}

// Validate reports the first inconsistency of the arrays: lengths, indices out
// of range, faces of fewer than three corners, coordinates that are no number.
func (m *Mesh) Validate() error {
	if len(m.Start) > 0 && (m.Start[0] != 0 || int(m.Start[len(m.Start)-1]) != len(m.Corner)) {
		return fmt.Errorf("face table does not cover its %d corners", len(m.Corner))
	}
	if m.Part != nil && len(m.Part) != m.Faces() {
		return fmt.Errorf("%d faces but %d part numbers", m.Faces(), len(m.Part))
	}
	if m.UV != nil && len(m.UV) != len(m.Corner) || m.Normal != nil && len(m.Normal) != len(m.Corner) {
		return fmt.Errorf("%d corners but %d texture coordinates and %d normals", len(m.Corner), len(m.UV), len(m.Normal))
	}
	for _, a := range m.Extra {
		if len(a.Values) != a.Width*len(m.Corner) {
			return fmt.Errorf("%d corners but %d values of %s", len(m.Corner), len(a.Values), a.Name)
		}
	}
	for i, l := range m.Lines {
		if l[0] < 0 || l[1] < 0 || int(l[0]) >= len(m.Points) || int(l[1]) >= len(m.Points) {
			return fmt.Errorf("loose edge %d goes from vertex %d to %d of %d", i, l[0], l[1], len(m.Points))
		}
	}
	for _, s := range m.Shapes {
		if len(s.Vertex) != len(s.Offset) {
			return fmt.Errorf("shape target %q moves %d vertices by %d offsets", s.Name, len(s.Vertex), len(s.Offset))
		}
		for k, v := range s.Vertex {
			if v < 0 || int(v) >= len(m.Points) || !geom.Finite(s.Offset[k]) {
				return fmt.Errorf("shape target %q moves vertex %d of %d by %v", s.Name, v, len(m.Points), s.Offset[k])
			}
		}
	}
	for f := range m.Faces() {
		if m.Start[f+1] < m.Start[f]+3 {
			return fmt.Errorf("face %d has fewer than three corners", f)
		}
		if p := m.PartOf(f); p < 0 || int(p) >= len(m.Parts) {
			return fmt.Errorf("face %d is in part %d of %d", f, p, len(m.Parts))
		}
		for _, v := range m.Face(f) {
			if v < 0 || int(v) >= len(m.Points) {
				return fmt.Errorf("face %d uses vertex %d of %d", f, v, len(m.Points))
			}
		}
	}
	for i, p := range m.Points {
		if !geom.Finite(p) {
			return fmt.Errorf("vertex %d is at %v, which is not a valid position", i, p)
		}
	}
	return nil
}

// Framed reports whether any part's frame is not the identity.
func (m *Mesh) Framed() bool {
	for _, p := range m.Parts {
		if p.Frame != geom.IdentityMatrix {
			return true
		}
	}
	return false
}

// Placed returns the mesh with its vertices at other places in world frame; its faces and parts stay.
func (m *Mesh) Placed(points []r3.Vec) *Mesh {
	out := *m
	out.Points, out.Normal = points, nil
	out.Parts = slices.Clone(m.Parts)
	for i := range out.Parts {
		out.Parts[i].Frame = geom.IdentityMatrix
	}
	return &out
}

// World returns the vertex positions with each part's frame applied: m.Points
// itself when all frames are the identity. A vertex that no face uses takes the
// frame of the used vertex before it in order.
func (m *Mesh) World() []r3.Vec {
	if !m.Framed() {
		return m.Points
	}
	part := m.PartOfVertices()
	out := make([]r3.Vec, len(m.Points))
	for i, p := range m.Points {
		out[i] = m.Parts[part[i]].Frame.Point(p)
	}
	return out
}

// WorldShapes returns the shape targets with their offsets in world frame: m.Shapes itself when all frames are the identity.
func (m *Mesh) WorldShapes() []Shape {
	if !m.Framed() || len(m.Shapes) == 0 {
		return m.Shapes
	}
	part := m.PartOfVertices()
	return m.MapShapes(func(v int32, offset r3.Vec) r3.Vec { return m.Parts[part[v]].Frame.Direction(offset) })
}

// FromWorld returns what brings an offset of a vertex from world frame into that of its part.
func (m *Mesh) FromWorld() func(v int32, offset r3.Vec) r3.Vec {
	if !m.Framed() {
		return func(_ int32, d r3.Vec) r3.Vec { return d }
	}
	part := m.PartOfVertices()
	return func(v int32, d r3.Vec) r3.Vec {
		if inverse, ok := m.Parts[part[v]].Frame.Inverse(); ok {
			return inverse.Direction(d)
		}
		return r3.Vec{}
	}
}

// Triangles splits every polygon and returns the triangles, in face order, and
// the face each came from. Polygons of more than four sides are cut ear by ear
// in the plane of their area vector, those of more than 300, which are no part
// of any surface that bends, in a fan.
func (m *Mesh) Triangles() (tris [][3]int32, face []int32) {
	n := len(m.Corner) - 2*m.Faces()
	tris, face = make([][3]int32, 0, n), make([]int32, 0, n)
	for f := range m.Faces() {
		if c := m.Face(f); len(c) == 3 {
			tris = append(tris, [3]int32{c[0], c[1], c[2]})
		} else {
			tris = append(tris, cut(m.Points, c)...)
		}
		for len(face) < len(tris) {
			face = append(face, int32(f))
		}
	}
	return tris, face
}

// cut splits one polygon, as Triangles says.
func cut(p []r3.Vec, c []int32) [][3]int32 {
	switch {
	case len(c) == 3:
		return [][3]int32{{c[0], c[1], c[2]}}
	case len(c) == 4:
		return splitQuad(p, c)
	case len(c) <= earLimit:
		return earCut(p, c)
	}
	out := make([][3]int32, 0, len(c)-2)
	for k := 1; k+1 < len(c); k++ {
		out = append(out, [3]int32{c[0], c[k], c[k+1]})
	}
	return out
}

// earLimit bounds the polygons that are cut ear by ear, which takes the cube of
// their sides at worst.
const earLimit = 300

// splitQuad cuts along the diagonal that leaves both halves facing one way,
// the shorter one if both do.
func splitQuad(p []r3.Vec, c []int32) [][3]int32 {
	a, b, d, e := p[c[0]], p[c[1]], p[c[2]], p[c[3]]
	ok02 := r3.Dot(geom.TriangleNormal(a, b, d), geom.TriangleNormal(a, d, e)) > 0
	ok13 := r3.Dot(geom.TriangleNormal(b, d, e), geom.TriangleNormal(b, e, a)) > 0
	if ok13 && (!ok02 || r3.Norm2(r3.Sub(b, e)) < r3.Norm2(r3.Sub(a, d))*(1-1e-9)) {
		return [][3]int32{{c[1], c[2], c[3]}, {c[1], c[3], c[0]}}
	}
	return [][3]int32{{c[0], c[1], c[2]}, {c[0], c[2], c[3]}}
}

// AreaVector returns the normal of a polygon with the length of its area
// (Newell's method); it needs no planar or convex polygon.
func AreaVector(p []r3.Vec, c []int32) r3.Vec {
	var n r3.Vec
	o := p[c[0]]
	for i := 1; i+1 < len(c); i++ {
		n = r3.Add(n, geom.TriangleNormal(o, p[c[i]], p[c[i+1]]))
	}
	return r3.Scale(0.5, n)
}

func earCut(p []r3.Vec, c []int32) [][3]int32 {
	normal := AreaVector(p, c)
	ring := append([]int32(nil), c...)
	var out [][3]int32
	for len(ring) > 3 {
		best := -1
		for i := range ring {
			a, b, d := ring[(i+len(ring)-1)%len(ring)], ring[i], ring[(i+1)%len(ring)]
			if r3.Dot(geom.TriangleNormal(p[a], p[b], p[d]), normal) <= 0 {
				continue
			}
			if !holdsOther(p, ring, a, b, d, normal) {
				best = i
				break
			}
		}
		if best < 0 {
			best = 1 // no ear: degenerate or folded, cut anyway
		}
		a, b, d := ring[(best+len(ring)-1)%len(ring)], ring[best], ring[(best+1)%len(ring)]
		out = append(out, [3]int32{a, b, d})
		ring = append(ring[:best], ring[best+1:]...)
	}
	return append(out, [3]int32{ring[0], ring[1], ring[2]})
}

// holdsOther reports whether another corner of the ring lies in triangle abd.
func holdsOther(p []r3.Vec, ring []int32, a, b, d int32, n r3.Vec) bool {
	in := func(u, v, q r3.Vec) bool { return r3.Dot(r3.Cross(r3.Sub(v, u), r3.Sub(q, u)), n) >= 0 }
	for _, q := range ring {
		if q != a && q != b && q != d && in(p[a], p[b], p[q]) && in(p[b], p[d], p[q]) && in(p[d], p[a], p[q]) {
			return true
		}
	}
	return false
}

// VertexNormals returns area-weighted unit normals of the given positions; the
// zero vector where no face has an area.
func (m *Mesh) VertexNormals(points []r3.Vec) []r3.Vec {
	out := make([]r3.Vec, len(points))
	for f := range m.Faces() {
		c := m.Face(f)
		n := AreaVector(points, c)
		for _, v := range c {
			out[v] = r3.Add(out[v], n)
		}
	}
	for i, n := range out {
		if l := r3.Norm(n); l > 0 {
			out[i] = r3.Scale(1/l, n)
		}
	}
	return out
}

// Tree returns a search tree over the triangles at the given positions, and
// the face of each triangle.
func (m *Mesh) Tree(points []r3.Vec) (*geom.Tree, []int32) {
	tris, face := m.Triangles()
	return geom.NewTree(points, tris), face
}
