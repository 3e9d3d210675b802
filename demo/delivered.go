package demo

import (
	"math"

	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/core/skeleton"

	"gonum.org/v1/gonum/spatial/r3"
)

// OdileAsDelivered returns Odile as a careless export would send her, and her
// true skeleton in metres: centimetres, Z up, a turn and an offset left on her
// parts, the waist and an arm cracked open, a patch of the back flipped, a strip
// of faces doubled, loose vertices, and the crown of the hat closed by one
// many-sided face. Her own vertices keep their order and come first.
func OdileAsDelivered(cell float64) (*mesh.Mesh, *skeleton.Skeleton) {
	m, s := Odile(cell)
	h := OdileFigure.Height
	m = capCrown(m)
	var waist, arm []bool
	near := func(f int, test func(p r3.Vec) bool) bool {
		for _, v := range m.Face(f) {
			if !test(m.Points[v]) {
				return false
			}
		}
		return true
	}
	arms := s.Joints[s.Index("forearm_l")].Pos
	for f := range m.Faces() {
		waist = append(waist, near(f, func(p r3.Vec) bool { return p.Y < 0.62*h }))
		arm = append(arm, near(f, func(p r3.Vec) bool { return p.X > arms.X && p.Y > 0.4*h }))
	}
	m = crack(m, waist)
	m = crack(m, arm)
	flip := make([]bool, m.Faces())
	for f := range flip {
		flip[f] = near(f, func(p r3.Vec) bool {
			return p.Z < 0 && p.Y > 0.68*h && p.Y < 0.76*h && math.Abs(p.X) < 0.04*h
		})
	}
	for f, yes := range flip {
		if yes {
			c := m.Face(f)
			for i, j := 1, len(c)-1; i < j; i, j = i+1, j-1 {
				c[i], c[j] = c[j], c[i]
			}
		}
	}
	shin := s.Joints[s.Index("shank_r")].Pos
	faces := m.Faces()
	for f := range faces {
		if near(f, func(p r3.Vec) bool {
			return p.X < 0 && p.Z > shin.Z && math.Abs(p.Y-shin.Y-0.1*h) < 0.02*h
		}) {
			m.AddFace(m.PartOf(f), m.Face(f)...)
		}
	}
	for i := range 7 {
		m.Points = append(m.Points, r3.Vec{X: 0.3 - 0.02*float64(i), Y: 1.1 + 0.07*float64(i), Z: -0.2})
	}
	// Centimetres and Z up in the points; a turn and an offset on the parts.
	up := geom.AxisAngle(r3.Vec{X: 1}, math.Pi/2)
	frame := geom.Rigid(r3.Vec{X: 14, Y: -6}, geom.AxisAngle(r3.Vec{Z: 1}, 0.07))
	inverse := geom.Rigid(geom.Rotate(geom.AxisAngle(r3.Vec{Z: 1}, -0.07), r3.Vec{X: -14, Y: 6}), geom.AxisAngle(r3.Vec{Z: 1}, -0.07))
	for i, p := range m.Points {
		m.Points[i] = inverse.Point(geom.Rotate(up, r3.Scale(100, p)))
	}
	for i := range m.Parts {
		m.Parts[i].Frame = frame
	}
	return m, s
}

// crack gives the chosen faces vertices of their own along their border.
func crack(m *mesh.Mesh, chosen []bool) *mesh.Mesh {
	uses := make([]int8, len(m.Points)) // 1 chosen, 2 others, 3 both
	for f := range m.Faces() {
		bit := int8(2)
		if chosen[f] {
			bit = 1
		}
		for _, v := range m.Face(f) {
			uses[v] |= bit
		}
	}
	twin := map[int32]int32{}
	for f := range m.Faces() {
		if !chosen[f] {
			continue
		}
		for i, v := range m.Face(f) {
			if uses[v] != 3 {
				continue
			}
			t, ok := twin[v]
			if !ok {
				t = int32(len(m.Points))
				m.Points = append(m.Points, m.Points[v])
				twin[v] = t
			}
			m.Face(f)[i] = t
		}
	}
	return m
}

// capCrown replaces the disc of faces around the highest vertex by one face.
// Vertices keep their order; those inside the disc stay, loose.
func capCrown(m *mesh.Mesh) *mesh.Mesh {
	top := 0
	for i, p := range m.Points {
		if p.Y > m.Points[top].Y {
			top = i
		}
	}
	in := map[int32]bool{int32(top): true}
	disc := make([]bool, m.Faces())
	for range 2 {
		grown := map[int32]bool{}
		for f := range m.Faces() {
			for _, v := range m.Face(f) {
				if in[v] {
					disc[f] = true
				}
			}
			if disc[f] {
				for _, v := range m.Face(f) {
					grown[v] = true
				}
			}
		}
		in = grown
	}
	out := &mesh.Mesh{Points: m.Points, Parts: m.Parts}
	next := map[int32]int32{}
	var part int32
	for f := range m.Faces() {
		c := m.Face(f)
		if !disc[f] {
			out.AddFace(m.PartOf(f), c...)
			continue
		}
		part = m.PartOf(f)
		for i, v := range c {
			w := c[(i+1)%len(c)]
			if !runs(m, disc, w, v) {
				next[v] = w
			}
		}
	}
	var ring []int32
	start := int32(-1)
	for f := range m.Faces() {
		if start >= 0 || !disc[f] {
			continue
		}
		c := m.Face(f)
		for i, v := range c {
			if w := c[(i+1)%len(c)]; !runs(m, disc, w, v) {
				start = v
			}
		}
	}
	for v := start; len(ring) == 0 || v != start; v = next[v] {
		ring = append(ring, v)
	}
	out.AddFace(part, ring...)
	return out
}

// runs reports whether a chosen face goes from v to w.
func runs(m *mesh.Mesh, chosen []bool, v, w int32) bool {
	for f := range m.Faces() {
		if !chosen[f] {
			continue
		}
		c := m.Face(f)
		for i, a := range c {
			if a == v && c[(i+1)%len(c)] == w {
				return true
			}
		}
	}
	return false
}
