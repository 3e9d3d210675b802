package outgoing

import (
	"slices"

	"wisemarrow/core/mesh"
	"wisemarrow/core/weights"
	"wisemarrow/formats/gltf"
)

// Object is a mesh as it is written: its vertices and faces among those of a character.
type Object struct {
	mesh.Object
	Of      *mesh.Mesh
	Verts   []int32          // ascending
	Faces   []int32          // ascending
	Weights *weights.Weights // nil for what is out of the bind, or where there is none
	at      []int32          // vertex, from From on → its place in Verts
}

// At is the place in Verts of a vertex that is there.
func (o *Object) At(v int32) int32 { return o.at[v-int32(o.From)] }

// Has reports whether a vertex is one of the object's.
func (o *Object) Has(v int32) bool {
	return int(v) >= o.From && int(v) < o.To && o.at[v-int32(o.From)] >= 0
}

// Objects are the meshes of a scene: those that are bound, with their loose vertices, then those that are out of the bind, without
// weights.
func Objects(x *gltf.Scene) (out []Object) {
	m, w := x.Mesh, x.Weights
	in, left := m.Bindable()
	if x.Skeleton == nil || w == nil {
		in, left, w = m, nil, nil
	}
	out = objects(out, in, "skin", func(v int32) bool { return left == nil || !left[v] }, w)
	if left != nil {
		out = objects(out, m.Unbindable(), "unbound", func(int32) bool { return false }, nil)
	}
	return out
}

func objects(out []Object, m *mesh.Mesh, name string, loose func(v int32) bool, w *weights.Weights) []Object {
	used := make([]bool, len(m.Points))
	faces := make([][]int32, len(m.Parts))
	for f := range m.Faces() {
		for _, v := range m.Face(f) {
			used[v] = true
		}
		faces[m.PartOf(f)] = append(faces[m.PartOf(f)], int32(f))
	}
	for _, o := range m.Objects(name) {
		x := Object{Object: o, Of: m, Weights: w, at: make([]int32, o.To-o.From)}
		for v := int32(o.From); v < int32(o.To); v++ {
			x.at[v-int32(o.From)] = -1
			if used[v] || loose(v) {
				x.at[v-int32(o.From)] = int32(len(x.Verts))
				x.Verts = append(x.Verts, v)
			}
		}
		for _, p := range o.Parts {
			x.Faces = append(x.Faces, faces[p]...)
		}
		slices.Sort(x.Faces)
		if len(x.Verts) > 0 {
			out = append(out, x)
		}
	}
	return out
}
