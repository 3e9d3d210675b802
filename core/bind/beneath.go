package bind

import (
	"fmt"
	"slices"

	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/weights"

	"gonum.org/v1/gonum/spatial/r3"
)

// Modes of FollowBeneath.
const (
	// Rigid gives all vertices of a piece the weights of the one place where it
	// comes nearest to the weighted surface, so that it keeps its shape.
	Rigid = mesh.FollowWhole
	// Follow gives each vertex the weights of the surface nearest to it.
	Follow = mesh.FollowSurface
	// Auto follows or is rigid by what the piece is to the body, as the automatic bind has it:
	// a belt or boot follows, a button keeps its shape.
	Auto = "auto"
)

// FollowBeneath gives vertices without weights those of the weighted surface nearest to them,
// interpolated over the triangle there, in the mode that is asked or that their part is told to
// follow in. A piece of which some vertices have weights is one surface with them and cannot be
// rigid. It returns the new weights and how many vertices got some.
func FollowBeneath(
	m *mesh.Mesh,
	s *skeleton.Skeleton,
	w *weights.Weights,
	mode string,
	limits weights.Limits,
) (*weights.Weights, int, error) {
	if mode != Rigid && mode != Follow && mode != Auto {
		return nil, 0, fmt.Errorf("a piece is \"rigid\", \"follow\" or \"auto\", not %q", mode)
	}
	solved := weighted(m, w)
	if len(solved) == 0 {
		return nil, 0, fmt.Errorf("no face of the mesh has weights that a piece could follow: bind first")
	}
	l := &layering{m: m, s: s, points: m.World(), pieces: m.Pieces()}
	l.kind = make([]string, l.pieces.Count())
	for v, p := range l.pieces.OfVertex {
		if p >= 0 && len(w.Of[v]) > 0 {
			l.kind[p] = KindBody
		}
	}
	if slices.Contains(l.kind, "") {
		l.others()
		for p := range l.kind {
			switch {
			case l.kind[p] == KindBody:
			case mode == Follow:
				l.kind[p] = KindCloth
			case mode == Rigid:
				l.kind[p] = KindRigid
			}
		}
		l.asTold()
	}
	uncapped := weights.Limits{Trace: limits.Trace}
	out, _ := l.over(w, uncapped)
	led(m, out)
	tree := geom.NewTree(l.points, solved)
	given := 0
	for v := range out.Of {
		if len(w.Of[v]) > 0 {
			continue
		}
		given++
		if len(out.Of[v]) == 0 {
			tri, q, _ := tree.Nearest(l.points[v])
			t := solved[tri]
			out.Of[v] = w.Blend(t[:], barycentric(q, l.points[t[0]], l.points[t[1]], l.points[t[2]]), uncapped)
		}
	}
	out = weights.Capped(m, out, limits)
	for v, list := range w.Of {
		if len(list) > 0 {
			out.Of[v] = list
		}
	}
	return out, given, nil
}

// asTold gives pieces the kind that their parts are told to have.
func (l *layering) asTold() {
	for p, i := range l.partOf() {
		switch l.m.Parts[i].Follows {
		case mesh.FollowSurface:
			l.kind[p] = KindCloth
		case mesh.FollowWhole, mesh.FollowJoint:
			l.kind[p] = KindRigid
		case mesh.FollowBones:
			l.kind[p] = KindBody
		}
	}
}

// led gives the vertices of parts that are told to follow one joint wholly to it, and returns
// them; those that another part shares stay as they are.
func led(m *mesh.Mesh, w *weights.Weights) []int32 {
	told := func(f int) bool { return m.Parts[m.PartOf(f)].Follows == mesh.FollowJoint }
	if !slices.ContainsFunc(m.Parts, func(p mesh.Part) bool { return p.Follows == mesh.FollowJoint }) {
		return nil
	}
	shared := make([]bool, len(m.Points))
	for f := range m.Faces() {
		if !told(f) {
			for _, v := range m.Face(f) {
				shared[v] = true
			}
		}
	}
	var out []int32
	for f := range m.Faces() {
		if !told(f) {
			continue
		}
		k := w.Add(m.Parts[m.PartOf(f)].Leader)
		for _, v := range m.Face(f) {
			if !shared[v] {
				shared[v] = true
				w.Of[v] = []weights.Influence{{Joint: k, Value: 1}}
				out = append(out, v)
			}
		}
	}
	return out
}

// partOf is the part of the first face of each piece.
func (l *layering) partOf() []int32 {
	part := make([]int32, l.pieces.Count())
	for p := range part {
		part[p] = -1
	}
	for f := range l.m.Faces() {
		if p := l.pieces.OfVertex[l.m.Face(f)[0]]; part[p] < 0 {
			part[p] = l.m.PartOf(f)
		}
	}
	return part
}

// GiveParts gives parts that follow something else than the bones what they are told to follow,
// whatever weights they have.
func GiveParts(m *mesh.Mesh, s *skeleton.Skeleton, w *weights.Weights, limits weights.Limits) (*weights.Weights, error) {
	_, out := m.Leading()
	if out == nil {
		return w, nil
	}
	bare := &weights.Weights{Joints: w.Joints, Of: slices.Clone(w.Of)}
	for v, yes := range out {
		if yes {
			bare.Of[v] = nil
		}
	}
	next, _, err := FollowBeneath(m, s, bare, Auto, limits)
	if err != nil {
		return nil, err
	}
	for v, yes := range out { // what had no weights for other reasons stays without
		if yes {
			bare.Of[v] = next.Of[v]
		}
	}
	bare.Joints = next.Joints
	return bare, nil
}

// barycentric returns the shares of a, b and c in a point of their triangle.
func barycentric(p, a, b, c r3.Vec) []float64 {
	shares := geom.Barycentric(p, a, b, c)
	return shares[:]
}
