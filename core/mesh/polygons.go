package mesh

import (
	"wisemarrow/core/geom"

	"gonum.org/v1/gonum/spatial/r3"
)

// Polygons are the faces of four and more sides that cannot be relied on to
// bend as drawn. A face stands in one list only, the gravest.
type Polygons struct {
	Many    []int32 // more than four sides
	Concave []int32 // a corner turns the other way
	Folded  []int32 // parts of it face against each other, or its sides cross
	Holed   []int32 // it visits a vertex twice, as a face with a hole does
	Sides   int     // of the face with the most
}

// Polygons sorts the faces with more than three sides.
func (m *Mesh) Polygons() Polygons {
	var out Polygons
	for f := range m.Faces() {
		c := m.Face(f)
		out.Sides = max(out.Sides, len(c))
		switch {
		case len(c) == 3:
		case repeats(c):
			out.Holed = append(out.Holed, int32(f))
		case folded(m.Points, c):
			out.Folded = append(out.Folded, int32(f))
		case concave(m.Points, c):
			out.Concave = append(out.Concave, int32(f))
		case len(c) > 4:
			out.Many = append(out.Many, int32(f))
		}
	}
	return out
}

func repeats(c []int32) bool {
	if len(c) > 12 {
		seen := make(map[int32]bool, len(c))
		for _, v := range c {
			if seen[v] {
				return true
			}
			seen[v] = true
		}
		return false
	}
	for i, v := range c {
		for _, w := range c[:i] {
			if v == w {
				return true
			}
		}
	}
	return false
}

// folded reports whether two triangles of the face look against each other
// however it is cut.
func folded(p []r3.Vec, c []int32) bool {
	n, sum := AreaVector(p, c), 0.0
	for _, t := range cut(p, c) {
		a := geom.TriangleNormal(p[t[0]], p[t[1]], p[t[2]])
		if r3.Dot(a, n) < 0 {
			return true
		}
		sum += 0.5 * r3.Norm(a)
	}
	return r3.Norm(n) < 1e-6*sum // both halves of a bow tie are alike
}

// reflex is the sine of the angle by which a corner must turn the wrong way to
// count, about 10°: flatter ones every program cuts alike.
const reflex = 0.17

func concave(p []r3.Vec, c []int32) bool {
	n := AreaVector(p, c)
	size := r3.Norm(n)
	if size == 0 {
		return false
	}
	for i := range c {
		a, b, d := p[c[i]], p[c[(i+1)%len(c)]], p[c[(i+2)%len(c)]]
		in, out := r3.Sub(b, a), r3.Sub(d, b)
		if r3.Dot(r3.Cross(in, out), n) < -reflex*size*r3.Norm(in)*r3.Norm(out) {
			return true
		}
	}
	return false
}

// Triangulate cuts the chosen faces into triangles, in their places; vertices
// and all other faces stay as they are.
func (m *Mesh) Triangulate(chosen []bool) *Mesh {
	build := buildFrom(m, m.Points)
	at := make(map[int32]int32, 16)
	for f := range m.Faces() {
		c := m.Face(f)
		if !chosen[f] || len(c) == 3 {
			build.same(f, nil)
			continue
		}
		clear(at)
		for k := m.Start[f]; k < m.Start[f+1]; k++ {
			if _, ok := at[m.Corner[k]]; !ok {
				at[m.Corner[k]] = k
			}
		}
		for _, t := range cut(m.Points, c) {
			if t[0] == t[1] || t[1] == t[2] || t[2] == t[0] {
				continue // the bridge of a hole
			}
			for _, v := range t {
				build.corner(v, at[v])
			}
			build.face(m.PartOf(f))
		}
	}
	out := build.out
	out.Lines, out.Shapes = m.Lines, m.Shapes
	return out
}

// DropChosen drops the chosen faces and the vertices that only they used.
func (m *Mesh) DropChosen(chosen []bool) (*Mesh, Mapping) {
	stays := make([]bool, len(m.Points))
	for i := range stays {
		stays[i] = true
	}
	for f, yes := range chosen {
		if yes {
			for _, v := range m.Face(f) {
				stays[v] = false
			}
		}
	}
	for f, yes := range chosen {
		if !yes {
			for _, v := range m.Face(f) {
				stays[v] = true
			}
		}
	}
	to := make([]int32, len(m.Points))
	for v := range to {
		to[v] = -1
		if stays[v] {
			to[v] = int32(v)
		}
	}
	return m.rebuild(to, chosen)
}
