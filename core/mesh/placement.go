package mesh

import (
	"math"

	"wisemarrow/core/geom"

	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
)

// Placement says how the whole mesh is brought into the production's frame:
// scaled, its up axis turned to +Y, turned about it, and stood on the ground.
type Placement struct {
	Scale float64 `json:"scale" in:"1e-6..1e6" help:"meters per file unit"`
	Up    string  `json:"up" as:"Up axis" one:"y,z,-z"` // the file's up direction
	Turn  float64 `json:"turn,omitempty" in:"-360..360" unit:"°" help:"about the up axis"`
	// Turn is in degrees about +Y, after Up. Stand brings the lowest vertex to
	// Y = 0, the middle plane (the box's middle where there is none) to X = 0 and
	// the middle to Z = 0.
	Stand bool `json:"stand"`
}

// NoPlacement leaves everything where it is.
var NoPlacement = Placement{Scale: 1, Up: "y"}

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

// Rotation is the turn of the placement: up first, then about +Y.
func (p Placement) Rotation() quat.Number {
	turn := UpTurn(p.Up)
	if p.Turn != 0 {
		turn = geom.Normalise(quat.Mul(geom.AxisAngle(r3.Vec{Y: 1}, p.Turn*math.Pi/180), turn))
	}
	return turn
}

// Similarity returns the map that the placement means for a mesh: scale, turn,
// and the way to the ground.
func (p Placement) Similarity(m *Mesh) geom.Matrix {
	turn := p.Rotation()
	out := geom.Compose(r3.Vec{}, turn, r3.Vec{X: p.Scale, Y: p.Scale, Z: p.Scale})
	if !p.Stand {
		return out
	}
	points := append([]r3.Vec(nil), m.World()...)
	for i, v := range points {
		points[i] = out.Point(v)
	}
	b := geom.BoxOf(points)
	if b.Empty() {
		return out
	}
	off := r3.Vec{X: -b.Centre().X, Y: -b.Min.Y, Z: -b.Centre().Z}
	tree, _ := m.Tree(points)
	if s := FindSymmetry(points, tree, geom.SymmetryShare*b.Diagonal()); s.Normal.X > 0.999 && s.Surface > 0.7 {
		off.X = -s.Offset
	}
	out[12], out[13], out[14] = off.X, off.Y, off.Z
	return out
}

// Bake applies every part's frame, then p, to the vertices and leaves identity
// frames. Parts whose frame mirrors get their faces turned round, so that
// outside stays outside. Vertex order is kept.
func (m *Mesh) Bake(p Placement) *Mesh {
	place := p.Similarity(m)
	turn := p.Rotation()
	out := *m
	out.Points = append([]r3.Vec(nil), m.World()...)
	if p != NoPlacement {
		for i, v := range out.Points {
			out.Points[i] = place.Point(v)
		}
	}
	part := m.PartOfVertices()
	out.Shapes = mapShapes(m.Shapes, func(v int32, d r3.Vec) r3.Vec {
		return place.Direction(m.Parts[part[v]].Frame.Direction(d))
	})
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
		turned := out.flipFaces(flip)
		if m.Normal != nil { // the inverse transpose has turned them already
			for f, yes := range flip {
				if !yes {
					continue
				}
				for c := m.Start[f]; c < m.Start[f+1]; c++ {
					n := &turned.Normal[c]
					*n = [3]float32{-n[0], -n[1], -n[2]}
				}
			}
		}
		return turned
	}
	return &out
}

// PartOfVertices returns the part of a face at each vertex; a vertex that no
// face uses takes that of the used vertex before it in order.
func (m *Mesh) PartOfVertices() []int32 {
	part := make([]int32, len(m.Points))
	for i := range part {
		part[i] = -1
	}
	for f := range m.Faces() {
		for _, v := range m.Face(f) {
			part[v] = m.PartOf(f)
		}
	}
	last := int32(0)
	for i, p := range part {
		if p >= 0 {
			last = p
		}
		part[i] = last
	}
	return part
}
