package mesh

import (
	"fmt"
	"math"

	"wisemarrow/core/geom"

	"gonum.org/v1/gonum/spatial/r3"
)

// Half says which side of the plane X = 0 a half mesh lies on.
type Half struct {
	Side float64 // +1 or -1; 0 when the mesh lies on both sides
	Seam []int32 // border vertices within the tolerance of the plane
	Over float64 // how far the mesh reaches across the plane, metres
}

// Half tells whether a mesh is half of a character: all on one side of the
// plane X = 0 but for the tolerance, with an open border of at least three
// vertices along the plane.
func (s *Surface) Half(tolerance float64) Half {
	m, points, e := s.Mesh, s.At, s.Edges
	var h Half
	box := geom.BoxOf(points)
	if box.Empty() {
		return h
	}
	side := math.Copysign(1, box.Max.X+box.Min.X)
	h.Over = math.Max(0, -side*box.Min.X)
	if side < 0 {
		h.Over = math.Max(0, box.Max.X)
	}
	for _, v := range m.border(e) {
		if math.Abs(points[v].X) <= tolerance {
			h.Seam = append(h.Seam, v)
		}
	}
	if h.Over <= tolerance && len(h.Seam) >= 3 && math.Max(box.Max.X, -box.Min.X) > 4*tolerance {
		h.Side = side
	}
	return h
}

// border returns the vertices on open borders, ascending.
func (m *Mesh) border(e Edges) []int32 {
	on := make([]bool, len(m.Points))
	for _, x := range e.Edges {
		if x.Count == 1 {
			on[x.A], on[x.B] = true, true
		}
	}
	var out []int32
	for v, yes := range on {
		if yes {
			out = append(out, int32(v))
		}
	}
	return out
}

// CompleteHalf adds the mirror image of a half mesh. Border vertices within
// tolerance metres of the plane X = 0 are drawn onto it and shared by both
// halves; the other half's vertices and faces come last, in the order of the
// first. Faces that lie in the plane are left out of both halves, since they
// would become a wall inside. mirrored marks the new vertices.
func (m *Mesh) CompleteHalf(tolerance float64) (out *Mesh, origin Origin, mirrored []bool, err error) {
	if m.Framed() {
		return nil, nil, nil, ErrFramed
	}
	h := m.Surface().Half(tolerance)
	if h.Side == 0 {
		if h.Over > tolerance {
			return nil, nil, nil, fmt.Errorf(
				"the mesh crosses X = 0 by %.3g m: it is not a half, or must be moved first",
				h.Over,
			)
		}
		return nil, nil, nil, fmt.Errorf(
			"no open border is within %.3g m of X = 0: raise the tolerance, or move the half to the plane",
			tolerance,
		)
	}
	points := append([]r3.Vec(nil), m.Points...)
	twin := make([]int32, len(points))
	seam := make([]bool, len(points))
	for _, v := range h.Seam {
		points[v].X = 0
		seam[v] = true
		twin[v] = v
	}
	origin = identityOrigin(len(points))
	for v := range m.Points {
		if seam[v] {
			continue
		}
		p := points[v]
		twin[v] = int32(len(points))
		points, origin = append(points, r3.Vec{X: -p.X, Y: p.Y, Z: p.Z}), append(origin, int32(v))
	}
	mirrored = make([]bool, len(points))
	for v := len(m.Points); v < len(points); v++ {
		mirrored[v] = true
	}
	build := buildFrom(m, points)
	wall := make([]bool, m.Faces())
	for f := range m.Faces() {
		wall[f] = true
		for _, v := range m.Face(f) {
			wall[f] = wall[f] && seam[v]
		}
		if !wall[f] {
			build.same(f, nil)
		}
	}
	for f := range m.Faces() {
		if wall[f] {
			continue
		}
		lo, hi := m.Start[f], m.Start[f+1]
		first := len(build.out.Corner)
		build.corner(twin[m.Corner[lo]], lo)
		for c := hi - 1; c > lo; c-- {
			build.corner(twin[m.Corner[c]], c)
		}
		build.face(m.PartOf(f))
		for c := first; c < len(build.out.Normal); c++ {
			build.out.Normal[c][0] = -build.out.Normal[c][0]
		}
	}
	out = build.done(origin)
	out.Shapes = mapShapes(out.Shapes, func(v int32, d r3.Vec) r3.Vec {
		if mirrored[v] {
			d.X = -d.X
		}
		return d
	})
	return out, origin, mirrored, nil
}
