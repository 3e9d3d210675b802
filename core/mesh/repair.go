package mesh

import (
	"errors"
	"math"

	"wisemarrow/core/geom"

	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
)

// ErrFramed means that a repair would join vertices of differently framed
// parts; baking the transform first makes it possible.
var ErrFramed = errors.New("a part still has a transform of its own: bake the transform into the vertices first")

// A Mapping says where each old vertex went: its new index, or -1 if dropped.
type Mapping []int32

// Weld joins the vertices within distance (metres) of each other that lie on
// open borders or belong to no face. The lowest vertex of a group stays where
// it is and the others become it; faces that collapse are dropped.
func (m *Mesh) Weld(distance float64) (*Mesh, Mapping, error) {
	if m.Framed() {
		return nil, nil, ErrFramed
	}
	to := make([]int32, len(m.Points))
	for i := range to {
		to[i] = int32(i)
	}
	for _, g := range m.WeldGroups(distance) {
		for _, v := range g {
			to[v] = g[0]
		}
	}
	out, mapping := m.rebuild(to, nil)
	return out, mapping, nil
}

// DropLoose drops the vertices that no face uses.
func (m *Mesh) DropLoose() (*Mesh, Mapping) {
	used := make([]bool, len(m.Points))
	for _, c := range m.Corner {
		used[c] = true
	}
	to := make([]int32, len(m.Points))
	for i := range to {
		to[i] = -1
		if used[i] {
			to[i] = int32(i)
		}
	}
	return m.rebuild(to, nil)
}

// DropFaces drops faces with no area (relative to their longest edge) and
// second copies of faces over the same vertices. Vertices stay.
func (m *Mesh) DropFaces() *Mesh {
	drop := make([]bool, m.Faces())
	for _, f := range m.zeroArea() {
		drop[f] = true
	}
	for _, f := range m.doubled() {
		drop[f] = true
	}
	to := make([]int32, len(m.Points))
	for i := range to {
		to[i] = int32(i)
	}
	out, _ := m.rebuild(to, drop)
	return out
}

// rebuild renumbers vertices: to[v] is the vertex that v becomes (itself to
// stay), -1 to drop it. Faces marked in drop, and those left with fewer than
// three corners, go. Vertex order is kept.
func (m *Mesh) rebuild(to []int32, drop []bool) (*Mesh, Mapping) {
	mapping := make(Mapping, len(m.Points))
	out := &Mesh{Parts: m.Parts, Start: []int32{0}}
	for v := range m.Points {
		if to[v] == int32(v) {
			mapping[v] = int32(len(out.Points))
			out.Points = append(out.Points, m.Points[v])
		}
	}
	for v := range m.Points {
		if to[v] < 0 {
			mapping[v] = -1
		} else if to[v] != int32(v) {
			mapping[v] = mapping[to[v]]
		}
	}
	var keep []int32
	for f := range m.Faces() {
		if drop != nil && drop[f] {
			continue
		}
		keep = keep[:0]
		for c := m.Start[f]; c < m.Start[f+1]; c++ {
			v := mapping[m.Corner[c]]
			if v >= 0 && (len(keep) == 0 || mapping[m.Corner[keep[len(keep)-1]]] != v) {
				keep = append(keep, c)
			}
		}
		for len(keep) > 1 && mapping[m.Corner[keep[0]]] == mapping[m.Corner[keep[len(keep)-1]]] {
			keep = keep[:len(keep)-1]
		}
		if len(keep) < 3 {
			continue
		}
		for _, c := range keep {
			out.Corner = append(out.Corner, mapping[m.Corner[c]])
			if m.UV != nil {
				out.UV = append(out.UV, m.UV[c])
			}
			if m.Normal != nil {
				out.Normal = append(out.Normal, m.Normal[c])
			}
		}
		out.Start = append(out.Start, int32(len(out.Corner)))
		if m.Part != nil {
			out.Part = append(out.Part, m.Part[f])
		}
	}
	return out, mapping
}

// Placement says how the whole mesh is brought into the production's frame:
// scaled, its up axis turned to +Y, and stood on the ground.
type Placement struct {
	Scale float64 `json:"scale"` // metres per file unit, > 0
	Up    string  `json:"up"`    // "y", "z" or "-z": the file's up direction
	Stand bool    `json:"stand"` // lowest vertex to Y = 0, middle to X = Z = 0
}

// UpTurn is the rotation that takes the named up direction to +Y.
func UpTurn(up string) quat.Number {
	switch up {
	case "z":
		return geom.AxisAngle(r3.Vec{X: 1}, -math.Pi/2)
	case "-z":
		return geom.AxisAngle(r3.Vec{X: 1}, math.Pi/2)
	}
	return geom.Identity
}

// Bake applies every part's frame, then p, to the vertices and leaves identity
// frames. Parts whose frame mirrors get their faces turned round, so that
// outside stays outside. Vertex order is kept.
func (m *Mesh) Bake(p Placement) *Mesh {
	out := *m
	out.Points = append([]r3.Vec(nil), m.World()...)
	turn := UpTurn(p.Up)
	for i, v := range out.Points {
		v = r3.Scale(p.Scale, v)
		if turn != geom.Identity {
			v = geom.Rotate(turn, v)
		}
		out.Points[i] = v
	}
	if p.Stand {
		b := geom.BoxOf(out.Points)
		off := r3.Vec{X: -b.Centre().X, Y: -b.Min.Y, Z: -b.Centre().Z}
		for i := range out.Points {
			out.Points[i] = r3.Add(out.Points[i], off)
		}
	}
	out.Parts = append([]Part(nil), m.Parts...)
	flip := make([]bool, m.Faces())
	mirrored := false
	for f := range flip {
		flip[f] = m.Parts[m.PartOf(f)].Frame.Determinant() < 0
		mirrored = mirrored || flip[f]
	}
	if m.Normal != nil {
		out.Normal = make([][3]float32, len(m.Normal))
		for f := range m.Faces() {
			_, q, s := m.Parts[m.PartOf(f)].Frame.Decompose()
			for c := m.Start[f]; c < m.Start[f+1]; c++ {
				n := m.Normal[c]
				v := r3.Vec{X: float64(n[0]) / s.X, Y: float64(n[1]) / s.Y, Z: float64(n[2]) / s.Z}
				v = geom.Rotate(turn, geom.Rotate(q, v))
				if l := r3.Norm(v); l > 0 {
					v = r3.Scale(1/l, v)
				}
				out.Normal[c] = [3]float32{float32(v.X), float32(v.Y), float32(v.Z)}
			}
		}
	}
	for i := range out.Parts {
		out.Parts[i].Frame = geom.IdentityMatrix
	}
	if mirrored {
		return out.flipFaces(flip)
	}
	return &out
}

// flipFaces returns the mesh with the marked faces turned round; the first
// corner of each face stays first, and stored normals of them are reversed.
func (m *Mesh) flipFaces(flip []bool) *Mesh {
	out := *m
	out.Corner = append([]int32(nil), m.Corner...)
	out.UV = append([][2]float32(nil), m.UV...)
	out.Normal = append([][3]float32(nil), m.Normal...)
	for f, yes := range flip {
		if !yes {
			continue
		}
		lo, hi := int(m.Start[f])+1, int(m.Start[f+1])-1
		for ; lo < hi; lo, hi = lo+1, hi-1 {
			out.Corner[lo], out.Corner[hi] = out.Corner[hi], out.Corner[lo]
			if m.UV != nil {
				out.UV[lo], out.UV[hi] = out.UV[hi], out.UV[lo]
			}
			if m.Normal != nil {
				out.Normal[lo], out.Normal[hi] = out.Normal[hi], out.Normal[lo]
			}
		}
		if m.Normal != nil {
			for c := m.Start[f]; c < m.Start[f+1]; c++ {
				for i := range 3 {
					out.Normal[c][i] = -out.Normal[c][i]
				}
			}
		}
	}
	return &out
}
