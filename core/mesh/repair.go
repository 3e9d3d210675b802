package mesh

import (
	"errors"

	"gonum.org/v1/gonum/spatial/r3"
)

// ErrFramed means that a repair would join vertices of differently framed
// parts; baking the transform first makes it possible.
var ErrFramed = errors.New("a part still has a transform of its own: bake the transform into the vertices first")

// Weld joins the vertices that Surface.Seams names. The lowest vertex of a group
// stays where it is and the others become it; faces that collapse are dropped.
func (m *Mesh) Weld(distance float64, across bool) (*Mesh, Mapping, error) {
	if m.Framed() {
		return nil, nil, ErrFramed
	}
	to := make([]int32, len(m.Points))
	for i := range to {
		to[i] = int32(i)
	}
	for _, g := range m.Surface().Seams(distance, across).Groups {
		for _, v := range g {
			to[v] = g[0]
		}
	}
	out, mapping := m.rebuild(to, nil)
	return out, mapping, nil
}

// DropLoose drops the vertices that no face uses, and all loose edges.
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
	out, mapping := m.rebuild(to, nil)
	out.Lines = nil
	return out, mapping
}

// rebuild renumbers vertices: to[v] is the vertex that v becomes (itself to
// stay), -1 to drop it. Faces marked in drop, and those left with fewer than
// three corners, go. Vertex order is kept.
func (m *Mesh) rebuild(to []int32, drop []bool) (*Mesh, Mapping) {
	mapping := make(Mapping, len(m.Points))
	points := make([]r3.Vec, 0, len(m.Points))
	for v := range m.Points {
		if to[v] == int32(v) {
			mapping[v] = int32(len(points))
			points = append(points, m.Points[v])
		}
	}
	for v := range m.Points {
		if to[v] < 0 {
			mapping[v] = -1
		} else if to[v] != int32(v) {
			mapping[v] = mapping[to[v]]
		}
	}
	build := buildFrom(m, points)
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
			build.corner(mapping[m.Corner[c]], c)
		}
		build.face(m.PartOf(f))
	}
	return build.done(mapping.Origin(len(points))), mapping
}

// flipFaces returns the mesh with the marked faces turned round; the first
// corner of each face stays first, and stored normals of them are reversed.
func (m *Mesh) flipFaces(flip []bool) *Mesh {
	build := buildFrom(m, m.Points)
	for f, yes := range flip {
		if !yes {
			build.same(f, nil)
			continue
		}
		lo, hi := m.Start[f], m.Start[f+1]
		build.corner(m.Corner[lo], lo)
		for c := hi - 1; c > lo; c-- {
			build.corner(m.Corner[c], c)
		}
		build.face(m.PartOf(f))
		if n := build.out.Normal; n != nil {
			for c := lo; c < hi; c++ {
				n[c] = [3]float32{-n[c][0], -n[c][1], -n[c][2]}
			}
		}
	}
	out := build.out
	out.Lines, out.Shapes = m.Lines, m.Shapes
	return out
}
