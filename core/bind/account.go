package bind

import (
	"fmt"
	"math"

	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/weights"
	"wisemarrow/core/wording"

	"gonum.org/v1/gonum/spatial/r3"
)

// Evidence is what a method knows of a bind besides its weights. Lists are by
// vertex of the mesh; nil is not known, as with weights that came in a file.
type Evidence struct {
	Method  string
	Deform  []bool     // by joint: it was asked to; nil is all but end joints
	Nearest [][]int32  // the joints whose bone is nearest
	Sees    []bool     // it sees its nearest bone through the mesh
	Tree    *geom.Tree // of the mesh's triangles, world frame; nil is built
	// Otherwise is why a joint has no vertex as far as the method knows, where nothing else
	// tells.
	Otherwise string
}

// Account reports how a bind by any method came out: every joint solved, weak or
// unsolved with the cause, every piece, and the vertices without weights. The
// joints of w are those of s, in its order.
func Account(m *mesh.Mesh, s *skeleton.Skeleton, w *weights.Weights, e Evidence) *Report {
	if e.Deform == nil {
		e.Deform = s.Deforming()
	}
	a := &account{m: m, s: s, w: w, e: e, bones: s.Leading(e.Deform)}
	a.tris, a.faceOf = m.Triangles()
	r := &Report{Method: e.Method, Vertices: len(m.Points), Stray: w.Unweighted()}
	r.Joints, r.Pieces, r.Unweighted = a.joints(), a.pieces(), len(r.Stray)
	return r
}

type account struct {
	m     *mesh.Mesh
	s     *skeleton.Skeleton
	w     *weights.Weights
	e     Evidence
	bones []skeleton.Bone

	tris   [][3]int32
	faceOf []int32
	mean   float64 // length of an edge, 0 until it is asked
}

func (a *account) joints() []JointReport {
	out := make([]JointReport, len(a.s.Joints))
	for i, j := range a.s.Joints {
		out[i] = JointReport{Name: j.Name, State: Solved}
	}
	of := make([]int, len(a.w.Joints)) // joint of the weights → of the skeleton, -1
	for k, name := range a.w.Joints {
		of[k] = a.s.Index(name)
	}
	nearest := a.e.Nearest
	if nearest == nil && len(a.bones) > 0 { // the method did not ask, the account does
		nearest = nearestJoints(a.m.World(), a.bones)
	}
	for v, list := range a.w.Of {
		if nearest != nil {
			for _, j := range nearest[v] {
				out[j].Nearest++
				if a.e.Sees != nil && a.e.Sees[v] {
					out[j].Heated++
				}
			}
		}
		for k, x := range list {
			if of[x.Joint] < 0 {
				continue
			}
			r := &out[of[x.Joint]]
			r.Touched++
			r.Peak = math.Max(r.Peak, x.Value)
			if k == 0 {
				r.Vertices++
			}
		}
	}
	if a.e.Tree == nil {
		a.e.Tree = geom.NewTree(a.m.World(), a.tris)
	}
	a.e.Tree.PrepareWinding()
	for i := range out {
		r := &out[i]
		helper := a.s.Joints[i].Helper != nil // it leads nothing, and gets its weights from a solution for motion
		if !a.e.Deform[i] || helper && r.Touched == 0 {
			r.State = Idle
			continue
		}
		r.Outside = a.outside(i)
		switch {
		case r.Vertices > 0 || helper:
		case r.Touched > 0:
			r.State = Weak
			r.Reason, r.Cause = ReasonOutweighed, a.weak(r)
		default:
			r.State = Unsolved
			r.Reason, r.Cause = a.cause(i, r)
		}
	}
	a.spread(out)
	return out
}

func (a *account) weak(r *JointReport) string {
	if a.e.Nearest == nil {
		return "the joints around it outweigh it everywhere"
	}
	return "its bone is nearest to only " + wording.Count(
		r.Heated,
		"visible vertex",
		"visible vertices",
	) + ", and the joints around it outweigh it there"
}

// cause tells why a joint has no weights at all.
func (a *account) cause(joint int, r *JointReport) (reason, cause string) {
	length := 0.0
	for _, bone := range a.bones {
		if bone.Joint == joint {
			length = math.Max(length, r3.Norm(r3.Sub(bone.A, bone.B)))
		}
	}
	switch {
	case a.otherScale():
		return ReasonScale, "the skeleton and mesh differ greatly in size or position"
	case r.Outside > outsideLimit:
		return ReasonOutside, fmt.Sprintf("%.0f%% of its bone is outside the mesh", 100*r.Outside)
	case length == 0 && r.Nearest == 0:
		return ReasonShort, "its bone has no length"
	case a.e.Nearest == nil && a.e.Otherwise != "":
		return ReasonUnknown, a.e.Otherwise
	case a.e.Nearest == nil:
		return ReasonUnknown, "no vertex was given to it"
	case r.Nearest == 0:
		if other := a.within(joint); other >= 0 {
			return ReasonInside, "it coincides with the bone of " + a.s.Joints[other].Name + ", which is as near to every vertex"
		}
		if edge := a.edge(); length < edge {
			return ReasonCoarse, fmt.Sprintf("the mesh is too coarse: its bone is only %.1f edges long", length/edge)
		}
		return ReasonFar, "every vertex is nearer to another bone"
	case r.Heated == 0:
		return ReasonHidden, "none of the " + wording.Count(
			r.Nearest,
			"vertex",
			"vertices",
		) + " nearest to it sees it through the mesh: " + a.between(
			joint,
		)
	default:
		return ReasonCut, "its weights are all below the trace limit or the influence cap"
	}
}

// otherScale reports whether skeleton and mesh differ in size so that no bone can be where it
// belongs.
func (a *account) otherScale() bool {
	mesh, bones := a.e.Tree.Box().Diagonal(), a.s.Size()
	return mesh > 0 && bones > 0 && (bones > scaleLimit*mesh || mesh > scaleLimit*bones)
}

// scaleLimit is from how many times on a skeleton is of another size.
const scaleLimit = 8

// within returns another joint along whose bone all of a joint's lies, -1 for none.
func (a *account) within(joint int) int {
	tolerance := geom.NearShare * a.e.Tree.Box().Diagonal()
	for _, other := range a.bones {
		if other.Joint == joint || other.A == other.B {
			continue
		}
		all := true
		for _, bone := range a.bones {
			if bone.Joint == joint {
				alongBone(bone, 3, func(p r3.Vec) {
					on, _ := geom.ClosestOnSegment(p, other.A, other.B)
					all = all && r3.Norm(r3.Sub(p, on)) < tolerance
				})
			}
		}
		if all {
			return other.Joint
		}
	}
	return -1
}

// edge is the mean length of the mesh's edges, metres.
func (a *account) edge() float64 {
	if a.mean > 0 {
		return a.mean
	}
	all := make([]bool, len(a.m.Points))
	for v := range all {
		all[v] = true
	}
	a.mean = edgeOf(a.m, a.m.World(), all)
	return a.mean
}

// between tells what lies between a joint's bones and the vertices nearest to them.
func (a *account) between(joint int) string {
	const asked = 64
	points := a.m.World()
	by := map[string]int{}
	n := 0
	for v, list := range a.e.Nearest {
		if n == asked {
			break
		}
		if len(list) == 0 || int(list[0]) != joint {
			continue
		}
		n++
		best, to := math.Inf(1), r3.Vec{}
		for _, bone := range a.bones {
			if on, _ := geom.ClosestOnSegment(points[v], bone.A, bone.B); bone.Joint == joint && r3.Norm(r3.Sub(points[v], on)) < best {
				best, to = r3.Norm(r3.Sub(points[v], on)), on
			}
		}
		for _, hit := range a.e.Tree.Hits(points[v], r3.Sub(to, points[v]), 1e-3, 1) {
			if t := a.tris[hit.Tri]; int(t[0]) != v && int(t[1]) != v && int(t[2]) != v {
				by[a.m.Parts[a.m.PartOf(int(a.faceOf[hit.Tri]))].Name]++
				break
			}
		}
	}
	most := ""
	for name, n := range by {
		if n > by[most] || n == by[most] && name < most {
			most = name
		}
	}
	if most == "" {
		return "another surface is in the way"
	}
	return "a surface of " + most + " is between"
}

// outside returns the share of joint i's bones that lies outside the mesh, by
// the winding number at samples along them; in a hollow they are not.
func (a *account) outside(i int) float64 {
	n, out := 0.0, 0.0
	for _, bone := range a.bones {
		if bone.Joint != i {
			continue
		}
		alongBone(bone, 9, func(p r3.Vec) {
			n++
			if math.Abs(a.e.Tree.Winding(p)) < 0.5 && !enclosed(a.e.Tree, p) {
				out++
			}
		})
	}
	return out / math.Max(1, n)
}

func (a *account) pieces() []PieceReport {
	p := a.m.Pieces()
	out := make([]PieceReport, p.Count())
	missing := make([]int, p.Count())
	for i := range out {
		out[i] = PieceReport{Piece: i, Vertices: p.Vertices[i], State: Solved}
	}
	for v, i := range p.OfVertex {
		if i < 0 {
			continue
		}
		if a.e.Sees != nil && a.e.Sees[v] {
			out[i].Heated++
		}
		if len(a.w.Of[v]) == 0 {
			missing[i]++
		}
	}
	for i := range out {
		r := &out[i]
		switch {
		case missing[i] == 0:
		case missing[i] == r.Vertices && a.e.Sees == nil:
			r.State = Unsolved
			r.Cause = "none of its vertices have weights"
		case missing[i] == r.Vertices && r.Heated == 0:
			r.State = Unsolved
			r.Cause = "no bone is visible from this piece: another surface is in the way, or the bone is outside it"
		case missing[i] == r.Vertices:
			r.State = Unsolved
			r.Cause = "its faces have no area for heat to cross"
		case a.e.Sees == nil:
			r.State = Weak
			r.Cause = fmt.Sprintf("%d of its vertices have no weights", missing[i])
		default:
			r.State = Weak
			r.Cause = fmt.Sprintf("zero-area faces isolate %d of its vertices", missing[i])
		}
	}
	return out
}
