package mesh

import (
	"slices"

	"gonum.org/v1/gonum/spatial/r3"
)

// Attribute is a further value per corner that a file brought, such as a second
// set of texture coordinates or a vertex colour; it passes through untouched.
type Attribute struct {
	Name   string // as glTF names it: TEXCOORD_1, COLOR_0
	Width  int    // values per corner
	Values []float32
}

// Shape is a shape target: how far some vertices move when it is fully on, in
// the frame of the part that uses them.
type Shape struct {
	Name   string
	Vertex []int32 // ascending
	Offset []r3.Vec
}

// Origin names for each vertex of a new mesh the vertex of the old one that it
// comes from, -1 for a vertex that is new altogether. What belongs to vertices
// (weights, shapes, selections) is carried over by it.
type Origin []int32

// A Mapping says where each old vertex went: its new index, or -1 if dropped.
type Mapping []int32

// Origin turns a mapping to n new vertices round; where several old vertices
// became one, the first is its origin.
func (to Mapping) Origin(n int) Origin {
	out := make(Origin, n)
	for i := range out {
		out[i] = -1
	}
	for v, w := range to {
		if w >= 0 && out[w] < 0 {
			out[w] = int32(v)
		}
	}
	return out
}

// identityOrigin is the origin of n vertices that all stay.
func identityOrigin(n int) Origin {
	out := make(Origin, n)
	for i := range out {
		out[i] = int32(i)
	}
	return out
}

// builder makes a mesh out of the faces and corners of another, so that all
// that hangs on corners goes along.
type builder struct {
	from *Mesh
	out  *Mesh
}

// buildFrom begins a mesh with the given vertices and the old one's parts.
func buildFrom(m *Mesh, points []r3.Vec) *builder {
	b := &builder{
		from: m,
		out:  &Mesh{Points: points, Parts: m.Parts, Start: make([]int32, 1, len(m.Start)+1), Corner: make([]int32, 0, len(m.Corner))},
	}
	for _, a := range m.Extra {
		b.out.Extra = append(b.out.Extra, Attribute{Name: a.Name, Width: a.Width})
	}
	return b
}

// corner appends a corner at vertex v with the attributes of corner c.
func (b *builder) corner(v, c int32) {
	b.out.Corner = append(b.out.Corner, v)
	if b.from.UV != nil {
		b.out.UV = append(b.out.UV, b.from.UV[c])
	}
	if b.from.Normal != nil {
		b.out.Normal = append(b.out.Normal, b.from.Normal[c])
	}
	for i, a := range b.from.Extra {
		b.out.Extra[i].Values = append(b.out.Extra[i].Values, a.Values[int(c)*a.Width:(int(c)+1)*a.Width]...)
	}
}

// face ends the face whose corners were appended.
func (b *builder) face(part int32) {
	b.out.Start = append(b.out.Start, int32(len(b.out.Corner)))
	b.out.Part = append(b.out.Part, part)
}

// same appends face f as it is, with its vertices renamed by to; nil keeps them.
func (b *builder) same(f int, to []int32) {
	m := b.from
	for c := m.Start[f]; c < m.Start[f+1]; c++ {
		v := m.Corner[c]
		if to != nil {
			v = to[v]
		}
		b.corner(v, c)
	}
	b.face(m.PartOf(f))
}

// done returns the mesh, with loose edges and shape targets carried over.
func (b *builder) done(origin Origin) *Mesh {
	b.out.Lines = carryLines(b.from.Lines, len(b.from.Points), origin)
	b.out.Shapes = carryShapes(b.from.Shapes, len(b.from.Points), origin)
	return b.out
}

// firstOf turns an origin round: for each of n old vertices its first new one.
func firstOf(n int, origin Origin) []int32 {
	to := make([]int32, n)
	for i := range to {
		to[i] = -1
	}
	for v, o := range origin {
		if o >= 0 && to[o] < 0 {
			to[o] = int32(v)
		}
	}
	return to
}

func carryLines(lines [][2]int32, n int, origin Origin) [][2]int32 {
	if len(lines) == 0 {
		return nil
	}
	to := firstOf(n, origin)
	var out [][2]int32
	for _, l := range lines {
		if a, b := to[l[0]], to[l[1]]; a >= 0 && b >= 0 && a != b {
			out = append(out, [2]int32{a, b})
		}
	}
	return out
}

func carryShapes(shapes []Shape, n int, origin Origin) []Shape {
	if len(shapes) == 0 {
		return nil
	}
	out := make([]Shape, len(shapes))
	at := make([]int32, n)
	for i, s := range shapes {
		for k := range at {
			at[k] = -1
		}
		for k, v := range s.Vertex {
			at[v] = int32(k)
		}
		out[i].Name = s.Name
		for v, o := range origin {
			if o >= 0 && at[o] >= 0 {
				out[i].Vertex = append(out[i].Vertex, int32(v))
				out[i].Offset = append(out[i].Offset, s.Offset[at[o]])
			}
		}
	}
	return out
}

// MapShapes returns the shape targets with every offset put through f.
func (m *Mesh) MapShapes(f func(v int32, offset r3.Vec) r3.Vec) []Shape {
	return mapShapes(m.Shapes, f)
}

// mapShapes returns the shapes with every offset turned by f.
func mapShapes(shapes []Shape, f func(v int32, offset r3.Vec) r3.Vec) []Shape {
	if len(shapes) == 0 {
		return nil
	}
	out := make([]Shape, len(shapes))
	for i, s := range shapes {
		out[i] = Shape{Name: s.Name, Vertex: s.Vertex, Offset: slices.Clone(s.Offset)}
		for k, v := range s.Vertex {
			out[i].Offset[k] = f(v, s.Offset[k])
		}
	}
	return out
}
